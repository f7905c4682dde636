"""The tables. Why they look like this is told in docs/decisions/0003-data-model.md.

Key columns are ``COLLATE "C"``, so that an index can be used for every order
and range. A text stands in ``revision`` only. References are interned:
``name`` holds what is typed once per volume, ``page_name`` says which page
uses it, ``page_refs`` where.
"""

from __future__ import annotations

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
    SmallInteger,
    Table,
    Text,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB, TSVECTOR

metadata = MetaData()


def _key(name: str, *, nullable: bool = False) -> Column[str]:
    return Column(name, Text(collation="C"), nullable=nullable)


volume = Table(
    "volume",
    metadata,
    Column("id", Integer, Identity(), primary_key=True),
    _key("key"),
    Column("title", Text, nullable=False),
    Column("summary", Text, nullable=False, server_default=""),
    Column("closed", Boolean, nullable=False, server_default=text("false")),
    Column("front", Text(collation="C")),
    Column("libraries", ARRAY(Integer), nullable=False, server_default="{}"),
    Column("language", Text(collation="C"), nullable=False, server_default=""),  # a tag of BCP 47
    Column("deleted_by", BigInteger),  # the change set that deleted it; it waits for an undo
    Index("volume_key", "key", unique=True, postgresql_where=text("deleted_by IS NULL")),
)

person = Table(
    "person",
    metadata,
    Column("id", Integer, Identity(), primary_key=True),
    _key("handle"),
    Column("name", Text, nullable=False),
    Column("work", Text, nullable=False, server_default=""),
    Column("password", Text, nullable=False),
    Column("calendar", Integer, nullable=False, server_default="0"),  # how often its address was renewed
    Column("owns_wiki", Boolean, nullable=False, server_default=text("false")),
    Column("closed", DateTime(timezone=True)),  # since when they may not sign in any more
    UniqueConstraint("handle", name="person_handle"),
)

# Handles that somebody had: nobody else gets one while pages still name it.
former_handle = Table(
    "former_handle",
    metadata,
    Column("handle", Text(collation="C"), primary_key=True),
    Column("person", ForeignKey("person.id", ondelete="CASCADE"), nullable=False),
)

membership = Table(
    "membership",
    metadata,
    Column("person", ForeignKey("person.id", ondelete="CASCADE"), primary_key=True),
    Column("volume", ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True),
    Column("role", SmallInteger, nullable=False),
)

session = Table(
    "session",
    metadata,
    Column("token", Text(collation="C"), primary_key=True),
    Column("person", ForeignKey("person.id", ondelete="CASCADE"), nullable=False),
    Column("expires", DateTime(timezone=True), nullable=False),
    Column("seen", DateTime(timezone=True), nullable=False, server_default=func.now()),
    Index("session_expires", "expires"),
    Index("session_person", "person"),
)

# Tries to sign in that failed or are under way, by what is counted: a keyed hash of a handle, or of an address.
sign_in_try = Table(
    "sign_in_try",
    metadata,
    Column("id", BigInteger, Identity(always=True), primary_key=True),
    Column("key", LargeBinary, nullable=False),
    Column("at", DateTime(timezone=True), nullable=False),
    Index("sign_in_try_key", "key", "at"),
    Index("sign_in_try_at", "at"),
)

change_set = Table(
    "change_set",
    metadata,
    Column("id", BigInteger, Identity(), primary_key=True),
    Column("act", Text, nullable=False),
    Column("volume", ForeignKey("volume.id"), nullable=False),
    Column("page", BigInteger),
    Column("author", ForeignKey("person.id")),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("note", Text, nullable=False, server_default=""),
    # The proposed note as core.phrases keeps it; no parts: the note is somebody's own words; none: it is from before.
    Column("proposed", JSONB(none_as_null=True)),
    Column("detail", JSONB, nullable=False, server_default="{}"),
    Column("undone_by", BigInteger),
    Index("change_set_volume", "volume", "id"),
)

# The volumes whose pages, contents, files or names a change set changed: in whose logs it stands beside its own.
change_set_reach = Table(
    "change_set_reach",
    metadata,
    Column("volume", ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True),
    Column("change_set", ForeignKey("change_set.id", ondelete="CASCADE"), primary_key=True),
    Index("change_set_reach_by_act", "change_set"),
)

# Acts on people, by the people they were done to: these see them whatever volume they stand in.
change_set_person = Table(
    "change_set_person",
    metadata,
    Column("person", ForeignKey("person.id", ondelete="CASCADE"), primary_key=True),
    Column("change_set", ForeignKey("change_set.id", ondelete="CASCADE"), primary_key=True),
)

