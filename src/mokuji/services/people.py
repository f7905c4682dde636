"""Signing in and out, and who a session belongs to.

Passwords are kept as argon2id hashes (RFC 9106, argon2-cffi's defaults).
A session's token is random; only its hash is stored.
"""

from __future__ import annotations

import hashlib
import hmac
import re
import secrets
from datetime import timedelta

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from mokuji.core import names, policy
from mokuji.core.errors import BadName, Missing
from mokuji.core.policy import Actor, Role
from mokuji.core.wiki import Volume
from mokuji.services.desk import Desk, visible
from mokuji.store import people
from mokuji.store.database import reading, writing
from mokuji.store.people import Account
from mokuji.store.snapshot import load_volumes

SESSION = timedelta(days=30)

_hasher = PasswordHasher()
_nobodys_hash = _hasher.hash(secrets.token_hex(16))


def volumes_of(desk: Desk, actor: Actor) -> list[Volume]:
    """The volumes that an actor may read, as they are now."""
    with reading(desk.engine) as connection:
        return list(visible(connection, actor).values())


def hash_password(password: str) -> str:
    """A password as it may be stored."""
    return _hasher.hash(password)


def _token_hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def sign_in(desk: Desk, handle: str, password: str) -> str | None:
    """A new session's token, or None if handle and password do not belong together.

    An unknown handle costs the same time as a wrong password.
    """
    handle = handle.strip().casefold().replace("\x00", "")
    with reading(desk.engine) as connection:
        account = people.account(connection, handle)
    try:
        _hasher.verify(account.password if account else _nobodys_hash, password)
    except (VerificationError, InvalidHashError):
        return None
    if account is None:
        return None
    token = secrets.token_urlsafe(32)
    with writing(desk.engine) as connection:
        people.open_session(connection, _token_hash(token), account.id, desk.clock() + SESSION)
    return token


def sign_out(desk: Desk, token: str) -> None:
    """Ends a session."""
    with writing(desk.engine) as connection:
        people.close_session(connection, _token_hash(token))


def actor_of(desk: Desk, token: str | None) -> Actor:
    """Who a token belongs to; nobody if it is missing, wrong or has run out."""
    if not token:
        return policy.NOBODY
    with reading(desk.engine) as connection:
        return people.actor_of(connection, _token_hash(token), desk.clock()) or policy.NOBODY


def form_token(desk: Desk, session: str) -> str:
    """The token that a form must bring back: bound to the session, not to be guessed without the key."""
    return hmac.new(desk.secret, b"form:" + session.encode(), hashlib.sha256).hexdigest()


def form_token_fits(desk: Desk, session: str, token: str) -> bool:
    """Whether a form came from a page that was made for this session."""
    return hmac.compare_digest(form_token(desk, session).encode(), token.encode())


def demo_people(desk: Desk) -> list[Account]:
    """The people of the demo, to choose from; nobody outside the demo."""
    if not desk.demo:
        return []
    with reading(desk.engine) as connection:
        return people.accounts(connection)


def person_id(desk: Desk, handle: str) -> int:
    """The id of a person; Missing if there is none of that handle."""
    with reading(desk.engine) as connection:
        account = people.account(connection, handle.strip().casefold())
    if account is None:
        raise Missing(f"Nobody is called “{handle}” here. Add the person first: mokuji add-person {handle}.")
    return account.id


def add(desk: Desk, handle: str, name: str, password: str, owner_of: list[str]) -> int:
    """Lets somebody sign in, as owner of some volumes."""
    handle = handle.strip().casefold()
    if not re.fullmatch(r"[\w][\w-]{0,39}", handle):
        raise BadName(f"“{handle}” cannot be a handle: use up to 40 letters, digits and hyphens.")
    if len(password) < 8:
        raise BadName("The password is too short. Use at least 8 characters.")
    with writing(desk.engine) as connection:
        volumes = load_volumes(connection)
        for title in owner_of:
            if names.key(title) not in volumes:
                raise Missing(f"There is no volume “{title}”.")
        person = people.add_person(connection, handle, name.strip() or handle, "", hash_password(password))
        for title in owner_of:
            people.set_role(connection, person, volumes[names.key(title)].id, Role.OWNER)
        return person


def names_by_handle(desk: Desk) -> dict[str, str]:
    """What people are called, by their handles."""
    with reading(desk.engine) as connection:
        return people.names_by_handle(connection)
