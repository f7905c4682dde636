"""Signing in and out, and who a session belongs to.

Passwords are kept as argon2id hashes (RFC 9106, argon2-cffi's defaults).
A session's token is random; only its hash is stored.
"""

from __future__ import annotations

import hashlib
import hmac
import re
import secrets
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime, timedelta

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from mokuji.core.base import names
from mokuji.core.base.errors import BadName, Collision, Forbidden, Missing, Refused, TooMany
from mokuji.core.language.scan import check as check_text
from mokuji.core.model import policy
from mokuji.core.model.policy import Actor, PersonPermission, Role, may_about
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, refresh, visible
from mokuji.services.signing import proves, signature
from mokuji.store import moments, people
from mokuji.store.database import Connection, asking, reading, writing
from mokuji.store.index import assets
from mokuji.store.people import Account
from mokuji.store.snapshot import load_volumes

LONGEST_SESSION = timedelta(days=14)
"""After this a session ends in any case."""
IDLE_SESSION = timedelta(hours=24)
"""Without use a session ends after this."""
SEEN = timedelta(minutes=5)
"""So often at most it is written down that a session is in use."""
TRIES_WITHIN = timedelta(minutes=15)
TRIES_OF_HANDLE, TRIES_FROM_ADDRESS = 20, 60
"""Maximum number of tries to sign in within that time: with one handle (80 an hour; OWASP ASVS 4.0.3, 2.2.1, allows
100), and from one address, behind which there may be an office."""
HASHING, WAITING = 2, 8
"""Maximum number of passwords that are looked at at once, and of those that wait for it: each holds a thread and a core
for a while."""
LONGEST_TOKEN = 100
"""A longer one is no session's."""
LONGEST_PASSWORD = 1_000
"""Longer ones are no password of anybody."""

_hasher = PasswordHasher()
NOBODYS_HASH = (
    "$argon2id$v=19$m=65536,t=3,p=4$Csei3FUr2asqA/J16bQTJg$sNoNOYjcl5Oe6C8pyny/svz4ZCdX47ZJ2GZSDl0pywk"
)
"""Of a password that nobody knows: looking at it takes as long as at anybody's."""
_hashing = threading.BoundedSemaphore(HASHING)
_waiting = threading.BoundedSemaphore(WAITING)


def volumes_of(app: AppContext, actor: Actor) -> list[Volume]:
    """The volumes that an actor may read, as they are now."""
    with reading(app.engine) as connection:
        return list(visible(connection, actor).values())


def hash_password(password: str) -> str:
    """A password as it may be stored."""
    return _hasher.hash(password)


def _token_hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


@contextmanager
def _at_work() -> Iterator[None]:
    """Room to look at a password; TooMany at once if many wait for it already."""
    if not _waiting.acquire(blocking=False):
        raise TooMany("Many people sign in at this moment. Try again in a few seconds.", 5, code="busy")
    try:
        with _hashing:
            yield
    finally:
        _waiting.release()


def _belong_together(account: Account | None, password: str) -> bool:
    """Whether this is the password of the account. An unknown handle costs the same time as a wrong password."""
    try:
        with _at_work():
            _hasher.verify(account.password if account else NOBODYS_HASH, password[:LONGEST_PASSWORD])
    except (VerificationError, InvalidHashError):
        return False
    return account is not None and account.closed is None


def sign_in(app: AppContext, handle: str, password: str, address: str = "", former: str = "") -> str | None:
    """A new session's token, or None if handle and password do not belong together. The session of the token
    ``former`` ends with it.

    TooMany after ``TRIES_OF_HANDLE`` or ``TRIES_FROM_ADDRESS``, whoever asks: a right password is told from a wrong
    one no sooner.
    """
    handle = handle.strip().casefold()[:200]
    keys = [_try_key(app, "handle", handle)]
    if address:
        keys.append(_try_key(app, "address", address))
    now = app.clock()
    with writing(app.engine) as connection:
        tries = people.try_sign_in(connection, keys, now, now - TRIES_WITHIN)
    if any(n > most for n, most in zip(tries, (TRIES_OF_HANDLE, TRIES_FROM_ADDRESS), strict=False)):
        raise TooMany(
            "There were too many tries to sign in with this handle or from this address. Wait a quarter of an hour, "
            "then try again.",
            int(TRIES_WITHIN.total_seconds()),
        )
    storable = "\x00" not in handle and names.is_storable(handle)
    with reading(app.engine) as connection:
        account = people.account(connection, handle) if storable else None
    if not _belong_together(account, password) or account is None:
        return None
    token = secrets.token_urlsafe(32)
    with writing(app.engine) as connection:
        people.forget_tries(connection, keys[:1])
        if former:
            people.close_session(connection, _token_hash(former))
        ends = now + LONGEST_SESSION
        people.open_session(connection, _token_hash(token), account.id, now, ends, now - IDLE_SESSION)
    return token


