"""The table of growth: every address that can be read, of pages and of the JSON interface, in wikis of 1,000, 10,000
and 100,000 pages, with as many more files, tasks, volumes, revisions and references on one page.

The routes are those of the application. What takes longer in a larger wiki though it sends no more is listed.
"""

from __future__ import annotations

import argparse
import json
import logging
import re
import shutil
import tempfile
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote

import httpx2
import structlog
from fastapi import FastAPI
from sqlalchemy import Engine, text
from tests.application import routes_of

from bench.clock import said
from bench.views import PASSWORD, owner, serve
from bench.wiki import build
from mokuji.adapters.cluster import Cluster, database_url
from mokuji.server import create_app
from mokuji.services.app_context import AppContext, catch_up, refresh
from mokuji.services.folders import importing
from mokuji.services.hosting import settle
from mokuji.store.database import connect, create_database, migrate
from mokuji.upkeep.reports.registry import REPORTS
from mokuji.web.routes.acts import ON_PAGES, ON_VOLUMES

SIZES = (1_000, 10_000, 100_000)
TURNS = 3
GROWS = 1.2
"""More than so many times as long in the largest wiki as in the smallest is growth."""
SLOW = 1.0
"""What takes more seconds than this is asked twice only."""
OLDER = 10
"""Revisions of each page."""
# As text: rows of a kind that no statement of the product makes, all at once.
REVISIONS = """
INSERT INTO change_set (act, volume, page, at) SELECT 'edit', p.volume, p.id, now() - n * interval '1 hour'
FROM page p, generate_series(1, :older - 1) n;
UPDATE revision SET number = number + :older - 1;
INSERT INTO revision (page, number, change_set, at, title, text, written_in)
SELECT p.id, n, c.id, now(), p.title, 'As it was, ' || n, p.volume
FROM page p JOIN (
    SELECT id, page, row_number() OVER (PARTITION BY page ORDER BY id) AS n FROM change_set WHERE act = 'edit'
) c ON c.page = p.id;
UPDATE page SET revision = revision + :older - 1
"""


@dataclass
class Asked:
    """A wiki of a size, served: how to ask it, and what stands for the parts of addresses in braces."""

    web_app: FastAPI
    client: httpx2.Client
    values: Mapping[str, Sequence[str]]


