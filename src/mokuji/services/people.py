"""Signing in and out, and who a session belongs to. A session's token is random; only its hash is stored."""

from __future__ import annotations

import hashlib
import hmac
import secrets
from datetime import datetime, timedelta

from mokuji.core.base import names
from mokuji.core.base.errors import BadName, Collision, Forbidden, Missing, Refused, TooMany
from mokuji.core.language.scan import check as check_text
from mokuji.core.model import policy
from mokuji.core.model.assets import check_name
from mokuji.core.model.policy import Actor, PersonPermission, Role, may_about
from mokuji.core.model.wiki import Volume
from mokuji.services import audit, passwords
from mokuji.services.app_context import AppContext, refresh, visible
from mokuji.services.devices import device_of
from mokuji.services.signing import proves, signature
from mokuji.store import moments, people, program_keys
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
LONGEST_NAME = 100
"""Maximum number of code points of the name that others see."""
KEY_BEGINS = "mokuji-"
"""How the token of a key for programs begins: whoever finds one knows what it is."""
LONGEST_TOKEN = 100
"""A longer one is no session's."""


def volumes_of(app: AppContext, actor: Actor) -> list[Volume]:
    """The volumes that an actor may read, as they are now."""
    with reading(app.engine) as connection:
        return list(visible(connection, actor).values())


def token_hash(token: str) -> str:
    """By what a session is kept."""
    return hashlib.sha256(token.encode()).hexdigest()


def sign_in(
    app: AppContext, handle: str, password: str, address: str = "", former: str = "", agent: str = ""
) -> str | None:
    """A new session's token, or None if handle and password do not belong together. The session of the token
    ``former`` ends with it. ``agent`` is what the program that signs in says of itself.

    TooMany after ``TRIES_OF_HANDLE`` or ``TRIES_FROM_ADDRESS``, whoever asks: a right password is told from a wrong
    one no sooner.
    """
    handle = handle.strip().casefold()[:200]
    keys = [_try_key(app, "handle", handle)]
    if address:
        keys.append(_try_key(app, "address", address))
    _count_tries(app, keys)
    storable = "\x00" not in handle and names.is_storable(handle)
    with reading(app.engine) as connection:
        account = people.account(connection, handle) if storable else None
    # An unknown handle costs the same time as a wrong password.
    fits = passwords.fits(password, account.password if account is not None else None)
    device = device_of(agent)
    with writing(app.engine) as connection:
        now = people.account(connection, handle) if fits else None
        # It may have been changed while it was looked at.
        if account is None or now is None or now.closed is not None or now.password != account.password:
            known = account.id if account is not None else None
            said = "" if account is not None else "a handle that nobody has"
            audit.record(
                connection, app.clock(), "sign-in refused", None, person=known, address=address, said=said
            )
            return None
        people.forget_tries(connection, keys[:1])
        audit.record(connection, app.clock(), "sign-in", account.id, address=address, said=device)
        if former:
            people.close_session(connection, token_hash(former))
        return opened(app, connection, account.id, device)


def opened(app: AppContext, connection: Connection, person: int, device: str = "") -> str:
    """The token of a new session of somebody who may have one, on a device (``device_of``)."""
    token, now = secrets.token_urlsafe(32), app.clock()
    ends, idle = now + LONGEST_SESSION, now - IDLE_SESSION
    people.open_session(connection, token_hash(token), person, now, ends, idle, device)
    return token


def count_try(app: AppContext, what: str, by: str) -> None:
    """Counts a try of somebody, known by an address, to be let in otherwise; TooMany after many."""
    _count_tries(app, [_try_key(app, what, by)], TRIES_OF_HANDLE)


def forget_try(app: AppContext, connection: Connection, what: str, by: str) -> None:
    """Counts the tries of somebody no longer: they were right."""
    people.forget_tries(connection, [_try_key(app, what, by)])


def _count_tries(app: AppContext, keys: list[bytes], *most: int) -> None:
    now = app.clock()
    with writing(app.engine) as connection:
        tries = people.try_sign_in(connection, keys, now, now - TRIES_WITHIN)
    if any(n > each for n, each in zip(tries, most or (TRIES_OF_HANDLE, TRIES_FROM_ADDRESS), strict=False)):
        raise TooMany(
            "There were too many tries to sign in with this handle or from this address. Wait a quarter of an hour, "
            "then try again.",
            int(TRIES_WITHIN.total_seconds()),
        )


