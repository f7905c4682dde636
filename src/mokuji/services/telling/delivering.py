"""Telling: each act that was logged is looked at once, and whom it concerns is written down, without what it says.

It is done by a worker every few seconds, and by whoever opens their inbox before. An act waits in a queue that its own
transaction put it into, and leaves it with the transaction that tells of it: none is lost, none is told twice.
"""

from __future__ import annotations

import secrets
from collections.abc import Collection, Iterable
from dataclasses import dataclass, field
from datetime import datetime, timedelta

import structlog

from mokuji.core.base import names
from mokuji.core.language.scan import read_text
from mokuji.core.model.policy import OF_PEOPLE
from mokuji.core.telling.naming import Named, named_in, named_in_note
from mokuji.core.telling.watching import OF, Letter, Watching, Why
from mokuji.services import site
from mokuji.services.app_context import AppContext, ReadContext, catch_up
from mokuji.services.reading import searching
from mokuji.services.reading.categories import ids_under
from mokuji.store import people
from mokuji.store.database import Connection, apart, reading, writing
from mokuji.store.faults import DatabaseDown
from mokuji.store.log import unshown
from mokuji.store.telling import entries, letters, watches
from mokuji.store.telling.entries import New
from mokuji.store.telling.letters import NewLetter
from mokuji.store.telling.watches import Asking, Touched

log = structlog.get_logger("mokuji.telling")
AT_ONCE = 20
"""Number of acts that are told by one transaction."""
SOON = 50
"""Number of pages of which what they are found by is made while somebody waits."""
READ = 400
"""Maximum number of pages of one act that are read for whom they name."""
DUE_WITHIN = timedelta(days=1)
"""A task is told so long before its day."""
DUE_SINCE = timedelta(days=2)
"""One whose day went by longer ago is told no more: it stands among the tasks that are late."""
MOST_DUE = 5_000
UNTOLD = OF_PEOPLE
"""Acts that nobody is told of here: they are about people, and stand in the log for those who may know."""


def tell(app: AppContext, most: int = AT_ONCE) -> int:
    """Tells people of some acts that wait; how many acts those were. What pages are found by is made before, so that
    questions are answered by what was saved."""
    with reading(app.engine) as connection:
        waiting = entries.waiting(connection) and watches.any_questions(connection)
    while waiting and catch_up(app):
        pass
    with writing(app.engine) as connection:
        acts = entries.take(connection, most)
        new: list[New] = []
        for act in acts:
            try:
                with apart(connection):
                    new += _of_act(connection, act)
            except DatabaseDown:
                raise  # all of them are told another time
            except Exception:
                # One that cannot be told must not keep people from being told of all others, for good.
                log.exception("act_not_told", change_set=act)
        _add(app, connection, new)
    return len(acts)


def tell_all(app: AppContext) -> None:
    """Tells people of some acts if any wait, for who looks at what they were told; where many pages have to be read
    first, that is left to a worker."""
    with reading(app.engine) as connection:
        waiting = entries.waiting(connection)
    if waiting and catch_up(app, SOON) < SOON:
        tell(app)


def tell_of_tasks(app: AppContext) -> int:
    """Tells people of their tasks that are due; how much was new."""
    now = app.clock()
    today = now.date()
    with writing(app.engine) as connection:
        found = entries.due(connection, today - DUE_SINCE, today + DUE_WITHIN, MOST_DUE)
        new = [New(person, None, day, now, [page], None, Why.DUE) for page, day, person in found]
        return _add(app, connection, new)


def _add(app: AppContext, connection: Connection, new: Collection[New]) -> int:
    """Writes down what people are told, and letters for those who are told at once by mail."""
    added = entries.add(connection, new)
    addresses = letters.at_once(connection, {person for _, person in added})
    mailed = [(id_, person) for id_, person in added if person in addresses]
    now = app.clock()
    ids = letters.put(
        connection,
        [NewLetter(person, Letter.AT_ONCE, message_id(), addresses[person], now) for _, person in mailed],
    )
    letters.put_into(connection, [(entry, into) for (entry, _), into in zip(mailed, ids, strict=True)])
    return len(added)


def message_id() -> str:
    """The name of a new mail (RFC 5322, 3.6.4), without brackets: nobody can guess one."""
    return f"{secrets.token_hex(16)}@{site.here().host}"


@dataclass
class _Whom:
    """Who is told of an act: the pages of each, and why."""

    pages: dict[int, set[int]] = field(default_factory=dict)
    why: dict[int, tuple[Why, int | None]] = field(default_factory=dict)

    def add(self, person: int, found: Iterable[int], why: Why, watch: int | None = None) -> None:
        self.pages.setdefault(person, set()).update(found)
        self.why[person] = min(self.why.get(person, (why, watch)), (why, watch), key=lambda each: each[0])


