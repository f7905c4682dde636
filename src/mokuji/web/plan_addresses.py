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


def plan_of(asked: Request, *, question: bool = False) -> str:
    """The address of a plan, or of its ``question``. ValueError for an act that has no page of its plan."""
    act = registry.act_of(asked)
    if not act.address:
        raise ValueError(f"The act “{act.name}” is done without a page of its plan.")
    answered = act.asked if act.asks(asked) and not question else ""
    subject = str(getattr(asked, _NAMED.get(act.about, ""), ""))
    of_volume = act.about is About.VOLUME or (act.for_volumes and not subject)
    fields = as_fields(asked, 2 if act.about in _NAMED else int(of_volume), answered)
    if question:
        fields.pop(act.asked, None)
    if of_volume:
        return addresses.volume(act.address, asked.volume, **fields)
    if act.about in {About.FILE, About.SOURCE, About.PERSON}:
        return addresses.plan_file(act.address, asked.volume, subject, **fields)
    if act.about in _NAMED:
        return addresses.plan(act.address, asked.volume, subject, **fields)
    if act.about is About.CHANGE:
        return addresses.change(int(getattr(asked, "change_set", 0)), act.address)
    return addresses.room(act.address, **fields)
