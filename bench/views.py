"""Views and look-ups in a large wiki, against a bare route that reads one row."""

from __future__ import annotations

import gzip
import logging
import statistics
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from html.parser import HTMLParser
from itertools import count

import httpx2
import structlog
import uvicorn
from fastapi import FastAPI
from fastapi.responses import Response
from sqlalchemy import text

from bench.clock import in_turns, show
from bench.wiki import Built
from mokuji.acts import doing, requests
from mokuji.core.base import names
from mokuji.core.language.scan import scan
from mokuji.core.model.policy import Actor, Role
from mokuji.server import create_app
from mokuji.services import passwords, people
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.writing import writing
from mokuji.store import people as stored_people
from mokuji.store.database import asking, reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.index import to_mend
from mokuji.web.pages import SESSION

PASSWORD = "for measures only"
ROW = text(
    """SELECT r.text FROM page p JOIN revision r ON r.page = p.id AND r.number = p.revision
    WHERE p.volume = 1 AND p.key = 'part 7'"""
)


def serve(web_app: FastAPI) -> tuple[uvicorn.Server, str]:
    """Serves an application in a thread of its own; its address."""
    server = uvicorn.Server(uvicorn.Config(web_app, port=0, log_level="error", access_log=False))
    threading.Thread(target=server.run, daemon=True).start()
    while not server.started:
        pass
    return server, f"http://127.0.0.1:{server.servers[0].sockets[0].getsockname()[1]}"


def run(small: AppContext, little: Built, app: AppContext, wiki: Built) -> None:
    """Prints the figures of a small wiki and of a large one, asked in turns: a machine is not equally quick at all
    times."""
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.ERROR))
    with _served(small, little) as few, _served(app, wiki) as many:
        taken = in_turns(
            {
                (size, name): ask
                for size, asks in (("few", few), ("many", many))
                for name, ask in asks.items()
            },
            turns=40,
        )
        before = {name: taken["few", name] for name in few}
        after = {name: taken["many", name] for name in many}
        base = next(iter(few))
        print(f"\nA wiki of {len(little.texts):,} pages\n")
        show(before, base)
        print(f"\nA wiki of {len(wiki.texts):,} pages in {len(wiki.volumes)} volumes\n")
        show(after, base)
        print(f"\n  Against {len(little.texts):,} pages:")
        for name in few:
            ratio = statistics.median(after[name]) / statistics.median(before[name])
            print(f"  {name:<58} {'':>23}   × {ratio:.2f}")
        print()
        for name in ("the same while nothing is written", "view of the hub"):
            answer = many[name]()
            assert isinstance(answer, httpx2.Response)
            _weigh(name, answer.text)
        print()
        show(
            in_turns({base: many[base], "plan of renaming the hub": _planned(app, wiki)}, turns=3, warm=1),
            base,
        )
    _saves(app, wiki)


OF_A_VOLUME = (
    "a bare route that reads one row",
    "save of another page of the volume of the next",
    "view of a page of 9 KB with 60 references, right after it",
    "the same, by somebody who is signed in",
    "the same while nothing is written",
    "the same, laid out for the first time",
)


def of_one_volume(app: AppContext, wiki: Built) -> None:
    """Prints what a view takes in a volume that holds the whole wiki."""
    with _served(app, wiki) as asks:
        print(f"\nA wiki of {len(wiki.texts):,} pages in one volume\n")
        show(in_turns({name: asks[name] for name in OF_A_VOLUME}, turns=40), OF_A_VOLUME[0])


class _Elements(HTMLParser):
    """Counts elements, and those of the contents among them."""

    def __init__(self) -> None:
        super().__init__()
        self.all = self.rows = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.all += 1
        self.rows += "data-key" in dict(attrs)


def _weigh(name: str, html: str) -> None:
    """Prints what a page weighs."""
    counted = _Elements()
    counted.feed(html)
    data = html.encode()
    print(
        f"  {name}: {len(data):,} bytes ({len(gzip.compress(data)):,} packed), {counted.all:,} elements, "
        f"{counted.rows} entries of contents"
    )


def serve_with_bare(app: AppContext) -> tuple[uvicorn.Server, str]:
    """Serves a wiki, and beside it the bare route that all is compared with."""
    web_app = create_app(app, ["testserver", "127.0.0.1"])

    def bare() -> Response:
        # Not ended with a ROLLBACK, at which the driver forgets what it prepared for the views.
        with asking(app.engine) as connection:
            return Response(connection.execute(ROW).scalar_one())

    # In front of the routes that take every address.
    web_app.add_api_route("/healthz/one-row", bare)
    web_app.router.routes.insert(0, web_app.router.routes.pop())
    return serve(web_app)


