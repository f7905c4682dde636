"""What somebody was told, as they may read it now: the acts with their pages and the words that changed, by page.

Nothing of a page is kept with what was told, so whoever lost sight of one finds nothing of it here, not its title
either, and is not counted anything of it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime

from mokuji.core.diff.diff import Piece, compare
from mokuji.core.language.scan import read_text
from mokuji.core.language.task_words import plain_words
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.core.telling.watching import State, Why
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.looking_back.history import LoggedAct, as_known, known_volumes
from mokuji.services.telling import delivering, watching
from mokuji.services.telling.watching import Watched, needed
from mokuji.store.acts import trash
from mokuji.store.database import reading, writing
from mokuji.store.log import filtered, history
from mokuji.store.telling import entries, letters, watches
from mokuji.store.telling.entries import Told

SCREEN = 60
"""Number of acts on one screen."""
MOST_LINES = 3
"""Maximum number of changed lines that are shown of one act."""
LONGEST_COMPARED = 200_000
"""Longer texts are not compared for what changed in them: that is left to the page that does so."""
SHOWN_PAGES = 8
"""Number of pages that are named of one act."""


@dataclass(frozen=True, slots=True)
class PageTold:
    """A page of an act: where it is now; ``gone`` if it is in the trash, where it lies by its id."""

    id: int
    volume: Volume
    title: str
    key: str = ""
    gone: bool = False


@dataclass(frozen=True, slots=True)
class Changed:
    """A line that an act changed: as it was, and as it is."""

    before: tuple[Piece, ...]
    after: tuple[Piece, ...]


@dataclass(frozen=True, slots=True)
class Entry:
    """Something that somebody was told. ``act`` is None for a task that is ``due``; ``more`` pages are not named here,
    ``watched`` is what they asked for, if that is why. ``first`` and ``last`` are the revisions before and after, of an
    act that changed the text of one page."""

    id: int
    at: datetime
    why: Why
    state: State
    act: LoggedAct | None
    due: date | None
    volume: Volume | None
    pages: tuple[PageTold, ...]
    more: int = 0
    watched: Watched | None = None
    changed: tuple[Changed, ...] = ()
    more_changed: bool = False
    tasks: tuple[str, ...] = ()
    first: int = 0
    last: int = 0


@dataclass(slots=True)
class Group:
    """What was told of one page, the newest first; or of one act on several (``page`` is None)."""

    page: PageTold | None
    entries: list[Entry] = field(default_factory=list)

    @property
    def ids(self) -> str:
        """What a form says to mean all of it."""
        return " ".join(str(each.id) for each in self.entries)


@dataclass(frozen=True, slots=True)
class InboxView:
    """One screen of an inbox: what is unread, read, or put aside. ``first_time`` if the person asked for nothing and
    was told nothing yet."""

    state: State
    groups: tuple[Group, ...]
    unread: int
    more_before: int | None
    first_time: bool
    mail: letters.Ways


def inbox(app: AppContext, actor: Actor, state: State = State.UNREAD, before: int | None = None) -> InboxView:
    """What somebody was told, the newest first, by page."""
    reader = needed(actor)
    delivering.tell_all(app)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        found = entries.listed(
            connection, reader, context.reads, state, before=before or 2**62, most=SCREEN + 1
        )
        shown = told(context, found[:SCREEN])
        asked = watches.number_of(connection, reader)
        return InboxView(
            state,
            tuple(_grouped(shown)),
            entries.unread(connection, reader, context.reads),
            found[SCREEN - 1].id if len(found) > SCREEN else None,
            not found and not asked and before is None,
            letters.ways(connection, reader),
        )


def _grouped(shown: Iterable[Entry]) -> list[Group]:
    groups: list[Group] = []
    by_page: dict[int, Group] = {}
    for entry in shown:
        page = entry.pages[0] if len(entry.pages) == 1 and not entry.more else None
        group = by_page.get(page.id) if page is not None else None
        if group is None:
            group = Group(page)
            groups.append(group)
            if page is not None:
                by_page[page.id] = group
        group.entries.append(entry)
    return groups


def unread(app: AppContext, actor: Actor) -> int:
    """How much somebody was told that they did not read yet, up to ``entries.COUNTED``."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        return entries.unread(connection, needed(actor), context.reads)


def mark(app: AppContext, actor: Actor, ids: Collection[int], state: State) -> None:
    """Says what became of some of what somebody was told; what is not theirs stays as it is."""
    reader = needed(actor)
    with writing(app.engine) as connection:
        entries.mark(connection, reader, ids, state)


def mark_all(app: AppContext, actor: Actor, newest: int) -> None:
    """All that somebody was told, up to the newest that they saw, is read."""
    reader = needed(actor)
    with writing(app.engine) as connection:
        entries.mark_all(connection, reader, newest)


# ---- what an entry says ---------------------------------------------------------------------------


