"""Changes: what was done in the volumes that somebody may read, looked through by whatever is asked for, with the saves
of one sitting in one row."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, time, timedelta

from mokuji.core.base import names
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.known_people import known_names
from mokuji.services.looking_back.history import PAGE, LoggedAct, as_known, known_volumes
from mokuji.services.reading.categories import ids_under
from mokuji.store import volumes as stored_volumes
from mokuji.store.acts import trash
from mokuji.store.database import Connection, reading
from mokuji.store.log import filtered
from mokuji.store.log.filtered import LOOKED, SLACK, Filter
from mokuji.store.places import placing

SITTING = timedelta(minutes=30)
"""Between two saves of one sitting no more time goes by than this."""
FIRST = 400
"""Number of change sets that the first question for a list looks at."""
ROUNDS = 12
"""Maximum number of questions for one list: what is older is asked for by itself."""


@dataclass(frozen=True, slots=True)
class Asked:
    """What is looked for; what is empty is left open. ``volume``, ``page`` and ``category`` are keys, ``kind`` the name
    of an act, ``by`` a handle or a name, ``words`` stand in the note; the days of ``since`` and ``until`` (UTC) belong
    to it. ``below`` takes in what stands below the page in the contents."""

    volume: str = ""
    page: str = ""
    below: bool = False
    category: str = ""
    by: str = ""
    kind: str = ""
    words: str = ""
    since: date | None = None
    until: date | None = None


@dataclass(slots=True)
class Row:
    """A change as listed: the newest act of it, and, where a page was saved several times in one sitting, those before
    it, newest first. ``first`` and ``last`` are the revisions of the page before and after. ``page`` is its id even if
    it is gone; it is called ``gone`` then, and ``lies`` in the trash unless it was merged into another."""

    act: LoggedAct
    earlier: list[LoggedAct] = field(default_factory=list)
    first: int = 0
    last: int = 0
    page: int | None = None
    gone: str = ""
    lies: bool = False


@dataclass(frozen=True, slots=True)
class ChangesView:
    """Changes, newest first. With ``more_before`` there may be older ones; ``far`` says that so many were looked at for
    these that it was not gone on."""

    rows: tuple[Row, ...]
    volumes: Mapping[int, Volume]
    more_before: int | None
    far: bool


def changes(
    app: AppContext, actor: Actor, asked: Asked, before: int | None = None, *, folded: bool = True
) -> ChangesView:
    """The newest acts that fit, ``folded`` by sittings. Missing if the volume may not be read or is not there."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        by_id = known_volumes(connection, actor)
        person = actor.person
        volumes: list[Volume] = list(context.volumes.values())
        wanted = Filter(list(by_id), person)
        if asked.volume:
            volumes = [context.volume(asked.volume)]
            wanted = Filter([volumes[0].id])
        wanted = replace(
            wanted,
            authors=_authors(connection, actor, asked.by) if asked.by.strip() else None,
            kinds=[asked.kind] if asked.kind else None,
            pages=_pages(context, volumes, asked) if asked.page or asked.category else None,
            since=_midnight(asked.since) if asked.since else None,
            until=_midnight(asked.until, days=1) if asked.until else None,
            words=" ".join(asked.words.split()),
        )
        rows, more, far = _look(connection, actor, by_id, wanted, before, folded=folded)
        _number(connection, rows)
        _name_gone(connection, rows, by_id)
        return ChangesView(tuple(rows), by_id, more, far)


def _midnight(day: date, days: int = 0) -> datetime:
    limit = date.max - timedelta(days=1)
    return datetime.combine(min(day, limit) + timedelta(days=days), time(), UTC)


def _authors(connection: Connection, actor: Actor, typed: str) -> list[int]:
    """Who is called so. A handle is somebody's only for those who know them; a name stands beside what they wrote."""
    said = typed.strip().removeprefix("@").lower()
    if not names.is_storable(said):
        return []
    known = known_names(connection, actor)
    found = filtered.authors(connection, said)
    return [id_ for id_, handle, is_name in found if is_name or handle in known]


