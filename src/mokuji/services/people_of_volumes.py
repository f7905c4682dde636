"""The people of a volume: who they are, what was offered to whom, and what those left behind who went."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from mokuji.core.base.errors import BadRequest, Forbidden, Missing, Refused
from mokuji.core.model.assets import check_name
from mokuji.core.model.policy import Actor, Permission, Role
from mokuji.core.model.wiki import Volume
from mokuji.services import audit, invitations
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.invitations import GIVEN, Pending
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store import roles as stored
from mokuji.store.database import Connection, reading, writing
from mokuji.store.index import tasks
from mokuji.store.roles import LeftDraft, Offer
from mokuji.store.roles import Member as Member
from mokuji.store.snapshot import load_volumes

OFFER_HOLDS = timedelta(days=30)
MOST_OFFERS = 200
"""Maximum number of offers of a volume that wait."""
CALLED = {Role.NOBODY: "nobody", Role.READER: "reader", Role.WRITER: "writer", Role.OWNER: "owner"}


@dataclass(frozen=True, slots=True)
class LeftTasks:
    """A handle that open tasks of a volume name, and that none of its people has; how many those are."""

    handle: str
    number: int


@dataclass(frozen=True, slots=True)
class PeopleOfVolume:
    """The people of a volume, as one of them sees them. ``own`` is what they are there themselves; what waits, and what
    was left behind, is for its owners."""

    place: VolumeView
    members: tuple[Member, ...]
    owners_of_wiki: tuple[Member, ...]
    own: Role
    may_change: bool
    offers: tuple[Offer, ...] = ()
    invitations: tuple[Pending, ...] = ()
    left_drafts: tuple[LeftDraft, ...] = ()
    left_tasks: tuple[LeftTasks, ...] = ()


MOST_TOLD = 500
"""Number of handles in tasks that are looked at."""


def people_of(app: AppContext, actor: Actor, volume_key: str) -> PeopleOfVolume:
    """The people of a volume; Forbidden for who is none of them, though they may read it."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        own = actor.role_in(volume.id)
        if own is Role.NOBODY:
            raise Forbidden(
                f"Who the people of “{volume.title}” are is shown to these only.",
                code="forbidden" if actor.signed_in else "sign_in",
            )
        members = tuple(stored.of_volume(connection, volume.id))
        owners = tuple(each for each in stored.owners_of_wiki(connection, volume.id) if not each.role)
        view = PeopleOfVolume(
            volume_view(context, volume),
            tuple(each for each in members if not each.closed),
            owners,
            own,
            may_change=own is Role.OWNER and not actor.program,
        )
        if own is not Role.OWNER:
            return view
        now = app.clock()
        waiting = invitations.pending_in(connection, actor, volume.id, now)
        here = {each.handle for each in (*view.members, *owners)}
        left = [
            LeftTasks(handle, number)
            for handle, number in tasks.named_in(connection, volume.id, MOST_TOLD)
            if handle not in here
        ]
        return PeopleOfVolume(
            view.place,
            view.members,
            owners,
            own,
            view.may_change,
            tuple(stored.offers_in(connection, [volume.id], now)),
            tuple(waiting),
            tuple(stored.left_drafts(connection, volume.id)),
            tuple(left),
        )


# ---- offers -----------------------------------------------------------------------------


def offer(app: AppContext, actor: Actor, volume_key: str, handle: str, role: str) -> datetime:
    """Offers a role to whoever is called so, with the same answer whether anybody is: until when it holds."""
    wanted = check_name("person", handle.strip().removeprefix("@"))
    given = GIVEN.get(role)
    if given is None:
        raise BadRequest(f"“{role}” is no role: {', '.join(GIVEN)} are.", code="bad_role")
    with writing(app.engine) as connection:
        volume = ReadContext(connection, actor).volume(volume_key, Permission.MANAGE)
        assert actor.person is not None
        now = app.clock()
        waiting = stored.offers_in(connection, [volume.id], now)
        if len(waiting) >= MOST_OFFERS:
            raise Refused(
                f"{MOST_OFFERS} offers of “{volume.title}” wait already. Withdraw some first.",
                code="many_offers",
            )
        expires = now + OFFER_HOLDS
        stored.offer_role(connection, volume.id, wanted, given, actor.person, now, expires)
        said = f"@{wanted}: {CALLED[given]}"
        audit.record(connection, now, "offer", actor, volume=volume.id, said=said)
        return expires


def withdraw(app: AppContext, actor: Actor, volume_key: str, number: int) -> None:
    """Lets an offer of a volume hold no longer; Missing for one that does not wait there."""
    with writing(app.engine) as connection:
        volume = ReadContext(connection, actor).volume(volume_key, Permission.MANAGE)
        waiting = {each.id: each for each in stored.offers_in(connection, [volume.id], app.clock())}
        if number not in waiting or not stored.take_back(connection, number, [volume.id]):
            raise Missing("This offer waits no longer.", code="offer_missing")
        said = f"@{waiting[number].handle}"
        audit.record(connection, app.clock(), "offer withdrawn", actor, volume=volume.id, said=said)


@dataclass(frozen=True, slots=True)
class Offered:
    """A role that somebody can take: what it is, in which volume, and who offers it."""

    id: int
    volume: Volume
    called: str
    by: str
    expires: datetime


def offered(app: AppContext, actor: Actor) -> list[Offered]:
    """What is offered to an actor by who may still give it."""
    if actor.person is None or actor.program:
        return []
    with reading(app.engine) as connection:
        volumes = {volume.id: volume for volume in load_volumes(connection).values()}
        return [
            Offered(each.id, volumes[each.volume], CALLED[each.role], each.by, each.expires)
            for each in stored.offers_to(connection, actor.person, app.clock())
            if each.volume in volumes and invitations.may_give(connection, each.made_by, volumes[each.volume])
        ]


def decline(app: AppContext, actor: Actor, number: int) -> None:
    """Lets a role that is offered be; Missing if there is no such offer."""
    with writing(app.engine) as connection:
        found = offer_to(connection, actor, number, app.clock())
        assert actor.person is not None
        stored.answered(connection, number, actor.person)
        # Whoever offered it is told no more than that it waits no longer: that somebody declined says that they are
        # there.
        audit.record(connection, app.clock(), "offer declined", actor, said=CALLED[found.role])


def offer_to(connection: Connection, actor: Actor, number: int, now: datetime) -> Offer:
    """An offer that an actor can take; Missing if there is none."""
    theirs = stored.offers_to(connection, actor.person, now) if actor.person and not actor.program else []
    found = next((each for each in theirs if each.id == number), None)
    if found is None:
        raise Missing("This offer waits no longer, or is not yours.", code="offer_missing")
    return found


# ---- what was left behind -----------------------------------------------------------------


def take_over(app: AppContext, actor: Actor, volume_key: str, draft: int) -> str:
    """Makes a draft one's own that somebody left behind who may write there no more: the key of its page. For owners of
    the volume."""
    with writing(app.engine) as connection:
        volume = ReadContext(connection, actor).volume(volume_key, Permission.MANAGE)
        assert actor.person is not None
        found = next((each for each in stored.left_drafts(connection, volume.id) if each.id == draft), None)
        if found is None:
            raise Missing("This draft is not there any more.", code="draft_missing")
        if not stored.take_over(connection, draft, actor.person):
            raise Refused(
                f"You have a draft of “{found.title}” of your own. Save or discard that first.",
                code="own_draft",
            )
        said = f"“{found.title}” of @{found.handle}"
        audit.record(connection, app.clock(), "draft taken over", actor, volume=volume.id, said=said)
        return found.key