def _of_act(connection: Connection, number: int) -> list[New]:
    act = unshown.logged(connection, number)
    if act is None or act.act in UNTOLD or act.detail.get("undone") in UNTOLD:
        return []
    _follow_categories(connection, number, act)
    found = watches.touched(connection, number)
    homes = {act.volume, *unshown.reached(connection, number), *(each.volume for each in found)}
    whom = _Whom()
    # A volume that was changed, though none of the pages is in it: its title, its contents, a page that left it.
    without = homes - {each.volume for each in found}
    for person, watch in watches.of_volume(connection, without) if without else ():
        whom.add(person, (), Why.VOLUME, watch)
    for each in watches.concerned(connection, found):
        why = Why.OWN if each.kind is None else OF[Watching(each.kind)]
        whom.add(each.person, each.pages, why, each.watch or None)
    _looked_up(connection, whom, found, homes)
    _named(connection, whom, number, act.note if not act.proposed else "", found)
    whom.pages.pop(act.by or 0, None)
    return [
        New(person, number, None, act.at, sorted(pages), act.volume, *whom.why[person])
        for person, pages in whom.pages.items()
    ]


def _follow_categories(connection: Connection, number: int, act: unshown.Logged) -> None:
    """Whoever is told of a category that has another name now is told of it under that; or under its old one again."""
    undoes = unshown.undone(connection, act.volume, number) if act.act == "undo" else []
    for each, back in ((act, False), *((one, True) for one in undoes)):
        facts = each.detail.get("facts") or {}
        if facts.get("of") == "category" or (facts.get("of") == "term" and facts.get("filed")):
            pair = names.key(facts["before"]), names.key(facts["after"])
            old, new = reversed(pair) if back else pair
            watches.follow_category(connection, each.volume, old, new)


def _looked_up(
    connection: Connection, whom: _Whom, found: Collection[Touched], homes: Collection[int]
) -> None:
    """Who asked for a category or a question that one of these pages answers to, as they may read."""
    pages = {each.page for each in found}
    asked = watches.asking(connection, homes) if pages else []
    muted = watches.muted_by(connection, {each.person for each in asked}, pages) if asked else set()
    contexts: dict[int, ReadContext] = {}
    known: dict[tuple[object, ...], set[int]] = {}
    for each in asked:
        if each.person not in contexts:
            actor = people.actor_by_id(connection, each.person)
            contexts[each.person] = ReadContext(connection, actor)
        context = contexts[each.person]
        # What several people with the same rights ask is looked up once.
        key = (each.volume, each.key, each.line, context.reads, context.actor.signed_in)
        if key not in known:
            known[key] = _answering(context, each, pages)
        own = {page for page in known[key] if (each.person, page) not in muted}
        if own:
            whom.add(each.person, own, OF[each.kind], each.watch)


def _answering(context: ReadContext, asked: Asking, pages: Collection[int]) -> set[int]:
    """Which of some pages are filed under what somebody asked for, or answer it."""
    by_id = {volume.id: volume for volume in context.volumes.values()}
    volume = by_id.get(asked.volume) if asked.volume is not None else None
    if asked.volume is not None and volume is None:
        return set()
    if asked.kind is Watching.CATEGORY:
        return ids_under(context, volume, names.key(asked.key)) & set(pages) if volume is not None else set()
    return set(searching.answering(context, volume, asked.line, len(pages), among=pages))


def _named(connection: Connection, whom: _Whom, number: int, note: str, found: Collection[Touched]) -> None:
    """Who is named by the texts or the note of an act, or given a task, anew."""
    said = named_in_note(note)
    by_page: dict[int, Named] = {}
    for texts in unshown.texts_around(connection, number, READ):
        old = read_text(texts.before) if texts.before is not None else None
        by_page[texts.page] = named_in(texts.after, read_text(texts.after), texts.before or "", old)
    handles = {*said.named, *(h for each in by_page.values() for h in (*each.given, *each.named))}
    ids = watches.people(connection, handles)
    for page, each in by_page.items():
        for handles_of, why in ((each.given, Why.GIVEN), (each.named, Why.NAMED)):
            for handle in handles_of & ids.keys():
                whom.add(ids[handle], [page], why)
    for handle in said.named & ids.keys():
        whom.add(ids[handle], [each.page for each in found], Why.NAMED)


def clear_away(app: AppContext, kept: timedelta = timedelta(days=400)) -> None:
    """Lets what people were told long ago go, and letters that are over."""
    before: datetime = app.clock() - kept
    with writing(app.engine) as connection:
        entries.forget(connection, before)
        letters.forget(connection, before)