page = Table(
    "page",
    metadata,
    Column("id", BigInteger, Identity(), primary_key=True),
    Column("volume", ForeignKey("volume.id"), nullable=False),
    _key("key"),
    Column("title", Text, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("summary", Text, nullable=False, server_default=""),
    Column("changed", DateTime(timezone=True), nullable=False),
    Column("author", ForeignKey("person.id")),
    Column("note", Text, nullable=False, server_default=""),
    # Looked at when a statement ends, so that two pages can exchange their names.
    UniqueConstraint("volume", "key", name="page_volume_key", deferrable=True, initially="IMMEDIATE"),
    Index("page_key_trigrams", "key", postgresql_using="gin", postgresql_ops={"key": "gin_trgm_ops"}),
    postgresql_with={"fillfactor": "80"},
)

revision = Table(
    "revision",
    metadata,
    Column("page", BigInteger, primary_key=True),  # of a page that is there, or in the trash
    Column("number", Integer, primary_key=True),
    Column("change_set", ForeignKey("change_set.id"), nullable=False),
    Column("author", ForeignKey("person.id")),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("note", Text, nullable=False, server_default=""),
    Column("title", Text, nullable=False),
    Column("text", Text, nullable=False),
    Column(
        "written_in", Integer, nullable=False
    ),  # the volume whose readers may read it; see docs/decisions/0024
    Index("revision_change_set", "change_set"),
)

alias = Table(
    "alias",
    metadata,
    Column("volume", ForeignKey("volume.id"), primary_key=True),
    Column("key", Text(collation="C"), primary_key=True),
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
    Column("name", Text, nullable=False),
    Index("alias_page", "page"),
    Index("alias_key_trigrams", "key", postgresql_using="gin", postgresql_ops={"key": "gin_trgm_ops"}),
)

name = Table(
    "name",
    metadata,
    Column("id", BigInteger, Identity(), primary_key=True),
    Column("home", ForeignKey("volume.id"), nullable=False),
    _key("key"),
    _key("vkey", nullable=True),
    _key("tkey", nullable=True),
    Column("absolute", Boolean, nullable=False),
    UniqueConstraint(
        "home", "key", "vkey", "tkey", "absolute", name="name_whole", postgresql_nulls_not_distinct=True
    ),
    Index("name_in_volume", "vkey", "tkey", postgresql_where=text("vkey IS NOT NULL")),
    Index("name_by_volume", "vkey", "home", postgresql_where=text("vkey IS NOT NULL")),
)

page_name = Table(
    "page_name",
    metadata,
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
    Column("name", ForeignKey("name.id"), primary_key=True),
    Column("kind", SmallInteger, primary_key=True),  # 0 as link, 1 as insert: inserts look in libraries too
    Column("count", Integer, nullable=False),
    Index("page_name_by_name", "name", "kind", "page"),
)

page_refs = Table(
    "page_refs",
    metadata,
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
    # Parallel arrays, one place per reference in the order of the text; code points.
    Column("starts", ARRAY(Integer), nullable=False),
    Column("ends", ARRAY(Integer), nullable=False),
    Column("names", ARRAY(BigInteger), nullable=False),  # 0: a section of the own page, or a listing
    Column("flags", ARRAY(SmallInteger), nullable=False),
    postgresql_with={"fillfactor": "80"},
)

section_ref = Table(
    "section_ref",
    metadata,
    Column("name", ForeignKey("name.id"), primary_key=True),
    Column("section", Text(collation="C"), primary_key=True),
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
    Index("section_ref_page", "page"),
)

draft = Table(
    "draft",
    metadata,
    Column("id", BigInteger, Identity(always=True), primary_key=True),
    Column("person", ForeignKey("person.id", ondelete="CASCADE"), nullable=False),
    Column("volume", ForeignKey("volume.id", ondelete="CASCADE"), nullable=False),
    Column("page", ForeignKey("page.id", ondelete="CASCADE")),  # none: a name that is not written yet
    Column("key", Text(collation="C"), nullable=False),
    Column("title", Text, nullable=False),
    Column("text", Text, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("changed", DateTime(timezone=True), nullable=False),
    Index("draft_of_page", "person", "page", unique=True, postgresql_where=text("page IS NOT NULL")),
    Index("draft_of_name", "person", "volume", "key", unique=True, postgresql_where=text("page IS NULL")),
    Index("draft_page", "page", "changed"),
)

house_style = Table(
    "house_style",
    metadata,
    Column("volume", ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True),
    Column(
        "rules", JSON, nullable=False
    ),  # core.style.as_fields; not JSONB, which forgets the order of words
    Column("revision", Integer, nullable=False),
    Column("person", ForeignKey("person.id")),
    Column("changed", DateTime(timezone=True), nullable=False),
)

blob = Table(
    "blob",
    metadata,
    Column("hash", LargeBinary, primary_key=True),  # SHA-256 of the bytes
    Column("data", LargeBinary, nullable=False),
    Column("at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

file = Table(
    "file",
    metadata,
    Column("id", BigInteger, Identity(always=True), primary_key=True),
    Column("volume", ForeignKey("volume.id", ondelete="CASCADE"), nullable=False),
    _key("key"),
    Column("name", Text, nullable=False),
    Column("version", Integer, nullable=False),
    Column("hash", ForeignKey("blob.hash"), nullable=False),
    Column("type", Text, nullable=False),
    Column("size", BigInteger, nullable=False),
    Column("width", Integer, nullable=False),
    Column("height", Integer, nullable=False),
    Column("person", ForeignKey("person.id")),
    Column("at", DateTime(timezone=True), nullable=False),
    UniqueConstraint("volume", "key", name="file_volume_key"),
    Index("file_hash", "hash"),
    Index("file_key_trigrams", "key", postgresql_using="gin", postgresql_ops={"key": "gin_trgm_ops"}),
)

# What a file was, by its number, until it became another; of files that went, too. ``file`` is no key, so that they can
# come back.
file_version = Table(
    "file_version",
    metadata,
    Column("file", BigInteger, primary_key=True, autoincrement=False),
    Column("number", Integer, primary_key=True, autoincrement=False),
    Column("volume", ForeignKey("volume.id", ondelete="CASCADE"), nullable=False),
    Column("name", Text, nullable=False),
    Column("hash", ForeignKey("blob.hash"), nullable=False),
    Column("type", Text, nullable=False),
    Column("size", BigInteger, nullable=False),
    Column("width", Integer, nullable=False),
    Column("height", Integer, nullable=False),
    Column("person", ForeignKey("person.id")),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("until", DateTime(timezone=True), nullable=False),
    Index("file_version_hash", "hash"),
    Index("file_version_volume", "volume"),
)

# Who brought bytes that nothing names yet: nobody else has them for knowing their hash.
staged = Table(
    "staged",
    metadata,
    Column("hash", ForeignKey("blob.hash", ondelete="CASCADE"), primary_key=True),
    Column("person", ForeignKey("person.id", ondelete="CASCADE"), primary_key=True),
    Column("at", DateTime(timezone=True), nullable=False),
)

# Pictures at smaller widths, made when they are first asked for.
scaled = Table(
    "scaled",
    metadata,
    Column("hash", ForeignKey("blob.hash", ondelete="CASCADE"), primary_key=True),
    Column("width", Integer, primary_key=True, autoincrement=False),
    Column("data", LargeBinary, nullable=False),
)

# What a page names beside other pages.
held = Table(
    "held",
    metadata,
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
    Column("kind", SmallInteger, primary_key=True),  # core.language.asset_mentions.AssetKind
    Column("key", Text(collation="C"), primary_key=True),
    Column("count", Integer, nullable=False),
    Index("held_key", "kind", "key", "page"),
)

task = Table(
    "task",
    metadata,
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
    Column("number", Integer, primary_key=True, autoincrement=False),  # among the tasks of the page, from 0
    Column("done", Boolean, nullable=False),
    Column("priority", Text(collation="C"), nullable=False),
    Column("due", Date),
    Column("people", ARRAY(Text), nullable=False),
    Index("task_open", "due", "priority", "page", "number", postgresql_where=text("NOT done")),
    Index("task_done", "page", "number", postgresql_where=text("done")),
)

source = Table(
    "source",
    metadata,
    Column("id", BigInteger, Identity(always=True), primary_key=True),
    _key("key"),
    Column("name", Text, nullable=False),
    Column("fields", JSON, nullable=False),  # CSL-JSON; not JSONB, which forgets the order
    Column("person", ForeignKey("person.id")),
    Column("at", DateTime(timezone=True), nullable=False),
    UniqueConstraint("key", name="source_key_key"),
)

filing = Table(
    "filing",
    metadata,
    Column("volume", ForeignKey("volume.id"), primary_key=True),
    Column("key", Text(collation="C"), primary_key=True),
    Column("how", SmallInteger, primary_key=True),  # core.categories.Filing
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
    Column("name", Text, nullable=False),
    Column("count", Integer, nullable=False),
    Index("filing_page", "page"),
    Index("filing_given", "volume", "key", "page", postgresql_where=text("how = 2")),
)

field = Table(
    "field",
    metadata,
    Column("volume", ForeignKey("volume.id"), primary_key=True),
    Column("name", Text(collation="C"), primary_key=True),
    Column("value", Text(collation="C"), primary_key=True),  # the key of what is said
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
    Column("said", Text, nullable=False),
    Index("field_page", "page"),
)

unfiled = Table(
    "unfiled",
    metadata,
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True, autoincrement=False),
)

contents = Table(
    "contents",
    metadata,
    Column("id", BigInteger, Identity(), primary_key=True),
    Column("volume", ForeignKey("volume.id"), nullable=False),
    Column("parent", BigInteger),
    _key("key"),
    Column("title", Text, nullable=False),
    Column("position", Double, nullable=False),
    UniqueConstraint("volume", "key", name="contents_volume_key"),
    Index("contents_order", "volume", "parent", "position"),
)

page_search = Table(
    "page_search",
    metadata,
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
    Column("words", TSVECTOR, nullable=False),
    Index("page_search_words", "words", postgresql_using="gin"),
)

trash = Table(
    "trash",
    metadata,
    Column("page", BigInteger, primary_key=True),
    Column("volume", ForeignKey("volume.id"), nullable=False),
    _key("key"),
    Column("title", Text, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("change_set", ForeignKey("change_set.id"), nullable=False),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("successor", BigInteger),
    Column("leads", JSONB, nullable=False, server_default="[]"),
    Index("trash_by_act", "change_set", "page"),
    Index("trash_by_volume", "volume", "change_set"),
)

# Addresses that pages and volumes had: they lead on until the name is used again.
former = Table(
    "former",
    metadata,
    Column("volume", Integer, primary_key=True, autoincrement=False),
    Column("key", Text(collation="C"), primary_key=True),
    Column("page", BigInteger, nullable=False),
    Index("former_page", "page"),
)

former_volume = Table(
    "former_volume",
    metadata,
    Column("key", Text(collation="C"), primary_key=True),
    Column("volume", ForeignKey("volume.id", ondelete="CASCADE"), nullable=False),
)

# What upkeep knows, and what of it is to be looked at again; triggers write the latter (see migration 0003).
# A row of stale names a name or a place; one that names nothing says: everything.
stale = Table(
    "stale",
    metadata,
    Column("id", BigInteger, Identity(always=True), primary_key=True),
    Column("name", BigInteger),
    Column("volume", Integer),
    _key("key", nullable=True),
)

# Pages to which neither their own volume nor an open one leads; homes are the closed ones that do.
orphan = Table(
    "orphan",
    metadata,
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
    Column("volume", Integer, nullable=False),
    _key("key"),
    Column("homes", ARRAY(Integer), nullable=False),
    Index("orphan_volume", "volume", "key"),
)

# Names without a page, and how many pages of each volume ask for them.
asked = Table(
    "asked",
    metadata,
    Column("volume", Integer, primary_key=True, autoincrement=False),
    Column("key", Text(collation="C"), primary_key=True),
    Column("home", Integer, primary_key=True, autoincrement=False),
    Column("pages", Integer, nullable=False),
)

# Pages that have no place in the contents, and whether readers come to them all the same.
unplaced = Table(
    "unplaced",
    metadata,
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
    Column("volume", Integer, nullable=False),
    _key("key"),
    Column("reached", Boolean, nullable=False),
    Index("unplaced_volume", "volume", "key"),
)

# Pages whose search words are still those of an earlier revision: an act on many pages does not wait for them.
unsearched = Table(
    "unsearched",
    metadata,
    Column("page", ForeignKey("page.id", ondelete="CASCADE"), primary_key=True),
)

# Reports that take long, as they were made last; ``seen`` stands for the volumes that their readers may read.
kept_report = Table(
    "kept_report",
    metadata,
    Column("volume", ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True),
    Column("seen", Text(collation="C"), primary_key=True),
    Column("name", Text(collation="C"), primary_key=True),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("stamp", Text, nullable=False),
    Column("pages", Integer, nullable=False),
    Column("whole", Boolean, nullable=False),
    Column("number", Integer, nullable=False),
    Column("findings", JSONB, nullable=False),
    Column("held_back", JSONB, nullable=False),
)

# Findings of reports that are not to be mended, for a reason. ``what`` names one as long as it says the same;
# ``involved`` are the volumes that one must be able to read to be told of it.
put_aside = Table(
    "put_aside",
    metadata,
    Column("volume", ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True),
    Column("report", Text(collation="C"), primary_key=True),
    Column("what", Text(collation="C"), primary_key=True),
    Column("page", BigInteger),
    Column("involved", ARRAY(Integer), nullable=False),
    Column("title", Text, nullable=False),
    Column("reason", Text, nullable=False),
    Column("person", ForeignKey("person.id")),
    Column("at", DateTime(timezone=True), nullable=False),
)
