"""What upkeep knows, what of it is to be looked at again, reports that are kept, and the house style."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import (
    ARRAY,
    JSON,
    BigInteger,
    Boolean,
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


# What upkeep knows, and what of it is to be looked at again; triggers write the latter (see migration 0003).
# A row of stale names a name or a place; one that names nothing says: everything.
class StaleColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(always=True), primary_key=True)
    name: Named[int | None] = Column(BigInteger)
    volume: Named[int | None] = Column(Integer)
    key: Named[str | None] = Column(Text(collation="C"))


stale = Table("stale", metadata, StaleColumns)


# Pages to which neither their own volume nor an open one leads; homes are the closed ones that do.
class OrphanColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    volume: Named[int] = Column(Integer)
    key: Named[str] = Column(Text(collation="C"))
    homes: Named[Sequence[int]] = Column(ARRAY(Integer))


orphan = Table(
    "orphan",
    metadata,
    OrphanColumns,
    Index("orphan_volume", "volume", "key"),
)


# How many other pages lead to a page, by the volume in which they stand; up to ``index.led.COUNTED``.
class LedColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    home: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    pages: Named[int] = Column(Integer)


led = Table("led", metadata, LedColumns)


# How many pages a volume has; of one without pages there is no row.
class VolumeSizeColumns(TypedColumns):
    volume: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    pages: Named[int] = Column(Integer)


volume_size = Table("volume_size", metadata, VolumeSizeColumns)


# Names without a page, and how many pages of each volume ask for them.
class AskedColumns(TypedColumns):
    volume: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    key: Named[str] = Column(Text(collation="C"), primary_key=True)
    home: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    pages: Named[int] = Column(Integer)


asked = Table("asked", metadata, AskedColumns)


# Pages that have no place in the contents, and whether readers come to them all the same.
class UnplacedColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    volume: Named[int] = Column(Integer)
    key: Named[str] = Column(Text(collation="C"))
    reached: Named[bool] = Column(Boolean)


unplaced = Table(
    "unplaced",
    metadata,
    UnplacedColumns,
    Index("unplaced_volume", "volume", "key"),
)


# Reports that take long, as they were made last; ``seen`` stands for the volumes that their readers may read.
class KeptReportColumns(TypedColumns):
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True)
    seen: Named[str] = Column(Text(collation="C"), primary_key=True)
    name: Named[str] = Column(Text(collation="C"), primary_key=True)
    at: Named[datetime] = Column(DateTime(timezone=True))
    stamp: Named[str] = Column(Text)
    pages: Named[int] = Column(Integer)
    whole: Named[bool] = Column(Boolean)
    number: Named[int] = Column(Integer)
    findings: Named[Any] = Column(JSONB)
    held_back: Named[Any] = Column(JSONB)


kept_report = Table("kept_report", metadata, KeptReportColumns)


# Findings of reports that are not to be mended, for a reason. ``what`` names one as long as it says the same;
# ``involved`` are the volumes that one must be able to read to be told of it.
class PutAsideColumns(TypedColumns):
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True)
    report: Named[str] = Column(Text(collation="C"), primary_key=True)
    what: Named[str] = Column(Text(collation="C"), primary_key=True)
    page: Named[int | None] = Column(BigInteger)
    involved: Named[Sequence[int]] = Column(ARRAY(Integer))
    title: Named[str] = Column(Text)
    reason: Named[str] = Column(Text)
    person: Named[int | None] = Column(Integer, ForeignKey("person.id"))
    at: Named[datetime] = Column(DateTime(timezone=True))


put_aside = Table("put_aside", metadata, PutAsideColumns)


class HouseStyleColumns(TypedColumns):
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True)
    rules: Named[Any] = Column(JSON)  # core.style.as_fields; not JSONB, which forgets the order of words
    revision: Named[int] = Column(Integer)
    person: Named[int | None] = Column(Integer, ForeignKey("person.id"))
    changed: Named[datetime] = Column(DateTime(timezone=True))


house_style = Table("house_style", metadata, HouseStyleColumns)
