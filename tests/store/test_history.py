"""After any history of saves and acts all that is kept beside the texts is what the texts say."""

from __future__ import annotations

import re
from contextlib import suppress
from itertools import count
from typing import Any

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    RuleBasedStateMachine,
    initialize,
    invariant,
    precondition,
    rule,
    run_state_machine_as_test,
)
from sqlalchemy import Connection, Engine, text

from mokuji.acts import doing, requests
from mokuji.core.base import names
from mokuji.core.base.errors import MokujiError
from mokuji.core.language.scan import read_text
from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.reading import reading
from mokuji.services.writing import writing
from mokuji.store import exchanged, page_index, people
from mokuji.store.database import writing as writing_transaction
from mokuji.store.index import recount
from mokuji.store.snapshot import load_volumes
from tests.application import TestClient, application
from tests.copies import Clock
from tests.store.filling import empty, index_anew, indexes
from tests.wikis import TITLES

VOLUMES = ["Guide", "Data sheet"]
NAMES = [*TITLES[:8], "Depth sensor"]
TEXTS = [
    "See [[Pump]] and [[pump house#Limits|limits]].\n\n## Limits\n",
    "---\naliases: [Sea trial, Lid]\n---\n[[Guide/Pump]] [[lid]]\n",
    "[[=Depth sensor]] [[/Data sheet/Pump]] [[#Limits]]\n",
    "## At the [[Pump]]\n\n[[Pump#At the Pump]]\n",
    "---\ncategories: [Power]\ngives: [Notices]\n---\nno reference, tried #at-sea\n",
    "[[Data sheet/Depth sensor]] [[A/B]] [[Depth sensor]]\n",
]
PAGES = text(
    "SELECT v.key, p.key FROM page p JOIN volume v ON v.id = p.volume WHERE v.deleted_by IS NULL ORDER BY p.id"
)
FRESH = re.compile(r'nonce="[^"]+"')
UPKEEP = ("volume_size", "led", "orphan", "asked", "unplaced")


def _rows(connection: Connection) -> dict[str, list[Any]]:
    return {
        table: sorted(tuple(map(str, row)) for row in connection.execute(text(f"SELECT * FROM {table}")))
        for table in UPKEEP
    }


