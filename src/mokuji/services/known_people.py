"""Whom somebody knows: the people with whom they share a volume, and the owners of the wiki. Nobody else is shown to
them as one of the people."""

from __future__ import annotations

from collections.abc import Mapping

from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext
from mokuji.store import roles as stored
from mokuji.store.database import Connection, reading
from mokuji.store.roles import Member


def knows(connection: Connection, actor: Actor, found: Member | None) -> bool:
    """Whether somebody is shown to an actor as one of the people."""
    if actor.person is None:
        return False
    # Asked also of who is not there, so that it takes as long.
    shares = stored.share(connection, found.id if found is not None else 0, actor.person)
    if found is None:
        return False
    if actor.owns_wiki or found.id == actor.person or (found.owns_wiki and actor.belongs):
        return True
    return shares


def known_names(connection: Connection, actor: Actor) -> Mapping[str, str]:
    """What the people are called whom an actor knows, by handle; of those who left as well."""
    return stored.known_to(connection, actor) if actor.person is not None else {}


def shared(app: AppContext, actor: Actor) -> list[tuple[str, str]]:
    """Handles and names of the people whom an actor knows and who have not left."""
    if actor.person is None:
        return []
    with reading(app.engine) as connection:
        return stored.here_and_known_to(connection, actor)
