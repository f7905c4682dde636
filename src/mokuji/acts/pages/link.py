"""Make references of words that name pages."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.request import Fields, FromForm, chosen, request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import link as core
from mokuji.core.refactor.plans.link import Linked
from mokuji.core.reports.bare_mentions import Finder, Mention
from mokuji.store.index import search, volume_pages


@request
class Mark:
    """A mention as the report lists it, and the page that it names."""

    page: int
    start: int
    end: int
    target: int


def _marks(given: Fields) -> tuple[Mark, ...] | None:
    if "only" not in given:
        return None
    numbers = (each.split("-") for each in given["only"].splitlines())
    fit = (
        n for n in numbers if len(n) == 4 and all(x.isascii() and x.isdecimal() and len(x) < 18 for x in n)
    )
    return tuple(Mark(int(a), int(b), int(c), int(d)) for a, b, c, d in fit)


@request
class Link:
    """Make references of words that name pages: of the marked ones, or of those that name one page."""

    volume: str
    page: Annotated[str, Field(description="The page that is named; empty with “only”")] = ""
    only: Annotated[
        tuple[Mark, ...] | None,
        Field(description="Only these mentions"),
        FromForm(
            _marks,
            lambda only: {
                "only": "\n".join(f"{each.page}-{each.start}-{each.end}-{each.target}" for each in only)
            },
        ),
    ] = None
    first: Annotated[
        bool, Field(description="Only the first on each page"), chosen("which", "first", "all")
    ] = False
    act: Literal["link"] = Field(default="link", kw_only=True)


def plan(context: StoredContext, request: Link) -> Plan:
    volume = context.volume(request.volume, Permission.WRITE)
    found: dict[int, list[tuple[Span, int]]] = {}
    if request.only is not None:
        known = context.wiki.pages({id_ for mark in request.only for id_ in (mark.page, mark.target)})
        for mark in request.only:
            span, page, target = Span(mark.start, mark.end), known.get(mark.page), known.get(mark.target)
            may = page is not None and context.may_write(page.head.volume)
            if may and page is not None and target is not None and target.head.volume in context.reads:
                _check_says(page, span, target)
                found.setdefault(mark.page, []).append((span, mark.target))
    else:
        head = context.page(request.volume, request.page, Permission.WRITE)
        for mention in _mentions(context, volume.id, head):
            if not (request.first and mention.page in found):
                found.setdefault(mention.page, []).append((mention.span, head.id))
    if not found:
        raise Refused(
            "There is nothing to link: no page says the name without referring.", code="nothing_to_do"
        )
    return core.link(context.wiki, found)


def _check_says(page: Page, span: Span, target: Page) -> None:
    """Refused if these words do not name the page any more: the text or the name has changed since they were listed."""
    if names.key(span.of(page.text)) not in {target.head.key, *target.alias_keys}:
        raise Refused(
            f"“{page.head.title}” was changed meanwhile, or “{target.head.title}” is called otherwise now. "
            "Look at the list again.",
            code="plan_stale",
        )


def _mentions(context: StoredContext, volume: int, head: PageHead) -> Iterator[Mention]:
    """Where the pages of a volume say the name of a page (its title or an alias), and no longer name."""
    known = volume_pages.page_names(context.connection, volume)
    own = [key for key, page in known.items() if page == head.id]
    finder = Finder(known)
    ids = {id_ for key in own for id_ in search.saying(context.connection, key, [volume], 10**6)}
    pages = (Page(page.head, page.text) for _, page in sorted(context.wiki.pages(ids).items()))
    for _, found in finder.on_each(pages):
        yield from (each for each in found if each.target == head.id)


def together(requests: Sequence[Link]) -> list[Link]:
    """One request for all marked mentions, and those that mark none."""
    marks = tuple(mark for each in requests for mark in each.only or ())
    others = [each for each in requests if each.only is None]
    return [Link(requests[0].volume, only=marks), *others] if marks else others


def sentence(_: PlanView, __: Link, facts: Linked) -> str:
    return f"{counted(facts.links, 'mention')} will be linked. Readers go on seeing the same words."


def note(facts: Linked) -> Phrase:
    return ("Mentions of ", facts.target or counted(facts.pages, "page"), " linked")


def button(_: PlanView, __: Link, facts: Linked) -> str:
    return f"Link {counted(facts.links, 'place')}"


ACT = Act(
    Link,
    Linked,
    About.NAME,
    plan,
    sentence,
    note,
    heading=lambda asked: "Link the mentions of this page" if asked.page else "Link marked mentions",
    done="Linked",
    button=button,
    address="link",
    asked="which",
    question="link.html",
    for_volumes=True,
    together=together,
)
