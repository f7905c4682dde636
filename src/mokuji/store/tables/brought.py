"""Folders that were brought to a volume and wait until somebody takes them in."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    Boolean,
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
)
from sqlalchemy.dialects.postgresql import JSONB

from mokuji.store.tables.base import metadata


class BroughtColumns(TypedColumns):
    id: Named[int] = Column(Integer, Identity(always=True), primary_key=True)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    name: Named[str] = Column(Text)  # what the folder or zip was called
    at: Named[datetime] = Column(DateTime(timezone=True))
    files: Named[int] = Column(Integer)
    # Paths that are nothing a wiki takes, and what of the rest could not be read, as it is said.
    said: Named[Any] = Column(JSONB)
    # What was chosen so far: by the id of an item “folder” or “wiki”.
    choices: Named[Any] = Column(JSONB, server_default="{}")
    # The change that took it in; it waits again once that was taken back.
    taken: Named[int | None] = Column(BigInteger, ForeignKey("change_set.id", ondelete="SET NULL"))


brought = Table(
    "brought",
    metadata,
    BroughtColumns,
    Index("brought_person", "person", "volume", "id"),
    Index("brought_volume", "volume"),
    Index("brought_at", "at"),
    Index("brought_taken", "taken"),
)


class BroughtFileColumns(TypedColumns):
    brought: Named[int] = Column(Integer, ForeignKey("brought.id", ondelete="CASCADE"), primary_key=True)
    path: Named[str] = Column(Text(collation="C"), primary_key=True)
    hash: Named[bytes] = Column(LargeBinary)  # SHA-256
    read: Named[bool] = Column(
        Boolean
    )  # whether it is a page, or about pages, rather than a file that they name
    data: Named[bytes] = Column(LargeBinary)
    # Of a file that pages name: type, size, width and height, as a file of a volume has them; none: not looked at.
    about: Named[Any | None] = Column(JSONB(none_as_null=True))


brought_file = Table("brought_file", metadata, BroughtFileColumns)