def _try_key(app: AppContext, what: str, value: str) -> bytes:
    """What tries are counted by: what was typed as a handle may be a password, so it is not kept as typed."""
    said = f"try:{what}:{value}".encode("utf-8", "surrogatepass")
    return hmac.new(app.secret, said, hashlib.sha256).digest()


def sign_out(app: AppContext, token: str) -> None:
    """Ends a session."""
    with writing(app.engine) as connection:
        people.close_session(connection, _token_hash(token))


def actor_of(app: AppContext, token: str | None) -> Actor:
    """Who a token belongs to; nobody if it is missing or wrong, has run out, or was not used for a day."""
    if not token or len(token) > LONGEST_TOKEN:
        return policy.NOBODY
    now, hashed = app.clock(), _token_hash(token)
    with asking(app.engine) as connection:
        session = people.session(connection, hashed, now, now - IDLE_SESSION)
    return _at_it(app, session, hashed, now)


def arrive(app: AppContext, token: str) -> tuple[Actor, str]:
    """As ``actor_of``, for one who reads: numbers of upkeep are right after it. Comes with the moment that the database
    shows (``store.moments``); empty if it has gone on meanwhile."""
    now, hashed = app.clock(), _token_hash(token) if token and len(token) <= LONGEST_TOKEN else ""
    with asking(app.engine) as connection:
        arrival = moments.arrive(connection, hashed, now, now - IDLE_SESSION)
    if arrival.stale:
        refresh(app)
    return _at_it(app, arrival.session, hashed, now), "" if arrival.stale else arrival.moment


def _at_it(app: AppContext, session: people.Session | None, hashed: str, now: datetime) -> Actor:
    """Whose session it is, and writes down that it is in use."""
    if session is None:
        return policy.NOBODY
    if now - session.seen > SEEN:
        with writing(app.engine) as connection:
            people.touch_session(connection, hashed, now)
    return session.actor


def form_token(app: AppContext, session: str) -> str:
    """The token that a form must bring back: bound to the session, not to be guessed without the key."""
    return signature(app, "form", session)


def form_token_fits(app: AppContext, session: str, token: str) -> bool:
    """Whether a form came from a page that was made for this session."""
    return proves(app, "form", session, token)


def demo_people(app: AppContext) -> list[Account]:
    """The people of the demo, to choose from; nobody outside the demo."""
    if not app.demo:
        return []
    with reading(app.engine) as connection:
        return people.accounts(connection)


def person_id(app: AppContext, handle: str) -> int:
    """The id of a person; Missing if there is none of that handle."""
    with reading(app.engine) as connection:
        account = people.account(connection, handle.strip().casefold())
    if account is None:
        raise Missing(f"Nobody is called “{handle}” here. Add the person first: mokuji add-person {handle}.")
    return account.id


def add(
    app: AppContext,
    handle: str,
    name: str,
    password: str,
    owner_of: list[str],
    *,
    owner_of_wiki: bool = False,
) -> int:
    """Lets somebody sign in, as owner of some volumes or of the wiki."""
    handle = handle.strip().casefold()
    if not re.fullmatch(r"[\w][\w-]{0,39}", handle):
        raise BadName(f"“{handle}” cannot be a handle: use up to 40 letters, digits and hyphens.")
    hashed = _new_password(password)
    with writing(app.engine) as connection:
        volumes = load_volumes(connection)
        for title in owner_of:
            if names.key(title) not in volumes:
                raise Missing(f"There is no volume “{title}”.")
        if people.account(connection, handle) is not None:
            raise Collision(
                f"Somebody is called “{handle}” here already. Choose another handle.", code="person_name"
            )
        check_never_theirs(connection, handle, 0)
        called = name.strip() or handle
        person = people.add_person(connection, handle, called, "", hashed, owns_wiki=owner_of_wiki)
        for title in owner_of:
            people.set_role(connection, person, volumes[names.key(title)].id, Role.OWNER)
        return person


