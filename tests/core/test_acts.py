"""What acts other than a rename change: the cases of tests/cases/acts.txt, before and after."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest

from mokuji.core.base.edits import apply
from mokuji.core.base.errors import MokujiError
from mokuji.core.base.spans import Span
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.aliases import set_aliases
from mokuji.core.refactor.plans.category import rename_category
from mokuji.core.refactor.plans.create import create
from mokuji.core.refactor.plans.delete import delete
from mokuji.core.refactor.plans.extract import Wanted, extract
from mokuji.core.refactor.plans.inline import inline, inline_everywhere
from mokuji.core.refactor.plans.join import join
from mokuji.core.refactor.plans.link import link_from
from mokuji.core.refactor.plans.merge import merge
from mokuji.core.refactor.plans.move import move_to_volume
from mokuji.core.refactor.plans.retarget import retarget
from mokuji.core.refactor.plans.save import save
from mokuji.core.refactor.plans.section import rename_section
from mokuji.core.refactor.plans.slot import give_value, rename_slot
from mokuji.core.refactor.plans.split import split
from mokuji.core.refactor.plans.volumes import create_volume, rename_volume, set_libraries
from tests.core.casebook import cases, outcome, parted


class Asked:
    """An act as the cases write it: ``verb what -> to, option``."""

    def __init__(self, wiki: MemoryWiki, act: str, verb: str) -> None:
        self.wiki = wiki
        self.what, _, rest = act.removeprefix(verb + " ").partition(" -> ")
        self.option = ""
        found = re.search(r", (insert|keep|before|no alias|words)\Z", rest or self.what)
        if found is not None:
            self.option = found[1]
            self.what, rest = self.what.removesuffix(found[0]), rest.removesuffix(found[0])
        self.to = rest.replace("⏎", "\n")
        self.number = 0
        numbered = re.search(r" (\d+)\Z", self.what)
        if numbered is not None:
            self.number = int(numbered[1]) - 1
            self.what = self.what.removesuffix(numbered[0])

    def volume(self, title: str) -> int:
        return next(each.id for each in self.wiki.volumes.values() if each.title == title)

    def place(self, named: str) -> tuple[int, str]:
        volume, _, title = named.partition("/")
        return self.volume(volume), title

    def page(self, named: str) -> int:
        volume, title = self.place(named)
        pages = self.wiki.pages_by_id.values()
        return next(p.head.id for p in pages if (p.head.volume, p.head.title) == (volume, title))


def _split(a: Asked) -> Plan:
    return split(a.wiki, a.page(a.what), a.number, a.to, leave="insert" if a.option == "insert" else "link")


def _merge(a: Asked) -> Plan:
    texts = a.option if a.option in {"keep", "before"} else "after"
    alias = a.option != "no alias"
    return merge(a.wiki, a.page(a.what), a.page(a.to), texts=texts, alias=alias)  # type: ignore[arg-type]


def _delete(a: Asked) -> Plan:
    if a.to:
        return delete(a.wiki, [a.page(a.what)], references="retarget", target=a.page(a.to))
    return delete(a.wiki, [a.page(a.what)], references="words" if a.option == "words" else "leave")


def _retarget(a: Asked) -> Plan:
    if a.what.startswith("/"):
        return retarget(a.wiki, (0, a.what[1:].lower()), a.page(a.to))
    volume, title = a.place(a.what)
    return retarget(a.wiki, (volume, title.lower()), a.page(a.to))


def _libraries(a: Asked) -> Plan:
    names = [] if a.to == "nothing" else [a.volume(a.to)]
    return set_libraries(a.wiki, a.volume(a.what), names)


def _category(a: Asked) -> Plan:
    volume, key = a.place(a.what)
    pages = [page.head.id for page in a.wiki.pages_by_id.values() if page.head.volume == volume]
    return rename_category(a.wiki, key, a.to, pages)


def _slot(a: Asked) -> Plan:
    page, _, slot = a.what.rpartition(" ")
    return rename_slot(a.wiki, a.page(page), slot, a.to)


def _value(a: Asked) -> Plan:
    page, _, slot = a.what.rpartition(" ")
    return give_value(a.wiki, a.page(page), slot, a.to)


def _inline(a: Asked) -> Plan:
    return inline(a.wiki, a.page(a.what), a.number)


def _everywhere(a: Asked) -> Plan:
    return inline_everywhere(a.wiki, a.page(a.what), trash=a.to == "trash")


def _extract(a: Asked) -> Plan:
    """``extract Page "the passage" -> Title; slot: words; rows`` (or ``page`` for one that is no template)."""
    named, passage = a.what.split(' "', 1)
    page = a.wiki.pages_by_id[a.page(named)]
    passage = passage.rstrip('"').replace("⏎", "\n")
    at = page.text.index(passage)
    title, *options = a.to.split("; ")
    slots = tuple(tuple(each.split(": ", 1)) for each in options if ": " in each)
    wanted = Wanted(title, "page" not in options, slots)  # type: ignore[arg-type]
    span, every = Span(at, at + len(passage)), list(a.wiki.pages_by_id)
    rows = extract(a.wiki, page.head.id, span, wanted, offer=every).rows if "rows" in options else ()
    return extract(a.wiki, page.head.id, span, wanted, rows=[row.id for row in rows], offer=every)


VERBS: dict[str, Callable[[Asked], Plan]] = {
    "split": _split,
    "join": lambda a: join(a.wiki, a.page(a.what), a.page(a.to)),
    "merge": _merge,
    "section": lambda a: rename_section(a.wiki, a.page(a.what), a.number, a.to),
    "retarget": _retarget,
    "delete": _delete,
    "move": lambda a: move_to_volume(a.wiki, [a.page(a.what)], a.volume(a.to)),
    "aliases": lambda a: set_aliases(a.wiki, a.page(a.what), a.to.split(", ")),
    "create": lambda a: create(a.wiki, *a.place(a.what)),
    "save": lambda a: save(a.wiki, a.page(a.what), a.to),
    "volume": lambda a: rename_volume(a.wiki, a.volume(a.what), a.to),
    "new volume": lambda a: create_volume(a.wiki, a.what),
    "libraries": _libraries,
    "category": _category,
    "slot": _slot,
    "extract": _extract,
    "inline": _inline,
    "inline everywhere": _everywhere,
    "value": _value,
    "link from": lambda a: link_from(a.wiki, a.page(a.what), a.page(a.to)),
}


@pytest.mark.parametrize(("said", "block"), cases("acts.txt"), ids=[case[0] for case in cases("acts.txt")])
def test_a_case_comes_out_as_it_says(said: str, block: str) -> None:
    act, wiki, expected = parted(block)
    verb = next(each for each in sorted(VERBS, key=len, reverse=True) if act.startswith(each + " "))
    try:
        plan = VERBS[verb](Asked(wiki, act, verb))
    except MokujiError as refusal:
        assert f"refused {refusal.code}" == expected, str(refusal)
        return
    assert outcome(wiki, plan) == expected, said
    for change in plan.change_set.changes:
        assert apply(change.before, change.edits) == change.after, "what is shown is what is done"
