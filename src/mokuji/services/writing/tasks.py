"""Tasks of all pages that somebody may read: gathered, ticked, told to other programs.

Ticking one edits its page, as a revision, from the revision that was seen: what
others saved since is brought together with it, so it is that very line or none.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Literal

from mokuji.core.base import names
from mokuji.core.base.errors import Conflict, Forbidden, Missing
from mokuji.core.base.spans import Lines
from mokuji.core.diff.merge import merge3, merged
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.task_words import plain_words
from mokuji.core.model.policy import Actor, Permission, may
from mokuji.core.model.wiki import Volume
from mokuji.core.syntax.tasks import Task, said, ticked
from mokuji.formats.tasks import TaskLine
from mokuji.services.app_context import AppContext, ReadContext, find_head
from mokuji.services.known_people import known_names
from mokuji.services.signing import signed, unsigned
from mokuji.services.writing import writing
from mokuji.store import people
from mokuji.store.database import reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.index import memberships
from mokuji.store.index import tasks as stored
from mokuji.store.index.tasks import Wanted
from mokuji.store.log import history

SCREEN = 100
"""Tasks on one screen."""
MOST_SCREENS = 50
STRIP = 28
"""Days that the strip shows, from today on."""
MOST_TOLD = 2_000
"""Maximum number of tasks of a file."""
MOST_PEOPLE = 100
TRIES = 4
"""So often ticking is tried while others save the same page."""

By = Literal["date", "priority", "person", "page", "category"]


@dataclass(frozen=True, slots=True)
class Shown:
    """A task as it is listed: its number on its page, the page as it is now, its line and its words as plain text."""

    number: int
    page: PageHead
    line: int
    words: str
    done: bool
    priority: str
    due: date | None
    people: tuple[str, ...]
    may_tick: bool


@dataclass(frozen=True, slots=True)
class Group:
    """Tasks that have something in common, under its name; ``late`` ones should have been done."""

    name: str
    tasks: tuple[Shown, ...]
    late: bool = False


@dataclass(frozen=True, slots=True)
class Day:
    """A day of the strip with its number of tasks; that of the first is of all days before today."""

    day: date | None
    number: int


@dataclass(frozen=True)
class TasksView:
    """Tasks by what they are grouped by; ``today`` is the day that late is counted from."""

    groups: tuple[Group, ...]
    number: int
    strip: tuple[Day, ...]
    volumes: Mapping[int, Volume]
    people: tuple[str, ...]
    names: Mapping[str, str]
    today: date
    by: By
    wanted: Wanted
    page: PageHead | None = None
    volume: Volume | None = None
    more: bool = False
    feeds: Mapping[str, str] = field(default_factory=dict)


def listing(
    app: AppContext,
    actor: Actor,
    *,
    by: By = "date",
    person: str = "",
    volume_key: str = "",
    page_key: str = "",
    category: str = "",
    day: date | None = None,
    done: bool = False,
    screen: int = 0,
) -> TasksView:
    """The open tasks, or those that are done, of all pages that the actor may read, or of some."""
    today = app.clock().date()
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        by_id = {each.id: each for each in context.volumes.values()}
        volume = context.volume(volume_key) if volume_key else None
        head = find_head(connection, volume, page_key) if volume is not None and page_key else None
        if page_key and head is None:
            raise Missing(f"There is no page “{page_key}” here.", code="page_missing")
        wanted = Wanted(
            person.strip().casefold(), head.id if head is not None else 0, names.key(category), day, done
        )
        inside = [volume.id] if volume is not None else list(by_id)
        skipped = min(max(0, screen), MOST_SCREENS) * SCREEN
        tasks = stored.gather(connection, inside, wanted, by, skipped=skipped, most=SCREEN + 1)
        pages = context.wiki.pages({task.page for task in tasks})
        known = known_names(connection, actor)
        groups: dict[str, list[Shown]] = {}
        lines = _lines(pages)
        for task in tasks[:SCREEN]:
            shown = _shown(actor, pages[task.page], task.number, by_id, lines)
            if shown is not None:
                groups.setdefault(_group(shown, by, today, by_id, known, task.category), []).append(shown)
        counts = stored.days(connection, inside, wanted.person, today + timedelta(days=STRIP))
        return TasksView(
            tuple(Group(name, tuple(listed), name == LATE) for name, listed in groups.items()),
            stored.count(connection, inside, wanted),
            _strip(counts, today),
            by_id,
            tuple(stored.people(connection, inside, MOST_PEOPLE)),
            known,
            today,
            by,
            wanted,
            head,
            volume,
            len(tasks) > SCREEN,
            _feeds(app, actor),
        )


LATE = "Late"


def _group(
    task: Shown,
    by: By,
    today: date,
    volumes: Mapping[int, Volume],
    known: Mapping[str, str],
    category: str | None,
) -> str:
    if by == "priority":
        return f"Priority {task.priority}" if task.priority else "Without priority"
    if by == "person":
        return f"@{task.people[0]} · {known.get(task.people[0], 'unknown')}" if task.people else "Nobody yet"
    if by == "page":
        return f"{task.page.title} · {volumes[task.page.volume].title}"
    if by == "category":
        return category or "Not filed"
    return _when(task.due, today) if not task.done else "Done"


def _when(due: date | None, today: date) -> str:
    if due is None:
        return "Without a day"
    if due < today:
        return LATE
    if due == today:
        return "Today"
    if due <= today + timedelta(days=7):
        return "In the next seven days"
    if due <= today + timedelta(days=STRIP):
        return "In the next four weeks"
    return "Later"


def _strip(counts: Mapping[date, int], today: date) -> tuple[Day, ...]:
    late = sum(number for day, number in counts.items() if day < today)
    days = [today + timedelta(days=n) for n in range(STRIP)]
    return (Day(None, late), *(Day(day, counts.get(day, 0)) for day in days))


def _lines(pages: Mapping[int, Page]) -> dict[int, Lines]:
    """Where the lines of pages begin, once a page, however many tasks it has."""
    return {id_: Lines(page.text) for id_, page in pages.items()}


def _shown(
    actor: Actor, page: Page, number: int, volumes: Mapping[int, Volume], lines: Mapping[int, Lines]
) -> Shown | None:
    listed = page.content.tasks
    if number >= len(listed):
        return None
    task = listed[number]
    volume = volumes[page.head.volume]
    return Shown(
        number,
        page.head,
        lines[page.head.id].position(task.box.start).line,
        plain_words(page, task),
        task.done,
        task.priority,
        task.due,
        task.people,
        may(actor, Permission.WRITE, volume.id, closed=volume.closed),
    )


def tick(
    app: AppContext, actor: Actor, volume_key: str, page_key: str, number: int, revision: int, *, done: bool
) -> PageHead:
    """Ticks a task, or opens it again: the one that was the ``number``-th of its page in ``revision``. Conflict says
    that its line was changed or is gone since."""
    for _ in range(TRIES):
        with reading(app.engine) as connection:
            context = ReadContext(connection, actor)
            volume = context.volume(volume_key, Permission.WRITE)
            head = find_head(connection, volume, page_key)
            text = history.text_of(connection, head.id, revision, context.reads) if head is not None else None
            if head is None or text is None:
                raise Missing("The page is not there any more, or not as it was seen.", code="page_missing")
            now = context.wiki.pages([head.id])[head.id]
        seen = Page(head, text)
        if not 0 <= number < len(seen.content.tasks):
            raise Missing("There was no such task on the page.", code="task_missing")
        task = seen.content.tasks[number]
        wanted = _ticked_now(seen, task, now, done=done)
        if wanted == now.text:
            return head
        note = f"{'Done' if done else 'Open again'}: {plain_words(seen, task)}"[:300]
        with suppress(Conflict):  # somebody saved just now: it is looked at once more
            writing.save(
                app,
                actor,
                writing.Save(
                    volume_key, head.title, wanted, revision=now.head.revision, note=note, follow=False
                ),
            )
            return head
    raise Conflict("The page is being changed by others. Try again in a moment.", code="edited_meanwhile")


def _ticked_now(seen: Page, task: Task, now: Page, *, done: bool) -> str:
    """The page as it is now with the task ticked that was seen on it before; Conflict if that is not there any more
    as it was."""
    span, box = ticked(task, done=done)
    wanted = seen.text[: span.start] + box + seen.text[span.end :]
    if now.text == seen.text:
        return wanted
    # Its line is found by bringing together a mark in its box with what was saved since.
    marked = seen.text[: span.start] + "?" + seen.text[span.end :]
    made = merged(marked, merge3(seen.text, marked, now.text))
    at = _only_change(now.text, made) if made is not None else -1
    found = next((each for each in now.content.tasks if each.box.start < at < each.box.end), None)
    if found is not None and said(now.text, found) == said(seen.text, task):
        span, box = ticked(found, done=done)
        return now.text[: span.start] + box + now.text[span.end :]
    if wanted != seen.text and merged(wanted, merge3(seen.text, wanted, now.text)) == now.text:
        return now.text  # somebody else did the same
    raise Conflict(
        f"The line of this task was changed since you saw it, so nothing was done. Look at “{now.head.title}” again.",
        code="edited_meanwhile",
    )


def _only_change(one: str, other: str) -> int:
    """Where two texts of one length differ in one character; -1 if they do not differ so."""
    if len(one) != len(other):
        return -1
    at = next((n for n, (a, b) in enumerate(zip(one, other, strict=True)) if a != b), -1)
    return at if at >= 0 and one[at + 1 :] == other[at + 1 :] else -1


# ---- for other programs -------------------------------------------------------------


def lines(
    app: AppContext, actor: Actor, link: Callable[[str, str], str], *, person: str = "", done: bool = False
) -> list[TaskLine]:
    """Tasks for a file; ``link`` makes the address of a page from the keys of volume and page."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        by_id = {each.id: each for each in context.volumes.values()}
        wanted = Wanted(person.strip().casefold(), done=done)
        tasks = stored.gather(connection, list(by_id), wanted, "date", skipped=0, most=MOST_TOLD)
        pages = context.wiki.pages({each.page for each in tasks})
        under = memberships.names_of(connection, list(pages))
        told: list[TaskLine] = []
        alike: Counter[tuple[int, str]] = Counter()
        for each in sorted(tasks, key=lambda task: (task.page, task.number)):
            page = pages[each.page]
            if each.number >= len(page.content.tasks):
                continue
            task = page.content.tasks[each.number]
            words, volume = plain_words(page, task), by_id[page.head.volume]
            alike[page.head.id, words] += 1
            told.append(
                TaskLine(
                    page.head.id,
                    alike[page.head.id, words],
                    words,
                    page.head.title,
                    volume.title,
                    link(volume.key, page.head.key),
                    task.done,
                    task.priority,
                    task.due,
                    task.people,
                    tuple(under.get(page.head.id, ())),
                    each.changed,
                )
            )
    order: Sequence[TaskLine] = sorted(told, key=lambda t: (t.due or date.max, t.priority or "Z~", t.title))
    return list(order)


