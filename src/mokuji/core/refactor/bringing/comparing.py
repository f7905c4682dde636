"""What became of pages elsewhere, compared with what became of them here since they left.

Three ways, where it is known with what text and title a page left: what only one side changed is taken from that side,
what both changed is brought together, and where they clash somebody chooses. Without that knowledge a file is compared
with the page that has its title.
"""

from __future__ import annotations

import unicodedata
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal, Protocol

from mokuji.core.base import names
from mokuji.core.diff.line_ends import restore
from mokuji.core.diff.merge import Conflict, Mine, Part, merge3
from mokuji.core.language.page import Page, PageHead
from mokuji.core.refactor.bringing.carrying import Called, words_of
from mokuji.core.refactor.bringing.matching import Brought, Left, Matched, match

Side = Literal["folder", "wiki"]
SIDES: tuple[Side, ...] = ("folder", "wiki")
Kind = Literal["new", "changed", "renamed", "gone"]
Clash = Literal["", "text", "title", "both new", "gone here", "changed here"]
"""Why it is to be chosen: both changed the same lines, or the title; both wrote a page of this name; it was changed
there and is gone here, or is gone there and was changed here."""


class Here(Protocol):
    """The volume that pages come back to, as it is now."""

    @property
    def volume(self) -> int: ...

    @property
    def key(self) -> str:
        """The key of the volume."""
        ...

    def heads(self, pages: Collection[int]) -> Mapping[int, PageHead]:
        """Those of these pages that stand in the volume."""
        ...

    def called(self, keys: Collection[str]) -> Mapping[str, PageHead]:
        """The pages of the volume that have these keys."""
        ...

    def pages(self, pages: Collection[int]) -> Mapping[int, Page]:
        """Pages of the volume with their texts."""
        ...

    def texts_left(self, left: Collection[Left]) -> Mapping[int, str]:
        """The texts with which pages left, by page, as far as they are known."""
        ...


@dataclass(frozen=True, slots=True)
class Clashing:
    """A passage that both changed: as it was when the page left, as it is here, and as the folder has it."""

    base: str
    here: str
    there: str


@dataclass(frozen=True)
class Item:
    """What is to become of one page. ``id`` names it for a choice: the path of its file, or “page N” for one that has
    none. ``page`` is the page here, if there is one; ``text`` what it is to say. ``chosen`` is the side that counts
    (empty: not chosen yet); with “wiki” all stays here as it is. ``taken``: another page has its title, so that a new
    page does not come, and one that is here keeps the title it has."""

    id: str
    kind: Kind
    title: str
    page: PageHead | None = None
    file: Brought | None = None
    clash: Clash = ""
    chosen: Side | Literal[""] = "folder"
    text: str = ""
    passages: tuple[Clashing, ...] = ()
    taken: bool = False

    @property
    def done(self) -> bool:
        """Whether it comes into the wiki."""
        return self.chosen == "folder" and not (self.taken and self.page is None)

    @property
    def open(self) -> bool:
        """Whether somebody has to choose."""
        return not self.chosen

    @property
    def renamed(self) -> bool:
        """Whether the page gets another title."""
        return self.page is not None and self.kind != "gone" and self.title != self.page.title


@dataclass(frozen=True)
class Comparison:
    """What comes back to the volume ``key``. ``alike`` says how many files bring nothing, ``away`` how many of those
    are pages that are gone here; ``files`` are by path, ``heads`` the pages that left and are here."""

    key: str
    items: tuple[Item, ...]
    alike: int
    away: int
    matched: Matched
    files: Mapping[str, Brought]
    heads: Mapping[int, PageHead]

    @property
    def open(self) -> tuple[Item, ...]:
        """What somebody has to choose."""
        return tuple(item for item in self.items if item.open)

    @cached_property
    def finals(self) -> Mapping[str, str]:
        """By path the title that each file's page will have, of those that come or are here."""
        items = {item.file.path: item for item in self.items if item.file is not None}
        found: dict[str, str] = {}
        for path, entry in self.matched.pages.items():
            head = self.heads.get(entry.page)
            if head is not None and path not in items:
                found[path] = head.title
        for path, file in self.files.items():
            item = items.get(path)
            if item is None:
                found.setdefault(path, file.title)
            elif item.done:
                found[path] = item.title
            elif item.page is not None:
                found[path] = item.page.title
        return found

    @cached_property
    def called(self) -> Called:
        """What pages were called in the folder, or when they left, that will be called otherwise here."""
        titles: dict[str, tuple[str, str]] = {}
        own = {names.key(file.title) for file in self.files.values()}
        for path, final in self.finals.items():
            entry = self.matched.pages.get(path)
            then = self.files[path].title
            titles[names.key(then)] = (then, final)
            # A name that the folder has for a page of its own means that one.
            if entry is not None and names.key(entry.title) not in own:
                titles[names.key(entry.title)] = (entry.title, final)
        return Called(self.key, {k: pair for k, pair in titles.items() if k != names.key(pair[1])})


