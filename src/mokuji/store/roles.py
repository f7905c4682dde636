"""What people are in volumes, and roles that wait for somebody to take them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, and_, delete, exists, func, or_, select, update
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.core.model.changes import RoleChange
from mokuji.core.model.policy import Actor, Role
from mokuji.store import people
from mokuji.store.drafts import KEY, TITLE
from mokuji.store.statements import among, fixed, value
from mokuji.store.tables import draft, membership, offer, page, person, revision, trash
from mokuji.store.tables import volume as volumes


@dataclass(frozen=True, slots=True)
class Member:
    """Somebody, and what they are in a volume. ``closed`` says that they have left the wiki."""

    id: int
    handle: str
    name: str
    role: Role
    owns_wiki: bool
    closed: bool


_member = (
    person.c.id,
    person.c.handle,
    person.c.name,
    func.coalesce(membership.c.role, fixed(0)),
    person.c.owns_wiki,
    person.c.closed.is_not(None),
)
OF_VOLUME = (
    select(*_member)
    .where(membership.c.person == person.c.id, membership.c.volume == value("volume"))
    .order_by(membership.c.role.desc(), person.c.handle)
)
_here = person.outerjoin(
    membership, and_(membership.c.person == person.c.id, membership.c.volume == value("volume"))
)
ONE = select(*_member).select_from(_here).where(person.c.handle == value("handle"))
OWNS_WIKI = select(*_member).select_from(_here).where(person.c.owns_wiki, person.c.closed.is_(None))
_theirs, _own = membership.alias("theirs"), membership.alias("own")
SHARED = select(
    exists().where(
        _theirs.c.person == value("person"),
        _theirs.c.volume == _own.c.volume,
        _own.c.person == value("actor"),
    )
)
ROLE = select(membership.c.role).where(
    membership.c.person == value("person"), membership.c.volume == value("volume")
)
_TAKE_ROLE = delete(membership).where(
    membership.c.person == value("person"), membership.c.volume == value("volume")
)
_second = membership.alias("second")
ONLY_OWNED = (
    select(membership.c.volume)
    .where(
        membership.c.person == value("person"),
        membership.c.role == fixed(int(Role.OWNER)),
        volumes.c.id == membership.c.volume,
        volumes.c.deleted_by.is_(None),
        ~exists().where(
            _second.c.volume == membership.c.volume,
            _second.c.role == fixed(int(Role.OWNER)),
            _second.c.person != value("person"),
            person.c.id == _second.c.person,
            person.c.closed.is_(None),
        ),
    )
    .order_by(membership.c.volume)
)


def of_volume(connection: Connection, volume: int) -> list[Member]:
    """The people of a volume, those who have left the wiki included: owners first, then by handle."""
    return [_as_member(row) for row in connection.execute(OF_VOLUME, {"volume": volume})]


def owners_of_wiki(connection: Connection, volume: int) -> list[Member]:
    """The owners of the wiki, and what they are in a volume by a role of their own."""
    return [_as_member(row) for row in connection.execute(OWNS_WIKI, {"volume": volume})]


def one(connection: Connection, handle: str, volume: int) -> Member | None:
    """Somebody by handle, and what they are in a volume."""
    row = connection.execute(ONE, {"handle": handle, "volume": volume}).first()
    return None if row is None else _as_member(row)


def _as_member(row: Sequence[object]) -> Member:
    id_, handle, name, role, owns_wiki, closed = row
    return Member(id_, handle, name, Role(role), bool(owns_wiki), bool(closed))  # type: ignore[arg-type]


def share(connection: Connection, person_id: int, other: int) -> bool:
    """Whether two people have a role in the same volume."""
    return bool(connection.execute(SHARED, {"person": person_id, "actor": other}).scalar_one())


def only_owned(connection: Connection, person_id: int) -> list[int]:
    """The volumes that nobody else owns who is still there, by id."""
    return list(connection.execute(ONLY_OWNED, {"person": person_id}).scalars())


def change(connection: Connection, changes: Collection[RoleChange]) -> None:
    """Writes what people are from now on."""
    for each in changes:
        if each.after is Role.NOBODY:
            connection.execute(_TAKE_ROLE, {"person": each.person, "volume": each.volume})
        else:
            people.set_role(connection, each.person, each.volume, each.after)


def since(connection: Connection, changes: Collection[RoleChange]) -> str:
    """Why such changes cannot be taken back: somebody is something else by now, or nobody would be left who owns the
    volume. Empty if they can."""
    for each in changes:
        now = connection.execute(ROLE, {"person": each.person, "volume": each.volume}).scalar() or 0
        if now != each.after:
            return f"{each.name} (@{each.handle}) was given another role since. Take that change back first."
    for volume in {each.volume for each in changes}:
        owners = {
            each.id for each in of_volume(connection, volume) if each.role is Role.OWNER and not each.closed
        }
        ours = [each for each in changes if each.volume == volume]
        left = (owners - {each.person for each in ours}) | {
            each.person for each in ours if each.before is Role.OWNER
        }
        if owners and not left:
            return "Nobody would own the volume then. Make somebody an owner first."
    return ""


# ---- what stands in a volume ----------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Holdings:
    """What a volume shows to who reads it: its pages, the revisions that were written in it, pages in its trash."""

    pages: int
    revisions: int
    trash: int


PAGES = select(func.count()).where(page.c.volume == value("volume"))
REVISIONS = select(func.count()).where(revision.c.written_in == value("volume"))
TRASH = select(func.count()).where(trash.c.volume == value("volume"))


def holdings(connection: Connection, volume: int) -> Holdings:
    """How much there is to read in a volume. Reads all revisions of the wiki once."""
    values = {"volume": volume}
    counts = (connection.execute(each, values).scalar_one() for each in (PAGES, REVISIONS, TRASH))
    return Holdings(*counts)


# ---- drafts that were left behind ------------------------------------------------------


@dataclass(frozen=True, slots=True)
class LeftDraft:
    """A draft of somebody who is not of the people of its volume any more."""

    id: int
    handle: str
    name: str
    key: str
    title: str
    changed: datetime


LEFT_DRAFTS = (
    select(
        draft.c.id,
        person.c.handle,
        person.c.name,
        KEY,
        TITLE,
        draft.c.changed,
    )
    .select_from(
        draft.join(person, person.c.id == draft.c.person)
        .outerjoin(page, page.c.id == draft.c.page)
        .outerjoin(
            membership,
            and_(membership.c.person == draft.c.person, membership.c.volume == draft.c.volume),
        )
    )
    .where(
        draft.c.volume == value("volume"),
        or_(
            person.c.closed.is_not(None),
            and_(~person.c.owns_wiki, func.coalesce(membership.c.role, fixed(0)) < fixed(int(Role.WRITER))),
        ),
    )
    .order_by(draft.c.changed.desc(), draft.c.id.desc())
    .limit(fixed(200))
)
_same = draft.alias("same")
TAKE_OVER = (
    update(draft)
    .where(
        draft.c.id == value("draft"),
        ~exists().where(
            _same.c.person == value("taker"),
            _same.c.volume == draft.c.volume,
            _same.c.key == draft.c.key,
            _same.c.page.is_not_distinct_from(draft.c.page),
        ),
    )
    .values(person=value("taker"))
)
DRAFTS_OF = select(func.count()).where(draft.c.person == value("person"), draft.c.volume == value("volume"))


def left_drafts(connection: Connection, volume: int) -> list[LeftDraft]:
    """The drafts of a volume whose writers may write there no more, the newest first."""
    return [LeftDraft(*row) for row in connection.execute(LEFT_DRAFTS, {"volume": volume})]


def take_over(connection: Connection, draft_id: int, taker: int) -> bool:
    """Makes a draft somebody else's; False if they have one of the same page, or it is gone."""
    return connection.execute(TAKE_OVER, {"draft": draft_id, "taker": taker}).rowcount > 0


