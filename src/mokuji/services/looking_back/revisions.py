"""The rule of a page's revisions: which ones are drawn, which two are compared, and what differs between them.

A page with few revisions has all of them drawn. Above ``FOLDED_FROM`` they are
folded by month, and those months are open that hold one of the two, the newest
one and the one that was asked for, so a page with a million revisions costs
what its months cost.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise

from mokuji.core.base.errors import Missing
from mokuji.core.diff.diff import LineRun, compare
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext, ReadContext, need_head
from mokuji.services.looking_back.as_read import AsRead, as_read
from mokuji.services.notes import Reader
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store.database import reading
from mokuji.store.log import history
from mokuji.store.log.history import Month, Revision

FOLDED_FROM = 200
"""With more revisions than this they are folded by month."""
MOST_DRAWN = 400
"""Maximum number of revisions of one month that are drawn."""
HEAVY = (40, 400, 4_000)
"""Code points more or fewer from which a revision is drawn longer."""


@dataclass(frozen=True, slots=True)
class Tick:
    """A revision as drawn; ``before`` is the number of the one before it, None for the first. ``weight``, 0 to 3, says
    how much longer or shorter it made the text."""

    revision: Revision
    before: int | None
    weight: int


@dataclass(frozen=True, slots=True)
class Stretch:
    """Ticks under one head, newest first; ``month`` is None if nothing is folded. Without ``ticks`` it is folded, with
    ``left_out`` the oldest of it are not drawn."""

    month: Month | None
    ticks: tuple[Tick, ...]
    left_out: int = 0


@dataclass(frozen=True, slots=True)
class RevisionsView:
    """The revisions of a page and what differs between ``one`` and ``other``, the newer; both are the same to show a
    single one, whose ``text`` is then given, what it is like ``as_read``, and the numbers of those ``beside`` it, the
    former and the next. ``gained`` and ``lost`` are names that only the one of them refers to."""

    place: VolumeView
    head: PageHead
    number: int
    stretches: tuple[Stretch, ...]
    one: Revision
    other: Revision
    passages: tuple[LineRun, ...]
    text: str | None
    gained: tuple[str, ...]
    lost: tuple[str, ...]
    as_read: AsRead | None = None
    beside: tuple[int | None, int | None] = (None, None)

    @property
    def differing(self) -> int:
        """How many passages differ."""
        return sum(passage.kind != "same" for passage in self.passages)


def rule(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    page_key: str,
    one: int | None = None,
    other: int | None = None,
    month: str = "",
) -> RevisionsView:
    """The rule with these two revisions, in any order; the last two without. ``month``, as ``2026-11``, is open, too.
    Missing if the page has none of a number."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        head = need_head(connection, volume, page_key)
        if other is None:
            other = head.revision if one is None else max(one, head.revision)
        if one is None:
            one = history.newest_below(connection, head.id, other, context.reads) or other
        one, other = min(one, other), max(one, other)
        older, before = need_revision(context, head, one)
        newer, after = (older, before) if one == other else need_revision(context, head, other)
        count, stretches = _stretches(context, head, {one, other}, month)
        place = volume_view(context, volume, path_to=head.key)
        if one == other:
            beside = (
                history.newest_below(connection, head.id, one, context.reads),
                history.lowest_above(connection, head.id, one, context.reads),
            )
            shown = as_read(app, context, volume, head, older, before)
            return RevisionsView(
                place, head, count, stretches, older, newer, (), before, (), (), shown, beside
            )
    named, now = _names(head, before), _names(head, after)
    gained = tuple(words for key, words in now.items() if key not in named)
    lost = tuple(words for key, words in named.items() if key not in now)
    passages = tuple(compare(before, after))
    return RevisionsView(place, head, count, stretches, older, newer, passages, None, gained, lost)


def need_revision(context: ReadContext, head: PageHead, number: int) -> tuple[Revision, str]:
    """A revision of a page with its text, its note as the reader may read it; Missing if there is none for them."""
    known = 0 < number < 2**31
    revision = history.revision(context.connection, head.id, number, context.reads) if known else None
    text = history.text_of(context.connection, head.id, number, context.reads) if known else None
    if revision is None or text is None:
        raise Missing(f"“{head.title}” has no revision {number}. Its newest is {head.revision}.")
    return told(context.reader, revision), text


def told(reader: Reader, revision: Revision) -> Revision:
    """A revision with its note as the reader may read it."""
    note = reader.told(revision.note, revision.act, revision.home, revision.proposed)
    return replace(revision, note=note, proposed=None)


def _stretches(
    context: ReadContext, head: PageHead, ends: set[int], month: str
) -> tuple[int, tuple[Stretch, ...]]:
    connection, reader = context.connection, context.reader
    between = partial(history.between, connection, head.id, context.reads)
    few = between(1, 2**31 - 1, most=FOLDED_FROM + 1)
    if len(few) <= FOLDED_FROM:
        return len(few), (Stretch(None, tuple(_ticks(reader, few, None))),)
    months = history.months(connection, head.id, context.reads)
    stretches: list[Stretch] = []
    for nth, each in enumerate(months):
        inside = any(each.lowest <= number <= each.highest for number in ends)
        if not (nth == 0 or inside or f"{each.first_day:%Y-%m}" == month):
            stretches.append(Stretch(each, ()))
            continue
        rows = between(each.lowest, each.highest, most=MOST_DRAWN + 1)
        drawn = rows[:MOST_DRAWN]
        before = rows[MOST_DRAWN:] or between(1, each.lowest - 1, most=1)
        ticks = tuple(_ticks(reader, drawn, before[0] if before else None))
        stretches.append(Stretch(each, ticks, max(0, each.count - len(drawn))))
    return sum(each.count for each in months), tuple(stretches)


def _ticks(reader: Reader, rows: Sequence[Revision], before: Revision | None) -> Iterator[Tick]:
    for each, older in pairwise([*rows, before]):
        if each is not None:
            change = abs(each.size - (older.size if older is not None else 0))
            weight = sum(change >= least for least in HEAVY)
            yield Tick(told(reader, each), older.number if older is not None else None, weight)


def _names(head: PageHead, text: str) -> dict[str, str]:
    """What a text refers to: words as typed, by what they mean."""
    found: dict[str, str] = {}
    for reference in Page(head, text).content.references:
        if reference.name is not None:
            words = reference.name_span.of(text)
            found.setdefault("/".join(filter(None, (reference.name.volume, reference.name.key))), words)
    return found
