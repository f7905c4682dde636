"""Put names to be written into the contents, as an outline that was typed or pasted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.language.scan import check_page
from mokuji.core.model.contents import Row, branch_end, index_of
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.move import Outlined, reorder
from mokuji.formats.contents import read_outline

MOST_NAMES = 1_000
"""Maximum number of names of an outline."""
TOLD_PROBLEMS = 5


@request
class Outline:
    """Put names to be written into the contents: one a line, indented; list marks, numbers and headings may stand."""

    volume: str
    text: str
    under: Annotated[
        str, Field(description="Key of the name that they go below; empty: the volume itself")
    ] = ""
    act: Literal["outline"] = Field(default="outline", kw_only=True)


def plan(context: PlanningContext, request: Outline) -> Plan:
    volume = context.volume(request.volume)
    check_page(request.text)
    rows = context.contents(volume)
    listed, problems = read_outline(request.text)
    if problems:
        raise Refused(
            "The outline cannot be read. " + " ".join(problems[:TOLD_PROBLEMS]), code="outline_unreadable"
        )
    if len(listed) > MOST_NAMES:
        raise Refused(
            f"The outline has {len(listed):,} names; {MOST_NAMES:,} at once are the most. Take it in parts.",
            code="outline_large",
        )
    placed = {row.key for row in rows}
    new = [row for row in listed if row.key not in placed]
    if not new:
        raise Refused(
            "Type the names of pages, one a line; all of these have a place already."
            if listed
            else "Type the names of pages, one a line.",
            code="nothing_to_do",
        )
    wished = _with_outline(rows, listed, names.key(request.under))
    made = reorder(context.wiki, volume.id, rows, wished, act="outline")
    written = context.wiki.titles([(volume.id, row.key) for row in new])
    return replace(made, facts=Outlined(len(new), len(written), len(listed) - len(new)))


def _with_outline(rows: Sequence[Row], listed: Sequence[Row], under: str) -> list[Row]:
    """The contents with an outline in it. What stands in the outline below a name that has a place already goes below
    that one, wherever it is."""
    wished = list(rows)
    if under and index_of(wished, under) is None:
        raise Missing(f"“{names.as_title(under)}” has no place in the contents.", code="place_missing")
    above: list[str] = []
    for row in listed:
        del above[row.depth :]
        if index_of(wished, row.key) is None:
            parent = above[-1] if above else under
            at = index_of(wished, parent) if parent else None
            depth = wished[at].depth + 1 if at is not None else 0
            place = branch_end(wished, at) if at is not None else len(wished)
            wished.insert(place, Row(depth, row.title, row.key))
        above.append(row.key)
    return wished


def sentence(_: PlanView, __: Outline, facts: Outlined) -> str:
    placed, written, had = facts.placed, facts.written, facts.had
    said = f"{counted(placed, 'name')} {'gets' if placed == 1 else 'get'} a place in the contents"
    if written:
        said += f", {written} of {'them' if placed > 1 else 'it'} written already"
    if had:
        said += (
            f"; {had} {'has a place already and keeps' if had == 1 else 'have a place already and keep'} it"
        )
    return f"{said}. No text changes."


def note(facts: Outlined) -> Phrase:
    return f"Outline of {facts.placed} names"


ACT = Act(
    Outline,
    Outlined,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="Paste an outline",
    done="Outline put into the contents",
    button="Put the outline in",
    menu="Paste an outline",
    address="outline",
    asked="text",
    question="outline.html",
    hint="Each name becomes a place in the contents, to be written when you come to it. Names that have a place keep "
    "it.",
)