def drafts_of(connection: Connection, person_id: int, volume: int) -> int:
    """How many drafts somebody has in a volume."""
    return connection.execute(DRAFTS_OF, {"person": person_id, "volume": volume}).scalar_one()


# ---- roles that are offered -------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Offer:
    """A role that waits for somebody to take it: of which handle, as it was typed, and who offers it."""

    id: int
    volume: int
    handle: str
    role: Role
    made_by: int
    by: str
    expires: datetime


_offers = (
    select(
        offer.c.id,
        offer.c.volume,
        offer.c.handle,
        offer.c.role,
        offer.c.made_by,
        person.c.name,
        offer.c.expires,
    )
    .select_from(offer.join(person, person.c.id == offer.c.made_by))
    .where(offer.c.expires > value("now"))
)
OFFERS_IN = _offers.where(among(offer.c.volume, "volumes")).order_by(offer.c.volume, offer.c.handle)
OFFERS_TO = _offers.where(offer.c.person == value("person")).order_by(offer.c.id)
_wanted = select(person.c.id).where(person.c.handle == value("called"), person.c.closed.is_(None))
_OFFER = insert_or_else(offer)
_OFFER = _OFFER.values(person=_wanted.scalar_subquery()).on_conflict_do_update(
    index_elements=["volume", "handle"],
    set_={name: _OFFER.excluded[name] for name in ("person", "role", "made_by", "expires")},
)
_FORGET_OFFERS = delete(offer).where(offer.c.expires <= value("now"))
_TAKE_BACK = delete(offer).where(offer.c.id == value("offer"), among(offer.c.volume, "volumes"))
_ANSWERED = delete(offer).where(offer.c.id == value("offer"), offer.c.person == value("person"))
_FORGET_THEIRS = delete(offer).where(offer.c.person == value("person"))