def _try_key(app: AppContext, what: str, value: str) -> bytes:
    """What tries are counted by: what was typed as a handle may be a password, so it is not kept as typed."""
    said = f"try:{what}:{value}".encode("utf-8", "surrogatepass")
    return hmac.new(app.secret, said, hashlib.sha256).digest()


def sign_out(app: AppContext, token: str) -> None:
    """Ends a session."""
    with writing(app.engine) as connection:
        people.close_session(connection, token_hash(token))


def actor_of(app: AppContext, token: str | None) -> Actor:
    """Who the token of a session or of a key for programs belongs to; nobody if it is missing or wrong, has run out, or
    (of a session) was not used for a day."""
    if not token or len(token) > LONGEST_TOKEN:
        return policy.NOBODY
    now, hashed = app.clock(), token_hash(token)
    if token.startswith(KEY_BEGINS):
        return _with_key(app, hashed, now)
    with asking(app.engine) as connection:
        session = people.session(connection, hashed, now, now - IDLE_SESSION)
    return _at_it(app, session, hashed, now)


def _with_key(app: AppContext, hashed: str, now: datetime) -> Actor:
    """Whose key it is, with what it may do; writes down that it is in use."""
    with asking(app.engine) as connection:
        holder = program_keys.holder(connection, hashed, now)
    if holder is None:
        return policy.NOBODY
    if holder.used is None or now - holder.used > SEEN:
        with writing(app.engine) as connection:
            program_keys.touch(connection, holder.key, now)
    return holder.actor


def arrive(app: AppContext, token: str) -> tuple[Actor, str, int]:
    """As ``actor_of``, for one who reads: numbers of upkeep are right after it. Comes with the moment that the database
    shows (``store.moments``; empty if it has gone on meanwhile), and how much they were told and did not read."""
    now, hashed = app.clock(), token_hash(token) if token and len(token) <= LONGEST_TOKEN else ""
    with asking(app.engine) as connection:
        arrival = moments.arrive(connection, hashed, now, now - IDLE_SESSION)
    if arrival.stale:
        refresh(app)
    moment = "" if arrival.stale else arrival.moment
    return _at_it(app, arrival.session, hashed, now), moment, arrival.unread


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


def actor_called(app: AppContext, handle: str) -> Actor:
    """A person by handle, with the roles of now; Missing if there is none, Forbidden for one who may not sign in."""
    with reading(app.engine) as connection:
        account = people.account(connection, handle.strip().casefold())
        if account is not None and account.closed is not None:
            raise Forbidden(f"“{handle}” may not sign in any more. Let them in again first.", code="closed")
        if account is not None:
            return people.actor_by_id(connection, account.id)
    raise Missing(f"Nobody is called “{handle}” here. Add the person first: mokuji add-person {handle}.")


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
    hashed = checked(handle, name, password)
    with writing(app.engine) as connection:
        volumes = load_volumes(connection)
        for title in owner_of:
            if names.key(title) not in volumes:
                raise Missing(f"There is no volume “{title}”.")
        person = added(connection, handle, name, hashed, owner_of_wiki=owner_of_wiki)
        for title in owner_of:
            people.set_role(connection, person, volumes[names.key(title)].id, Role.OWNER)
        audit.record(connection, app.clock(), "person added", None, person=person)
        return person


def checked(handle: str, name: str, password: str) -> str:
    """The hash of the password of somebody new; BadName for a handle, a name or a password that cannot be one."""
    handle = check_name("person", handle)
    return passwords.new(password, (handle, checked_name(name)))


def checked_name(name: str) -> str:
    """The name of a person as it is kept; BadName if it cannot be one."""
    check_text(name)
    wanted = " ".join(name.split())
    if len(wanted) > LONGEST_NAME:
        raise BadName(f"The name is too long. Use at most {LONGEST_NAME} characters.", code="bad_person_name")
    return wanted


