"""The contents of a volume that was sorted elsewhere, and maybe here as well, brought together.

A row is taken for the page that it names, whatever that is called on either side by now.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.diff.merge import Conflict, Mine, merge3
from mokuji.core.model.contents import Placing, Rekey, Row, Take, place, rearrange
from mokuji.core.refactor.bringing.comparing import Comparison, Side

Titles = Sequence[tuple[int, str]]
"""Rows of contents as depth, from 0, and title."""


@dataclass(frozen=True, slots=True)
class Order:
    """What becomes of places. ``clash``: both sides changed the order of the same places, so one of them counts;
    ``chosen`` says which (empty: not chosen, and the one here stays)."""

    placings: tuple[Placing, ...]
    clash: bool = False
    chosen: str = ""


@dataclass(frozen=True, slots=True)
class _Row:
    depth: int
    token: str
    title: str

    def line(self) -> str:
        return f"{self.depth} {self.token}\n"


def brought_order(
    volume: int,
    comparison: Comparison,
    rows: Sequence[Row],
    pages_here: Mapping[str, int],
    listed: Titles | None,
    left: Titles | None,
    chosen: Side | None,
) -> Order:
    """The placings that bring a folder's order into contents, ``rows``; ``pages_here`` are pages by key. ``listed`` is
    what the folder lists (None: it has no list), ``left`` what it listed when it left (None: not known)."""
    now = [_Row(row.depth, _token(pages_here.get(row.key), row.key), row.title) for row in rows]
    clash = False
    wished = now
    if listed is not None:
        there = list(_read(listed, comparison, then=False))
        base = list(_read(left, comparison, then=True)) if left is not None else now
        wished, clash = _merged(base, now, there, chosen)
    titles = {entry.token: entry.title for entry in (*(there if listed is not None else ()), *now)}
    finals = dict(_finals(comparison, pages_here))
    here = {entry.token for entry in now}
    kept = _kept(comparison, wished, finals, here)
    made = [Row.of(depth, finals.get(token, titles.get(token, token))) for depth, token in kept]
    made = _once(made)
    made += _behind(comparison, made)
    return Order(tuple(_placings(volume, comparison, rows, made)), clash, chosen or "")


def _token(page: int | None, key: str) -> str:
    return f"p{page}" if page is not None else f"n{key}"


def _read(titles: Titles, comparison: Comparison, *, then: bool) -> Iterator[_Row]:
    """A folder's list, or the one that it left with (``then``)."""
    by_key: dict[str, str] = {}
    for path, entry in comparison.matched.pages.items():
        by_key[names.key(entry.title)] = _token(entry.page, "")
        if not then:
            by_key[names.key(comparison.files[path].title)] = _token(entry.page, "")
    for entry in comparison.matched.gone:
        by_key.setdefault(names.key(entry.title), _token(entry.page, ""))
    if not then:
        # A name that the folder has for a page of its own means that one.
        for path, file in comparison.files.items():
            known = comparison.matched.pages.get(path)
            by_key[names.key(file.title)] = _token(known.page, "") if known else f"f{path}"
        for item in comparison.items:
            if item.file is not None and item.page is not None:
                by_key[names.key(item.file.title)] = _token(item.page.id, "")
    for depth, title in titles:
        key = names.key(title)
        yield _Row(depth, by_key.get(key, f"n{key}"), title)


def _merged(
    base: Sequence[_Row], now: Sequence[_Row], there: Sequence[_Row], chosen: Side | None
) -> tuple[list[_Row], bool]:
    if [entry.line() for entry in there] == [entry.line() for entry in base]:
        return list(now), False
    texts = ["".join(entry.line() for entry in rows) for rows in (base, now, there)]
    parts = merge3(*texts, whole_lines=True)
    if not any(isinstance(part, Conflict) for part in parts):
        lines = "".join(
            part.span.of(texts[1]) if isinstance(part, Mine) else getattr(part, "words", "") for part in parts
        ).splitlines()
        found = [_Row(int(depth), token, "") for depth, token in (line.split(" ", 1) for line in lines)]
        if len({entry.token for entry in found}) == len(found):
            return found, False
    if chosen != "folder":
        return list(now), True
    # What stands here and the folder never knew of keeps a place.
    known = {entry.token for entry in (*base, *there)}
    return [*there, *(_Row(0, entry.token, entry.title) for entry in now if entry.token not in known)], True


def _finals(comparison: Comparison, pages_here: Mapping[str, int]) -> Iterator[tuple[str, str]]:
    """What pages will be called, by what stands for them."""
    for path, title in comparison.finals.items():
        entry = comparison.matched.pages.get(path)
        yield (_token(entry.page, "") if entry is not None else f"f{path}"), title
    for item in comparison.items:
        if item.page is not None:
            yield _token(item.page.id, ""), item.title if item.done else item.page.title
        elif item.file is not None and item.done:
            known = comparison.matched.pages.get(item.file.path)
            yield (_token(known.page, "") if known is not None else f"f{item.file.path}"), item.title


def _kept(
    comparison: Comparison, wished: Sequence[_Row], finals: Mapping[str, str], here: set[str]
) -> list[tuple[int, str]]:
    """The rows without pages that go, or that are not here; what stands below those moves up."""
    going = {
        _token(item.page.id, "")
        for item in comparison.items
        if item.kind == "gone" and item.done and item.page is not None
    }

    def drops(token: str) -> bool:
        if token in going:
            return True
        return token[0] != "n" and token not in finals and token not in here

    rows = [Row(entry.depth, entry.token, entry.token) for entry in wished]
    takes = [Take(0, row.key) for row in reversed(rows) if drops(row.key)]
    found, _ = place(rows, takes)
    return [(row.depth, row.key) for row in found]


def _once(rows: Sequence[Row]) -> list[Row]:
    """Rows of which each name has one, the first; those below another one stand where that stood."""
    found: list[Row] = []
    seen: set[str] = set()
    for row in rows:
        if row.key and row.key not in seen:
            seen.add(row.key)
            found.append(row)
    return found


def _behind(comparison: Comparison, rows: Sequence[Row]) -> list[Row]:
    """New pages that have no place, behind all others."""
    placed = {row.key for row in rows}
    new = [item for item in comparison.items if item.done and item.page is None and item.kind != "gone"]
    found = [Row.of(0, item.title) for item in new]
    return sorted((row for row in found if row.key not in placed), key=lambda row: row.key)


def _placings(
    volume: int, comparison: Comparison, rows: Sequence[Row], wished: Sequence[Row]
) -> Iterator[Placing]:
    """Pages that are called otherwise keep their places first, as far as no other name is in the way."""
    keys = {row.key for row in rows}
    called: list[Placing] = []
    for item in comparison.items:
        if item.done and item.renamed and item.page is not None:
            key = names.key(item.title)
            if item.page.key in keys and (key == item.page.key or key not in keys):
                called.append(Rekey(volume, item.page.key, key, item.title))
    then, _ = place(rows, called)
    yield from called
    yield from rearrange(volume, then, wished)
