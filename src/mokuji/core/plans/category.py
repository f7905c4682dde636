"""Category: a category of a volume gets another name, or becomes one with another; what is filed stays filed.

Front matter is edited where the name stands (comments, order and style stay),
marks in texts are spelt anew. Refused if marks use it and none can spell the
new name.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

from mokuji.core import names
from mokuji.core.categories import LISTS
from mokuji.core.edits import Edit
from mokuji.core.errors import Refused
from mokuji.core.following import Outcome
from mokuji.core.plan import Plan, make, need
from mokuji.core.text.front_edit import rename_in_list, set_names
from mokuji.core.text.marks import spelt
from mokuji.core.wiki import Page, Wiki


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
    facts = {"from": name or names.as_title(key), "to": title, "pages": len(edits), "marks": marks}
    return make(wiki, "category", None, Outcome(edits=edits), asked=(key, title), facts=facts)


def file_page(wiki: Wiki, page_id: int, categories: Sequence[str]) -> Plan:
    """The plan after which the front matter of a page names exactly these categories. BadName for one that cannot
    be a name."""
    page = need(wiki, page_id)
    named = [names.check_title(each, what="name of a category") for each in categories]
    wanted = list({names.key(each): each for each in named}.values())
    edits = set_names(page.text, "categories", wanted, page.head.title)
    outcome = Outcome(edits={page_id: edits} if edits else {})
    return make(wiki, "file", page.head, outcome, asked=wanted, facts={"categories": wanted})


def _edits(page: Page, key: str, title: str, mark: str | None) -> tuple[tuple[Edit, ...], int]:
    found: list[Edit] = []
    for field in LISTS.values():
        found += rename_in_list(page.text, field, key, title, page.head.title)
    used = [each for each in page.content.marks if each.key == key]
    if used and mark is None:
        raise Refused(
            f"“{page.head.title}” uses #{used[0].word} in its text, and no mark can be spelt “{title}”: a mark takes "
            "letters, digits, “-” and “_”, and begins with a letter. Choose another name.",
            code="mark_unspellable",
        )
    for each in used:
        assert mark is not None
        # Who writes marks without capitals goes on doing so.
        word = mark.lower() if each.word == each.word.lower() else mark
        if each.word != word:
            found.append(Edit(each.span, f"#{word}"))
    return tuple(sorted(found)), len(used)
