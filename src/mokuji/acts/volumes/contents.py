"""Write the contents of a volume, or of a branch of it, as a list."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import Field

from mokuji.acts.act import About, Act, Choices
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.language.scan import check_page
from mokuji.core.model.contents import Row, Take, branch_end, index_of
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.move import Reordered, reorder
from mokuji.formats.contents import read_contents

if TYPE_CHECKING:
    from mokuji.acts.stored_context import StoredContext

SHOWN_TITLES = 5


@request
class Contents:
    """Write the contents of a volume (or, with a page, of its branch) as a list of “- [[Title]]” lines."""

    volume: str
    text: str
    page: Annotated[str, Field(description="Key of the name that the branch has")] = ""
    act: Literal["contents"] = Field(default="contents", kw_only=True)


def plan(context: PlanningContext, request: Contents) -> Plan:
    volume = context.volume(request.volume)
    check_page(request.text)
    rows = context.contents(volume)
    listed, problems = read_contents(request.text, strict=True)
    if problems:
        raise Refused("The list cannot be read. " + " ".join(problems), code="contents_unreadable")
    wished = [Row.of(depth, title) for depth, title in listed]
    if request.page:
        wished = _in_branch(rows, names.key(request.page), wished)
    for row in wished:
        names.check_title(row.title)
    there = {head.key for head in context.wiki.titles([(volume.id, row.key) for row in rows]).values()}
    kept = {each.key for each in wished}
    unplaced = tuple(row.title for row in rows if row.key in there and row.key not in kept)
    head = context.page(request.volume, request.page) if request.page else None
    made = reorder(context.wiki, volume.id, rows, wished, head)
    return replace(made, facts=Reordered(len(made.change_set.contents), unplaced))


def _in_branch(rows: Sequence[Row], key: str, wished: Sequence[Row]) -> list[Row]:
    at = index_of(rows, key)
    if at is None or not wished or wished[0].key != key or any(row.depth == 0 for row in wished[1:]):
        raise Refused(
            "The list of a branch begins with the name that the branch has, and all others stand below it.",
            code="contents_branch",
        )
    depth = rows[at].depth
    inside = [Row(row.depth + depth, row.title, row.key) for row in wished]
    keys = {row.key for row in inside}
    outside = [row for row in [*rows[:at], *rows[branch_end(rows, at) :]] if row.key in keys]
    if outside:
        raise Refused(
            f"“{outside[0].title}” has its place in another branch. Move it there.", code="contents_branch"
        )
    return [*rows[:at], *inside, *rows[branch_end(rows, at) :]]


def sentence(view: PlanView, _: Any, facts: Facts) -> str:
    """What becomes of places; for every act that changes nothing but these."""
    contents = view.plan.contents if view.plan is not None else ()
    unplaced = facts.unplaced if isinstance(facts, Reordered) else ()
    taken = sum(isinstance(each, Take) for each in contents) - len(unplaced)
    rest = len(contents) - taken - len(unplaced)
    said = []
    if rest:
        said.append(f"{counted(rest, 'name')} {'gets' if rest == 1 else 'get'} another place")
    if taken:
        said.append(f"{counted(taken, 'unwritten name')} {'loses its' if taken == 1 else 'lose their'} place")
    if unplaced:
        named = ", ".join(f"“{each}”" for each in unplaced[:SHOWN_TITLES])
        more = f" and {len(unplaced) - SHOWN_TITLES} more" if len(unplaced) > SHOWN_TITLES else ""
        return f"{named}{more} will have no place in the contents: readers come there only by references." + (
            f" {' and '.join(said)}." if said else ""
        )
    return f"{' and '.join(said)} in the contents. No text changes, and no reference."


def note(_: Reordered) -> Phrase:
    return "Contents put in another order"


def choices(context: StoredContext, request: Contents, *_: Any) -> Choices:
    from mokuji.services.reading.reading import (
        contents_as_text,  # only on a database, and folders are to do without
    )

    return Choices(text=request.text or contents_as_text(context, request.volume, request.page))


ACT = Act(
    Contents,
    Reordered,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="Contents as text",
    done="Contents changed",
    button="Change the contents",
    menu="Contents as text",
    address="contents",
    asked="text",
    question="contents.html",
    hint="Change the list as you like: move lines, indent them, add names. The plan then shows what gets another "
    "place.",
    choices=choices,
)
