"""Whoever brings something in is killed at any moment: afterwards all of it is there, or nothing."""

from __future__ import annotations

import io
import os
import signal
from collections.abc import Callable
from pathlib import Path

import pytest
from sqlalchemy import event

from mokuji.acts import doing, requests
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.folders import brought, exporting, importing, whole
from mokuji.store.database import connect
from tests.services.making import pages, person, volume
from tests.services.test_whole import everything, taken_away
from tests.store.filling import check_indexes

MOMENTS = 8
"""At so many places among its statements each is killed."""


def _statements(app: AppContext, do: Callable[[AppContext], None], kill_at: int = -1) -> int:
    """Does something in a process of its own, which is killed before one of its statements to the database; how many
    it came to, -1 if it was killed."""
    read, write = os.pipe()
    child = os.fork()
    if child == 0:
        try:
            engine = connect(app.url)
            number = [0]

            def counted(*_: object) -> None:
                if number[0] == kill_at:
                    os.kill(os.getpid(), signal.SIGKILL)
                number[0] += 1

            event.listen(engine, "before_cursor_execute", counted)
            do(AppContext(engine, app.secret, clock=app.clock))
            os.write(write, str(number[0]).encode())
        finally:
            os._exit(0)
    _, status = os.waitpid(child, 0)
    os.close(write)
    said = os.read(read, 20)
    os.close(read)
    assert os.WIFSIGNALED(status) or said, "it failed by itself"
    return -1 if os.WIFSIGNALED(status) else int(said)


def _killed_anywhere(app: AppContext, do: Callable[[AppContext], None], of: int) -> None:
    before = everything(app)
    killed = 0
    for at in sorted({round(n * (of - 1) / (MOMENTS - 1)) for n in range(MOMENTS)}):
        if _statements(app, do, at) != -1:
            break
        killed += 1
        now = everything(app)
        if now != before:
            # What was left to do was counting only.
            assert at > of / 2
            break
    assert killed >= MOMENTS / 2


@pytest.fixture
def ada(app: AppContext) -> Actor:
    volume(app, "Guide")
    ada = person(app, "ada", guide=Role.OWNER)
    pages(app, ada, "guide", {f"Page {n}": f"See [[Page {n + 1}]].\n\n## Part\n" for n in range(6)})
    return ada


def test_an_import_is_whole_or_not_there(
    app: AppContext, other_app: AppContext, ada: Actor, tmp_path: Path
) -> None:
    with exporting.wiki_files(app) as found:
        exporting.write_folder(found, tmp_path / "out")
    wiki = importing.read_folder(tmp_path / "out")

    def bring(to: AppContext) -> None:
        importing.import_now(to, tmp_path / "out", wiki, "", owner=None, author=None)

    with exporting.wiki_files(app) as found:
        exporting.write_folder(found, tmp_path / "again")
    (tmp_path / "again" / "Guide").rename(tmp_path / "again" / "Other")
    number = _statements(other_app, bring)
    assert number > 10
    check_indexes(other_app.engine)
    renamed = tmp_path / "again" / "Other" / "volume.yaml"
    renamed.write_text(renamed.read_text().replace("Guide", "Other"))
    more = importing.read_folder(tmp_path / "again")

    def bring_more(to: AppContext) -> None:
        importing.import_now(to, tmp_path / "again", more, "", owner=None, author=None)

    _killed_anywhere(other_app, bring_more, number)
    check_indexes(other_app.engine)


def test_what_comes_back_is_taken_in_whole_or_waits(app: AppContext, ada: Actor) -> None:
    files = [
        ("guide/Page 1.md", io.BytesIO(b"Changed, and [[New]].")),
        ("guide/New.md", io.BytesIO(b"See [[Page 2]].")),
    ]
    folder = brought.receive_files(app, ada, "guide", files)

    def take_in(to: AppContext) -> None:
        doing.apply(to, ada, requests.BringBack("guide", folder), None)

    _killed_anywhere(app, take_in, 40)
    check_indexes(app.engine)


def test_the_whole_is_there_or_the_wiki_is_still_empty(
    app: AppContext, other_app: AppContext, ada: Actor, tmp_path: Path
) -> None:
    folder = taken_away(app, tmp_path / "out")

    def bring(to: AppContext) -> None:
        whole.bring_whole(to, folder)

    _killed_anywhere(other_app, bring, 60)


def test_a_folder_that_is_written_is_whole_or_not_there(app: AppContext, ada: Actor, tmp_path: Path) -> None:
    for at in (1, 3, 5):
        target = tmp_path / f"out-{at}"

        def write(to: AppContext, target: Path = target) -> None:
            with exporting.wiki_files(to) as found:
                exporting.write_folder(found, target)

        assert _statements(app, write, at) == -1
        assert not target.exists()
    assert _statements(app, write) > 5 and (target / "Guide" / "Page 1.md").is_file()
