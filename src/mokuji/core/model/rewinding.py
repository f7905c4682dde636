"""A volume as it stood: its pages and its contents, taken back act by act from what they are now."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from mokuji.core.model.contents import Placing, Row, longest_rising, place


@dataclass(frozen=True, slots=True)
class Step:
    """What an act did to pages and places, as its log tells it: pages that it moved or renamed (id, volume before,
    title before, volume after), ids of those that began by it, those that it took away (id, volume, title), and the
    placings that take its own back."""

    heads: Sequence[tuple[int, int, str, int]] = ()
    made: Sequence[int] = ()
    gone: Sequence[tuple[int, int, str]] = ()
    contents: Sequence[Placing] = ()


@dataclass(frozen=True, slots=True)
class Stood:
    """A volume at a moment: the titles of its pages by id, and its contents. ``elsewhere`` are pages that were in
    another volume then and came, by id."""

    pages: Mapping[int, str]
    contents: tuple[Row, ...]
    elsewhere: Mapping[int, int] = field(default_factory=dict)


def rewind(volume: int, now: Stood, steps: Iterable[Step]) -> Stood:
    """A volume before some acts, which are given newest first."""
    pages, elsewhere = dict(now.pages), dict(now.elsewhere)
    placings: list[Placing] = []
    for step in steps:
        for id_ in step.made:
            pages.pop(id_, None)
            elsewhere.pop(id_, None)
        for id_, before, title, _ in step.heads:
            if before == volume:
                pages[id_] = title
                elsewhere.pop(id_, None)
            elif pages.pop(id_, None) is not None or id_ in elsewhere:
                elsewhere[id_] = before
        for id_, before, title in step.gone:
            if before == volume:
                pages[id_] = title
        placings += [each for each in step.contents if each.volume == volume]
    contents, _ = place(now.contents, placings)
    return Stood(pages, contents, elsewhere)


def moved_entries(before: Sequence[Row], after: Sequence[Row], called: Mapping[str, str]) -> list[str]:
    """The names that stand elsewhere in the contents than before: below another name, or in another order among those
    that stayed. ``called`` says which name before became which name after (keys)."""
    above = _above(before)
    was = {called.get(key, key): called.get(over, over) for key, over in above.items()}
    over = _above(after)
    both = was.keys() & over.keys()
    order = {row.key: n for n, row in enumerate(after)}
    now = [name for row in before if (name := called.get(row.key, row.key)) in both]
    stayed = {now[n] for n in longest_rising([order[name] for name in now])}
    return [
        row.key
        for row in after
        if row.key in both and (row.key not in stayed or was[row.key] != over[row.key])
    ]


def _above(rows: Sequence[Row]) -> dict[str, str]:
    """What each name stands below; empty at the top."""
    found: dict[str, str] = {}
    path: list[str] = []
    for row in rows:
        del path[row.depth :]
        found.setdefault(row.key, path[-1] if path else "")
        path.append(row.key)
    return found


def numbered(rows: Sequence[Row]) -> list[str]:
    """The numbers of contents, as 2.3.1."""
    counts: list[int] = []
    found: list[str] = []
    for row in rows:
        del counts[row.depth + 1 :]
        if len(counts) == row.depth:
            counts.append(0)
        counts[-1] += 1
        found.append(".".join(map(str, counts)))
    return found
