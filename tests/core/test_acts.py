"""What acts other than a rename change: the cases of tests/cases/acts.txt, before and after."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace

import pytest

from mokuji.acts import registry
from mokuji.core.base import names
from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.errors import MokujiError
from mokuji.core.base.spans import Span
from mokuji.core.edit.replacing import Replacement
from mokuji.core.model.assets import Asset, Sort
from mokuji.core.model.contents import Put, place
from mokuji.core.model.policy import Role
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.amending import amend
from mokuji.core.refactor.bringing.bring import bring
from mokuji.core.refactor.bringing.comparing import compare
from mokuji.core.refactor.combining import Combining
from mokuji.core.refactor.facts import NoFacts
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.aliases import set_aliases
from mokuji.core.refactor.plans.assets import change_asset, remove_asset
from mokuji.core.refactor.plans.category import file_page, move_category, rename_category
from mokuji.core.refactor.plans.create import create
from mokuji.core.refactor.plans.delete import delete
from mokuji.core.refactor.plans.extract import Wanted, extract
from mokuji.core.refactor.plans.inline import inline, inline_everywhere
from mokuji.core.refactor.plans.join import join
from mokuji.core.refactor.plans.link import Address, lead_to_section, link, link_addresses, link_from
from mokuji.core.refactor.plans.merge import merge
from mokuji.core.refactor.plans.move import move_to_volume, put, reorder
from mokuji.core.refactor.plans.rename import rename
from mokuji.core.refactor.plans.replace import replace_words
from mokuji.core.refactor.plans.restore import Trashed, restore
from mokuji.core.refactor.plans.retarget import retarget
from mokuji.core.refactor.plans.roles import Member, give_role
from mokuji.core.refactor.plans.save import save
from mokuji.core.refactor.plans.section import rename_section
from mokuji.core.refactor.plans.slot import give_value, rename_slot
from mokuji.core.refactor.plans.split import split
from mokuji.core.refactor.plans.undo import undo
from mokuji.core.refactor.plans.volumes import (
    create_volume,
    delete_volume,
    rename_volume,
    set_closed,
    set_language,
    set_libraries,
)
from tests.core.casebook import cases, outcome, parted
from tests.core.test_contents import listed, rows_of
from tests.properties.promises import applied, past_of
from tests.properties.test_bringing import Memory, as_file, as_left


class Asked:
    """An act as the cases write it: ``verb what -> to, option``."""

    def __init__(self, wiki: MemoryWiki, act: str, verb: str) -> None:
        self.wiki = wiki
        self.asked = act.removeprefix(verb + " ")
        self.what, _, rest = act.removeprefix(verb + " ").partition(" -> ")
        self.option = ""
        match = re.search(r", (insert|keep|before|no alias|words)\Z", rest or self.what)
        if match is not None:
            self.option = match[1]
            self.what, rest = self.what.removesuffix(match[0]), rest.removesuffix(match[0])
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
    slots = tuple(tuple(option.split(": ", 1)) for option in options if ": " in option)
    wanted = Wanted(title, "page" not in options, slots)  # type: ignore[arg-type]
    span, every = Span(at, at + len(passage)), list(a.wiki.pages_by_id)
    rows = extract(a.wiki, page.head.id, span, wanted, offer=every).rows if "rows" in options else ()
    return extract(a.wiki, page.head.id, span, wanted, rows=[row.id for row in rows], offer=every)


def _link(a: Asked) -> Plan:
    """``link "words" on Page -> Page``."""
    words, named = a.what.removeprefix('"').split('" on ')
    page = a.page(named)
    at = a.wiki.pages_by_id[page].text.index(words)
    return link(a.wiki, {page: [(Span(at, at + len(words)), a.page(a.to))]})


def _link_address(a: Asked) -> Plan:
    typed, named = a.what.removeprefix('"').split('" on ')
    page = a.page(named)
    at = a.wiki.pages_by_id[page].text.index(typed)
    words, _, rest = typed.removeprefix("[").partition("](")
    fragment = rest.rstrip(")").partition("#")[2]
    address = Address(Span(at, at + len(typed)), a.page(a.to), words, fragment)
    return link_addresses(a.wiki, page, [address])


def _category_move(a: Asked) -> Plan:
    volume, name = a.place(a.what)
    pages = [page for page in a.wiki.pages_by_id.values() if page.head.volume == volume]
    broader = {page.head.key: page.content.front_matter.names("broader") for page in pages}
    keys = {key: [names.key(each) for each in wider] for key, wider in broader.items()}
    return move_category(a.wiki, volume, name, a.to.split(", "), keys)


def _asset(sort: Sort, change: str) -> Callable[[Asked], Plan]:
    """``… what -> to``: another name, other content, or one that is named instead of it."""

    def plan(a: Asked) -> Plan:
        volume, _, name = a.what.rpartition("/")
        home = a.volume(volume) if volume else 0
        asset = Asset(sort, 1, home, name, "before")
        every = list(a.wiki.pages_by_id)
        if change == "delete":
            other = Asset(sort, 2, home, a.to)
            return remove_asset(a.wiki, f"{sort} delete", asset, every, instead=other)
        content = "after" if change == "other content" else None
        return change_asset(a.wiki, f"{sort} rename", asset, every, name=a.to, content=content)

    return plan


def _contents(a: Asked) -> Plan:
    """``… Volume: rows -> rows``, as “A(B C) D”."""
    volume, _, rows = a.what.partition(": ")
    return reorder(a.wiki, a.volume(volume), rows_of(rows), rows_of(a.to))


def _place(a: Asked) -> Plan:
    volume = a.volume(a.what.partition(": ")[0])
    title, _, sibling = a.to.partition(" behind ")
    return put(a.wiki, Put(volume, names.key(title), title, None, names.key(sibling)), None)


def _restore(a: Asked) -> Plan:
    """Deletes a page, and brings it back."""
    page = a.wiki.pages_by_id[a.page(a.what)]
    gone = delete(a.wiki, [page.head.id], references="leave")
    return restore(applied(a.wiki, gone), [Trashed(page.head, page.text, gone.change_set.removed[0].leads)])


def _undo(a: Asked) -> Plan:
    verb = next(each for each in VERBS if a.what.startswith(each))
    act = f"{a.what} -> {a.to}"
    done = VERBS[verb](Asked(a.wiki, act, verb))
    return undo(applied(a.wiki, done), past_of(a.wiki, done))


def _amend(a: Asked) -> Plan:
    """“words” on Page -> other words: the first place there."""
    words, named = a.what.removeprefix('"').split('" on ')
    start = a.wiki.pages_by_id[a.page(named)].text.index(words)
    return amend(a.wiki, {a.page(named): [Edit(Span(start, start + len(words)), a.to.replace("⏎", "\n"))]})


def _several(a: Asked) -> Plan:
    """Acts with “; and ” between, each upon those before."""
    combining = Combining(a.wiki, "several")
    for act in a.asked.split("; and "):
        verb = next(each for each in sorted(VERBS, key=len, reverse=True) if act.startswith(each + " "))
        now = combining.wiki.pages(list(a.wiki.pages_by_id))
        later = MemoryWiki(a.wiki.volumes.values(), now.values())
        combining.add(VERBS[verb](Asked(later, act, verb)))
    return combining.plan(NoFacts())


def _term(a: Asked) -> Plan:
    """``term Page -> other: words = other words``: a rename and its words, each upon the one before."""
    to, _, forms = a.to.partition(": ")
    combining = Combining(a.wiki, "term")
    combining.add(rename(a.wiki, a.page(a.what), to))
    for form in forms.split(", "):
        old, new = form.split(" = ")
        combining.add(
            replace_words(combining.wiki, list(a.wiki.pages_by_id), Replacement(old, new), ["text"])
        )
    return combining.plan(NoFacts())


def _replace(a: Asked) -> Plan:
    """``replace words in text, title -> other words``, on all pages."""
    words, _, kinds = a.what.rpartition(" in ")
    return replace_words(a.wiki, list(a.wiki.pages_by_id), Replacement(words, a.to), kinds.split(", "))


def _role(a: Asked) -> Plan:
    """``role Guide: wenna owner, jonas writer -> wenna nobody``; behind the last comma who owns the volume then."""
    volume, _, listed = a.what.partition(": ")
    given = (each.split(" ") for each in listed.split(", "))
    people = {
        handle: Member(n, handle, handle.title(), Role[role.upper()])
        for n, (handle, role) in enumerate(given, 1)
    }
    wish, _, heir = a.to.partition(", ")
    handle, role = wish.split(" ")
    return give_role(
        a.wiki,
        a.volume(volume),
        volume,
        people[handle],
        Role[role.upper()],
        owners=[each.id for each in people.values() if each.role is Role.OWNER],
        heir=people[heir] if heir else None,
    )


def _bring_back(a: Asked) -> Plan:
    """``bring back Volume: Title, Title -> Title, nothing``: what their files are called when they come back."""
    volume, _, listed = a.what.partition(": ")
    home = a.volume(volume)
    then = {page.head.id: page for page in a.wiki.pages_by_id.values() if page.head.volume == home}
    called = dict(zip(listed.split(", "), a.to.split(", "), strict=True))
    files = [
        replace(as_file(page), title=called.get(page.head.title, page.head.title))
        for page in then.values()
        if called.get(page.head.title) != "nothing"
    ]
    memory = Memory(a.wiki, {id_: page.text for id_, page in then.items()}, home)
    found = compare(memory, files, [as_left(page) for page in then.values()], {}, based=True)
    return bring(a.wiki, home, found, folder="folder")


VERBS: dict[str, Callable[[Asked], Plan]] = {
    "split": _split,
    "join": lambda a: join(a.wiki, a.page(a.what), a.page(a.to)),
    "merge": _merge,
    "replace": _replace,
    "term": _term,
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
    "link": _link,
    "link address": _link_address,
    "lead to section": lambda a: lead_to_section(a.wiki, a.page(a.what), a.number, a.to),
    "add alias": lambda a: set_aliases(
        a.wiki,
        a.page(a.to),
        [*a.wiki.pages_by_id[a.page(a.to)].content.front_matter.names("aliases"), a.place(a.what)[1]],
    ),
    "category move": _category_move,
    "file": lambda a: file_page(a.wiki, a.page(a.what), a.to.split(", ")),
    "restore": _restore,
    "file rename": _asset("file", "rename"),
    "file replace": _asset("file", "other content"),
    "file delete": _asset("file", "delete"),
    "source rename": _asset("source", "rename"),
    "source edit": _asset("source", "other content"),
    "source delete": _asset("source", "delete"),
    "person rename": _asset("person", "rename"),
    "contents": _contents,
    "outline": _contents,
    "place": _place,
    "bring back": _bring_back,
    "language": lambda a: set_language(a.wiki, a.volume(a.what), a.to),
    "access": lambda a: set_closed(a.wiki, a.volume(a.what), closed=a.to == "its people"),
    "role": _role,
    "delete volume": lambda a: delete_volume(
        a.wiki, a.volume(a.what), sorted(a.wiki.standing_in(a.volume(a.what)))
    ),
    "undo": _undo,
    "rename": lambda a: rename(a.wiki, a.page(a.what), a.to),
    "amend": _amend,
    "several": _several,
}


ABOUT_CONTENTS = {"contents", "outline", "place"}
CALLED = {
    "new volume": "create volume",
    "volume": "rename volume",
    "link address": "link addresses",
    "save": "edit",
    "value": "slot value",
}
"""How the cases call acts that the registry calls otherwise."""


def test_every_act_of_the_registry_has_a_case() -> None:
    verbs = sorted(VERBS, key=len, reverse=True)
    acts = [block.partition("\n")[0] for _, block in cases("acts.txt")]
    tried = {next(verb for verb in verbs if act.startswith(f"{verb} ")) for act in acts}
    named = {CALLED.get(each, each) for each in tried} | {"rename"}  # renames have a file of their own
    assert {act.name for act in registry.ACTS} - named == set()


@pytest.mark.parametrize(("said", "block"), cases("acts.txt"), ids=[case[0] for case in cases("acts.txt")])
def test_a_case_comes_out_as_it_says(said: str, block: str) -> None:
    act, wiki, expected = parted(block)
    verb = next(each for each in sorted(VERBS, key=len, reverse=True) if act.startswith(each + " "))
    try:
        plan = VERBS[verb](Asked(wiki, act, verb))
    except MokujiError as refusal:
        assert f"refused {refusal.code}" == expected, str(refusal)
        return
    told = outcome(wiki, plan)
    if verb in ABOUT_CONTENTS:
        rows, placings = rows_of(act.partition(": ")[2].partition(" -> ")[0]), plan.change_set.contents
        told += f"contents {listed(place(rows, placings)[0])}"
    if verb == "language":
        told += "".join(
            f"language {volume.after.title}: {volume.after.language}"
            for volume in plan.change_set.volumes
            if volume.after
        )
    if verb == "access":
        told += "".join(
            f"{volume.after.title}: {'its people' if volume.after.closed else 'everybody'}"
            for volume in plan.change_set.volumes
            if volume.after
        )
    if verb == "role":
        told += "\n".join(
            f"{each.handle}: {each.before.name.lower()} -> {each.after.name.lower()}"
            for each in plan.change_set.roles
        )
    assert told == expected, said
    for change in plan.change_set.changes:
        assert apply(change.before, change.edits) == change.after, "what is shown is what is done"
