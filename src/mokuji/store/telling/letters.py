"""How people want to be told by mail, and the mail that waits to be sent."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, func, insert, select, update
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.core.telling.watching import Letter, Mail, Sent
from mokuji.store.statements import among, fixed, value
from mokuji.store.tables import letter, telling, told


@dataclass(frozen=True, slots=True)
class Ways:
    """How somebody wants to be told: of pages that they wrote (``own``), by mail to an address that is theirs once it
    is ``confirmed``; ``stopped`` says why mail to it ended, ``serial`` how often their private addresses were renewed,
    ``digest`` up to when the last digest went."""

    own: bool = False
    address: str = ""
    confirmed: bool = False
    how: Mail = Mail.NOT
    stopped: str = ""
    serial: int = 0
    digest: datetime | None = None

    @property
    def mails(self) -> bool:
        """Whether mail goes out to them."""
        return bool(self.address) and self.confirmed and not self.stopped and self.how is not Mail.NOT


_columns = (
    telling.c.own,
    telling.c.address,
    telling.c.confirmed,
    telling.c.how,
    telling.c.stopped,
    telling.c.serial,
    telling.c.digest,
)
WAYS = select(*_columns).where(telling.c.person == value("reader"))
_new = insert_or_else(telling)
_SET = _new.on_conflict_do_update(
    index_elements=["person"],
    set_={each.name: getattr(_new.excluded, each.name) for each in _columns if each.name not in {"serial"}},
)
_RENEW = insert_or_else(telling).on_conflict_do_update(
    index_elements=["person"], set_={"serial": telling.c.serial + 1}
)
AT_ONCE = select(telling.c.person, telling.c.address).where(
    among(telling.c.person, "people"),
    telling.c.confirmed,
    telling.c.how == fixed(Mail.AT_ONCE),
    telling.c.stopped == "",
)
DIGESTS = select(telling.c.person, telling.c.address, telling.c.how, telling.c.digest).where(
    telling.c.how > fixed(Mail.AT_ONCE), telling.c.confirmed, telling.c.stopped == ""
)
_SET_DIGEST = update(telling).where(telling.c.person == value("reader")).values(digest=value("until"))


def ways(connection: Connection, reader: int) -> Ways:
    """How somebody wants to be told."""
    row = connection.execute(WAYS, {"reader": reader}).first()
    return Ways(row.own, row.address, row.confirmed, Mail(row.how), *row[4:]) if row else Ways()


def set_ways(connection: Connection, reader: int, wanted: Ways) -> None:
    """Tells somebody so from now on; the number of private addresses stays."""
    connection.execute(
        _SET,
        {
            "person": reader,
            "own": wanted.own,
            "address": wanted.address,
            "confirmed": wanted.confirmed,
            "how": int(wanted.how),
            "stopped": wanted.stopped,
            "digest": wanted.digest,
        },
    )


def renew(connection: Connection, reader: int) -> None:
    """Gives somebody new private addresses."""
    connection.execute(_RENEW, {"person": reader, "serial": 1})


def at_once(connection: Connection, people: Collection[int]) -> dict[int, str]:
    """Those of some people who are told at once by mail, each with the address."""
    return dict(connection.execute(AT_ONCE, {"people": people}).all())


def digests(connection: Connection) -> list[tuple[int, str, Mail, datetime | None]]:
    """Who gets a digest: person, address, how often, up to when the last one went."""
    return [(row[0], row[1], Mail(row[2]), row[3]) for row in connection.execute(DIGESTS)]


def set_digest(connection: Connection, reader: int, until: datetime) -> None:
    """The last digest of somebody went up to here."""
    connection.execute(_SET_DIGEST, {"reader": reader, "until": until})


# ---- letters ----------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Waiting:
    """A mail that is to be sent."""

    id: int
    person: int
    kind: Letter
    message: str
    address: str
    at: datetime
    tries: int


@dataclass(frozen=True, slots=True)
class NewLetter:
    """A mail to be sent from a moment on; ``message`` is its Message-ID without brackets."""

    person: int
    kind: Letter
    message: str
    address: str
    at: datetime


_PUT = insert(letter).returning(letter.c.id, sort_by_parameter_order=True)
_INTO = update(told).where(told.c.id == value("entry")).values(letter=value("into"))
_ALL_INTO = (
    update(told)
    .where(
        told.c.person == value("reader"),
        told.c.letter.is_(None),
        told.c.at >= value("since"),
        told.c.at <= value("until"),
        told.c.state == 0,
    )
    .values(letter=value("into"))
)
ANY_UNSENT = select(
    select(fixed(1))
    .where(told.c.person == value("reader"), told.c.letter.is_(None), told.c.state == fixed(0))
    .where(told.c.at >= value("since"), told.c.at <= value("until"))
    .exists()
)
NEXT = (
    select(
        letter.c.id,
        letter.c.person,
        letter.c.kind,
        letter.c.message,
        letter.c.address,
        letter.c.at,
        letter.c.tries,
    )
    .where(letter.c.state == fixed(Sent.WAITING), letter.c.due <= value("now"))
    .order_by(letter.c.due, letter.c.id)
    .limit(fixed(1))
    .with_for_update(skip_locked=True)
)
ANY_DUE = select(
    select(fixed(1)).where(letter.c.state == fixed(Sent.WAITING), letter.c.due <= value("now")).exists()
)
_PUT_OFF = (
    update(letter)
    .where(letter.c.state == fixed(Sent.WAITING), letter.c.due <= value("now"))
    .values(due=value("again"))
)
HELD = select(told.c.id).where(told.c.letter == value("into")).order_by(told.c.id)
_SETTLE = (
    update(letter)
    .where(letter.c.id == value("number"))
    .values(state=value("became"), said=value("answer"), due=value("again"), tries=letter.c.tries + 1)
)
_CLAIM = (
    update(letter)
    .where(letter.c.id == value("number"), letter.c.state == fixed(Sent.WAITING))
    .values(due=value("again"))
)
_DROP_WAITING = (
    update(letter)
    .where(letter.c.person == value("reader"), letter.c.state == fixed(Sent.WAITING))
    .values(state=fixed(Sent.DROPPED), said=value("answer"))
)
OF_MESSAGE = select(letter.c.person, letter.c.address).where(letter.c.message == value("message_id"))
CONFIRMING = select(func.count()).where(
    letter.c.person == value("reader"), letter.c.kind == fixed(Letter.CONFIRM), letter.c.at > value("since")
)
_FORGET = delete(letter).where(letter.c.at < value("before"), letter.c.state != fixed(Sent.WAITING))


def put(connection: Connection, new: Collection[NewLetter]) -> list[int]:
    """Lets letters wait to be sent; their ids in this order."""
    rows = [
        {
            "person": each.person,
            "kind": int(each.kind),
            "message": each.message,
            "address": each.address,
            "at": each.at,
            "due": each.at,
        }
        for each in new
    ]
    return list(connection.execute(_PUT, rows).scalars()) if rows else []


def put_into(connection: Connection, entries: Collection[tuple[int, int]]) -> None:
    """Says into which letter each of some entries went: id of the entry, id of the letter."""
    if entries:
        connection.execute(_INTO, [{"entry": entry, "into": into} for entry, into in entries])


def any_unsent(connection: Connection, reader: int, since: datetime, until: datetime) -> bool:
    """Whether something unread that somebody was told in this time went into no letter."""
    values = {"reader": reader, "since": since, "until": until}
    return bool(connection.execute(ANY_UNSENT, values).scalar_one())


def put_all_into(connection: Connection, reader: int, since: datetime, until: datetime, into: int) -> None:
    """Puts all unread things of this time that went into no letter into this one."""
    connection.execute(_ALL_INTO, {"reader": reader, "since": since, "until": until, "into": into})


def following(connection: Connection, now: datetime) -> Waiting | None:
    """The next mail to be sent, which others leave alone as long as this transaction goes on."""
    row = connection.execute(NEXT, {"now": now}).first()
    return Waiting(row[0], row[1], Letter(row[2]), *row[3:]) if row else None


def any_due(connection: Connection, now: datetime) -> bool:
    """Whether any mail is to be sent."""
    return bool(connection.execute(ANY_DUE, {"now": now}).scalar_one())


def put_off(connection: Connection, now: datetime, again: datetime) -> None:
    """Leaves all mail that was to be sent until a moment."""
    connection.execute(_PUT_OFF, {"now": now, "again": again})


def claim(connection: Connection, number: int, again: datetime) -> None:
    """Leaves a mail to who asks, until a moment: if they are gone by then, another takes it up."""
    connection.execute(_CLAIM, {"number": number, "again": again})


def held(connection: Connection, number: int) -> list[int]:
    """What somebody was told that goes into a letter."""
    return list(connection.execute(HELD, {"into": number}).scalars())


def settle(connection: Connection, number: int, state: Sent, said: str, again: datetime) -> None:
    """What became of a mail; one that waits is tried again at that moment."""
    values = {"number": number, "became": int(state), "answer": said, "again": again}
    connection.execute(_SETTLE, values)


def drop_waiting(connection: Connection, reader: int, said: str) -> None:
    """No mail that waits goes out to somebody."""
    connection.execute(_DROP_WAITING, {"reader": reader, "answer": said})


def of_message(connection: Connection, message: str) -> tuple[int, str] | None:
    """To whom a mail went, by its Message-ID: person and address."""
    row = connection.execute(OF_MESSAGE, {"message_id": message}).first()
    return (row[0], row[1]) if row else None


def confirming(connection: Connection, reader: int, since: datetime) -> int:
    """How many letters asked somebody since then to confirm an address."""
    return connection.execute(CONFIRMING, {"reader": reader, "since": since}).scalar_one()


def forget(connection: Connection, before: datetime) -> None:
    """Lets letters that are over go."""
    connection.execute(_FORGET, {"before": before})