@contextmanager
def _served(app: AppContext, wiki: Built) -> Iterator[dict[str, Callable[[], object]]]:
    """What is asked of a wiki, over HTTP."""
    server, address = serve_with_bare(app)
    client = httpx2.Client(base_url=address, timeout=60)

    def get(path: str, headers: dict[str, str] | None = None) -> Callable[[], object]:
        def ask() -> object:
            done = client.get(path, headers=headers)
            assert done.status_code == 200, (path, done.status_code)
            return done

        return ask

    volume, page = wiki.page
    hub_volume, hub = wiki.hub
    view = names.address(volume, page)
    numbers = count()

    def anew() -> object:
        # What nobody asked for before is not kept.
        return get(f"{view}?turn={next(numbers)}")()

    signed_in = {"cookie": f"{SESSION}={_session(app)}"}
    try:
        yield {
            "a bare route that reads one row": get("/healthz/one-row"),
            "save of another page of the volume of the next": _another(app, wiki),
            "view of a page of 9 KB with 60 references, right after it": get(view),
            "the same, by somebody who is signed in": get(view, signed_in),
            "the same while nothing is written": get(view),
            "the same, laid out for the first time": anew,
            "view of the hub": get(names.address(hub_volume, hub)),
            "go box: part of a name": get("/-/go?typed=part+49&volume=manual-1"),
            "go box: near spelling": get("/-/go?typed=batery+wel"),
            "completion of a name in the editor": get("/-/names?typed=part+12&volume=manual-1"),
            "find by two words, one rare": get("/-/find?words=battery+gauge"),
            "find by a word that every page holds": get("/-/find?words=gauge"),
            "backlinks of the hub, all places": get("/-/backlinks" + names.address(hub_volume, hub)),
        }
    finally:
        server.should_exit = True


def _session(app: AppContext) -> str:
    """The token of a session of somebody who may do everything."""
    actor = owner(app)
    with writing_transaction(app.engine) as connection:
        stored_people.set_password(connection, actor.person or 0, passwords.kept(PASSWORD))
    token = people.sign_in(app, actor.handle, PASSWORD)
    assert token is not None
    return token


def _another(app: AppContext, wiki: Built) -> Callable[[], object]:
    """Saves a page of the volume of ``wiki.page`` that does not lead to that, nor that to it."""
    actor = owner(app)
    volume, title = wiki.page[0], f"Part {len(wiki.texts) // len(wiki.volumes) - 3}"
    body = wiki.texts[len(wiki.volumes), title]
    revisions = count(1)

    def save() -> object:
        at = next(revisions)
        return writing.save(app, actor, writing.Save(volume, title, f"{body}\n{at}", revision=at))

    return save


def _planned(app: AppContext, wiki: Built) -> Callable[[], object]:
    actor = owner(app)
    volume, page = wiki.hub
    return lambda: doing.plan(app, actor, requests.Rename(volume, page, "Battery compartment"))


def owner(app: AppContext) -> Actor:
    """Somebody who may do everything."""
    with writing_transaction(app.engine) as connection:
        account = stored_people.account(connection, "bench")
        id_ = (
            account.id
            if account
            else stored_people.add_person(connection, "bench", "Bench", "", passwords.kept(PASSWORD))
        )
        for volume in connection.execute(text("SELECT id FROM volume")).scalars().all():
            stored_people.set_role(connection, id_, volume, Role.OWNER)
        return stored_people.actor_by_id(connection, id_)


def _saves(app: AppContext, wiki: Built) -> None:
    actor = owner(app)
    volume, page = wiki.page
    body = wiki.texts[len(wiki.volumes), "Part 5"]
    state = {"revision": 1}

    def save() -> None:
        saved = writing.save(
            app,
            actor,
            writing.Save(volume, page, body + f"\n{state['revision']}", revision=state["revision"]),
        )
        state["revision"] = saved.head.revision

    with app.engine.begin() as connection:
        connection.execute(text("CREATE TABLE IF NOT EXISTS bare (text text)"))

    def floor() -> None:
        scan(body)
        with app.engine.begin() as connection:
            connection.execute(text("INSERT INTO bare VALUES (:text)"), {"text": body})

    def save_and_count() -> None:
        save()
        refresh(app)
        with reading(app.engine) as connection:
            to_mend.counts(connection, 1, list(range(1, 21)))

    print()
    base = "reading its text, and one bare INSERT of it, committed"
    show(
        in_turns(
            {
                base: floor,
                "save of a page of 9 KB with 60 references": save,
                "the same, and the numbers of upkeep after it": save_and_count,
            },
            turns=40,
        ),
        base,
    )
