"""Bring pages back from the trash."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal

from pydantic import Field

from mokuji.acts.act import About, Act, Choices
from mokuji.acts.request import Fields, FromForm, request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import Missing
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.base.spans import Span
from mokuji.core.language.page import PageHead
from mokuji.core.model.contents import Placing, Put
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import restore as core
from mokuji.core.refactor.plans.restore import Restored, Trashed, returning
from mokuji.services.app_context import check
from mokuji.store.acts import acting, trash
from mokuji.store.log import history
from mokuji.store.places import placing

MOST_LOOKED_BACK = 100
"""Maximum number of former deletions that the places of what comes back are put in order with."""


def _pages(given: Fields) -> tuple[int, ...]:
    typed = given.get("page", "").split()
    return tuple(int(each) for each in typed if each.isascii() and each.isdecimal() and len(each) < 18)


def _titles(given: Fields) -> dict[int, str]:
    named = {name.removeprefix("title-"): value for name, value in given.items() if name.startswith("title-")}
    return {
        int(id_): value
        for id_, value in named.items()
        if id_.isascii() and id_.isdecimal() and len(id_) < 18 and value.strip()
    }


@request
class Restore:
    """Bring pages back from the trash."""

    pages: Annotated[
        tuple[int, ...],
        Field(description="Ids of pages, as the trash lists them"),
        FromForm(_pages, lambda ids: {"page": "\n".join(map(str, ids))}),
    ]
    titles: Annotated[
        Mapping[int, str],
        Field(description="Other titles for some of them, by id"),
        FromForm(_titles, lambda titles: {f"title-{id_}": title for id_, title in titles.items()}),
    ] = Field(default_factory=dict)
    volume: Annotated[str, Field(description="Key of the volume to show beside the plan")] = ""
    act: Literal["restore"] = Field(default="restore", kw_only=True)


def plan(context: StoredContext, request: Restore) -> Plan:
    readable = {each.id: each for each in context.volumes.values()}
    found = [each for each in trash.thrown(context.connection, request.pages) if each.head.volume in readable]
    if not found:
        raise Missing("There is nothing of this in the trash any more.", code="trash_missing")
    for each in found:
        check(context.actor, Permission.RENAME, readable[each.head.volume])
    captured: dict[int, tuple[int, frozenset[Span]]] = {}
    acts: dict[int, list[Put]] = {}
    for number in sorted({each.change_set for each in found}, reverse=True):
        act = history.act(context.connection, number, list(readable))
        captured |= acting.captured(act) if act else {}
        acts[number] = _puts(act)
    trashed = [
        Trashed(each.head, each.text, each.leads, each.change_set)
        for each in sorted(
            found, key=lambda each: (-each.change_set, _order(acts[each.change_set], each.head))
        )
    ]
    places = [
        placing
        for volume in sorted({trashed_page.head.volume for trashed_page in trashed})
        for placing in _places(context, request, volume, trashed, dict(acts))
    ]
    return core.restore(context.wiki, trashed, titles=request.titles, captured=captured, places=places)


def _places(
    context: StoredContext,
    request: Restore,
    volume: int,
    trashed: Sequence[Trashed],
    acts: dict[int, list[Put]],
) -> list[Placing]:
    """The places in a volume that pages get back."""
    here = [trashed_page for trashed_page in trashed if trashed_page.head.volume == volume]
    # What went before and is back has a place among those that come now, too.
    since = min(trashed_page.change_set for trashed_page in here)
    for former in history.deletions(context.connection, volume, before=since, most=MOST_LOOKED_BACK):
        acts.setdefault(former.id, _puts(former))
    puts = [put for number in sorted(acts, reverse=True) for put in acts[number] if put.volume == volume]
    # Pages that went with them and stay away: who has their names by now is somebody else.
    away = {
        each.head.key
        for number in {one.change_set for one in here}
        for each in trash.thrown_by(context.connection, number)
        if each.head.volume == volume and each.head.id not in request.pages
    }
    rows = placing.rows(context.connection, volume)
    return list(returning(rows, puts, here, titles=request.titles, away=away))


def _puts(act: history.LoggedAct | None) -> list[Put]:
    """The places that an act took, as those that would give them back, in that order."""
    data = act.detail.get("contents", ()) if act is not None else ()
    return [each for each in placing.from_data(data) if isinstance(each, Put)]


def _order(places: Sequence[Put], head: PageHead) -> int:
    own = (head.volume, head.key)
    return next((n for n, each in enumerate(places) if (each.volume, each.key) == own), len(places))


def sentence(_: PlanView, __: Restore, facts: Restored) -> str:
    return f"{counted(facts.pages, 'page')} {'comes' if facts.pages == 1 else 'come'} back."


def note(facts: Restored) -> Phrase:
    more = facts.pages - 1
    return f"“{facts.title}” restored" + (f" with {more} more" if more else "")


def button(_: PlanView, __: Restore, facts: Restored) -> str:
    return f"Restore {counted(facts.pages, 'page')}"


def choices(context: StoredContext, request: Restore, *_: Any) -> Choices:
    thrown = trash.thrown(context.connection, request.pages)
    return Choices(trashed={t.head.id: t.head.title for t in thrown if t.head.volume in context.reads})


ACT = Act(
    Restore,
    Restored,
    About.TRASH,
    plan,
    sentence,
    note,
    heading="Restore from the trash",
    done="Restored",
    button=button,
    address="restore",
    refused="restore_titles.html",
    choices=choices,
    button_counts=False,
    tells_places=False,
)
