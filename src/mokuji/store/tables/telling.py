"""Who is told of what: what people asked to hear about, what they were told, and the mail that goes out."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime

from sqlalchemy import (
    ARRAY,
    BigInteger,
    Boolean,
    Column,
    Date,
    DateTime,
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
    text,
)

from mokuji.store.tables.base import metadata


# What somebody asked to be told of: a page, it and what stands below it, a category, a kept question, or a volume. A
# page may lie in the trash and come back.
class WatchColumns(TypedColumns):
    id: Named[int] = Column(Integer, Identity(always=True), primary_key=True)
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    kind: Named[int] = Column(SmallInteger)  # core.telling.watching.Watching
    volume: Named[int | None] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))
    page: Named[int | None] = Column(BigInteger)
    key: Named[str | None] = Column(Text(collation="C"))  # of a category
    question: Named[int | None] = Column(Integer, ForeignKey("kept_question.id", ondelete="CASCADE"))


watch = Table(
    "watch",
    metadata,
    WatchColumns,
    UniqueConstraint(
        "person",
        "kind",
        "volume",
        "page",
        "key",
        "question",
        name="watch_once",
        postgresql_nulls_not_distinct=True,
    ),
    Index("watch_page", "page", postgresql_where=text("page IS NOT NULL")),
    Index("watch_volume", "volume", postgresql_where=text("volume IS NOT NULL")),
    Index("watch_question", "question", postgresql_where=text("question IS NOT NULL")),
)


# Pages of which somebody wants to hear nothing.
class MutedColumns(TypedColumns):
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    page: Named[int] = Column(BigInteger, primary_key=True)


muted = Table("muted", metadata, MutedColumns, Index("muted_page", "page"))


# Change sets of which nobody was told yet; a row comes with the change set, in its transaction.
class UntoldColumns(TypedColumns):
    change_set: Named[int] = Column(
        BigInteger, ForeignKey("change_set.id", ondelete="CASCADE"), primary_key=True
    )


untold = Table("untold", metadata, UntoldColumns)


# What somebody was told: of one act, or of a task that is due. Nothing of what it says is kept here: that is looked up
# when it is shown, by what they may read then.
class ToldColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(always=True), primary_key=True)
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    change_set: Named[int | None] = Column(BigInteger, ForeignKey("change_set.id", ondelete="CASCADE"))
    due: Named[date | None] = Column(Date)
    at: Named[datetime] = Column(DateTime(timezone=True))
    pages: Named[Sequence[int]] = Column(ARRAY(BigInteger))  # the first of those that they are told of
    volume: Named[int | None] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))  # without pages
    why: Named[int] = Column(SmallInteger)  # core.telling.watching.Why
    watch: Named[int | None] = Column(Integer)  # the one that it comes of, which may be gone
    state: Named[int] = Column(SmallInteger, server_default="0")  # core.telling.watching.State
    letter: Named[int | None] = Column(BigInteger)  # the mail that it went into


told = Table(
    "told",
    metadata,
    ToldColumns,
    Index(
        "told_act",
        "person",
        "change_set",
        unique=True,
        postgresql_where=text("change_set IS NOT NULL"),
    ),
    Index("told_due", "person", "due", "pages", unique=True, postgresql_where=text("due IS NOT NULL")),
    Index("told_change_set", "change_set"),
    Index("told_inbox", "person", "state", "id"),
    Index("told_unsent", "person", "id", postgresql_where=text("letter IS NULL")),
    Index("told_letter", "letter", postgresql_where=text("letter IS NOT NULL")),
)


# How somebody wants to be told. ``stopped`` says why mail to the address ended by itself; ``serial`` how often private
# addresses (of feeds, of ending the mail) were renewed.
class TellingColumns(TypedColumns):
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    own: Named[bool] = Column(Boolean, server_default=text("false"))
    address: Named[str] = Column(Text, server_default="")
    confirmed: Named[bool] = Column(Boolean, server_default=text("false"))
    how: Named[int] = Column(SmallInteger, server_default="0")  # core.telling.watching.Mail
    stopped: Named[str] = Column(Text, server_default="")
    serial: Named[int] = Column(Integer, server_default="0")
    digest: Named[datetime | None] = Column(DateTime(timezone=True))  # until when the last digest reached


telling = Table(
    "telling",
    metadata,
    TellingColumns,
    Index("telling_digest", "how", postgresql_where=text("how > 1 AND confirmed")),
)


# Mail that waits to be sent, or was. What it says is made when it is sent.
class LetterColumns(TypedColumns):
    id: Named[int] = Column(BigInteger, Identity(always=True), primary_key=True)
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    kind: Named[int] = Column(SmallInteger)  # core.telling.watching.Letter
    message: Named[str] = Column(Text(collation="C"))  # its Message-ID, without brackets
    address: Named[str] = Column(Text)
    at: Named[datetime] = Column(DateTime(timezone=True))
    due: Named[datetime] = Column(DateTime(timezone=True))
    tries: Named[int] = Column(SmallInteger, server_default="0")
    state: Named[int] = Column(SmallInteger, server_default="0")  # core.telling.watching.Sent
    said: Named[str] = Column(Text, server_default="")  # what the mail server said last


letter = Table(
    "letter",
    metadata,
    LetterColumns,
    UniqueConstraint("message", name="letter_message"),
    Index("letter_due", "due", postgresql_where=text("state = 0")),
    Index("letter_person", "person", "id"),
)
