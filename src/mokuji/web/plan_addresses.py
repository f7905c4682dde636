"""Where the plan of a request is shown, whatever it is about."""

from __future__ import annotations

from collections.abc import Mapping

from mokuji.acts import registry
from mokuji.acts.act import About
from mokuji.acts.request import Request, as_fields
from mokuji.web import addresses

_NAMED: Mapping[About, str] = {
    About.PAGE: "page",
    About.NAME: "page",
    About.CATEGORY: "page",
    About.FILE: "file",
    About.SOURCE: "source",
    About.PERSON: "person",
}
"""The field of a request that says what its act is about."""


def plan_of(asked: Request) -> str:
    """The address of a plan. ValueError for an act that has no page of its plan."""
    act = registry.act_of(asked)
    if not act.address:
        raise ValueError(f"The act “{act.name}” is done without a page of its plan.")
    answered = act.asked if act.asks(asked) else ""
    if act.about in _NAMED:
        subject = str(getattr(asked, _NAMED[act.about]))
        if act.for_volumes and not subject:
            return addresses.volume(act.address, asked.volume, **as_fields(asked, 2, answered))
        if act.about in {About.FILE, About.SOURCE, About.PERSON}:
            return addresses.plan_file(act.address, asked.volume, subject, **as_fields(asked, 2, answered))
        return addresses.plan(act.address, asked.volume, subject, **as_fields(asked, 2, answered))
    if act.about is About.VOLUME:
        return addresses.volume(act.address, asked.volume, **as_fields(asked, 1, answered))
    if act.about is About.CHANGE:
        return addresses.change(int(getattr(asked, "change_set", 0)), act.address)
    return addresses.room(act.address, **as_fields(asked, 0, answered))