def told(context: ReadContext, found: Sequence[Told]) -> list[Entry]:
    """What was told, as the reader of a transaction may read it; what they may not is left out."""
    connection, actor = context.connection, context.actor
    by_id = {volume.id: volume for volume in context.volumes.values()}
    known = known_volumes(connection, actor)
    acts = history.acts(
        connection, [each.change_set for each in found if each.change_set], list(known), actor.person
    )
    about = {act.page for act in acts.values() if act.page is not None}
    pages = _pages(context, by_id, about | {page for each in found for page in each.pages})
    watched = watching.of_reader(context) if actor.signed_in else {}
    numbers = _numbers(context, found)
    texts = _texts(context, numbers.values())
    tasks = _tasks(context, found, pages)
    shown: list[Entry] = []
    for each in found:
        act = acts.get(each.change_set or 0)
        own = [pages[page] for page in each.pages if page in pages]
        if (each.change_set is not None and act is None) or (each.pages and not own):
            continue
        said = tasks.get((each.pages[0], each.due), ()) if each.due is not None else ()
        if each.due is not None and not said:
            continue  # it was done since, or is due another day
        number = numbers.get(each.id)
        changed = _changed(texts, number) if number is not None else []
        shown.append(
            Entry(
                each.id,
                each.at,
                each.why,
                each.state,
                _known(act, known, actor, pages) if act is not None else None,
                each.due,
                by_id.get(each.volume or 0),
                tuple(own[:SHOWN_PAGES]),
                max(0, len(own) - SHOWN_PAGES),
                watched.get(each.watch or 0),
                tuple(changed[:MOST_LINES]),
                len(changed) > MOST_LINES,
                said,
                number[1] - 1 if number is not None else 0,
                number[1] if number is not None else 0,
            )
        )
    return shown


def _known(
    act: LoggedAct, volumes: Mapping[int, Volume], actor: Actor, pages: Mapping[int, PageTold]
) -> LoggedAct:
    """An act as its reader may know it. The log tells what was done in a volume that they may read; here nothing is
    told of a page that they lost sight of, so not what was noted of it either."""
    known = as_known(act, volumes, actor)
    return known if act.page is None or act.page in pages else replace(known, note="")


def _pages(context: ReadContext, volumes: Mapping[int, Volume], ids: Collection[int]) -> dict[int, PageTold]:
    """Pages that may be read, there or in the trash."""
    heads = {head.id: head for head in context.wiki.heads(ids)}
    found = {
        head.id: PageTold(head.id, volumes[head.volume], head.title, head.key)
        for head in heads.values()
        if head.volume in volumes
    }
    gone = [id_ for id_ in ids if id_ not in heads]
    for id_, (volume, title) in trash.lying(context.connection, gone, volumes.keys()).items():
        found[id_] = PageTold(id_, volumes[volume], title, gone=True)
    return found


def _numbers(context: ReadContext, found: Sequence[Told]) -> dict[int, tuple[int, int]]:
    """Page and revision of acts on one page, by entry."""
    single = [each for each in found if each.change_set is not None and len(each.pages) == 1]
    if not single:
        return {}
    known = filtered.numbers_of(
        context.connection,
        [each.change_set for each in single if each.change_set is not None],
        [each.pages[0] for each in single],
    )
    return {
        each.id: (each.pages[0], number)
        for each in single
        if (number := known.get((each.change_set or 0, each.pages[0])))
    }


def _texts(context: ReadContext, wanted: Iterable[tuple[int, int]]) -> dict[tuple[int, int], str]:
    pairs = {pair for page, number in wanted for pair in ((page, number), (page, number - 1))}
    return history.texts_by_number(context.connection, context.reads, sorted(pairs), LONGEST_COMPARED)


def _changed(texts: Mapping[tuple[int, int], str], of: tuple[int, int]) -> list[Changed]:
    """The lines that a revision changed."""
    page, number = of
    after = texts.get((page, number))
    before = texts.get((page, number - 1)) if number > 1 else ""
    if after is None or before is None:
        return []
    if number == 1:  # of a new page what it begins with is told
        after = after[read_text(after).front_matter.span.end :]
    found: list[Changed] = []
    for run in compare(before, after):
        if run.kind == "same":
            continue
        for at in range(max(len(run.before), len(run.after))):
            old = run.before[at] if at < len(run.before) else ()
            new = run.after[at] if at < len(run.after) else ()
            if _words(old) or _words(new):
                found.append(Changed(old, new))
            if len(found) > MOST_LINES:
                return found
    return found


def _words(pieces: Iterable[Piece]) -> str:
    return "".join(piece.words for piece in pieces).strip()


def _tasks(
    context: ReadContext, found: Sequence[Told], pages: Mapping[int, PageTold]
) -> dict[tuple[int, date | None], tuple[str, ...]]:
    """The words of the open tasks of the reader that are due, by page and day."""
    wanted = {each.pages[0] for each in found if each.due is not None and each.pages} & pages.keys()
    said: dict[tuple[int, date | None], tuple[str, ...]] = {}
    for page in context.wiki.pages(wanted).values() if wanted else ():
        for task in page.content.tasks:
            if not task.done and context.actor.handle.casefold() in task.people:
                key = (page.head.id, task.due)
                said[key] = (*said.get(key, ()), plain_words(page, task))
    return said