def _feeds(app: AppContext, actor: Actor) -> dict[str, str]:
    """What stands in the addresses of a person's calendars: all tasks that they may read, and those that name them."""
    if actor.person is None or actor.program:
        return {}
    with reading(app.engine) as connection:
        serial = people.calendar_serial(connection, actor.person)
    return {which: signed(app, "calendar", f"{actor.person}-{serial}-{which}") for which in ("all", "mine")}


def renew_feeds(app: AppContext, actor: Actor) -> None:
    """Gives a person new addresses for their calendars; the old ones tell nothing any more."""
    if actor.person is None:
        raise Forbidden("Sign in first.", code="sign_in")
    with writing_transaction(app.engine) as connection:
        people.renew_calendar(connection, actor.person)


def feed(app: AppContext, token: str) -> tuple[Actor, str]:
    """Whose calendar an address is, and whose tasks it tells (empty: all that they may read). Missing if it is none."""
    said = unsigned(app, "calendar", token)
    if said is not None:
        person, serial, which = said.split("-")
        with reading(app.engine) as connection:
            if people.calendar_serial(connection, int(person)) == int(serial):
                actor = people.actor_by_id(connection, int(person))
                return actor, actor.handle if which == "mine" else ""
    raise Missing("There is no such calendar. Its address may have been renewed.", code="calendar_missing")
