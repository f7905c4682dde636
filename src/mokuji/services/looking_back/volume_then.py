"""A volume as it stood at a moment, and what became of it between two."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta

from mokuji.core.base.errors import BadRequest
from mokuji.core.diff.diff import compare
from mokuji.core.model.contents import Row
from mokuji.core.model.policy import Actor
from mokuji.core.model.rewinding import Stood, moved_entries, numbered, rewind
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store.database import reading
from mokuji.store.log import filtered, rewound
from mokuji.store.places import placing

SHOWN = 100
"""Number of pages on a screen."""
LATELY = timedelta(days=30)
"""How far back it is looked if nothing is asked."""
NEWEST = 2**62
KINDS = ("written", "renamed", "came", "brought back", "changed", "moved away", "gone")
"""What can become of a page, in the order in which it is told."""


@dataclass(frozen=True, slots=True)
class Moment:
    """A moment as it was asked for, and the last change set that belongs to it."""

    typed: str
    change_set: int


@dataclass(frozen=True, slots=True)
class PageThen:
    """A page as it stood: its key now (empty if it is in no volume that may be read), title and revision then, and its
    number in the contents, empty if it had no place there."""

    volume: str
    key: str
    title: str
    revision: int
    number: str
    depth: int


@dataclass(frozen=True, slots=True)
class Became:
    """What became of a page: ``kinds`` of these, title and revision before and after (None and 0 where it was not
    there), the volume that it came from or went to, where that may be read, and how many words went and came."""

    page: int
    kinds: tuple[str, ...]
    before: str | None
    after: str | None
    older: int
    newer: int
    number: str
    other: Volume | None
    volume: str
    key: str
    words: tuple[int, int] = (0, 0)


@dataclass(frozen=True, slots=True)
class VolumeBetween:
    """What became of a volume between two moments. ``counts`` are of all pages, by kind; ``pages`` are some of those
    that were asked for, from ``skipped`` on, of ``number``. ``moved`` are names that stand elsewhere in the contents.
    ``cut`` says that too much was done since to look back so far: then nothing is told."""

    place: VolumeView
    since: Moment
    until: Moment
    counts: Mapping[str, int]
    pages: tuple[Became, ...]
    number: int
    skipped: int
    moved: tuple[str, ...]
    cut: bool = False


@dataclass(frozen=True, slots=True)
class VolumeThen:
    """A volume as it stood: its contents (names without a page have revision 0), and the pages without a place."""

    place: VolumeView
    moment: Moment
    contents: tuple[PageThen, ...]
    unplaced: tuple[PageThen, ...]
    cut: bool = False


def as_it_stood(app: AppContext, actor: Actor, volume_key: str, at: str = "") -> VolumeThen:
    """A volume at the end of a day (``2026-03-31``) or after a change set (``138``); now without. Missing if the volume
    may not be read, BadRequest for no such moment."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        place = volume_view(context, volume)
        moment = _moment(context, at, app.clock(), end=True)
        stood, cut = _stood(context, volume, _now(context, volume), NEWEST, moment.change_set)
        if cut:
            return VolumeThen(place, moment, (), (), cut=True)
        known = _known(context, stood, moment.change_set)
        numbers = dict(zip((row.key for row in stood.contents), numbered(stood.contents), strict=True))
        by_key = {_key(known[id_][1]): id_ for id_ in stood.pages if id_ in known}
        addresses = _addresses(context, known)

        def then(id_: int | None, row: Row | None) -> PageThen:
            number, depth = (numbers[row.key], row.depth) if row is not None else ("", 0)
            if id_ is None:
                assert row is not None
                return PageThen("", "", row.title, 0, number, depth)
            revision, title = known[id_]
            return PageThen(*addresses.get(id_, ("", "")), title, revision, number, depth)

        listed = tuple(then(by_key.get(row.key), row) for row in stood.contents)
        placed = {by_key[row.key] for row in stood.contents if row.key in by_key}
        rest = sorted((known[id_][1], id_) for id_ in by_key.values() if id_ not in placed)
        return VolumeThen(place, moment, listed, tuple(then(id_, None) for _, id_ in rest))


