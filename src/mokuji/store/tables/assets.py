"""Files with their bytes and versions, and sources."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    Column,
    DateTime,
    ForeignKey,
    Identity,
    Index,
    Integer,
    LargeBinary,
    Named,
    Table,
    Text,
    TypedColumns,
    UniqueConstraint,
    func,
)

from mokuji.store.tables.base import metadata


class BlobColumns(TypedColumns):
    hash: Named[bytes] = Column(LargeBinary, primary_key=True)  # SHA-256 of the bytes
    data: Named[bytes] = Column(LargeBinary)
    at: Named[datetime] = Column(DateTime(timezone=True), server_default=func.now())


blob = Table("blob", metadata, BlobColumns)


class ContentColumns(TypedColumns):
    """What a file is, or was in a version."""

    hash: Named[bytes] = Column(LargeBinary, ForeignKey("blob.hash"))
    type: Named[str] = Column(Text)
    size: Named[int] = Column(BigInteger)
    width: Named[int] = Column(Integer)
    height: Named[int] = Column(Integer)
    person: Named[int | None] = Column(Integer, ForeignKey("person.id"))
    at: Named[datetime] = Column(DateTime(timezone=True))


class FileColumns(ContentColumns):
    id: Named[int] = Column(BigInteger, Identity(always=True), primary_key=True)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))
    key: Named[str] = Column(Text(collation="C"))
    name: Named[str] = Column(Text)
    version: Named[int] = Column(Integer)

    __row_pos__: tuple[bytes, str, int, int, int, int | None, datetime, int, int, str, str, int]


file = Table(
    "file",
    metadata,
    FileColumns,
    UniqueConstraint("volume", "key", name="file_volume_key"),
    Index("file_hash", "hash"),
    Index("file_key_trigrams", "key", postgresql_using="gin", postgresql_ops={"key": "gin_trgm_ops"}),
)


# What a file was, by its number, until it became another; of files that went, too. ``file`` is no key, so that they can
# come back.
class FileVersionColumns(ContentColumns):
    file: Named[int] = Column(BigInteger, primary_key=True, autoincrement=False)
    number: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))
    name: Named[str] = Column(Text)
    until: Named[datetime] = Column(DateTime(timezone=True))

    __row_pos__: tuple[bytes, str, int, int, int, int | None, datetime, int, int, int, str, datetime]


file_version = Table(
    "file_version",
    metadata,
    FileVersionColumns,
    Index("file_version_hash", "hash"),
    Index("file_version_volume", "volume"),
)


# Who brought bytes that nothing names yet: nobody else has them for knowing their hash.
class StagedColumns(TypedColumns):
    hash: Named[bytes] = Column(LargeBinary, ForeignKey("blob.hash", ondelete="CASCADE"), primary_key=True)
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    at: Named[datetime] = Column(DateTime(timezone=True))


staged = Table("staged", metadata, StagedColumns)


# Pictures at smaller widths, made when they are first asked for.
class ScaledColumns(TypedColumns):
    hash: Named[bytes] = Column(LargeBinary, ForeignKey("blob.hash", ondelete="CASCADE"), primary_key=True)
    width: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    data: Named[bytes] = Column(LargeBinary)


scaled = Table("scaled", metadata, ScaledColumns)


class SourceColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(always=True), primary_key=True)
    key: Named[str] = Column(Text(collation="C"))
    name: Named[str] = Column(Text)
    fields: Named[Any] = Column(JSON)  # CSL-JSON; not JSONB, which forgets the order
    person: Named[int | None] = Column(Integer, ForeignKey("person.id"))
    at: Named[datetime] = Column(DateTime(timezone=True))


source = Table(
    "source",
    metadata,
    SourceColumns,
    UniqueConstraint("key", name="source_key_key"),
)
