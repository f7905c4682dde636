"""Volumes, people, and who may do what where."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import (
    ARRAY,
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
    SmallInteger,
    Table,
    Text,
    TypedColumns,
    UniqueConstraint,
    func,
    text,
)

from mokuji.store.tables.base import metadata


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
Index("person_called", func.lower(person.c.name))


# Handles that somebody had: nobody else gets one while pages still name it.
class FormerHandleColumns(TypedColumns):
    handle: Named[str] = Column(Text(collation="C"), primary_key=True)
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))


former_handle = Table("former_handle", metadata, FormerHandleColumns)


class MembershipColumns(TypedColumns):
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True)
    role: Named[int] = Column(SmallInteger)


membership = Table("membership", metadata, MembershipColumns)


class SessionColumns(TypedColumns):
    token: Named[str] = Column(Text(collation="C"), primary_key=True)
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    expires: Named[datetime] = Column(DateTime(timezone=True))
    seen: Named[datetime] = Column(DateTime(timezone=True), server_default=func.now())
    id: Named[int] = Column(BigInteger, Identity(always=True))  # for its person to name it
    begun: Named[datetime] = Column(DateTime(timezone=True))
    device: Named[str] = Column(Text, server_default="")


session = Table(
    "session",
    metadata,
    SessionColumns,
    Index("session_expires", "expires"),
    Index("session_person", "person"),
    UniqueConstraint("id", name="session_id_key"),
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


# Links that let somebody in once: each is kept by the hash of its token.
class InvitationColumns(TypedColumns):
    id: Named[int] = Column(Integer, Identity(always=True), primary_key=True)
    token: Named[str] = Column(Text(collation="C"))
    made_by: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    note: Named[str] = Column(Text, server_default="")  # whom it is for, as who made it says
    at: Named[datetime] = Column(DateTime(timezone=True))
    expires: Named[datetime] = Column(DateTime(timezone=True))


invitation = Table(
    "invitation",
    metadata,
    InvitationColumns,
    Index("invitation_expires", "expires"),
    UniqueConstraint("token", name="invitation_token_key"),
)


class InvitationRoleColumns(TypedColumns):
    invitation: Named[int] = Column(
        Integer, ForeignKey("invitation.id", ondelete="CASCADE"), primary_key=True
    )
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"), primary_key=True)
    role: Named[int] = Column(SmallInteger)


invitation_role = Table(
    "invitation_role",
    metadata,
    InvitationRoleColumns,
    Index("invitation_role_volume", "volume", "invitation"),
)


# Who forgot their password gets a new one by such a link: one at a time for each.
class PasswordLinkColumns(TypedColumns):
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    token: Named[str] = Column(Text(collation="C"))
    made_by: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    expires: Named[datetime] = Column(DateTime(timezone=True))


password_link = Table(
    "password_link",
    metadata,
    PasswordLinkColumns,
    UniqueConstraint("token", name="password_link_token_key"),
)


# Questions that somebody keeps: of one volume, or of all.
class KeptQuestionColumns(TypedColumns):
    id: Named[int] = Column(Integer, Identity(always=True), primary_key=True)
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    key: Named[str] = Column(Text(collation="C"))
    name: Named[str] = Column(Text)
    line: Named[str] = Column(Text)
    volume: Named[int | None] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))
    shared: Named[bool] = Column(Boolean)
    at: Named[datetime] = Column(DateTime(timezone=True))


kept_question = Table(
    "kept_question",
    metadata,
    KeptQuestionColumns,
    UniqueConstraint("person", "key", name="kept_question_own"),
    Index("kept_question_volume", "volume", postgresql_where=text("shared")),
)


# A role that waits for somebody to take it. ``person`` is who had the handle when it was offered; without one, which
# nobody is told, nobody can take it.
class OfferColumns(TypedColumns):
    id: Named[int] = Column(Integer, Identity(always=True), primary_key=True)
    volume: Named[int] = Column(Integer, ForeignKey("volume.id", ondelete="CASCADE"))
    handle: Named[str] = Column(Text(collation="C"))
    person: Named[int | None] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    role: Named[int] = Column(SmallInteger)
    made_by: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    expires: Named[datetime] = Column(DateTime(timezone=True))


offer = Table(
    "offer",
    metadata,
    OfferColumns,
    Index("offer_person", "person"),
    Index("offer_expires", "expires"),
    UniqueConstraint("volume", "handle", name="offer_volume_handle_key"),
)


# What a program shows instead of a password; kept by the hash of its token.
class ProgramKeyColumns(TypedColumns):
    id: Named[int] = Column(Integer, Identity(always=True), primary_key=True)
    person: Named[int] = Column(Integer, ForeignKey("person.id", ondelete="CASCADE"))
    token: Named[str] = Column(Text(collation="C"))
    name: Named[str] = Column(Text)
    writes: Named[bool] = Column(Boolean)
    volumes: Named[Sequence[int]] = Column(ARRAY(Integer))
    made: Named[datetime] = Column(DateTime(timezone=True))
    expires: Named[datetime] = Column(DateTime(timezone=True))
    used: Named[datetime | None] = Column(DateTime(timezone=True))


program_key = Table(
    "program_key",
    metadata,
    ProgramKeyColumns,
    Index("program_key_person", "person", "id"),
    UniqueConstraint("token", name="program_key_token_key"),
)
