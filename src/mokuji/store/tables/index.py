"""What is derived from the text of a page and kept beside it, so that it can be asked for."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from sqlalchemy import (
    ARRAY,
    BigInteger,
    Boolean,
    Column,
    Date,
    ForeignKey,
    Identity,
    Index,
    Integer,
    Named,
    SmallInteger,
    Table,
    Text,
    TypedColumns,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import TSVECTOR

from mokuji.store.tables.base import metadata


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
    Index("alias_key_alone", text("lower(key)")),
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
    Index("page_name_inserts", "name", postgresql_where=text("kind = 1")),
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


AT_ONCE = {"fastupdate": "off"}
"""What waits to be put into an index would be read through by each question; nobody waits for it to be put in."""


class PageSearchColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)
    words: Named[Any] = Column(TSVECTOR)
    names: Named[Any] = Column(TSVECTOR, server_default="")
    named: Named[Sequence[str]] = Column(
        ARRAY(Text), server_default="{}"
    )  # folded: its title, then other names
    told: Named[str] = Column(Text, server_default="")  # core.finding.told


page_search = Table(
    "page_search",
    metadata,
    PageSearchColumns,
    Index("page_search_words", "words", postgresql_using="gin", postgresql_with=AT_ONCE),
    Index("page_search_names", "names", postgresql_using="gin", postgresql_with=AT_ONCE),
    Index("page_search_named", "named", postgresql_using="gin", postgresql_with=AT_ONCE),
)


# The words that pages of a volume hold, or held: looked through for those that hold a part, or are spelt nearly so.
class WordColumns(TypedColumns):
    word: Named[str] = Column(Text(collation="C"), primary_key=True)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True)


word = Table(
    "word",
    metadata,
    WordColumns,
    # Of an expression that changes nothing: one of the column itself would be taken for equal words too, slowly.
    Index(
        "word_trigrams",
        func.lower(text("word")).label("letters"),
        postgresql_using="gin",
        postgresql_ops={"letters": "gin_trgm_ops"},
        postgresql_with=AT_ONCE,
    ),
)


# Pages whose search words are still those of an earlier revision: an act on many pages does not wait for them.
class UnsearchedColumns(TypedColumns):
    page: Named[int] = Column(BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True)


unsearched = Table("unsearched", metadata, UnsearchedColumns)


class UnfiledColumns(TypedColumns):
    page: Named[int] = Column(
        BigInteger, ForeignKey("page.id", ondelete="CASCADE"), primary_key=True, autoincrement=False
    )


unfiled = Table("unfiled", metadata, UnfiledColumns)
