"""Sending mail: what each says is looked up at the moment at which it is sent, by what its reader may read then.

A letter is taken with a term, sent, and said to be sent. Whoever breaks off between leaves it to be taken again when
the term is over: none is lost, and one that the mail server had taken already goes again under the same Message-ID.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from email.message import EmailMessage

import structlog

from mokuji.adapters.smtp import Connection, MailServer, MailServerDown, NotTaken, Rejected, TryLater
from mokuji.core.base.errors import MokujiError
from mokuji.core.model.policy import Actor
from mokuji.core.telling.watching import Letter, Sent, State
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.telling import inbox, mailing
from mokuji.store import people
from mokuji.store.database import reading, writing
from mokuji.store.telling import entries, letters
from mokuji.store.telling.letters import Waiting, Ways
from mokuji.telling import mail
from mokuji.telling.mail import Envelope
from mokuji.telling.places import Places

log = structlog.get_logger("mokuji.mail")
TERM = timedelta(minutes=5)
"""How long a letter is left to who took it."""
FIRST_WAIT, LONGEST_WAIT = timedelta(minutes=1), timedelta(hours=4)
"""A letter that could not be sent is tried again after so long, doubled each time."""
SERVER_WAIT = timedelta(minutes=1)
"""While the mail server is down, letters wait so long."""
GIVEN_UP = timedelta(days=4)
"""After so long a mailbox that takes nothing counts as one that takes nothing at all (RFC 5321, 4.5.4.1)."""
MOST_TOLD = 100
"""Maximum number of acts that one mail tells of; more are read in the inbox."""
MOST = 100
"""Maximum number of letters that are sent over one connection."""


@dataclass(frozen=True)
class Post:
    """What sending needs: the mail server, and the addresses that mail gives out."""

    server: MailServer
    places: Places


def send_waiting(app: AppContext, post: Post) -> int:
    """Sends what waits; how many letters were sent. A mail server that is down is asked again later."""
    now = app.clock()
    with reading(app.engine) as connection:
        if not letters.any_due(connection, now):
            return 0
    sent = 0
    try:
        with post.server.open() as server:
            for _ in range(MOST):
                outcome = _send_next(app, post, server)
                if outcome is None:
                    break
                sent += outcome is Sent.SENT
    except MailServerDown as down:
        log.warning("mail_server_down", reason=str(down))
        with writing(app.engine) as connection:
            letters.put_off(connection, now, now + SERVER_WAIT)
    return sent


def _send_next(app: AppContext, post: Post, server: Connection) -> Sent | None:
    """Sends one letter; what became of it, None if none waits."""
    now = app.clock()
    with writing(app.engine) as connection:
        letter = letters.following(connection, now)
        if letter is None:
            return None
        letters.claim(connection, letter.id, now + TERM)
    written = _written(app, post, letter)
    if written is None:
        _settle(app, letter, Sent.DROPPED, "nothing was left to be told", now)
        return Sent.DROPPED
    message, to = written
    try:
        server.send(message, to)
    except Rejected as why:
        _stopped(app, letter, f"the mail server of that address takes none ({why}).")
        return Sent.FAILED
    except NotTaken as why:
        log.warning("mail_not_taken", letter=letter.id, reason=str(why))
        _settle(app, letter, Sent.FAILED, str(why), now)
        return Sent.FAILED
    except TryLater as why:
        if now - letter.at > GIVEN_UP:
            _stopped(app, letter, f"for {GIVEN_UP.days} days the mailbox took none ({why}).")
            return Sent.FAILED
        wait = min(FIRST_WAIT * 2 ** min(letter.tries, 10), LONGEST_WAIT)
        _settle(app, letter, Sent.WAITING, str(why), now + wait)
        return Sent.WAITING
    _settle(app, letter, Sent.SENT, "", now)
    return Sent.SENT


def _written(app: AppContext, post: Post, letter: Waiting) -> tuple[EmailMessage, str] | None:
    """A letter as its reader may read it now, and where it goes; None if nothing is left to be said."""
    with reading(app.engine) as connection:
        actor = people.actor_by_id(connection, letter.person)
        ways = letters.ways(connection, letter.person)
        if not people.is_here(connection, letter.person):
            return None
        if letter.kind is Letter.CONFIRM:
            return _confirmation(app, post, letter, actor, ways)
        if not ways.mails:
            return None
        context = ReadContext(connection, actor)
        held = letters.held(connection, letter.id)
        found = entries.some(connection, letter.person, context.reads, held)
        unread = [each for each in found if each.state is State.UNREAD]
        told = inbox.told(context, unread[:MOST_TOLD])
    if not told:
        return None
    end = post.places.end(mailing.ending_word(app, letter.person, ways.serial))
    envelope = Envelope(post.server.sender, ways.address, letter.message, app.clock(), end)
    digest = letter.kind is Letter.DIGEST
    more = max(0, len(unread) - MOST_TOLD)
    message = mail.of_changes(envelope, actor.name, told, post.places, more=more, digest=digest)
    return message, ways.address


def _confirmation(
    app: AppContext, post: Post, letter: Waiting, actor: Actor, ways: Ways
) -> tuple[EmailMessage, str] | None:
    if ways.address != letter.address or ways.confirmed:
        return None
    link = post.places.confirm(mailing.confirming_word(app, letter.person, letter.address, letter.at))
    envelope = Envelope(post.server.sender, letter.address, letter.message, app.clock())
    return mail.confirmation(envelope, actor.name, link), letter.address


def _settle(app: AppContext, letter: Waiting, state: Sent, said: str, again: datetime) -> None:
    with writing(app.engine) as connection:
        letters.settle(connection, letter.id, state, said, again)


def _stopped(app: AppContext, letter: Waiting, why: str) -> None:
    """The address takes no mail: none goes there any more, and its person is told so where they see it."""
    with writing(app.engine) as connection:
        letters.settle(connection, letter.id, Sent.FAILED, why, app.clock())
        mailing.stop(connection, letter.person, letters.ways(connection, letter.person), why)


def chore(app: AppContext, post: Post) -> None:
    """What a worker does again and again: digests that are due, and what waits."""
    try:
        mailing.put_digests(app)
        while send_waiting(app, post) == MOST:
            pass
    except MokujiError as fault:
        log.warning("mail_left_for_later", reason=fault.message)
