"""What goes out as files comes in again as it was, and holds nothing that may not be read."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services import people
from mokuji.services.app_context import AppContext
from mokuji.services.folders import exporting
from mokuji.services.folders.importing import import_now, read_folder
from mokuji.store import volumes
from mokuji.store.database import reading
from mokuji.store.places import placing
from mokuji.store.snapshot import StoredWiki, load_volumes
from tests.services.making import pages, person, volume

TABLES = {
    "pages": "SELECT v.key, p.key, p.title, r.text FROM page p JOIN volume v ON v.id = p.volume"
    " JOIN revision r ON r.page = p.id AND r.number = p.revision ORDER BY 1, 2",
    "volumes": "SELECT key, title, summary, closed, front, language FROM volume WHERE deleted_by IS NULL ORDER BY 1",
    "files": "SELECT v.key, f.key, f.name, encode(f.hash, 'hex'), f.type FROM file f JOIN volume v ON v.id = f.volume"
    " ORDER BY 1, 2",
    "filings": "SELECT v.key, f.key, f.how, p.key, f.count FROM filing f JOIN page p ON p.id = f.page"
    " JOIN volume v ON v.id = f.volume ORDER BY 1, 2, 3, 4",
    "names": "SELECT v.key, p.key, n.key, u.kind, u.count FROM page_name u JOIN page p ON p.id = u.page"
    " JOIN volume v ON v.id = p.volume JOIN name n ON n.id = u.name ORDER BY 1, 2, 3, 4",
    "styles": "SELECT v.key, h.rules::text FROM house_style h JOIN volume v ON v.id = h.volume ORDER BY 1",
}


def _state(app: AppContext) -> dict[str, object]:
    """What a wiki holds, by names and not by numbers."""
    with reading(app.engine) as connection:
        state: dict[str, object] = {
            name: [tuple(row) for row in connection.exec_driver_sql(asked)] for name, asked in TABLES.items()
        }
        every = load_volumes(connection)
        by_id = {each.id: key for key, each in every.items()}
        state["contents"] = {key: placing.rows(connection, each.id) for key, each in every.items()}
        state["libraries"] = {key: [by_id[n] for n in each.libraries] for key, each in every.items()}
        return state


def test_the_demo_goes_out_and_comes_into_an_empty_wiki_as_it_was(
    demo_app: AppContext, app: AppContext, tmp_path: Path
) -> None:
    with exporting.wiki_files(demo_app) as found:
        number = exporting.write_folder(found, tmp_path / "out")
    assert number > 60
    wiki = read_folder(tmp_path / "out")
    assert wiki.problems == ()
    assert import_now(app, tmp_path / "out", wiki, "back") == ()
    assert _state(app) == _state(demo_app)
    again = io.BytesIO()
    with exporting.wiki_files(app) as found:
        exporting.write_zip(found, again, app.clock())
    with zipfile.ZipFile(again) as archive:
        for path in archive.namelist():
            if not path.startswith(".mokuji-folder/"):
                assert archive.read(path) == (tmp_path / "out" / path).read_bytes(), path


@pytest.fixture
def owner(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Vault", closed=True)
    owner = person(app, "ada", guide=Role.OWNER, vault=Role.OWNER)
    pages(
        app,
        owner,
        "guide",
        {"A/B": "one", "A-C": "---\ntitle: Own\n---\ntwo", "contents": "three", "Alone": "x"},
    )
    pages(app, owner, "vault", {"Heron plan": "heron"})
    doing.apply(app, owner, requests.Contents("guide", "- [[A/B]]\n  - [[Unwritten]]\n"), None)
    doing.apply(app, owner, requests.Libraries("guide", ("vault",)), None)
    with reading(app.engine) as connection:
        assert load_volumes(connection)["guide"].libraries
    return owner


def _zip(app: AppContext, actor: Actor, key: str) -> dict[str, bytes]:
    zipped = exporting.zipped(app, actor, key)
    with zipfile.ZipFile(io.BytesIO(b"".join(zipped.parts()))) as archive:
        assert archive.testzip() is None
        return {name: archive.read(name) for name in archive.namelist()}


def test_a_volume_is_taken_away_by_who_may_read_it(app: AppContext, owner: Actor) -> None:
    reader = person(app, "bo", guide=Role.READER)
    found = _zip(app, reader, "guide")
    assert {path for path in found if path.startswith("Guide/")} == {
        "Guide/volume.yaml",
        "Guide/contents.md",
        "Guide/A-B.md",
        "Guide/A-C.md",
        "Guide/contents (2).md",
        "Guide/Alone.md",
    }
    assert b"eron" not in b"".join(found.values()) and b"ault" not in b"".join(found.values())
    assert b"libraries" in _zip(app, owner, "guide")["Guide/volume.yaml"]
    with pytest.raises(Missing):
        _zip(app, reader, "vault")
    with pytest.raises(Forbidden):
        _zip(app, NOBODY, "guide")


def test_all_volumes_at_once_are_for_owners_of_the_wiki(app: AppContext, owner: Actor) -> None:
    for actor in (owner, person(app, "bo", guide=Role.READER), NOBODY):
        with pytest.raises(Forbidden):
            exporting.zipped_wiki(app, actor)
    people.give_wiki(app, "ada", owns=True)
    whole = people.actor_called(app, "ada")
    with zipfile.ZipFile(io.BytesIO(b"".join(exporting.zipped_wiki(app, whole).parts()))) as archive:
        assert {name.partition("/")[0] for name in archive.namelist()} == {"Guide", "Vault", ".mokuji-folder"}


def test_awkward_pages_come_back(app: AppContext, owner: Actor, tmp_path: Path) -> None:
    with exporting.wiki_files(app, ["guide"]) as found:
        exporting.write_folder(found, tmp_path / "out")
    wiki = read_folder(tmp_path / "out")
    (back,) = wiki.volumes
    with reading(app.engine) as connection:
        id_ = load_volumes(connection)["guide"].id
        ids = connection.exec_driver_sql("SELECT id FROM page WHERE volume = %s", (id_,)).scalars().all()
        kept = {page.head.title: page.text for page in StoredWiki(connection).pages(ids).values()}
        rows = placing.rows(connection, id_)
        assert volumes.cover(connection, id_).front == back.front
    assert {page.title: page.text for page in back.pages} == kept
    assert list(back.contents) == [(row.depth, row.title) for row in rows], "what had no place has none"


def test_nothing_is_written_over_and_nothing_is_left_of_what_failed(
    app: AppContext, owner: Actor, tmp_path: Path
) -> None:
    (tmp_path / "there").mkdir()
    (tmp_path / "there" / "mine.txt").write_text("mine")
    with exporting.wiki_files(app) as found, pytest.raises(Refused, match="not empty"):
        exporting.write_folder(found, tmp_path / "there")

    def broken() -> object:
        yield "Guide/A.md", b"x"
        raise OSError("disk full")

    with pytest.raises(OSError, match="disk full"):
        exporting.write_folder(broken(), tmp_path / "new")  # type: ignore[arg-type]
    with pytest.raises(OSError, match="disk full"):
        exporting.new_zip(broken(), tmp_path / "new.zip", app.clock())  # type: ignore[arg-type]
    assert sorted(path.name for path in tmp_path.iterdir()) == ["there"]
    with pytest.raises(Missing, match="no volume “nowhere”"), exporting.wiki_files(app, ["nowhere"]):
        pass
