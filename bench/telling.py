"""Telling people of changes: what a save costs of which 1,000 people are told, beside one of which nobody is; and an
inbox of 100,000 entries beside one of 100.

``python -m bench.telling`` builds a wiki of its own (``--pages``).
"""

from __future__ import annotations

import argparse
import itertools
from collections.abc import Callable

from sqlalchemy import text

from bench.clock import in_turns, once, said, show
from bench.wiki import running
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext, catch_up
from mokuji.services.hosting import settle
from mokuji.services.telling import delivering, inbox, watching
from mokuji.services.telling.watching import Wanted
from mokuji.services.writing import writing
from mokuji.store import people
from mokuji.store.database import reading
from mokuji.store.database import writing as writing_transaction

TOLD = 1_000
ENTRIES = 100_000
AT_ONCE = 10_000
FILL = """WITH new AS (
    INSERT INTO change_set (act, volume, page, author, at)
        SELECT 'edit', 1, 1 + n % 900, :author, now() - interval '1 year' + n * interval '1 minute'
        FROM generate_series(1, :number) n RETURNING id, page, at)
INSERT INTO told (person, change_set, at, pages, why)
    SELECT :reader, id, at, ARRAY[page], 3 FROM new"""


def _person(app: AppContext, handle: str) -> Actor:
    with writing_transaction(app.engine) as connection:
        id_ = people.add_person(connection, handle, handle.title(), "", "no password")
        people.set_role(connection, id_, 1, Role.WRITER)
        return people.actor_by_id(connection, id_)


def _saver(app: AppContext, actor: Actor, volume: str, title: str) -> Callable[[], object]:
    """What saves a page with another text each time."""
    with reading(app.engine) as connection:
        asked = text(
            """SELECT p.revision, r.text FROM page p JOIN revision r ON r.page = p.id AND r.number = p.revision
            JOIN volume v ON v.id = p.volume WHERE v.key = :volume AND p.title = :title"""
        )
        revision, body = connection.execute(asked, {"volume": volume, "title": title}).one()
    numbers = itertools.count(revision)

    def save() -> object:
        number = next(numbers)
        wanted = writing.Save(volume, title, f"{body}\n\nMore, {number}.", revision=number)
        return writing.save(app, actor, wanted)

    return save


def run(app: AppContext, volume: str, turns: int = 60) -> None:
    """Prints the figures of a wiki that is there."""
    writer, reader, other = (_person(app, handle) for handle in ("writer", "reader", "other"))
    for number in range(TOLD):
        watching.watch(app, _person(app, f"told{number}"), Wanted("page", volume, "Part 7"))
    nobody, everybody = _saver(app, writer, volume, "Part 8"), _saver(app, writer, volume, "Part 7")
    while catch_up(app, 500) or delivering.tell(app):
        pass
    print("\nA save\n")
    base = "of which nobody is told"
    show(in_turns({base: nobody, f"of which {TOLD:,} are told": everybody}, turns=turns), base)
    while catch_up(app, 500) or delivering.tell(app):
        pass
    everybody()
    print(f"\n  telling {TOLD:,} people of one act, by a worker: {said(once(lambda: delivering.tell(app)))}")
    for actor in (reader, other):
        watching.watch(app, actor, Wanted("volume", volume))
    for actor, number in ((reader, 100), *((other, AT_ONCE) for _ in range(ENTRIES // AT_ONCE))):
        with writing_transaction(app.engine) as connection:
            values = {"author": writer.person, "reader": actor.person, "number": number}
            connection.execute(text(FILL), values)
    for _ in range(60):
        nobody()
    while catch_up(app, 500) or delivering.tell(app):
        pass
    with app.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text("VACUUM ANALYZE told"))
    print("\nAn inbox, opened\n")
    base = "of 160 entries"
    opened = {
        base: lambda: inbox.inbox(app, reader),
        f"of {ENTRIES:,} entries": lambda: inbox.inbox(app, other),
    }
    show(in_turns(opened, turns=turns), base)


def main() -> None:
    """One run."""
    settle()
    parser = argparse.ArgumentParser(prog="bench.telling", description=__doc__)
    parser.add_argument("--pages", type=int, default=5_000, help="how many pages the wiki has")
    arguments = parser.parse_args()
    with running(arguments.pages) as (app, built):
        run(app, built.volumes[0])


if __name__ == "__main__":
    main()