def compare(
    here: Here,
    brought: Sequence[Brought],
    left: Sequence[Left],
    choices: Mapping[str, Side],
    *,
    based: bool,
) -> Comparison:
    """Compares a folder's pages with a volume. ``left`` is how they left, ``based`` whether that is known at all;
    ``choices`` are what was chosen so far, by the ids of items."""
    matched = match(brought, left, here.texts_left)
    heads = here.heads({entry.page for entry in left})
    files = {
        file.path: _as_left(file, matched.pages[file.path]) if file.path in matched.pages else file
        for file in brought
    }
    changed = [
        (files[path], entry)
        for path, entry in matched.pages.items()
        if files[path].hash != entry.hash or files[path].title != entry.title
    ]
    gone = [entry for entry in matched.gone if entry.page in heads]
    texts_then = here.texts_left([*(entry for _, entry in changed), *gone])
    titles = here.called({names.key(file.title) for file in matched.new})
    own = {entry.page for entry in matched.pages.values()}
    twins = {file.path: titles.get(names.key(file.title)) for file in matched.new}
    twins = {path: head for path, head in twins.items() if head is not None and head.id not in own}
    now = here.pages(
        {
            *(entry.page for _, entry in changed if entry.page in heads),
            *(entry.page for entry in gone),
            *(head.id for head in twins.values() if head is not None),
        }
    )
    since = Called(here.key, _called_since(files, matched, heads))
    deciding = _Deciding(heads, now, texts_then, since, choices, based)
    items = [item for file, entry in changed if (item := deciding.of_known(file, entry)) is not None]
    for file in matched.new:
        head = twins.get(file.path)
        item = deciding.of_new(file, now.get(head.id) if head is not None else None)
        if item is not None:
            items.append(item)
    items += [deciding.of_gone(entry) for entry in gone]
    there = {entry.page for path, entry in matched.pages.items()} - heads.keys()
    changed_paths = {file.path for file, _ in changed}
    away = sum(1 for path, e in matched.pages.items() if e.page in there and path not in changed_paths)
    alike = len(brought) - sum(1 for item in items if item.file is not None)
    items = _without_taken(here, items)
    items.sort(key=lambda item: (not item.open, item.kind == "gone", names.key(item.title), item.id))
    return Comparison(here.key, tuple(items), alike, away, matched, files, heads)


def _as_left(file: Brought, entry: Left) -> Brought:
    """A file with the title that it left with, if it differs in how letters are put together only: some file systems
    write names in their own way."""
    if unicodedata.normalize("NFC", file.title) != unicodedata.normalize("NFC", entry.title):
        return file
    return replace(file, title=entry.title)


def _called_since(
    files: Mapping[str, Brought], matched: Matched, heads: Mapping[int, PageHead]
) -> dict[str, tuple[str, str]]:
    """What a folder calls pages that got another name here: by key, the title there and the one here."""
    found: dict[str, tuple[str, str]] = {}
    for path, entry in matched.pages.items():
        head, title = heads.get(entry.page), files[path].title
        if head is not None and title == entry.title and names.key(title) != head.key:
            found[names.key(title)] = (title, head.title)
    return found


