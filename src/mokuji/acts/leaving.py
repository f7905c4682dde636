"""Leaving the wiki: a person is closed, never erased. Their sessions and keys end; volumes that they own alone get
another owner; what they began is listed for others."""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.acts import doing
from mokuji.acts.requests import GiveRole
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.volumes import role as role_act
from mokuji.core.base import names
from mokuji.core.base.errors import Refused
from mokuji.core.model.policy import Actor, PersonPermission, Role
from mokuji.core.model.wiki import Volume
from mokuji.services import audit, people
from mokuji.services.app_context import AppContext
from mokuji.services.known_people import knows
from mokuji.store import people as stored
from mokuji.store import program_keys, roles
from mokuji.store.database import Connection, reading, writing
from mokuji.store.index import tasks
from mokuji.store.log.change_sets import Signature
from mokuji.store.people import Account


@dataclass(frozen=True, slots=True)
class Leaving:
    """What becomes of a person's things once they leave. ``alone`` are the volumes that nobody else owns; tasks and
    drafts are those that others will find listed."""

    handle: str
    name: str
    own: bool
    volumes: int
    alone: tuple[Volume, ...]
    heirs: tuple[tuple[str, str], ...]
    tasks: int
    drafts: int
    sessions: int
    keys: int
    last_of_wiki: bool


def planned(app: AppContext, actor: Actor, handle: str) -> Leaving:
    """What leaving means for a person: oneself, or anybody for owners of the wiki."""
    now = app.clock()
    with reading(app.engine) as connection:
        account = people.concerned(connection, actor, PersonPermission.CLOSE, handle)
        theirs = StoredContext(connection, stored.actor_by_id(connection, account.id))
        inside = [volume.id for volume in theirs.volumes.values() if volume.id in theirs.actor.roles]
        known = roles.here_and_known_to(connection, actor)
        return Leaving(
            account.handle,
            account.name,
            account.id == actor.person,
            len(inside),
            tuple(volume for _, volume in sorted(_alone(connection, account).items())),
            tuple(each for each in known if each[0] != account.handle),
            tasks.count(connection, inside, tasks.Wanted(person=account.handle)),
            sum(roles.drafts_of(connection, account.id, volume) for volume in inside),
            len(stored.sessions_of(connection, account.id, now, now - people.IDLE_SESSION)),
            program_keys.number(connection, account.id, now),
            people.is_last_owner(connection, account),
        )


def _alone(connection: Connection, account: Account) -> dict[int, Volume]:
    every = {volume.id: volume for volume in StoredContext(connection, Actor()).wiki.volumes.values()}
    return {id_: every[id_] for id_ in roles.only_owned(connection, account.id) if id_ in every}


def close(app: AppContext, handle: str, *, actor: Actor | None = None, heir: str = "") -> None:
    """Lets somebody sign in no more; their sessions and keys end, what they wrote stays. ``heir`` is the handle of who
    owns the volumes that they own alone; without one the owner of the wiki who does it. Refused for the last owner of
    the wiki."""
    with writing(app.engine, alone=True) as connection:
        account = people.concerned(connection, actor, PersonPermission.CLOSE, handle)
        if people.is_last_owner(connection, account):
            raise Refused(
                f"“{account.handle}” is the last owner of the wiki. Give it to somebody else first.",
                code="last_owner",
            )
        alone = _alone(connection, account) if account.closed is None else {}
        if alone:
            _pass_on(app, connection, account, alone, _heir(connection, account, actor, heir), actor)
        stored.close(connection, account.id, app.clock())
        program_keys.end_all(connection, account.id)
        roles.forget_offers_to(connection, account.id)
        audit.record(connection, app.clock(), "person closed", actor, person=account.id)


def _heir(connection: Connection, account: Account, actor: Actor | None, typed: str) -> str | None:
    """Who owns the volumes then; None where whoever runs this machine names nobody, and nobody owns the wiki."""
    wanted = typed.strip().removeprefix("@").casefold()
    if not wanted and actor is not None and actor.person != account.id:
        return actor.handle
    if not wanted and actor is None:
        owners = [each for each in stored.owners_of_wiki(connection) if each != account.id]
        return stored.actor_by_id(connection, owners[0]).handle if owners else None
    found = roles.one(connection, wanted, 0) if names.is_storable(wanted) else None
    unknown = actor is not None and not knows(connection, actor, found)
    if found is None or unknown or found.closed or found.id == account.id:
        raise Refused(
            "Name somebody you share a volume with, who owns the volumes then that nobody else owns."
            if not wanted
            else f"Nobody with whom you share a volume is called “{wanted}”, so they cannot own these volumes.",
            code="heir_missing",
        )
    return wanted


def _pass_on(
    app: AppContext,
    connection: Connection,
    account: Account,
    volumes: dict[int, Volume],
    heir: str | None,
    actor: Actor | None,
) -> None:
    """Gives each volume another owner, as a change in its log; the one who leaves keeps the role that they had."""
    if heir is None:
        return
    owner = stored.actor_by_id(connection, account.id)
    for volume in volumes.values():
        context = StoredContext(connection, owner, shown=False)
        found = roles.one(connection, heir, volume.id)
        assert found is not None
        made = role_act.planned(context, volume, found, Role.OWNER)
        by = Signature(actor.person if actor is not None else None, app.clock())
        doing.carry_out(context, GiveRole(volume.key, heir, "owner"), made, by)
