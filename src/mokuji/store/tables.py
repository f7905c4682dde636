"""The tables. Why they look like this is told in docs/decisions/0003-data-model.md.

Key columns are ``COLLATE "C"``, so that an index can be used for every order
and range. A text stands in ``revision`` only. References are interned:
``name`` holds what is typed once per volume, ``page_name`` says which page
uses it, ``page_refs`` where.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from typing import Any

from sqlalchemy import (
    ARRAY,
    JSON,
    BigInteger,
    Boolean,
    Column,
    Date,
    DateTime,
    Double,
    ForeignKey,
    Identity,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    Named,
    SmallInteger,
    Table,
    Text,
    TypedColumns,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB, TSVECTOR

metadata = MetaData()


class VolumeColumns(TypedColumns):
    id: Named[int] = Column(Integer, Identity(), primary_key=True)
    key: Named[str] = Column(Text(collation="C"))
    title: Named[str] = Column(Text)
    summary: Named[str] = Column(Text, server_default="")
    closed: Named[bool] = Column(Boolean, server_default=text("false"))
    front: Named[str | None] = Column(Text(collation="C"))
    libraries: Named[Sequence[int]] = Column(ARRAY(Integer), server_default="{}")
    language: Named[str] = Column(Text(collation="C"), server_default="")  # a tag of BCP 47
    deleted_by: Named[int | None] = Column(BigInteger)  # the change set that deleted it; it waits for an undo


volume = Table(
    "volume",
    metadata,
    VolumeColumns,
    Index("volume_key", "key", unique=True, postgresql_where=text("deleted_by IS NULL")),
)


class PersonColumns(TypedColumns):
    id: Named[int] = Column(Integer, Identity(), primary_key=True)
    handle: Named[str] = Column(Text(collation="C"))
    name: Named[str] = Column(Text)
    work: Named[str] = Column(Text, server_default="")
    password: Named[str] = Column(Text)
    calendar: Named[int] = Column(Integer, server_default="0")  # how often its address was renewed
    owns_wiki: Named[bool] = Column(Boolean, server_default=text("false"))
    # since when they may not sign in any more
    closed: Named[datetime | None] = Column(DateTime(timezone=True))


person = Table(
    "person",
    metadata,
    PersonColumns,
    UniqueConstraint("handle", name="person_handle"),
)


# Handles that somebody had: nobody else gets one while pages still name it.
class FormerHandleColumns(TypedColumns):
    handle: Named[str] = Column(Text(collation="C"), primary_key=True)
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))


former_handle = Table(
    "former_handle",
    metadata,
    FormerHandleColumns,
)


class MembershipColumns(TypedColumns):
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True)
    role: Named[int] = Column(SmallInteger)


membership = Table(
    "membership",
    metadata,
    MembershipColumns,
)


class SessionColumns(TypedColumns):
    token: Named[str] = Column(Text(collation="C"), primary_key=True)
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    expires: Named[datetime] = Column(DateTime(timezone=True))
    seen: Named[datetime] = Column(DateTime(timezone=True), server_default=func.now())


session = Table(
    "session",
    metadata,
    SessionColumns,
    Index("session_expires", "expires"),
    Index("session_person", "person"),
)


# Tries to sign in that failed or are under way, by what is counted: a keyed hash of a handle, or of an address.
class SignInTryColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(always=True), primary_key=True)
    key: Named[bytes] = Column(LargeBinary)
    at: Named[datetime] = Column(DateTime(timezone=True))


sign_in_try = Table(
    "sign_in_try",
    metadata,
    SignInTryColumns,
    Index("sign_in_try_key", "key", "at"),
    Index("sign_in_try_at", "at"),
)


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


change_set_person = Table(
    "change_set_person",
    metadata,
    ChangeSetPersonColumns,
)


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
)


class AliasColumns(TypedColumns):
    volume: Named[int] = Column(Integer, ForeignKey("volume.id"), primary_key=True)
    key: Named[str] = Column(Text(collation="C"), primary_key=True)
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    name: Named[str] = Column(Text)


alias = Table(
    "alias",
    metadata,
    AliasColumns,
    Index("alias_page", "page"),
    Index("alias_key_trigrams", "key", postgresql_using="gin", postgresql_ops={"key": "gin_trgm_ops"}),
)


class NameColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(), primary_key=True)
    home: Named[int] = Column(Integer, ForeignKey("volume.id"))
    key: Named[str] = Column(Text(collation="C"))
    vkey: Named[str | None] = Column(Text(collation="C"))
    tkey: Named[str | None] = Column(Text(collation="C"))
    absolute: Named[bool] = Column(Boolean)


name = Table(
    "name",
    metadata,
    NameColumns,
    UniqueConstraint(
        "home", "key", "vkey", "tkey", "absolute", name="name_whole", postgresql_nulls_not_distinct=True
    ),
    Index("name_in_volume", "vkey", "tkey", postgresql_where=text("vkey IS NOT NULL")),
    Index("name_by_volume", "vkey", "home", postgresql_where=text("vkey IS NOT NULL")),
)


class PageNameColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    name: Named[int] = Column(BigInteger, ForeignKey("name.id"), primary_key=True)
    # 0 as link, 1 as insert: inserts look in libraries too
    kind: Named[int] = Column(SmallInteger, primary_key=True)
    count: Named[int] = Column(Integer)


page_name = Table(
    "page_name",
    metadata,
    PageNameColumns,
    Index("page_name_by_name", "name", "kind", "page"),
)


class PageRefsColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    # Parallel arrays, one place per reference in the order of the text; code points.
    starts: Named[Sequence[int]] = Column(ARRAY(Integer))
    ends: Named[Sequence[int]] = Column(ARRAY(Integer))
    names: Named[Sequence[int]] = Column(ARRAY(BigInteger))  # 0: a section of the own page, or a listing
    flags: Named[Sequence[int]] = Column(ARRAY(SmallInteger))


page_refs = Table(
    "page_refs",
    metadata,
    PageRefsColumns,
    postgresql_with={"fillfactor": "80"},
)


class SectionRefColumns(TypedColumns):
    name: Named[int] = Column(BigInteger, ForeignKey("name.id"), primary_key=True)
    section: Named[str] = Column(Text(collation="C"), primary_key=True)
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)


section_ref = Table(
    "section_ref",
    metadata,
    SectionRefColumns,
    Index("section_ref_page", "page"),
)


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
)


class HouseStyleColumns(TypedColumns):
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True)
    rules: Named[Any] = Column(JSON)  # core.style.as_fields; not JSONB, which forgets the order of words
    revision: Named[int] = Column(Integer)
    person: Named[int | None] = Column(Integer, ForeignKey("person.id"))
    changed: Named[datetime] = Column(DateTime(timezone=True))


house_style = Table(
    "house_style",
    metadata,
    HouseStyleColumns,
)


class BlobColumns(TypedColumns):
    hash: Named[bytes] = Column(LargeBinary, primary_key=True)  # SHA-256 of the bytes
    data: Named[bytes] = Column(LargeBinary)
    at: Named[datetime] = Column(DateTime(timezone=True), server_default=func.now())


blob = Table(
    "blob",
    metadata,
    BlobColumns,
)


class FileColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(always=True), primary_key=True)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))
    key: Named[str] = Column(Text(collation="C"))
    name: Named[str] = Column(Text)
    version: Named[int] = Column(Integer)
    hash: Named[bytes] = Column(LargeBinary, ForeignKey("blob.hash"))
    type: Named[str] = Column(Text)
    size: Named[int] = Column(BigInteger)
    width: Named[int] = Column(Integer)
    height: Named[int] = Column(Integer)
    person: Named[int | None] = Column(Integer, ForeignKey("person.id"))
    at: Named[datetime] = Column(DateTime(timezone=True))

    __row_pos__: tuple[int, int, str, str, int, bytes, str, int, int, int, int | None, datetime]


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
class FileVersionColumns(TypedColumns):
    file: Named[int] = Column(BigInteger, primary_key=True, autoincrement=False)
    number: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))
    name: Named[str] = Column(Text)
    hash: Named[bytes] = Column(LargeBinary, ForeignKey("blob.hash"))
    type: Named[str] = Column(Text)
    size: Named[int] = Column(BigInteger)
    width: Named[int] = Column(Integer)
    height: Named[int] = Column(Integer)
    person: Named[int | None] = Column(Integer, ForeignKey("person.id"))
    at: Named[datetime] = Column(DateTime(timezone=True))
    until: Named[datetime] = Column(DateTime(timezone=True))

    __row_pos__: tuple[int, int, int, str, bytes, str, int, int, int, int | None, datetime, datetime]


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


staged = Table(
    "staged",
    metadata,
    StagedColumns,
)


# Pictures at smaller widths, made when they are first asked for.
class ScaledColumns(TypedColumns):
    hash: Named[bytes] = Column(LargeBinary, ForeignKey("blob.hash", ondelete="CASCADE"), primary_key=True)
    width: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    data: Named[bytes] = Column(LargeBinary)


scaled = Table(
    "scaled",
    metadata,
    ScaledColumns,
)


# What a page names beside other pages.
class HeldColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    kind: Named[int] = Column(SmallInteger, primary_key=True)  # core.language.asset_mentions.AssetKind
    key: Named[str] = Column(Text(collation="C"), primary_key=True)
    count: Named[int] = Column(Integer)


held = Table(
    "held",
    metadata,
    HeldColumns,
    Index("held_key", "kind", "key", "page"),
)


class TaskColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    # among the tasks of the page, from 0
    number: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    done: Named[bool] = Column(Boolean)
    priority: Named[str] = Column(Text(collation="C"))
    due: Named[date | None] = Column(Date)
    people: Named[Sequence[str]] = Column(ARRAY(Text))


task = Table(
    "task",
    metadata,
    TaskColumns,
    Index("task_open", "due", "priority", "page", "number", postgresql_where=text("NOT done")),
    Index("task_done", "page", "number", postgresql_where=text("done")),
)


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


class FilingColumns(TypedColumns):
    volume: Named[int] = Column(Integer, ForeignKey("volume.id"), primary_key=True)
    key: Named[str] = Column(Text(collation="C"), primary_key=True)
    how: Named[int] = Column(SmallInteger, primary_key=True)  # core.categories.Filing
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    name: Named[str] = Column(Text)
    count: Named[int] = Column(Integer)


filing = Table(
    "filing",
    metadata,
    FilingColumns,
    Index("filing_page", "page"),
    Index("filing_given", "volume", "key", "page", postgresql_where=text("how = 2")),
)


class FieldColumns(TypedColumns):
    volume: Named[int] = Column(Integer, ForeignKey("volume.id"), primary_key=True)
    name: Named[str] = Column(Text(collation="C"), primary_key=True)
    value: Named[str] = Column(Text(collation="C"), primary_key=True)  # the key of what is said
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    said: Named[str] = Column(Text)


field = Table(
    "field",
    metadata,
    FieldColumns,
    Index("field_page", "page"),
)


class UnfiledColumns(TypedColumns):
    page: Named[int] = Column(
        BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True, autoincrement=False
    )


unfiled = Table(
    "unfiled",
    metadata,
    UnfiledColumns,
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


class PageSearchColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    words: Named[Any] = Column(TSVECTOR)


page_search = Table(
    "page_search",
    metadata,
    PageSearchColumns,
    Index("page_search_words", "words", postgresql_using="gin"),
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


former_volume = Table(
    "former_volume",
    metadata,
    FormerVolumeColumns,
)


# What upkeep knows, and what of it is to be looked at again; triggers write the latter (see migration 0003).
# A row of stale names a name or a place; one that names nothing says: everything.
class StaleColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(always=True), primary_key=True)
    name: Named[int | None] = Column(BigInteger)
    volume: Named[int | None] = Column(Integer)
    key: Named[str | None] = Column(Text(collation="C"))


stale = Table(
    "stale",
    metadata,
    StaleColumns,
)


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


# Names without a page, and how many pages of each volume ask for them.
class AskedColumns(TypedColumns):
    volume: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    key: Named[str] = Column(Text(collation="C"), primary_key=True)
    home: Named[int] = Column(Integer, primary_key=True, autoincrement=False)
    pages: Named[int] = Column(Integer)


asked = Table(
    "asked",
    metadata,
    AskedColumns,
)


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


# Pages whose search words are still those of an earlier revision: an act on many pages does not wait for them.
class UnsearchedColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)


unsearched = Table(
    "unsearched",
    metadata,
    UnsearchedColumns,
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


kept_report = Table(
    "kept_report",
    metadata,
    KeptReportColumns,
)


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


put_aside = Table(
    "put_aside",
    metadata,
    PutAsideColumns,
)
