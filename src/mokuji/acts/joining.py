"""Coming in by an invitation, and taking a role that was offered: what whoever made it gives, each role a change in the
log of its volume."""

from __future__ import annotations

from collections.abc import Iterable

from mokuji.acts import doing
from mokuji.acts.requests import GiveRole
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.volumes import role as role_act
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.model.policy import Actor, Role
from mokuji.core.model.wiki import Volume
from mokuji.services import audit, invitations, people, people_of_volumes
from mokuji.services.app_context import AppContext
from mokuji.services.devices import device_of
from mokuji.store import links, roles
from mokuji.store import people as stored
from mokuji.store.database import Connection, writing
from mokuji.store.log.change_sets import Signature


def come_in(app: AppContext, token: str, handle: str, name: str, password: str, agent: str = "") -> str:
    """Makes a person of whoever was invited, with the roles that they were invited for: the token of their session."""
    invitations.invited(app, token)
    hashed, device = people.checked(handle, name, password), device_of(agent)
    with writing(app.engine, alone=True) as connection:
        waiting = invitations.found(app, connection, token)
        given = invitations.still_given(connection, waiting)
        if not given or not links.take_away(connection, waiting.id):
            raise Missing(invitations.SPENT, code="link_spent")
        person = people.added(connection, handle, name, hashed)
        maker = stored.actor_by_id(connection, waiting.made_by)
        audit.record(connection, app.clock(), "came in", person, said=f"invited by @{maker.handle}")
        called = handle.strip().casefold()
        _give(app, connection, maker, person, called, ((each.volume, each.role) for each in given))
        return people.opened(app, connection, person, device)


def accept(app: AppContext, actor: Actor, number: int) -> str:
    """Takes a role that was offered: the key of its volume. Missing if it waits no longer, Refused if the actor is as
    much there already."""
    with writing(app.engine, alone=True) as connection:
        found = people_of_volumes.offer_to(connection, actor, number, app.clock())
        maker = stored.actor_by_id(connection, found.made_by)
        volumes = {volume.id: volume for volume in StoredContext(connection, maker).volumes.values()}
        volume = volumes.get(found.volume)
        assert actor.person is not None
        if volume is None or not invitations.may_give(connection, found.made_by, volume):
            raise Missing("Whoever offered this may give it no longer.", code="offer_missing")
        present = roles.one(connection, actor.handle, volume.id)
        if present is not None and present.role >= found.role:
            raise Refused(
                f"You are as much in “{volume.title}” already. Decline the offer.", code="nothing_to_do"
            )
        roles.answered(connection, number, actor.person)
        _give(app, connection, maker, actor.person, actor.handle, [(volume, found.role)])
        return volume.key


def _give(
    app: AppContext,
    connection: Connection,
    maker: Actor,
    person: int,
    handle: str,
    given: Iterable[tuple[Volume, Role]],
) -> None:
    """Does what the maker could do, in the name of who takes it."""
    for volume, role in given:
        context = StoredContext(connection, maker, shown=False)
        found = roles.one(connection, handle, volume.id)
        assert found is not None and found.id == person
        wanted = GiveRole(volume.key, handle, people_of_volumes.CALLED[role])  # type: ignore[arg-type]
        made = role_act.planned(context, volume, found, role)
        by = Signature(person, app.clock())
        doing.carry_out(context, wanted, made, by)
