"""Replace words in many pages: every place is shown before, single ones are left out, all of it is one act."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.command import NOT_ASKED, option
from mokuji.acts.context import PlanningContext
from mokuji.acts.pages.rename import Rename
from mokuji.acts.request import lines, request, ticked
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.edit.replacing import LONGEST, Replacement
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.replace import Replaced, replace_words

MOST_PAGES = 5_000
"""Maximum number of pages that are looked through at once."""
Place = Literal["text", "code", "title", "field", "value"]


@request
class Replace:
    """Replace words in the pages of a volume."""

    volume: str
    words: Annotated[str, Field(max_length=LONGEST, description="The words, or a pattern of RE2")]
    by: Annotated[
        str,
        Field(max_length=LONGEST, description="What is put in their place; empty takes them away"),
        option("by", help="What is put in their place; empty takes them away."),
    ] = ""
    places: Annotated[
        tuple[Place, ...],
        Field(description="Where: text (headings and labels too), code, titles, fields, values of slots"),
        lines("places"),
        option(
            "--where",
            help="Where, several times if need be: text, code, title, field, value. [default: text]",
        ),
    ] = ()
    pattern: Annotated[
        bool,
        Field(description="The words are a pattern of RE2; what is put in may say \\1 for its first group"),
        ticked("pattern"),
        option("--pattern", help="The words are a pattern of RE2."),
    ] = False
    inside: Annotated[
        bool,
        Field(description="Also inside longer words"),
        ticked("inside"),
        option("--inside", help="Also inside longer words."),
    ] = False
    exact: Annotated[
        bool,
        Field(description="Capitals must be as they are typed, and are put in so"),
        ticked("exact"),
        option("--exact", help="Capitals must be as they are typed."),
    ] = False
    find: Annotated[
        str, Field(max_length=500, description="Only on pages that this question finds"), NOT_ASKED
    ] = ""
    everywhere: Annotated[
        bool, Field(description="In all volumes that may be changed"), ticked("everywhere"), NOT_ASKED
    ] = False
    left: Annotated[
        tuple[str, ...],
        Field(description="Ids of the rows (of the plan) that stay as they are"),
        lines("left"),
        NOT_ASKED,
    ] = ()
    act: Literal["replace"] = Field(default="replace", kw_only=True)


def plan(context: PlanningContext, request: Replace) -> Plan:
    volume = context.volume(request.volume, Permission.RENAME)
    replacement = Replacement(
        request.words,
        request.by,
        pattern=request.pattern,
        whole=not (request.inside or request.pattern),
        exact=request.exact,
    )
    replacement.check()
    # A pattern may fit anything, so all pages are looked through.
    words = None if request.pattern else request.words
    pages = context.pages_with(None if request.everywhere else volume.id, words, MOST_PAGES + 1)
    if request.find:
        answering = set(context.answering(volume, request.find, everywhere=request.everywhere))
        pages = [page for page in pages if page in answering]
    if len(pages) > MOST_PAGES:
        raise Refused(
            f"More than {MOST_PAGES:,} pages would have to be looked through. Say by a question which ones are meant.",
            code="too_many",
        )
    try:
        return replace_words(context.wiki, pages, replacement, request.places or ("text",), left=request.left)
    except Refused as why:
        named = context.find(volume, names.key(request.words)) if why.code == "nothing_to_do" else None
        if named is None:
            raise
        raise Refused(
            f"These words stand nowhere else, but “{named.title}” is a page. If it is to be called otherwise, rename "
            "it: references to it follow.",
            code="names_a_page",
            named=[volume.id],
        ) from why


def instead(view: PlanView, request: Replace) -> tuple[str, Rename] | None:
    if view.refusal is None or view.refusal.code != "names_a_page" or not request.by.strip():
        return None
    return f"Rename it to “{request.by}” instead", Rename(
        request.volume, names.key(request.words), request.by
    )


def sentence(view: PlanView, request: Replace, facts: Replaced) -> str:
    by = f"become “{facts.by}”" if facts.by else "be taken away"
    said = f"“{facts.words}” will {by} in {counted(facts.places, 'place')} of {counted(facts.pages, 'page')}."
    if facts.left:
        said += f" {counted(facts.left, 'page')} {'is' if facts.left == 1 else 'are'} left out, for reasons told below."
    return said


def note(facts: Replaced) -> Phrase:
    if not facts.by:
        return f"“{facts.words}” taken away in {counted(facts.pages, 'page')}"
    return f"“{facts.words}” replaced by “{facts.by}” in {counted(facts.pages, 'page')}"


def button(_: PlanView, __: Replace, facts: Replaced) -> str:
    return f"Replace in {counted(facts.places, 'place')}"


ACT = Act(
    Replace,
    Replaced,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="Replace words",
    done="Words replaced",
    button=button,
    menu="Replace words…",
    address="replace",
    asked="words",
    question="replace.html",
    hint="Type the words and what stands in their place. The plan then shows every place, before anything does.",
    instead=instead,
    counts_references=False,
    button_counts=False,
    rows_heading="Every place",
    rows_left=True,
    command="replace",
)
