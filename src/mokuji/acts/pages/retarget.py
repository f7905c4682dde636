"""Lead references to a name, written or not, to another page."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.command import KEEP_WORDS, NOT_ASKED
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import READERS_SEE, Fields, FromForm, request
from mokuji.acts.view import PlanView
from mokuji.acts.words import references_said
from mokuji.core.base import names
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.base.spans import Span
from mokuji.core.model.policy import Permission
from mokuji.core.model.references import uses_of
from mokuji.core.refactor.engine.outcome import At
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import retarget as core
from mokuji.core.refactor.plans.retarget import Retargeted


@request
class Chosen:
    """A reference as a plan lists it."""

    page: int
    start: int
    end: int


def _chosen(given: Fields) -> tuple[Chosen, ...] | None:
    if "only" not in given:
        return None
    numbers = (each.split("-") for each in given["only"].splitlines())
    fit = (n for n in numbers if len(n) == 3 and "".join(n).isascii() and "".join(n).isdecimal())
    return tuple(Chosen(int(a), int(b), int(c)) for a, b, c in fit if max(map(len, (a, b, c))) < 18)


@request
class Retarget:
    """Lead references to a name (written or not) to another page."""

    volume: str
    page: str
    to: Annotated[str, Field(description="The page that references are to lead to")]
    present_words: Annotated[bool, READERS_SEE, KEEP_WORDS] = False
    only: Annotated[
        tuple[Chosen, ...] | None,
        Field(description="Only these references; all without it"),
        FromForm(
            _chosen,
            lambda only: {"only": "\n".join(f"{each.page}-{each.start}-{each.end}" for each in only)},
        ),
        NOT_ASKED,
    ] = None
    absolute: Annotated[
        bool,
        Field(description="The name is “Volume/Title”, typed with a volume in front that does not exist"),
        NOT_ASKED,
    ] = False
    act: Literal["retarget"] = Field(default="retarget", kw_only=True)


def plan(context: PlanningContext, request: Retarget) -> Plan:
    volume = context.volume(request.volume)
    target = context.page_named(request.to, request.volume, Permission.READ)
    only = (
        None
        if request.only is None
        else {(chosen.page, Span(chosen.start, chosen.end)) for chosen in request.only}
    )
    place = (volume.id, names.key(request.page))
    said = "" if request.absolute else context.name_typed(place, request.page.strip())
    if request.absolute:
        place, said, asking = _in_no_volume(context, request)
        only = asking if only is None else only & asking
    made = core.retarget(context.wiki, place, target.id, only=only, present_words=request.present_words)
    assert isinstance(made.facts, Retargeted)
    return replace(made, facts=replace(made.facts, name=names.as_title(said)))


def _in_no_volume(context: PlanningContext, request: Retarget) -> tuple[tuple[int, str], str, set[At]]:
    """The place of a name in a volume that is not there, how it is typed, and who asks for it, as the actor
    sees it: a closed volume looks like none, so only references that the actor can read are led elsewhere."""
    first, _, rest = request.page.strip().lstrip("/").partition("/")
    nowhere = (0, f"{names.key(first)}/{names.key(rest)}")
    asking: set[At] = set()
    said = ""
    for page, use in uses_of(context.readable_wiki, nowhere):
        asking.add((page.head.id, use.reference.span))
        said = said or names.unescape(use.reference.name_span.of(page.text)).strip().lstrip("/")
    closed = context.wiki.volumes.get(names.key(first))
    place = nowhere if closed is None else (closed.id, names.key(rest))
    return place, said or request.page.strip(), asking


def sentence(view: PlanView, _: Retarget, facts: Retargeted) -> str:
    return f"{references_said(view)} to “{facts.name}” will lead to {facts.target}."


def note(facts: Retargeted) -> Phrase:
    return (f"References to “{facts.name}” lead to ", facts.target)


def button(view: PlanView, _: Retarget, __: Retargeted) -> str:
    return f"Lead {counted(view.references, 'reference')} there"


ACT = Act(
    Retarget,
    Retargeted,
    About.NAME,
    plan,
    sentence,
    note,
    heading="Lead references elsewhere",
    done="References led elsewhere",
    button=button,
    address="retarget",
    asked="to",
    question="retarget.html",
    counts_references=False,
    button_counts=False,
    command="retarget",
)