@dataclass(frozen=True)
class _Deciding:
    heads: Mapping[int, PageHead]
    now: Mapping[int, Page]
    then: Mapping[int, str]
    since: Called
    choices: Mapping[str, Side]
    based: bool

    def _chosen(self, id_: str, otherwise: Side | Literal[""]) -> Side | Literal[""]:
        return self.choices.get(id_, otherwise)

    def of_known(self, file: Brought, entry: Left) -> Item | None:
        """A file that is a page, and that is not as it left. None if all it says is so here already."""
        then = self.then.get(entry.page)
        if then is not None:
            # Editors and tools may write line ends of another kind throughout.
            file = replace(file, text=restore(then, file.text))
        if file.title == entry.title and then == file.text:
            return None
        page = self.now.get(entry.page)
        if page is None:
            chosen = self._chosen(file.path, "")
            text = words_of(file.text, self.since)
            return Item(file.path, "new", file.title, None, file, "gone here", chosen, text)
        title, clash = self._title(file, entry, page.head)
        text, passages = self._text(file, page, then, file.path)
        if passages:
            clash = "text"
        if text == page.text and title == page.head.title and not clash:
            return None
        chosen = self._chosen(file.path, "" if clash else "folder")
        kind: Kind = "renamed" if title != page.head.title else "changed"
        return Item(file.path, kind, title, page.head, file, clash, chosen, text, passages)

    def _title(self, file: Brought, entry: Left, head: PageHead) -> tuple[str, Clash]:
        if file.title in {entry.title, head.title}:
            return head.title, ""
        return file.title, "" if head.title == entry.title else "title"

    def _text(
        self, file: Brought, page: Page, then: str | None, id_: str
    ) -> tuple[str, tuple[Clashing, ...]]:
        """The text that a page is to have, and where both changed the same."""
        if then is None:
            return words_of(file.text, self.since), ()
        # As pages are called here by now, so that a rename is no change of words.
        base, there = words_of(then, self.since), words_of(file.text, self.since)
        if then == file.text:
            return page.text, ()
        if then == page.text:
            return file.text, ()
        parts = merge3(base, page.text, there)
        clashing = tuple(_clashing(parts, page.text))
        side = self._chosen(id_, "wiki") if clashing else "folder"
        return "".join(_words(parts, page.text, side)), clashing

    def of_new(self, file: Brought, twin: Page | None) -> Item | None:
        """A file that is none of the pages that left; ``twin`` is a page here that has its title."""
        text = words_of(file.text, self.since)
        if twin is None:
            return Item(file.path, "new", file.title, None, file, "", self._chosen(file.path, "folder"), text)
        if twin.text == text:
            return None
        if not self.based:
            chosen = self._chosen(file.path, "folder")
            return Item(file.path, "changed", twin.head.title, twin.head, file, "", chosen, text)
        passages = (Clashing("", twin.text, text),)
        chosen = self._chosen(file.path, "")
        return Item(
            file.path, "changed", twin.head.title, twin.head, file, "both new", chosen, text, passages
        )

    def of_gone(self, entry: Left) -> Item:
        """A page that left, stands here, and has no file any more."""
        head, id_ = self.heads[entry.page], f"page {entry.page}"
        same = head.title == entry.title and head.revision == entry.revision
        if not same and entry.page in self.then and entry.page in self.now:
            # References that followed are no change of the page's own words.
            now = self.now[entry.page].text
            same = head.title == entry.title and words_of(self.then[entry.page], self.since) == now
        clash: Clash = "" if same else "changed here"
        return Item(id_, "gone", head.title, head, None, clash, self._chosen(id_, "folder" if same else ""))


def _clashing(parts: Sequence[Part], here: str) -> Iterator[Clashing]:
    for part in parts:
        if isinstance(part, Conflict):
            yield Clashing(part.base, part.mine.of(here), part.theirs)


def _words(parts: Sequence[Part], here: str, side: str) -> Iterator[str]:
    for part in parts:
        if isinstance(part, Mine):
            yield part.span.of(here)
        elif isinstance(part, Conflict):
            yield part.theirs if side == "folder" else part.mine.of(here)
        else:
            yield part.words


def _without_taken(here: Here, items: Sequence[Item]) -> list[Item]:
    """The items with those marked that cannot have their title, since another page has it: a new page does not come,
    one that is here keeps the title it has."""
    found = list(items)
    while True:
        coming = [item for item in found if item.done and item.kind != "gone"]
        leaving = {
            item.page.id
            for item in found
            if item.done and item.page is not None and (item.kind == "gone" or item.renamed)
        }
        wanted = Counter(names.key(item.title) for item in coming)
        holders = here.called(set(wanted))

        def is_free(item: Item) -> bool:
            key = names.key(item.title)
            holder = holders.get(key)  # noqa: B023 - asked in this round only
            own = item.page.id if item.page is not None else 0
            held = holder is not None and holder.id != own and holder.id not in leaving  # noqa: B023
            return not held and wanted[key] == 1  # noqa: B023

        losing = {item.id for item in coming if (item.page is None or item.renamed) and not is_free(item)}
        if not losing:
            return found
        found = [_lost(item) if item.id in losing else item for item in found]


def _lost(item: Item) -> Item:
    if item.page is None:
        return replace(item, taken=True)
    return replace(item, taken=True, title=item.page.title, kind="changed")
