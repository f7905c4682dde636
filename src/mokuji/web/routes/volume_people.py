"""A volume as its owners run it: its settings, its people, what was offered to whom; and taking what was offered."""

from __future__ import annotations

from fastapi.responses import Response

from mokuji import routing
from mokuji.acts import joining
from mokuji.core.base.errors import BadName, BadRequest, Missing, Refused
from mokuji.services import people_of_volumes
from mokuji.services.invitations import GIVEN
from mokuji.services.reading import house_styles
from mokuji.web import addresses
from mokuji.web.pages import Form, Visitor, Who, see

router = routing.router()
DONE = frozenset({"offered", "withdrawn", "taken", "front"})
"""What can have been done a moment ago."""


@router.get("/-/settings/{volume}")
def show_settings(who: Who, volume: str, done: str = "") -> Response:
    """All that an owner of a volume may set, on one screen."""
    view = house_styles.open_style(who.app, who.actor, volume)
    # Its people are told to nobody else, and whoever may not see them sets nothing here.
    people = people_of_volumes.people_of(who.app, who.actor, volume)
    return who.page(
        "settings.html",
        place=people.place,
        people=people,
        style=view,
        done=done if done in DONE else "",
        lit="read",
    )


def _people(
    who: Visitor,
    volume: str,
    status: int = 200,
    *,
    wrong: str = "",
    typed: dict[str, str] | None = None,
    done: str = "",
) -> Response:
    view = people_of_volumes.people_of(who.app, who.actor, volume)
    return who.page(
        "volume_people.html",
        status,
        view=view,
        place=view.place,
        roles=list(GIVEN),
        called=people_of_volumes.CALLED,
        wrong=wrong,
        typed=typed or {},
        done=done,
        lit="read",
    )


@router.get("/-/volume-people/{volume}")
def show_people(who: Who, volume: str, done: str = "") -> Response:
    """The people of a volume, for these."""
    return _people(who, volume, done=done if done in DONE else "")


@router.post("/-/volume-people/{volume}/offers")
def offer(who: Who, form: Form, volume: str) -> Response:
    """Offers a role to whoever is called so, be it nobody."""
    try:
        people_of_volumes.offer(who.app, who.actor, volume, form.get("person", ""), form.get("role", ""))
    except (BadName, BadRequest, Refused) as fault:
        return _people(who, volume, 422, wrong=fault.message, typed=form)
    return see(addresses.volume_people(volume, done="offered"))


@router.post("/-/volume-people/{volume}/offers/{number}")
def withdraw(who: Who, form: Form, volume: str, number: int) -> Response:
    """Lets an offer hold no longer."""
    people_of_volumes.withdraw(who.app, who.actor, volume, number)
    return see(addresses.volume_people(volume, done="withdrawn"))


@router.post("/-/volume-people/{volume}/drafts/{number}")
def take_over(who: Who, form: Form, volume: str, number: int) -> Response:
    """Makes a draft one's own that somebody left behind, and opens it."""
    try:
        key = people_of_volumes.take_over(who.app, who.actor, volume, number)
    except Refused as fault:
        return _people(who, volume, 409, wrong=fault.message)
    return see(addresses.act("edit", volume, key))


@router.post("/-/offers/{number}")
def answer(who: Who, form: Form, number: int) -> Response:
    """Takes a role that is offered, or declines it."""
    if form.get("wish") == "decline":
        people_of_volumes.decline(who.app, who.actor, number)
        return see(addresses.at("/-/you") + "?done=declined#offers")
    try:
        return see(addresses.page(joining.accept(who.app, who.actor, number)))
    except (Missing, Refused):
        if not who.actor.signed_in:
            raise
        return see(addresses.at("/-/you") + "?done=not-taken#offers")
