"""What was done: the log of change sets."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    Column,
    DateTime,
    ForeignKey,
    Identity,
    Index,
    Integer,
    Named,
    Table,
    Text,
    TypedColumns,
)
from sqlalchemy.dialects.postgresql import JSONB

from mokuji.store.tables.base import metadata


class ChangeSetColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(), primary_key=True)
    act: Named[str] = Column(Text)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id"))
    page: Named[int | None] = Column(BigInteger)
    author: Named[int | None] = Column(Integer, ForeignKey("person.id"))
    at: Named[datetime] = Column(DateTime(timezone=True))
    note: Named[str] = Column(Text, server_default="")
    # The proposed note as core.phrases keeps it; no parts: the note is somebody's own words; none: it is from before.
    proposed: Named[Any | None] = Column(JSONB(none_as_null=True))
    detail: Named[Any] = Column(JSONB, server_default="{}")
    undone_by: Named[int | None] = Column(BigInteger)


change_set = Table(
    "change_set",
    metadata,
    ChangeSetColumns,
    Index("change_set_volume", "volume", "id"),
    Index("change_set_author", "author", "id"),
    Index("change_set_page", "page", "id"),
    Index("change_set_at", "at"),
)


# The volumes whose pages, contents, files or names a change set changed: in whose logs it stands beside its own.
class ChangeSetReachColumns(TypedColumns):
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True)
    change_set: Named[int] = Column(
        BigInteger, ForeignKey("change_set.id", ondelete="CASCADE"), primary_key=True
    )


change_set_reach = Table(
    "change_set_reach",
    metadata,
    ChangeSetReachColumns,
    Index("change_set_reach_by_act", "change_set"),
)


# Acts on people, by the people they were done to: these see them whatever volume they stand in.
class ChangeSetPersonColumns(TypedColumns):
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    change_set: Named[int] = Column(
        BigInteger, ForeignKey("change_set.id", ondelete="CASCADE"), primary_key=True
    )


change_set_person = Table("change_set_person", metadata, ChangeSetPersonColumns)


# Who did what with people, rights and keys, for owners to look through; ``volume`` is none where it is about the wiki.
class AuditColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(always=True), primary_key=True)
    at: Named[datetime] = Column(DateTime(timezone=True))
    kind: Named[str] = Column(Text(collation="C"))
    by_person: Named[int | None] = Column(Integer, ForeignKey("person.id", ondelete="SET NULL"))
    person: Named[int | None] = Column(Integer, ForeignKey("person.id", ondelete="SET NULL"))
    volume: Named[int | None] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))
    change_set: Named[int | None] = Column(BigInteger, ForeignKey("change_set.id", ondelete="SET NULL"))
    address: Named[str] = Column(Text, server_default="")
    said: Named[str] = Column(Text, server_default="")


audit = Table(
    "audit",
    metadata,
    AuditColumns,
    Index("audit_at", "at"),
    Index("audit_volume", "volume", "id"),
    Index("audit_kind", "kind", "id"),
    Index("audit_by_person", "by_person", "id"),
    Index("audit_person", "person", "id"),
    Index("audit_change_set", "change_set"),
)
