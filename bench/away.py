"""What it costs to take a volume away as files and to bring it back, beside ``cp -r`` of the same files and a bare
COPY of the same texts into PostgreSQL. ``python -m bench.away``."""

from __future__ import annotations

import argparse
import resource
import shutil
import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path

from bench.clock import once, said, show
from bench.views import owner
from bench.wiki import build
from mokuji.acts import doing
from mokuji.acts.requests import BringBack, Undo
from mokuji.acts.view import Applied
from mokuji.adapters import pandoc
from mokuji.adapters.cluster import Cluster, database_url
from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.folders import brought, exporting
from mokuji.services.folders.importing import import_now, read_folder
from mokuji.services.hosting import settle
from mokuji.services.publishing import chapters, taking_away
from mokuji.services.publishing.chapters import LeftBehind, Reach, Reading, chosen
from mokuji.services.publishing.forms import Asked, Form
from mokuji.store.database import connect, create_database, migrate, reading

CHANGED = 200
"""Number of files that are worked on."""


def main() -> None:
    """One run."""
    settle()
    parser = argparse.ArgumentParser(prog="bench.away", description=__doc__)
    parser.add_argument("--pages", type=int, default=10_000, help="how many pages the volume has")
    pages = parser.parse_args().pages
    home = Path(tempfile.mkdtemp(prefix="mokuji-bench-"))
    home.chmod(0o755)
    disk = Path(
        tempfile.mkdtemp(prefix="mokuji-bench-", dir="/dev/shm" if Path("/dev/shm").is_dir() else None)
    )
    try:
        with Cluster(home / "home").running() as server:
            for name in ("from", "into"):
                create_database(server, name)
            engine = connect(database_url(server, "from"))
            migrate(engine)
            into = connect(database_url(server, "into"))
            migrate(into)
            build(engine, pages, in_volumes=1)
            _run(AppContext(engine, b"a key for measures only"), AppContext(into, b"another key"), disk)
            engine.dispose()
            into.dispose()
    finally:
        shutil.rmtree(home, ignore_errors=True)
        shutil.rmtree(disk, ignore_errors=True)


def _run(app: AppContext, empty: AppContext, disk: Path) -> None:
    actor = owner(app)
    key = _volume(app)
    out = disk / "out"

    def export() -> None:
        with exporting.wiki_files(app, [key]) as found:
            exporting.write_folder(found, out)

    exported = once(export)
    copied = once(lambda: subprocess.run(["cp", "-r", str(out), str(disk / "copy")], check=True))
    bare = once(lambda: _copy(app, empty))
    imported = once(lambda: import_now(empty, out, read_folder(out), "bench"))
    slower = "cp -r of the files" if copied > bare else "COPY of the texts"
    times = {"cp -r of the files": copied, "COPY of the texts": bare}
    times |= {"taken away as a folder": exported, "brought into an empty wiki": imported}
    show({name: [seconds] for name, seconds in times.items()}, slower)
    files = sorted(path for path in out.rglob("*.md") if path.name != "contents.md")
    for path in files[:CHANGED]:
        path.write_text(path.read_text() + "\nA line of the boat.\n")
    _forms(app, actor, key, len(files))
    numbers: list[int] = []
    _told(
        "a folder that comes back, received",
        lambda: numbers.append(brought.receive_folder(app, actor, key, out)),
    )
    asked = BringBack(key, numbers[0])
    digests: list[str] = []
    _told(
        f"its plan, {CHANGED} of {len(files)} changed",
        lambda: digests.append(doing.plan(app, actor, asked).digest),
    )
    done: list[Applied] = []

    def apply() -> None:
        made = doing.apply(app, actor, asked, digests[0])
        assert isinstance(made, Applied)
        done.append(made)

    _told("taken in", apply)
    _told("taken back", lambda: doing.apply(app, actor, Undo(done[0].change_set), None))
    print(
        f"  memory of this process at most {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB"
    )


def _forms(app: AppContext, actor: Actor, key: str, number: int) -> None:
    """The same volume as what other programs read, beside reading each of its pages."""
    whole = Asked(key)

    def all_of(form: Form, asked: Asked = whole) -> None:
        with taking_away.written(app, actor, asked, form) as made:
            for _ in made.files:
                pass

    def read() -> None:
        with reading(app.engine) as connection:
            context = ReadContext(connection, actor)
            what = chosen(context, key, "", Reach.VOLUME, most=number)
            for _ in chapters.read(app, context, what, Reading(lambda *_: "", lambda *_: None), LeftBehind()):
                pass

    bare, as_files = once(read), once(lambda: all_of(Form.COMMONMARK))
    show({f"{number} pages read": [bare], "written as CommonMark": [as_files]}, f"{number} pages read")

    def first() -> None:
        parts = taking_away.sent(app, actor, whole, Form.COMMONMARK).parts()
        next(parts)
        parts.close()  # type: ignore[attr-defined]

    _told("until its first bytes leave", first)
    with app.engine.connect() as connection:
        title = connection.exec_driver_sql("SELECT title FROM page ORDER BY id LIMIT 1").scalar_one()
    _told("one page as HTML", lambda: all_of(Form.HTML, Asked(key, str(title), Reach.PAGE)))
    if pandoc.is_there():
        _told("one page as a document", lambda: all_of(Form.DOCX, Asked(key, str(title), Reach.PAGE)))


def _told(what: str, act: Callable[[], object]) -> None:
    print(f"  {what:<58} {said(once(act)):>11}")


def _volume(app: AppContext) -> str:
    with app.engine.connect() as connection:
        return str(connection.exec_driver_sql("SELECT key FROM volume ORDER BY id LIMIT 1").scalar_one())


def _copy(app: AppContext, empty: AppContext) -> None:
    """The same texts, out of one database and into a bare table of another."""
    with app.engine.connect() as source, empty.engine.begin() as target:
        rows = source.exec_driver_sql(
            "SELECT p.title, r.text FROM page p JOIN revision r ON r.page = p.id AND r.number = p.revision"
        ).all()
        target.exec_driver_sql("CREATE TABLE bare (title text, text text)")
        cursor = target.connection.cursor()
        with cursor.copy("COPY bare (title, text) FROM STDIN") as copy:
            for title, text in rows:
                copy.write_row((title, text))


if __name__ == "__main__":
    main()