class Histories(RuleBasedStateMachine):
    """Random histories through the same use cases that people use; every act may be refused, none may break."""

    engine: Engine

    def __init__(self) -> None:
        super().__init__()
        self.app = AppContext(self.engine, b"a key for tests only", clock=Clock())
        with writing_transaction(self.engine) as connection:
            for table in ("stale", *UPKEEP, "trash", "former", "former_volume"):
                connection.execute(text(f"DELETE FROM {table}"))
            connection.execute(text("DELETE FROM membership"))
            empty(connection)
            connection.execute(text("DELETE FROM volume"))
            connection.execute(text("DELETE FROM person"))
        with writing_transaction(self.engine) as connection:
            self.person = people.add_person(connection, "wenna", "Wenna", "", "none")
        self.steps: list[int] = []
        self.turns = count()

    @property
    def actor(self) -> Actor:
        with writing_transaction(self.engine) as connection:
            return people.actor_by_id(connection, self.person)

    def keys(self) -> list[str]:
        with self.engine.connect() as connection:
            return sorted(load_volumes(connection))

    @initialize(many=st.sampled_from([1, 50]))
    def volumes(self, many: int) -> None:
        # With 1 a name's own row is changed wherever all of its uses are, as for names that many pages use.
        exchanged.MANY_USES = many
        for title in VOLUMES:
            self.do(requests.CreateVolume(title))
        # Most acts of a wiki without pages are refused.
        for volume in VOLUMES:
            for title, body in zip(NAMES, TEXTS, strict=False):
                self.save(volume, title, body)

    def do(self, wish: requests.Request) -> None:
        """Plans an act, and does it if it can be done."""
        with suppress(MokujiError):
            view = doing.plan(self.app, self.actor, wish)
            if view.can_be_done:
                done = doing.apply(self.app, self.actor, wish, view.digest)
                assert isinstance(done, doing.Applied), "what was planned is done, as nobody came between"
                self.steps.append(done.change_set)

    @rule(volume=st.sampled_from(VOLUMES), title=st.sampled_from(NAMES), body=st.sampled_from(TEXTS))
    def save(self, volume: str, title: str, body: str) -> None:
        with suppress(MokujiError):
            place = writing.open_for_edit(self.app, self.actor, volume, title)
            writing.save(
                self.app, self.actor, writing.Save(volume, title, body, revision=place.revision, follow=True)
            )

    @rule(
        volume=st.sampled_from(VOLUMES),
        page=st.sampled_from(NAMES),
        title=st.sampled_from(NAMES),
    )
    def rename(self, volume: str, page: str, title: str) -> None:
        self.do(requests.Rename(volume, page, title, keep_alias=len(title) > 6))

    @rule(volume=st.sampled_from(VOLUMES), page=st.sampled_from(NAMES), to=st.sampled_from(VOLUMES))
    def move(self, volume: str, page: str, to: str) -> None:
        self.do(requests.Move(volume, page, to))

    @rule(volume=st.sampled_from(VOLUMES), page=st.sampled_from(NAMES), under=st.sampled_from(["", *NAMES]))
    def place(self, volume: str, page: str, under: str) -> None:
        self.do(requests.Place(volume, page, under))

    @rule(volume=st.sampled_from(VOLUMES), lost=st.integers(0, 3))
    def drop_from_contents(self, volume: str, lost: int) -> None:
        with suppress(MokujiError):
            lines = reading.contents_text(self.app, self.actor, volume).splitlines(keepends=True)
            flat = [line.lstrip() for n, line in enumerate(lines) if n != lost]
            self.do(requests.Contents(volume, "".join(flat)))

    @rule(volume=st.sampled_from(VOLUMES), page=st.sampled_from(NAMES), into=st.sampled_from(NAMES))
    def merge(self, volume: str, page: str, into: str) -> None:
        self.do(requests.Merge(volume, page, into))

    @rule(volume=st.sampled_from(VOLUMES), page=st.sampled_from(NAMES), title=st.sampled_from(NAMES))
    def split(self, volume: str, page: str, title: str) -> None:
        self.do(requests.Split(volume, page, 0, title, leave="insert"))

    @rule(volume=st.sampled_from(VOLUMES), page=st.sampled_from(NAMES), into=st.sampled_from(NAMES))
    def join(self, volume: str, page: str, into: str) -> None:
        self.do(requests.Join(volume, page, into))

    @rule(
        volume=st.sampled_from(VOLUMES),
        page=st.sampled_from(NAMES),
        start=st.integers(0, 40),
        length=st.integers(1, 60),
        title=st.sampled_from(NAMES),
    )
    def extract(self, volume: str, page: str, start: int, length: int, title: str) -> None:
        self.do(requests.Extract(volume, page, start, start + length, title))

    @rule(volume=st.sampled_from(VOLUMES), page=st.sampled_from(NAMES), trash=st.booleans())
    def inline(self, volume: str, page: str, trash: bool) -> None:
        self.do(requests.InlineEverywhere(volume, page, trash))

    @rule(
        volume=st.sampled_from(VOLUMES),
        page=st.sampled_from(NAMES),
        branch=st.booleans(),
        references=st.sampled_from(["leave", "words"]),
    )
    def delete(self, volume: str, page: str, branch: bool, references: Any) -> None:
        self.do(requests.Delete(volume, page, branch, references))

    @rule(data=st.data())
    def restore(self, data: st.DataObject) -> None:
        with self.engine.connect() as connection:
            ids = list(connection.execute(text("SELECT page FROM trash ORDER BY page")).scalars())
        if ids:
            self.do(requests.Restore((data.draw(st.sampled_from(ids)),)))

    @rule(volume=st.sampled_from(VOLUMES), libraries=st.lists(st.sampled_from(VOLUMES), unique=True))
    def libraries(self, volume: str, libraries: list[str]) -> None:
        self.do(requests.Libraries(volume, tuple(libraries)))

    @rule(volume=st.sampled_from(VOLUMES))
    def delete_volume(self, volume: str) -> None:
        self.do(requests.DeleteVolume(volume))

    @rule(volume=st.sampled_from([*VOLUMES, "A"]), title=st.sampled_from([*VOLUMES, "A"]))
    def rename_volume(self, volume: str, title: str) -> None:
        self.do(requests.RenameVolume(volume, title))

    @precondition(lambda self: self.steps)
    @rule(data=st.data())
    def undo(self, data: st.DataObject) -> None:
        self.do(requests.Undo(data.draw(st.sampled_from(self.steps[-4:]))))

    @invariant()
    def pages_that_are_kept_are_what_would_be_laid_out(self) -> None:
        with self.engine.connect() as connection:
            pages = connection.execute(PAGES).all()
        if not pages:
            return
        # Those that were there first have been kept longest.
        at = next(self.turns) % min(3, len(pages))
        address = names.address(*pages[at])
        kept, anew = (
            TestClient(application(app), base_url="http://mokuji.test").get(address)
            for app in (self.app, AppContext(self.engine, self.app.secret, clock=self.app.clock))
        )
        assert (kept.status_code, FRESH.sub("", kept.text)) == (anew.status_code, FRESH.sub("", anew.text))

    @invariant()
    def all_that_is_kept_is_what_the_texts_say(self) -> None:
        refresh(self.app)
        with self.engine.connect() as connection:
            step_by_step = _rows(connection)
            recount.recount(connection)
            assert step_by_step == _rows(connection)
            connection.rollback()
        with self.engine.connect() as connection:
            while page_index.catch_up(connection, read_text):
                pass  # search words are made when somebody searches
            kept = indexes(connection)
            index_anew(connection)
            assert kept == indexes(connection)
            connection.rollback()


def test_after_any_history_the_state_is_that_from_scratch(engine: Engine) -> None:
    Histories.engine = engine
    usual = exchanged.MANY_USES
    try:
        run_state_machine_as_test(Histories, settings=settings(max_examples=8, stateful_step_count=14))
    finally:
        exchanged.MANY_USES = usual