def _new_password(password: str) -> str:
    """The hash of a new password; BadName if it cannot be one."""
    check_text(password)
    if len(password) < 8:
        raise BadName("The password is too short. Use at least 8 characters.")
    if len(password) > LONGEST_PASSWORD:
        raise BadName(f"The password is too long. Use at most {LONGEST_PASSWORD:,} characters.")
    return hash_password(password)


def has_owner(app: AppContext) -> bool:
    """Whether somebody owns the wiki."""
    with reading(app.engine) as connection:
        return bool(people.owners_of_wiki(connection))


def _concerned(connection: Connection, actor: Actor | None, act: PersonPermission, handle: str) -> Account:
    """Who something is to be done about; Forbidden unless the actor may (None: whoever runs this machine)."""
    wanted = handle.strip().casefold()
    account = people.account(connection, wanted) if names.is_storable(wanted) else None
    if actor is not None and not may_about(actor, act, account.id if account is not None else 0):
        raise Forbidden(
            "Only an owner of the wiki can do this.", code="forbidden" if actor.signed_in else "sign_in"
        )
    if account is None:
        raise Missing(f"Nobody is called “{handle}” here.", code="person_missing")
    return account


def _check_not_last(connection: Connection, account: Account) -> None:
    if account.owns_wiki and people.owners_of_wiki(connection) == [account.id]:
        raise Refused(
            f"“{account.handle}” is the last owner of the wiki. Give it to somebody else first.",
            code="last_owner",
        )


def give_wiki(app: AppContext, handle: str, *, owns: bool = True, actor: Actor | None = None) -> None:
    """Makes somebody an owner of the wiki, or no longer; Refused for the last one."""
    with writing(app.engine, alone=True) as connection:
        account = _concerned(connection, actor, PersonPermission.CLOSE, handle)
        if account.closed is not None and owns:
            raise Refused(f"“{account.handle}” has left. Let them in again first.", code="person_closed")
        if not owns:
            _check_not_last(connection, account)
        people.set_owner_of_wiki(connection, account.id, owns)


def close(app: AppContext, handle: str, *, actor: Actor | None = None) -> None:
    """Lets somebody sign in no more; their sessions end, what they wrote stays. Refused for the last owner."""
    with writing(app.engine, alone=True) as connection:
        account = _concerned(connection, actor, PersonPermission.CLOSE, handle)
        _check_not_last(connection, account)
        people.close(connection, account.id, app.clock())


def let_in_again(app: AppContext, handle: str, *, actor: Actor | None = None) -> None:
    """Lets somebody who left sign in again, as what they were."""
    with writing(app.engine) as connection:
        people.close(connection, _concerned(connection, actor, PersonPermission.CLOSE, handle).id, None)


def reset(app: AppContext, handle: str, password: str, *, actor: Actor | None = None) -> None:
    """Another password for somebody; their sessions end."""
    with reading(app.engine) as connection:
        _concerned(connection, actor, PersonPermission.RESET, handle)
    hashed = _new_password(password)
    with writing(app.engine) as connection:
        people.set_password(
            connection, _concerned(connection, actor, PersonPermission.RESET, handle).id, hashed
        )


def names_by_handle(app: AppContext) -> dict[str, str]:
    """What people are called, by their handles."""
    with reading(app.engine) as connection:
        return people.names_by_handle(connection)


def check_never_theirs(connection: Connection, handle: str, person: int) -> None:
    """Refused if somebody else had this handle and pages still name it: they would name another person."""
    if people.had_by_others(connection, handle, person) and assets.names_person(connection, handle):
        raise Refused(
            f"“{handle}” was the handle of somebody else, and pages still name it. Choose another handle, or change "
            "these pages first.",
            code="handle_named",
        )


NOT_THEIRS = "Only they themselves, or an owner of the wiki, can change the handle of a person."
