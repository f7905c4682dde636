"""Pages with their texts, their places in the contents, their former addresses, and drafts."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    Column,
    DateTime,
    Double,
    ForeignKey,
    Identity,
    Index,
    Integer,
    Named,
    Table,
    Text,
    TypedColumns,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB

from mokuji.store.tables.base import metadata


class PageColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(), primary_key=True)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id"))
    key: Named[str] = Column(Text(collation="C"))
    title: Named[str] = Column(Text)
    revision: Named[int] = Column(Integer)
    summary: Named[str] = Column(Text, server_default="")
    changed: Named[datetime] = Column(DateTime(timezone=True))
    author: Named[int | None] = Column(Integer, ForeignKey("person.id"))
    note: Named[str] = Column(Text, server_default="")


page = Table(
    "page",
    metadata,
    PageColumns,
    # Looked at when a statement ends, so that two pages can exchange their names.
    UniqueConstraint("volume", "key", name="page_volume_key", deferrable=True, initially="IMMEDIATE"),
    # Of expressions that change nothing: trigrams of the column itself would be looked through for equal keys, slowly.
    Index("page_key_alone", text("lower(key)")),
    Index("page_key_trigrams", "key", postgresql_using="gin", postgresql_ops={"key": "gin_trgm_ops"}),
    postgresql_with={"fillfactor": "80"},
)


class RevisionColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, primary_key=True)  # of a page that is there, or in the trash
    number: Named[int] = Column(Integer, primary_key=True)
    change_set: Named[int] = Column(BigInteger, ForeignKey("change_set.id"))
    author: Named[int | None] = Column(Integer, ForeignKey("person.id"))
    at: Named[datetime] = Column(DateTime(timezone=True))
    note: Named[str] = Column(Text, server_default="")
    title: Named[str] = Column(Text)
    text: Named[str] = Column(Text)
    written_in: Named[int] = Column(Integer)  # the volume whose readers may read it; see docs/decisions/0024


revision = Table(
    "revision",
    metadata,
    RevisionColumns,
    Index("revision_change_set", "change_set"),
    Index(
        "revision_note",
        "note",
        postgresql_using="gin",
        postgresql_ops={"note": "gin_trgm_ops"},
        postgresql_where=text("note <> ''"),
    ),
)


class ContentsColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(), primary_key=True)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id"))
    parent: Named[int | None] = Column(BigInteger)
    key: Named[str] = Column(Text(collation="C"))
    title: Named[str] = Column(Text)
    position: Named[float] = Column(Double)


contents = Table(
    "contents",
    metadata,
    ContentsColumns,
    UniqueConstraint("volume", "key", name="contents_volume_key"),
    Index("contents_order", "volume", "parent", "position"),
)


class TrashColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, primary_key=True)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id"))
    key: Named[str] = Column(Text(collation="C"))
    title: Named[str] = Column(Text)
    revision: Named[int] = Column(Integer)
    change_set: Named[int] = Column(BigInteger, ForeignKey("change_set.id"))
    at: Named[datetime] = Column(DateTime(timezone=True))
    successor: Named[int | None] = Column(BigInteger)
    leads: Named[Any] = Column(JSONB, server_default="[]")


trash = Table(
    "trash",
    metadata,
    TrashColumns,
    Index("trash_by_act", "change_set", "page"),
    Index("trash_by_volume", "volume", "change_set"),
)


# Addresses that pages and volumes had: they lead on until the name is used again.
class FormerColumns(TypedColumns):
    volume: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    key: Named[str] = Column(Text(collation="C"), primary_key=True)
    page: Named[int] = Column(BigInteger)


former = Table(
    "former",
    metadata,
    FormerColumns,
    Index("former_page", "page"),
)


class FormerVolumeColumns(TypedColumns):
    key: Named[str] = Column(Text(collation="C"), primary_key=True)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))


former_volume = Table("former_volume", metadata, FormerVolumeColumns)


class DraftColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(always=True), primary_key=True)
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))
    # none: a name that is not written yet
    page: Named[int | None] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"))
    key: Named[str] = Column(Text(collation="C"))
    title: Named[str] = Column(Text)
    text: Named[str] = Column(Text)
    revision: Named[int] = Column(Integer)
    changed: Named[datetime] = Column(DateTime(timezone=True))


draft = Table(
    "draft",
    metadata,
    DraftColumns,
    Index("draft_of_page", "person", "page", unique=True, postgresql_where=text("page IS NOT NULL")),
    Index("draft_of_name", "person", "volume", "key", unique=True, postgresql_where=text("page IS NULL")),
    Index("draft_page", "page", "changed"),
    Index("draft_person", "person", "changed"),
    Index("draft_volume", "volume", "changed"),
)
