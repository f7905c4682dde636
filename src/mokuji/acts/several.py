"""Several acts as one plan: each is planned upon what the ones before it make of the wiki; all are done, logged and
undone together."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Annotated, Any, Literal, Self, Union, cast

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.files_along import with_files
from mokuji.acts.pages import (
    add_alias,
    aliases,
    amend,
    delete,
    lead_to_section,
    link,
    link_addresses,
    link_from,
    merge,
    move,
    place,
    rename,
    retarget,
    section,
)
from mokuji.acts.request import Fields, FromForm, Request, as_lines, from_lines, request
from mokuji.acts.reuse import category, category_move, file
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Named, Phrase, as_data, counted, from_data, told
from mokuji.core.model.assets import Asset
from mokuji.core.model.policy import Permission
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.combining import Combining
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan
from mokuji.store.snapshot import StoredWiki

MOST = 200
"""Maximum number of acts in one plan."""
TOLD = 3
"""Number of acts that a note names."""
POSITIONED = (amend.ACT, lead_to_section.ACT, link.ACT)
"""Acts that name places by where they stand in a text as it is now. They are planned first, in this order."""
TOGETHER: tuple[Act[Any, Any], ...] = (
    *POSITIONED,
    link_addresses.ACT,
    link_from.ACT,
    retarget.ACT,
    add_alias.ACT,
    aliases.ACT,
    section.ACT,
    rename.ACT,
    merge.ACT,
    move.ACT,
    place.ACT,
    file.ACT,
    category.ACT,
    category_move.ACT,
    delete.ACT,
)
"""The acts that can stand in one plan with others: those that make no pages or volumes."""
_BY_REQUEST = {act.request: act for act in TOGETHER}

if TYPE_CHECKING:
    OneOfSeveral = Any
else:
    OneOfSeveral = Annotated[
        Union[tuple(act.request for act in TOGETHER)],  # noqa: UP007
        Field(discriminator="act"),
    ]


def _read(given: Fields) -> list[object]:
    return from_lines(given.get("do", ""))


def _write(acts: Sequence[Request]) -> Fields:
    return {"do": as_lines(acts)}


@request
class Several:
    """Do several acts in one, each upon what the ones before it make of the wiki."""

    volume: str
    acts: Annotated[
        tuple[OneOfSeveral, ...],
        Field(
            description="What is to be done, each as it could be asked for by itself",
            min_length=1,
            max_length=MOST,
        ),
        FromForm(_read, _write),
    ]
    act: Literal["several"] = Field(default="several", kw_only=True)


@dataclass(frozen=True, slots=True)
class DoneTogether(Facts):
    """Acts that were done in one: how many, and the first ones in words (phrases as plain data)."""

    number: int
    said: tuple[list[Any], ...]

    def seen(self, readable: Collection[int]) -> Self:
        said = tuple(as_data(told(from_data(each), readable)) for each in self.said)
        return cast(Self, DoneTogether(self.number, said))


@dataclass(frozen=True)
class Later(StoredContext):
    """What a plan may know of once the plans before it are done."""

    combining: Combining | None = None

    @cached_property
    def wiki(self) -> StoredWiki:
        assert self.combining is not None
        # Plans ask no more of it than the protocol says; what they take for the store's is that of before.
        return cast(StoredWiki, self.combining.wiki)

    def naming(self, asset: Asset) -> Sequence[int]:
        return self._with_changed(super().naming(asset))

    def naming_category(self, volume: Volume, key: str) -> Sequence[int]:
        return self._with_changed(super().naming_category(volume, key), volume.id)

    def saying(self, words: str) -> Sequence[int]:
        return self._with_changed(super().saying(words))

    def _with_changed(self, ids: Sequence[int], volume: int = 0) -> list[int]:
        """These pages, and those that the plans before changed, which the database cannot tell of."""
        assert self.combining is not None
        changed = (head for head in self.combining.changed if not volume or head.volume == volume)
        gone = self.combining.gone
        return sorted(({*ids} | {head.id for head in changed}) - gone)


def plan(context: StoredContext, request: Several) -> Plan:
    home = context.volume(request.volume)
    merging = {_BY_REQUEST[type(each)] is merge.ACT for each in request.acts}
    if len(merging) > 1:
        raise Refused(
            "What makes one page of two is planned with its like only. Plan that, and the rest when it is done.",
            code="not_together",
        )
    combining = Combining(context.wiki, "several")
    said: list[Phrase] = []
    changed_by: dict[int, Act[Any, Any]] = {}
    for act, asked in _in_order(request.acts):
        later = Later(context.connection, context.actor, context.shown, combining)
        made = with_files(later, act.plan(later, asked))
        if act in POSITIONED:
            _check_positions(act, made, changed_by)
        combining.add(made)
        changed_by |= {change.head.id: act for change in made.change_set.rewritten}
        said.append(_told_in(home, context, act, asked, made))
    return combining.plan(DoneTogether(len(said), tuple(as_data(each) for each in said[:TOLD])))


def _told_in(home: Volume, context: StoredContext, act: Act[Any, Any], asked: Request, made: Plan) -> Phrase:
    """What the log of a volume says of an act: of one that is about another volume what sort it is, and where. Its own
    words may name what only readers of that volume may know of."""
    volume = context.volume(asked.volume, Permission.READ)
    if volume.id == home.id:
        return act.note(made.facts)
    return (f"{act.done} in ", Named("volume", volume.id, volume.id, volume.title))


def _in_order(acts: Sequence[Request]) -> Iterator[tuple[Act[Any, Any], Request]]:
    """Each act with what it is asked, those first that name places by where they stand; what can be asked for at once
    is, and what is asked for twice is once."""
    asked: Mapping[Act[Any, Any], list[Request]] = {act: [] for act in POSITIONED}
    rest: list[tuple[Act[Any, Any], Request]] = []
    for each in dict.fromkeys(acts):
        act = _BY_REQUEST[type(each)]
        if act in POSITIONED:
            asked[act].append(each)
        else:
            rest.append((act, each))
    for act, requests in asked.items():
        together = act.together(requests) if requests and act.together is not None else requests
        yield from ((act, each) for each in together)
    yield from rest


def _check_positions(act: Act[Any, Any], made: Plan, changed_by: Mapping[int, Act[Any, Any]]) -> None:
    for change in made.change_set.rewritten:
        if change.own and changed_by.get(change.head.id, act) is not act:
            raise Refused(
                f"Two sorts of these change places of “{change.head.title}”. Plan one of the two, and the other "
                "when that is done.",
                code="not_together",
                named=[change.head.volume],
            )


def sentence(_: PlanView, __: Several, facts: DoneTogether) -> str:
    said = "; ".join(_words(each) for each in facts.said)
    more = f"; and {facts.number - len(facts.said)} more" if facts.number > len(facts.said) else ""
    return f"{counted(facts.number, 'act')} in one: {said}{more}."


def _words(data: list[Any]) -> str:
    return told(from_data(data)) or "a text amended"


def note(facts: DoneTogether) -> Phrase:
    parts: list[Any] = []
    for each in facts.said:
        phrase = from_data(each)
        parts += ["; " if parts else "", *((phrase,) if isinstance(phrase, str) else phrase)]
    more = facts.number - len(facts.said)
    return (*parts, f"; and {more} more" if more > 0 else "")


ACT = Act(
    Several,
    DoneTogether,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="Several acts in one",
    done="Several at once",
    button=lambda _, __, facts: "Do both" if facts.number == 2 else f"Do all {facts.number}",
    address="several",
    button_counts=False,
)