def between(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    since: str = "",
    until: str = "",
    *,
    only: str = "",
    skip: int = 0,
) -> VolumeBetween:
    """What became of a volume between two moments, each a day or a change set: from before the one (a month ago without
    it) to after the other (now). With ``only`` one kind is listed."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        place = volume_view(context, volume)
        now = app.clock()
        first = _moment(context, since or f"{(now - LATELY).date()}", now, end=False)
        last = _moment(context, until, now, end=True)
        if first.change_set > last.change_set:
            first, last = _moment(context, until, now, end=False), _moment(context, since, now, end=True)
        after, cut = _stood(context, volume, _now(context, volume), NEWEST, last.change_set)
        before, cut_too = _stood(context, volume, after, last.change_set, first.change_set)
        if cut or cut_too:
            return VolumeBetween(place, first, last, {}, (), 0, 0, (), cut=True)
        found, moved = _became(context, volume, (before, first.change_set), (after, last.change_set))
        counts = Counter(kind for each in found for kind in each.kinds)
        listed = [each for each in found if not only or only in each.kinds]
        skip = max(0, min(skip, len(listed)))
        shown = _with_words(context, listed[skip : skip + SHOWN])
        return VolumeBetween(place, first, last, counts, shown, len(listed), skip, tuple(moved))


def _moment(context: ReadContext, typed: str, now: datetime, *, end: bool) -> Moment:
    """The last change set before a day begins, or with ``end`` of when it ends; of a number that itself, or without
    ``end`` the one before it."""
    typed = typed.strip()
    if not typed:
        return Moment("", NEWEST)
    if typed.isdecimal() and len(typed) < 19:
        return Moment(typed, int(typed) - (not end))
    try:
        day = date.fromisoformat(typed)
        midnight = datetime.combine(day + timedelta(days=1 if end else 0), time(), UTC)
    except (ValueError, OverflowError):
        raise BadRequest(
            f"“{typed[:40]}” is no moment. Write a day, such as {now.date()}, or the number of a change.",
            code="bad_moment",
        ) from None
    number = filtered.number_at(context.connection, midnight)
    return Moment(typed, number - 1 if number is not None else NEWEST)


def _now(context: ReadContext, volume: Volume) -> Stood:
    pages = rewound.pages(context.connection, volume.id)
    return Stood(pages, tuple(placing.rows(context.connection, volume.id)))


def _stood(context: ReadContext, volume: Volume, now: Stood, until: int, after: int) -> tuple[Stood, bool]:
    """A volume after an act, taken back from how it stood after a later one."""
    if after >= until:
        return now, False
    connection = context.connection
    begun = rewound.first(connection, volume.id)
    if begun is not None and after < begun:
        return Stood({}, ()), False
    steps, cut = rewound.steps(connection, volume.id, after, until)
    return rewind(volume.id, now, steps), cut


def _known(context: ReadContext, stood: Stood, until: int) -> dict[int, tuple[int, str]]:
    """The revisions and titles of the pages of a volume at a moment, those that may be read."""
    found = rewound.latest(context.connection, stood.pages.keys(), until)
    return {id_: (number, title) for id_, (number, title, home) in found.items() if home in context.reads}


def _addresses(context: ReadContext, pages: Mapping[int, object]) -> dict[int, tuple[str, str]]:
    """Where pages are now, of those that may be read: the keys of volume and page."""
    by_id = {volume.id: volume for volume in context.volumes.values()}
    heads = context.wiki.heads(list(pages))
    return {head.id: (by_id[head.volume].key, head.key) for head in heads if head.volume in by_id}


def _key(title: str) -> str:
    return Row.of(0, title).key


def _became(
    context: ReadContext, volume: Volume, one: tuple[Stood, int], other: tuple[Stood, int]
) -> tuple[list[Became], list[str]]:
    """All pages of which something became, in the order of the contents, and names that stand elsewhere in them."""
    (before, since), (after, until) = one, other
    by_id = {each.id: each for each in context.volumes.values()}
    older, newer = _known(context, before, since), _known(context, after, until)
    wanted = (older.keys() | newer.keys() | after.pages.keys()) - before.pages.keys()
    # Pages that came, or were brought back, had revisions before.
    earlier = rewound.latest(context.connection, wanted, since)
    pairs = [
        (id_, older[id_][0], newer[id_][0])
        for id_ in older.keys() & newer.keys()
        if older[id_][0] != newer[id_][0]
    ]
    differing = rewound.differing(context.connection, pairs)
    addresses = _addresses(context, older | newer)
    numbers = dict(zip((row.key for row in after.contents), numbered(after.contents), strict=True))
    order = {row.key: n for n, row in enumerate(after.contents)}
    was = {row.key: n for n, row in enumerate(before.contents)}
    found: list[tuple[tuple[int, str], Became]] = []
    for id_ in older.keys() | newer.keys():
        first, last = older.get(id_), newer.get(id_)
        other_volume: Volume | None = None
        kinds: tuple[str, ...]
        if first is None:
            source = before.elsewhere.get(id_)
            was_read = id_ in earlier and earlier[id_][2] in context.reads
            kinds = ("came",) if source is not None else ("brought back",) if was_read else ("written",)
            other_volume = by_id.get(source) if source is not None and was_read else None
        elif last is None:
            now = addresses.get(id_)
            there = context.volumes[now[0]] if now is not None else volume
            other_volume = there if there.id != volume.id else None
            kinds = ("gone",) if other_volume is None else ("moved away",)
        else:
            kinds = _stayed(first[1] != last[1], id_ in differing)
        if not kinds:
            continue
        key = _key((last or first or (0, ""))[1])
        at = order.get(key, was.get(key, len(order)))
        home, address = addresses.get(id_, ("", ""))
        became = Became(
            id_,
            kinds,
            first[1] if first is not None else None,
            last[1] if last is not None else None,
            first[0] if first is not None else 0,
            last[0] if last is not None else 0,
            numbers.get(key, "") if last is not None else "",
            other_volume,
            home,
            address,
        )
        found.append(((at, key), became))
    found.sort(key=lambda each: each[0])
    called = {_key(older[id_][1]): _key(newer[id_][1]) for id_ in older.keys() & newer.keys()}
    return [became for _, became in found], _elsewhere(before, after, called)


def _elsewhere(before: Stood, after: Stood, called: Mapping[str, str]) -> list[str]:
    """The names that stand elsewhere in the contents, as they are typed there."""
    titles = {row.key: row.title for row in after.contents}
    return [titles[key] for key in moved_entries(before.contents, after.contents, called)]


def _stayed(renamed: bool, changed: bool) -> tuple[str, ...]:
    return tuple(kind for kind, is_so in (("renamed", renamed), ("changed", changed)) if is_so)


def _with_words(context: ReadContext, listed: list[Became]) -> tuple[Became, ...]:
    """The same with how many words went and came."""
    wanted = {
        (each.page, n)
        for each in listed
        for n in (each.older, each.newer)
        if n and each.before and each.after
    }
    texts = rewound.texts(context.connection, wanted)
    found = []
    for each in listed:
        words = (0, 0)
        if each.before is not None and each.after is not None and each.older != each.newer:
            words = changed_words(texts[each.page, each.older], texts[each.page, each.newer])
        found.append(replace(each, words=words))
    return tuple(found)


def changed_words(before: str, after: str) -> tuple[int, int]:
    """How many words of a text went, and how many came."""
    went = came = 0
    for run in compare(before, after):
        if run.kind != "same":
            went += sum(len(piece.words.split()) for line in run.before for piece in line if piece.marked)
            came += sum(len(piece.words.split()) for line in run.after for piece in line if piece.marked)
    return went, came