def offer_role(
    connection: Connection,
    volume: int,
    handle: str,
    role: Role,
    made_by: int,
    now: datetime,
    expires: datetime,
) -> None:
    """Offers a role to whoever has a handle now, be it nobody: the one and the other are the same to do. A former offer
    of the volume to that handle holds no longer; those that have run out go."""
    connection.execute(_FORGET_OFFERS, {"now": now})
    values = {"volume": volume, "handle": handle, "role": int(role), "made_by": made_by, "expires": expires}
    values["called"] = handle
    connection.execute(_OFFER, values)


def offers_in(connection: Connection, volumes: Collection[int], now: datetime) -> list[Offer]:
    """The offers of some volumes that wait."""
    rows = connection.execute(OFFERS_IN, {"volumes": volumes, "now": now})
    return [Offer(*row[:3], Role(row[3]), *row[4:]) for row in rows]


def offers_to(connection: Connection, person_id: int, now: datetime) -> list[Offer]:
    """The offers that somebody can take."""
    rows = connection.execute(OFFERS_TO, {"person": person_id, "now": now})
    return [Offer(*row[:3], Role(row[3]), *row[4:]) for row in rows]


def take_back(connection: Connection, number: int, volumes: Collection[int]) -> bool:
    """Lets an offer of some volumes hold no longer; False if there is none."""
    return connection.execute(_TAKE_BACK, {"offer": number, "volumes": volumes}).rowcount > 0


def answered(connection: Connection, number: int, person_id: int) -> bool:
    """Takes away an offer that somebody took or declined; False if it is none of theirs."""
    return connection.execute(_ANSWERED, {"offer": number, "person": person_id}).rowcount > 0


def forget_offers_to(connection: Connection, person_id: int) -> None:
    """Takes away all that was offered to somebody."""
    connection.execute(_FORGET_THEIRS, {"person": person_id})


# ---- whom somebody knows ------------------------------------------------------------------

_handles = select(person.c.handle, person.c.name).order_by(person.c.handle)
_known = _handles.where(
    or_(
        person.c.owns_wiki,
        person.c.id == value("actor"),
        exists().where(
            _theirs.c.person == person.c.id,
            _theirs.c.volume == _own.c.volume,
            _own.c.person == value("actor"),
        ),
    )
)
KNOWN_TO = {True: _handles, False: _known}
"""Whom somebody knows, by whether they own the wiki: then everybody."""
HERE_AND_KNOWN_TO = {
    every: known.where(person.c.closed.is_(None)).limit(value("most")) for every, known in KNOWN_TO.items()
}


def known_to(connection: Connection, actor: Actor) -> Mapping[str, str]:
    """The names of the people that somebody shares a volume with, and of the owners of the wiki, by handle."""
    values = {} if actor.owns_wiki else {"actor": actor.person}
    return dict(connection.execute(KNOWN_TO[actor.owns_wiki], values).all())


def here_and_known_to(connection: Connection, actor: Actor, most: int = 500) -> list[tuple[str, str]]:
    """The same of those who have not left: handles and names, by handle."""
    values = {"most": most} | ({} if actor.owns_wiki else {"actor": actor.person})
    rows = connection.execute(HERE_AND_KNOWN_TO[actor.owns_wiki], values)
    return [(handle, name) for handle, name in rows]
