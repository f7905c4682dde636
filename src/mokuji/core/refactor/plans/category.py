"""Category: a category of a volume gets another name, or becomes one with another; what is filed stays filed. Or it
moves below another one.

Front matter is edited where the name stands (comments, order and style stay),
marks in texts are spelt anew. Refused if marks use it and none can spell the
new name.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import Refused
from mokuji.core.edit.front_edit import rename_in_list, scalar, set_names
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.categories import LISTS
from mokuji.core.model.changes import Fate
from mokuji.core.model.contents import LAST, Put
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.composing import Words
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make, need
from mokuji.core.syntax.marks import spelt


@dataclass(frozen=True, slots=True)
class CategoryRenamed(Facts):
    """A category that has another name: how many pages were filed under it, by how many marks."""

    before: str
    after: str
    pages: int
    marks: int


@dataclass(frozen=True, slots=True)
class CategoryMoved(Facts):
    """A category that stands below others; none puts it at the top."""

    name: str
    under: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Filed(Facts):
    """The categories of a page."""

    categories: tuple[str, ...]


def rename_category(wiki: Wiki, key: str, title: str, pages: Collection[int], *, name: str = "") -> Plan:
    """The plan to call category ``key`` otherwise on these pages; ``name`` is how it is written now."""
    title = names.check_title(title, what="name of a category")
    mark = spelt(title)
    edits: dict[int, tuple[Edit, ...]] = {}
    marks = 0
    for id_, page in sorted(wiki.pages(pages).items()):
        made, number = _edits(page, key, title, mark)
        if made:
            edits[id_] = made
            marks += number
    facts = CategoryRenamed(name or names.as_title(key), title, len(edits), marks)
    return make(wiki, "category", None, Outcome(edits=edits), asked=(key, title), facts=facts)


def move_category(
    wiki: Wiki,
    volume: int,
    name: str,
    under: Sequence[str],
    broader: Mapping[str, Sequence[str]],
) -> Plan:
    """The plan after which the page of a category calls exactly these ones broader (none: it stands at the top). The
    page is written if there is none. ``broader`` are the broader ones of all categories, by key; Refused for one that
    would be broader than itself."""
    title = names.check_title(name, what="name of a category")
    wanted = list(
        {names.key(each): names.check_title(each, what="name of a category") for each in under}.values()
    )
    way = _way(names.key(title), [names.key(each) for each in wanted], broader)
    if way:
        said = " → ".join(f"“{names.as_title(each)}”" for each in way)
        raise Refused(
            f"“{title}” would be broader than itself: {said}. Move it elsewhere.",
            code="category_cycle",
            named=[volume],
        )
    place = (volume, names.key(title))
    head = wiki.titles([place]).get(place)
    facts = CategoryMoved(title, tuple(wanted))
    asked = (title, *wanted)
    if head is not None:
        page = need(wiki, head.id)
        edits = set_names(page.text, "broader", wanted, head.title)
        outcome = Outcome(edits={head.id: edits} if edits else {})
        return make(wiki, "category move", None, outcome, asked=asked, facts=facts)
    if not wanted:
        return make(wiki, "category move", None, Outcome(), asked=asked, facts=facts)
    new = PageHead(0, volume, names.key(title), title, 0)
    text = f"---\nbroader: [{', '.join(scalar(each) for each in wanted)}]\n---\n"
    outcome = Outcome(heads={0: new}, texts={0: [Words(text)]}, fates={0: Fate.MADE})
    placing = Put(volume, new.key, title, None, LAST, new_only=True)
    return make(wiki, "category move", None, outcome, asked=asked, contents=[placing], facts=facts)


def _way(key: str, wanted: Sequence[str], broader: Mapping[str, Sequence[str]]) -> list[str]:
    """The way from a category over broader ones back to it; empty if there is none."""
    ways = [[key, each] for each in wanted]
    seen: set[str] = set()
    while ways:
        way = ways.pop()
        if way[-1] == key:
            return way
        if way[-1] not in seen:
            seen.add(way[-1])
            ways += [[*way, each] for each in broader.get(way[-1], ())]
    return []


def file_page(wiki: Wiki, page_id: int, categories: Sequence[str]) -> Plan:
    """The plan after which the front matter of a page names exactly these categories. BadName for one that cannot
    be a name."""
    page = need(wiki, page_id)
    named = [names.check_title(category, what="name of a category") for category in categories]
    wanted = list({names.key(each): each for each in named}.values())
    edits = set_names(page.text, "categories", wanted, page.head.title)
    outcome = Outcome(edits={page_id: edits} if edits else {})
    return make(wiki, "file", page.head, outcome, asked=wanted, facts=Filed(tuple(wanted)))


def _edits(page: Page, key: str, title: str, mark: str | None) -> tuple[tuple[Edit, ...], int]:
    edits: list[Edit] = []
    for field in LISTS.values():
        edits += rename_in_list(page.text, field, key, title, page.head.title)
    used = [each for each in page.content.marks if each.key == key]
    if used and mark is None:
        raise Refused(
            f"“{page.head.title}” uses #{used[0].word} in its text, and no mark can be spelt “{title}”: a mark takes "
            "letters, digits, “-” and “_”, and begins with a letter. Choose another name.",
            code="mark_unspellable",
            named=[page.head.volume],
        )
    for each in used:
        assert mark is not None
        # Who writes marks without capitals goes on doing so.
        word = mark.lower() if each.word == each.word.lower() else mark
        if each.word != word:
            edits.append(Edit(each.span, f"#{word}"))
    return tuple(sorted(edits)), len(used)