def _folder(at: Path, size: int) -> None:
    """What a wiki of so many pages holds besides: files, tasks, categories, fields, sources, volumes, and one page with
    a twentieth as many references."""
    holdings = at / "Holdings"
    (holdings / "files").mkdir(parents=True)
    for n in range(size // 50):
        (holdings / "files" / f"drawing {n}.svg").write_text(
            f'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><path d="M0 0h{n}"/></svg>'
        )
    for n in range(max(1, size // 100)):
        tasks = "\n".join(
            f"- [ ] Look at part {n} again, the {k}th time due:2027-03-{1 + k:02}" for k in range(10)
        )
        head = f"---\ncategories: [Kind {n % 20}]\nmaterial: steel {n % 7}\n---\n"
        (holdings / f"Round {n}.md").write_text(
            f"{head}## Tasks\n\n{tasks}\n\n![A drawing](<drawing {n}.svg>) and [^source-{n}].\n"
        )
    wide = ". ".join(f"See [[Manual 1/Part {n}]]" for n in range(1, size // 20 + 1))
    (holdings / "Wide.md").write_text(f"## All\n\n{wide}.\n")
    for n in range(size // 500):
        (at / f"Small {n}").mkdir()
        (at / f"Small {n}" / "Only.md").write_text("One page.\n")
    listed = [{"id": f"source-{n}", "type": "book", "title": f"Book {n}"} for n in range(size // 50)]
    (at / "sources.json").write_text(json.dumps(listed))


def _fill(engine: Engine, size: int, folder: Path) -> AppContext:
    app = AppContext(engine, b"a key for measures only")
    build(engine, size)
    with engine.begin() as connection:
        connection.execute(text("SET LOCAL session_replication_role = replica"))
        for statement in REVISIONS.split(";"):
            connection.execute(text(statement), {"older": OLDER})
    _folder(folder, size)
    importing.import_now(app, folder, importing.read_folder(folder), "", leave_out=True)
    refresh(app)
    while catch_up(app, 1_000):
        pass
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.exec_driver_sql("VACUUM ANALYZE")
    return app


def _asked(app: AppContext) -> Asked:
    web_app = create_app(app, ["testserver", "127.0.0.1"])
    _, address = serve(web_app)
    client = httpx2.Client(base_url=address, follow_redirects=False, timeout=120)
    owner(app)
    token = re.search(r'name="token" value="([\w-]+)"', client.get("/-/sign-in").text)
    assert token is not None
    done = client.post("/-/sign-in", data={"token": token[1], "handle": "bench", "password": PASSWORD})
    assert done.status_code in {200, 303}, done.status_code
    return Asked(web_app, client, _values(app))


def _values(app: AppContext) -> dict[str, Sequence[str]]:
    """What stands for the parts of addresses; ``name`` is of several sorts (``NAMES``)."""
    with app.engine.connect() as connection:
        number = connection.execute(text("SELECT max(id) FROM change_set WHERE act = 'edit'")).scalar_one()
    return {
        "volume": ["manual-1"],
        "page": ["part-5"],
        "number": [str(number)],
        "report": list(REPORTS),
        "key": ["kind-1"],
        "rest": ["nothing"],
    }


NAMES: dict[str, Sequence[str]] = {
    "/-/about-file": ["drawing 1.svg"],
    "/-/file/": ["drawing 1.svg"],
    "/-/source/": ["source-1"],
    "/-/upkeep/": list(REPORTS),
    "/-/plan/": list(ON_PAGES),
    "/-/volume/": list(ON_VOLUMES),
    "/api/v1/sources": ["source-1"],
    "/api/v1/volumes/{volume}/categories": ["kind-1"],
    "/api/v1/volumes/{volume}/file": ["drawing 1.svg"],
}
"""What stands for ``name``, by how a route begins."""
QUERIES = {
    "/-/find": "?words=gauge",
    "/-/go": "?typed=part+4&volume=manual-1",
    "/-/names": "?typed=part+1&volume=manual-1",
    "/-/inserts": "?typed=part+1&volume=manual-1",
    "/-/sections/{volume}": "?typed=part+5",
    "/-/words/{volume}": "?typed=par",
    "/-/written/{volume}": "?names=Part+5",
    "/-/file-names/{volume}": "?typed=draw",
    "/-/category-names/{volume}": "?typed=kin",
    "/-/source-names": "?typed=sour",
    "/-/fields/{volume}": "?field=material",
    "/-/pattern/{volume}": "?name=Wide",
    "/api/v1/find": "?words=gauge",
}
ALSO = (
    "/manual-1/battery-well",
    "/holdings",
    "/holdings/wide",
    "/-/backlinks/manual-1/battery-well",
    "/-/to-mend/holdings/wide",
    "/-/revisions/holdings/wide",
    "/api/v1/volumes/manual-1/backlinks/battery-well",
    "/api/v1/volumes/holdings/pages/wide",
)
"""Pages that many lead to, or that lead to many."""


def _addresses(route: str, values: Mapping[str, Sequence[str]]) -> Iterator[str]:
    """The addresses of a route that are asked for."""
    given = {**values, "name": next((each for start, each in NAMES.items() if route.startswith(start)), [])}
    if any(each in route for each in ("file", "categor", "field", "tasks")):
        given["volume"] = ["holdings"]
    found = [route]
    for part in re.findall(r"\{(\w+)(?::path)?\}", route):
        place = re.compile(rf"\{{{part}(:path)?\}}")
        found = [place.sub(quote(value), each) for each in found for value in given.get(part, ())]
    return (each + QUERIES.get(route, "") for each in found)


def _get(client: httpx2.Client, address: str) -> tuple[float, int, int]:
    """Seconds, status and bytes of an answer."""
    start = time.perf_counter()
    answer = client.get(address)
    return time.perf_counter() - start, answer.status_code, len(answer.content)


def run(asked: Mapping[int, Asked]) -> None:
    """Asks all in turns, and prints what grows."""
    # What there is in the smallest wiki is in the others too.
    least_of_all = asked[min(asked)]
    routes = sorted({path for method, path in routes_of(least_of_all.web_app) if method == "GET"})
    addresses = [
        *dict.fromkeys(each for route in routes for each in _addresses(route, least_of_all.values)),
        *ALSO,
    ]
    grown, slow, other = [], [], []
    for address in addresses:
        best: dict[int, tuple[float, int, int]] = {}
        for turn in range(TURNS + 1):
            for size, one in asked.items():
                taken = _get(one.client, address)
                # The first time makes what is kept from then on.
                if turn and (size not in best or taken < best[size]):
                    best[size] = taken
            if turn and max(seconds for seconds, _, _ in best.values()) > SLOW:
                break
        least, most = best[min(best)], best[max(best)]
        line = "  ".join(f"{said(best[size][0]):>10}" for size in best)
        sent = f"{most[2]:>9,} bytes × {most[2] / max(1, least[2]):.2f}"
        row = f"  {address:<64} {line}  × {most[0] / least[0]:6.2f}  {sent}"
        if {each[1] for each in best.values()} != {200}:
            other.append(f"  {address:<64} {sorted({each[1] for each in best.values()})}")
        elif most[0] > GROWS * least[0] and most[0] / least[0] > GROWS * most[2] / max(1, least[2]):
            grown.append((most[0] / least[0], row))
        slow.append((most[0], row))
    print(
        f"\nOf {len(addresses)} addresses these take longer in the largest wiki, and send no more for it:\n"
    )
    print("\n".join(row for _, row in sorted(grown, reverse=True)))
    print("\nThese take longest there:\n")
    print("\n".join(row for _, row in sorted(slow, reverse=True)[:20]))
    print("\nThese were answered with something else than a page:\n")
    print("\n".join(other))


def main() -> None:
    """Builds the wikis, and asks."""
    settle()
    parser = argparse.ArgumentParser(prog="bench.growth", description=__doc__)
    parser.add_argument("--sizes", type=int, nargs="+", default=SIZES, help="how many pages the wikis have")
    sizes = parser.parse_args().sizes
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.ERROR))
    folder = Path(tempfile.mkdtemp(prefix="mokuji-bench-"))
    folder.chmod(0o755)
    try:
        with Cluster(folder / "home").running() as server, ExitStack() as ends:
            asked: dict[int, Asked] = {}
            for size in sizes:
                create_database(server, f"pages{size}")
                engine = connect(database_url(server, f"pages{size}"))
                ends.callback(engine.dispose)
                migrate(engine)
                asked[size] = _asked(_fill(engine, size, folder / f"folder{size}"))
                print(f"built {size:,} pages", flush=True)
            run(asked)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
