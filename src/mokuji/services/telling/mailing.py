"""How somebody is told by mail: to an address of theirs, once they confirmed it; and what ends that."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

from email_validator import EmailNotValidError, validate_email

from mokuji.core.base.errors import Missing, Refused
from mokuji.core.model.policy import Actor
from mokuji.core.telling.watching import Letter, Mail
from mokuji.services.app_context import AppContext
from mokuji.services.people import in_person
from mokuji.services.signing import signed, unsigned
from mokuji.services.telling.delivering import message_id
from mokuji.store.database import Connection, reading, writing
from mokuji.store.telling import letters
from mokuji.store.telling.letters import NewLetter, Ways

CONFIRM_WITHIN = timedelta(days=7)
MOST_ASKED = 5
"""So often an hour somebody is sent a mail that asks to confirm an address."""
MORNING = 6
"""The hour (UTC) at which digests go, on Mondays those of the week."""
LONGEST = 254
"""Maximum length of a mail address (RFC 5321, 4.5.3.1, as its errata have it)."""


def ways(app: AppContext, actor: Actor) -> Ways:
    """How somebody is told; nobody else is shown this."""
    with reading(app.engine) as connection:
        return letters.ways(connection, in_person(actor))


def set_mail(app: AppContext, actor: Actor, address: str, how: Mail) -> None:
    """Tells somebody by mail from now on, or not. To another address than before a letter goes that asks whether it is
    theirs; until they say so nothing else goes there. Refused for what is no address."""
    reader = in_person(actor)
    wanted = _checked(address) if address.strip() else ""
    if not wanted and how is not Mail.NOT:
        raise Refused("Type the address that mail is to go to.", code="bad_mail_address")
    now = app.clock()
    with writing(app.engine) as connection:
        present = letters.ways(connection, reader)
        same = wanted == present.address
        digest = present.digest if how is present.how else now
        told = replace(
            present, address=wanted, how=how, confirmed=present.confirmed and same, stopped="", digest=digest
        )
        letters.set_ways(connection, reader, told)
        if wanted and not told.confirmed:
            _ask(connection, reader, wanted, now)


def _checked(address: str) -> str:
    try:
        # Letters beyond ASCII before the @ are taken by few mail servers; a domain is written as they have it.
        found = validate_email(
            address.strip()[: LONGEST + 1],
            check_deliverability=False,
            test_environment=True,
            allow_smtputf8=False,
        )
        return found.ascii_email or found.normalized
    except EmailNotValidError as fault:
        raise Refused(f"This is no mail address: {fault}", code="bad_mail_address") from None


def _ask(connection: Connection, reader: int, address: str, now: datetime) -> None:
    if letters.confirming(connection, reader, now - timedelta(hours=1)) >= MOST_ASKED:
        raise Refused(
            "You were sent several mails within this hour to confirm an address. Look into that mailbox first, or try "
            "again later.",
            code="too_many",
        )
    letters.put(connection, [NewLetter(reader, Letter.CONFIRM, message_id(), address, now)])


def confirming_word(app: AppContext, reader: int, address: str, at: datetime) -> str:
    """What the link of a letter holds by which an address is confirmed."""
    until = int((at + CONFIRM_WITHIN).timestamp())
    return signed(app, "mail-address", f"{reader}-{until}-{address.encode().hex()}")


def confirm(app: AppContext, word: str, *, only_look: bool = False) -> str:
    """Confirms the address that a link was sent to; gives it. Missing if the link is none, too old, or of an address
    that was changed since."""
    said = unsigned(app, "mail-address", word)
    gone = Missing(
        "This link confirms nothing any more. Ask for another one where you chose the address.",
        code="link_spent",
    )
    if said is None:
        raise gone
    reader, until, hexed = said.split("-")
    address = bytes.fromhex(hexed).decode()
    if app.clock() > datetime.fromtimestamp(int(until), UTC):
        raise gone
    with writing(app.engine) as connection:
        present = letters.ways(connection, int(reader))
        if present.address != address:
            raise gone
        if not only_look:
            letters.set_ways(connection, int(reader), replace(present, confirmed=True, stopped=""))
    return address


def ending_word(app: AppContext, reader: int, serial: int) -> str:
    """What the address holds by which somebody ends their mail without signing in."""
    return signed(app, "mail-end", f"{reader}-{serial}")


def end(app: AppContext, word: str, *, only_look: bool = False) -> None:
    """Ends the mail of whomever an address was given to; Missing if it is none, or was renewed."""
    said = unsigned(app, "mail-end", word)
    if said is not None:
        reader, _, serial = said.partition("-")
        with writing(app.engine) as connection:
            present = letters.ways(connection, int(reader))
            if present.serial == int(serial):
                if not only_look:
                    letters.set_ways(connection, int(reader), replace(present, how=Mail.NOT))
                    letters.drop_waiting(connection, int(reader), "the mail was ended")
                return
    raise Missing(
        "This address ends nothing any more. What you are told of says how you are told.", code="link_spent"
    )


def renew(app: AppContext, actor: Actor) -> None:
    """Gives somebody new private addresses; the old ones tell nothing any more."""
    reader = in_person(actor)
    with writing(app.engine) as connection:
        letters.renew(connection, reader)


def bounced(app: AppContext, message: str, why: str) -> bool:
    """Stops the mail of whomever a mail could not be delivered to, by its Message-ID; whether it was one of ours, to
    the address that they have still."""
    with writing(app.engine) as connection:
        found = letters.of_message(connection, message)
        if found is None:
            return False
        reader, address = found
        present = letters.ways(connection, reader)
        if present.address != address:
            return False
        stop(connection, reader, present, why)
        return True


def stop(connection: Connection, reader: int, present: Ways, why: str) -> None:
    """Stops the mail of somebody, and says why where they see it."""
    letters.set_ways(connection, reader, replace(present, stopped=why[:300]))
    letters.drop_waiting(connection, reader, "mail to the address has stopped")


def put_digests(app: AppContext) -> int:
    """Lets digests wait to be sent, to whom one is due that has something unread; how many."""
    now = app.clock()
    number = 0
    with writing(app.engine) as connection:
        for reader, address, how, last in letters.digests(connection):
            until = _boundary(now, how)
            if last is not None and last >= until:
                continue
            letters.set_digest(connection, reader, until)
            since = last or until - timedelta(days=7)
            if letters.any_unsent(connection, reader, since, until):
                new = NewLetter(reader, Letter.DIGEST, message_id(), address, now)
                (into,) = letters.put(connection, [new])
                letters.put_all_into(connection, reader, since, until, into)
                number += 1
    return number


def _boundary(now: datetime, how: Mail) -> datetime:
    """The last moment at which digests were due."""
    morning = now.replace(hour=MORNING, minute=0, second=0, microsecond=0)
    morning -= timedelta(days=1) if morning > now else timedelta()
    return morning - timedelta(days=morning.weekday()) if how is Mail.WEEKLY else morning