def added(connection: Connection, handle: str, name: str, hashed: str, *, owner_of_wiki: bool = False) -> int:
    """Somebody new, whose handle, name and password were ``checked``; Collision if the handle is taken."""
    handle = handle.strip().casefold()
    if people.account(connection, handle) is not None:
        raise Collision(
            f"Somebody is called “{handle}” here already. Choose another handle.", code="person_name"
        )
    check_never_theirs(connection, handle, 0)
    called = checked_name(name) or handle
    return people.add_person(connection, handle, called, "", hashed, owns_wiki=owner_of_wiki)


def has_owner(app: AppContext) -> bool:
    """Whether somebody owns the wiki."""
    with reading(app.engine) as connection:
        return bool(people.owners_of_wiki(connection))


def concerned(connection: Connection, actor: Actor | None, act: PersonPermission, handle: str) -> Account:
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


def is_last_owner(connection: Connection, account: Account) -> bool:
    """Whether somebody is the last owner of the wiki."""
    return account.owns_wiki and people.owners_of_wiki(connection) == [account.id]


def give_wiki(app: AppContext, handle: str, *, owns: bool = True, actor: Actor | None = None) -> None:
    """Makes somebody an owner of the wiki, or no longer; Refused for the last one."""
    with writing(app.engine, alone=True) as connection:
        account = concerned(connection, actor, PersonPermission.GIVE, handle)
        if account.closed is not None and owns:
            raise Refused(f"“{account.handle}” has left. Let them in again first.", code="person_closed")
        if not owns and is_last_owner(connection, account):
            raise Refused(
                f"“{account.handle}” is the last owner of the wiki. Give it to somebody else first.",
                code="last_owner",
            )
        people.set_owner_of_wiki(connection, account.id, owns)
        kind = "wiki given" if owns else "wiki taken"
        audit.record(connection, app.clock(), kind, actor, person=account.id)


def let_in_again(app: AppContext, handle: str, *, actor: Actor | None = None) -> None:
    """Lets somebody who left sign in again, as what they were."""
    with writing(app.engine) as connection:
        account = concerned(connection, actor, PersonPermission.OPEN, handle)
        people.close(connection, account.id, None)
        audit.record(connection, app.clock(), "person let in", actor, person=account.id)


def reset(app: AppContext, handle: str, password: str, *, actor: Actor | None = None) -> None:
    """Another password for somebody; their sessions end."""
    with reading(app.engine) as connection:
        account = concerned(connection, actor, PersonPermission.RESET, handle)
    hashed = passwords.new(password, (account.handle, account.name))
    with writing(app.engine) as connection:
        person = concerned(connection, actor, PersonPermission.RESET, handle).id
        people.set_password(connection, person, hashed)
        audit.record(connection, app.clock(), "password", actor, person=person)


SHOWN = 200
"""Number of people that are listed at once."""


def everybody(app: AppContext, actor: Actor, after: str = "") -> tuple[list[people.Known], str]:
    """The people of the wiki, for its owners, and the handle behind which there are more (empty: none)."""
    if not actor.owns_wiki:
        raise Forbidden(
            "Only an owner of the wiki sees all its people.",
            code="forbidden" if actor.signed_in else "sign_in",
        )
    behind = after if names.is_storable(after) else ""
    with reading(app.engine) as connection:
        found = people.everybody(connection, behind, SHOWN + 1)
    return found[:SHOWN], found[SHOWN - 1].handle if len(found) > SHOWN else ""


def check_never_theirs(connection: Connection, handle: str, person: int) -> None:
    """Refused if somebody else had this handle and pages still name it: they would name another person."""
    if people.had_by_others(connection, handle, person) and assets.names_person(connection, handle):
        raise Refused(
            f"“{handle}” was the handle of somebody else, and pages still name it. Choose another handle, or change "
            "these pages first.",
            code="handle_named",
        )


NOT_BY_PROGRAMS = "A key for programs cannot do this. Sign in with your password."


def in_person(actor: Actor) -> int:
    """Who asks, for what is theirs alone; Forbidden for who has not signed in, and for a program with their key."""
    if actor.person is None:
        raise Forbidden("Sign in to see your own page.", code="sign_in")
    if actor.program:
        raise Forbidden(NOT_BY_PROGRAMS)
    return actor.person


NOT_THEIRS = "Only they themselves, or an owner of the wiki, can change the handle of a person."