def _pages(context: ReadContext, volumes: Sequence[Volume], asked: Asked) -> list[int]:
    """The pages that are asked for, of those volumes."""
    found: set[int] | None = None
    if asked.page:
        found = set()
        key = names.key(asked.page)
        places = [(volume.id, key) for volume in volumes] if names.is_storable(asked.page) else []
        heads = {**stored_volumes.formers(context.connection, places), **context.wiki.titles(places)}
        for head in heads.values():
            if head.volume in {volume.id for volume in context.volumes.values()}:
                found.add(head.id)
                if asked.below:
                    rows = placing.branch(context.connection, head.volume, head.key)
                    branch = [(head.volume, row.key) for row in rows]
                    found |= {each.id for each in context.wiki.titles(branch).values()}
    if asked.category:
        filed: set[int] = set()
        for volume in volumes:
            filed |= ids_under(context, volume, names.key(asked.category))
        found = filed if found is None else found & filed
    return sorted(found or ())


def _look(
    connection: Connection,
    actor: Actor,
    by_id: Mapping[int, Volume],
    wanted: Filter,
    before: int | None,
    *,
    folded: bool,
) -> tuple[list[Row], int | None, bool]:
    """Rows, before which act to look on, and whether it was looked as far as it goes at once."""
    end: int | None = before or 2**62
    oldest = 0
    if wanted.until is not None:
        first_after = filtered.number_at(connection, wanted.until)
        end = min(end or 0, first_after + SLACK) if first_after is not None else end
    if wanted.since is not None:
        first = filtered.number_at(connection, wanted.since)
        if first is None:
            return [], None, False
        oldest = first - SLACK
    rows = _Rows(folded=folded)
    for nth in range(ROUNDS):
        assert end is not None
        # Where notes are looked through, all that was looked at comes back: what is asked next must not tell how many
        # notes hold the words before they are told to this reader.
        most = LOOKED if wanted.words else 2 * PAGE
        # Mostly what is asked for is among the newest.
        looked = min(FIRST, LOOKED) if nth == 0 else LOOKED
        acts, end = filtered.found(connection, wanted, before=end, most=min(most, looked), looked=looked)
        for act in acts:
            told = as_known(act, by_id, actor)
            if _fits(told, act, wanted) and not rows.take(told, act.page):
                return rows.listed, rows.last, False
        if end is None or end < oldest:
            return rows.listed, None, False
    return rows.listed, end, True


def _fits(told: LoggedAct, act: LoggedAct, wanted: Filter) -> bool:
    """Whether an act fits as it is told to the reader: what is not told to them cannot be looked for either."""
    if wanted.words and wanted.words.lower() not in told.note.lower():
        return False
    return wanted.authors is None or told.author == act.author


class _Rows:
    """Rows of a list, up to a screen of them."""

    def __init__(self, *, folded: bool) -> None:
        self.listed: list[Row] = []
        self.last: int | None = None
        self._folded = folded
        self._newest: dict[int, Row] = {}

    def take(self, act: LoggedAct, page: int | None) -> bool:
        """Takes an act in; False if the screen is full."""
        row = self._newest.get(act.page) if act.page is not None and self._folded else None
        if row is not None and _one_sitting(row, act):
            row.earlier.append(act)
        elif len(self.listed) == PAGE:
            return False
        else:
            row = Row(act, page=page)
            self.listed.append(row)
            if act.page is not None:
                self._newest[act.page] = row
        self.last = act.id
        return True


def _one_sitting(row: Row, act: LoggedAct) -> bool:
    last = row.earlier[-1] if row.earlier else row.act
    same = (last.act, last.author) == (act.act, act.author) == ("edit", row.act.author)
    plain = last.undone_by is None and act.undone_by is None
    return same and plain and last.at - act.at <= SITTING


def _number(connection: Connection, rows: Iterable[Row]) -> None:
    """The revisions that saves made."""
    edits = [act for row in rows for act in (row.act, *row.earlier[-1:]) if act.act == "edit" and act.page]
    if not edits:
        return
    known = filtered.numbers_of(
        connection, [act.id for act in edits], [act.page for act in edits if act.page is not None]
    )
    for row in rows:
        oldest = row.earlier[-1] if row.earlier else row.act
        if row.act.page is not None:
            row.last = known.get((row.act.id, row.act.page), 0)
            row.first = max(0, known.get((oldest.id, row.act.page), 0) - 1)


def _name_gone(connection: Connection, rows: Iterable[Row], volumes: Mapping[int, Volume]) -> None:
    """The titles of pages that are in the trash, of volumes that may be read."""
    gone = {row.page for row in rows if row.page is not None and row.act.page_key is None}
    known = trash.named(connection, gone, volumes.keys()) if gone else {}
    for row in rows:
        if row.act.page_key is None and row.page in known:
            row.gone, row.lies = known[row.page]
