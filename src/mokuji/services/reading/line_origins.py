"""Who wrote each line of a page, when and why: the lines of a revision, each with the one that wrote it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from mokuji.core.base.errors import Missing
from mokuji.core.diff.origins import Account
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext, ReadContext, need_head
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.services.reading.revisions import told
from mokuji.store.database import reading
from mokuji.store.log import history
from mokuji.store.log.history import Revision

BATCH = 50
"""Number of revisions whose texts are read at once."""
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
    """The lines of one revision of a page. ``cut`` says that it was not looked through to the end, so that the oldest
    lines may be older than is said; ``newest`` is the number of the newest revision."""

    place: VolumeView
    head: PageHead
    number: int
    newest: int
    runs: tuple[Run, ...]
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
        text = history.text_of(connection, head.id, wanted, context.reads) if 0 < wanted < 2**31 else None
        if text is None:
            raise Missing(f"“{head.title}” has no revision {wanted}. Its newest is {head.revision}.")
        account = Account(wanted, text)
        cut = _look_back(context, head, wanted, account)
        origins = account.origins()
        numbers = {each.revision for each in origins}
        known = {
            each.number: told(context.reader, each)
            for each in history.some(connection, head.id, context.reads, numbers)
        }
        first = history.oldest(connection, head.id, context.reads)
        lines = [
            LineOfPage(nth, words, known[origin.revision], origin.line + 1)
            for nth, (words, origin) in enumerate(zip(account.lines, origins, strict=True), 1)
        ]
        place = volume_view(context, context.volume(volume_key), path_to=head.key)
        return LinesView(place, head, wanted, head.revision, tuple(_runs(lines, first)), cut)


def _look_back(context: ReadContext, head: PageHead, number: int, account: Account) -> bool:
    """Goes back until every line is accounted for; True if that was too far."""
    read = 0
    while account.open:
        found = history.texts_below(context.connection, head.id, number, context.reads, BATCH)
        for number, text in found:
            account.older(number, text)
            read += len(text)
            if not account.open:
                return False
        if len(found) < BATCH:
            return False
        if read > MOST_READ:
            return True
    return False


def _runs(lines: list[LineOfPage], first: int) -> Iterator[Run]:
    dates = sorted({line.revision.at for line in lines})
    at = 0
    while at < len(lines):
        revision, end = lines[at].revision, at
        while end < len(lines) and lines[end].revision.number == revision.number:
            end += 1
        yield Run(revision, tuple(lines[at:end]), _age(dates, revision.at), revision.number > first)
        at = end


def _age(dates: list[datetime], at: datetime) -> int:
    """How far in time from the newest to the oldest."""
    span = (dates[-1] - dates[0]).total_seconds()
    return round(AGES * (dates[-1] - at).total_seconds() / span) if span else 0
