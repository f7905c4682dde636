"""Who wrote each line of a page, when and why: the lines of a revision, each with the one that wrote it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime

from mokuji.core.diff.origins import follow, lines_of
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, need_head
from mokuji.services.looking_back.revisions import need_revision, told
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store.database import reading
from mokuji.store.log import history
from mokuji.store.log.history import Revision

BATCH = 50
"""Number of revisions whose texts are read at once."""
MOST_ELSEWHERE = 20
"""Number of other pages of an act in which lines are looked for."""
MOST_READ = 60_000_000
"""Number of code points of older revisions after which it is not looked further."""


@dataclass(frozen=True, slots=True)
class LineOfPage:
    """A line, from 1, with the revision that wrote it, and which line it was there."""

    number: int
    words: str
    revision: Revision
    was: int


@dataclass(frozen=True, slots=True)
class Run:
    """Lines one after the other that one revision wrote. ``age`` is how old they are among those of the page, from 0
    (the newest) to ``AGES``; ``before`` says that there is a revision before it that may be read."""

    revision: Revision
    lines: tuple[LineOfPage, ...]
    age: int
    before: bool


AGES = 4


@dataclass(frozen=True, slots=True)
class LinesView:
    """The lines of one revision of a page; ``elsewhere`` are the other pages that some come from, by id, of those that
    are there. ``cut`` says that it was not looked through to the end, so that the oldest
    lines may be older than is said; ``newest`` is the number of the newest revision."""

    place: VolumeView
    head: PageHead
    number: int
    newest: int
    runs: tuple[Run, ...]
    elsewhere: Mapping[int, tuple[Volume, PageHead]]
    cut: bool


def line_origins(
    app: AppContext, actor: Actor, volume_key: str, page_key: str, number: int | None = None
) -> LinesView:
    """The lines of a revision (the newest without a number) with those that wrote them, of the revisions that the actor
    may read: what stood there before is told as written by the first of these. Missing if there is none."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        head = need_head(connection, context.volume(volume_key), page_key)
        wanted = head.revision if number is None else number
        _, text = need_revision(context, head, wanted)
        past = _Past(context)
        origins = follow(head.id, wanted, text, past)
        known = {
            (each.page, each.number): told(context.reader, each)
            for each in history.some(
                connection, context.reads, {(each.page, each.revision) for each in origins}
            )
        }
        first = history.oldest(connection, head.id, context.reads)
        lines = [
            LineOfPage(nth, words, known[origin.page, origin.revision], origin.line + 1)
            for nth, (words, origin) in enumerate(zip(lines_of(text), origins, strict=True), 1)
        ]
        others = {each.page for each in origins} - {head.id}
        heads = context.wiki.heads(others) if others else ()
        by_id = {volume.id: volume for volume in context.volumes.values()}
        there = {each.id: (by_id[each.volume], each) for each in heads if each.volume in by_id}
        runs = _runs(lines, head.id, first)
        place = volume_view(context, context.volume(volume_key), path_to=head.key)
        return LinesView(place, head, wanted, head.revision, tuple(runs), there, past.cut)


class _Past:
    """The revisions that a reader may read, so far as they are looked at."""

    def __init__(self, context: ReadContext) -> None:
        self._context = context
        self._ahead: dict[int, tuple[int, list[tuple[int, str]]]] = {}
        self._read = 0
        self.cut = False

    def before(self, page: int, revision: int) -> tuple[int, str] | None:
        """The revision of a page before one; None also where it was looked far enough."""
        last, ahead = self._ahead.get(page, (0, []))
        # Lines can come to one page on several ways: what lies ahead on one is not what lies ahead on another.
        ahead = ahead[1:] if last == revision else []
        if not ahead:
            if self._read > MOST_READ:
                self.cut = True
                return None
            context = self._context
            ahead = history.texts_below(context.connection, page, revision, context.reads, BATCH)
            self._read += sum(len(text) for _, text in ahead)
        if ahead:
            self._ahead[page] = (ahead[0][0], ahead)
        return ahead[0] if ahead else None

    def elsewhere(self, page: int, revision: int) -> list[tuple[int, int, str]]:
        """The other pages of the act that wrote a revision, as they were before it."""
        context = self._context
        act = history.act_of(context.connection, page, revision, context.reads)
        if act is None or self._read > MOST_READ:
            return []
        found = history.replaced(context.connection, act, page, context.reads, MOST_ELSEWHERE)
        self._read += sum(len(text) for *_, text in found)
        return found


def _runs(lines: list[LineOfPage], page: int, first: int) -> Iterator[Run]:
    dates = sorted({line.revision.at for line in lines})
    at = 0
    while at < len(lines):
        revision, end = lines[at].revision, at
        while end < len(lines) and lines[end].revision == revision:
            end += 1
        before = revision.page == page and revision.number > first
        yield Run(revision, tuple(lines[at:end]), _age(dates, revision.at), before)
        at = end


def _age(dates: list[datetime], at: datetime) -> int:
    """How far in time from the newest to the oldest."""
    span = (dates[-1] - dates[0]).total_seconds()
    return round(AGES * (dates[-1] - at).total_seconds() / span) if span else 0
