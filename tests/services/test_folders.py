"""Folders of page files: read as the language says, imported whole or not at all."""

from __future__ import annotations

import os
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from mokuji.core.base.errors import BadName, Conflict, Missing
from mokuji.core.model.policy import Role
from mokuji.formats.folder import read
from mokuji.services import people
from mokuji.services.app_context import AppContext
from mokuji.services.folders import checking, importing
from mokuji.services.reading import reading
from tests.services.making import texts


def test_a_folder_with_page_files_at_its_top_is_one_volume() -> None:
    wiki = read(
        [("Pump.md", b"x"), ("deep/in/Well.md", b"y"), ("files/no.md", b"z"), (".git/no.md", b"z")], "Guide"
    )
    (volume,) = wiki.volumes
    assert volume.title == "Guide"
    assert [page.title for page in volume.pages] == ["Pump", "Well"]


def test_otherwise_each_folder_is_a_volume_named_by_its_settings() -> None:
    files = [
        (
            "a/volume.yaml",
            b"title: Field guide\nclosed: true\nfront: Pump\nlibraries: [Data]\nsummary: At sea\nlanguage: EN-gb",
        ),
        ("a/Pump.md", b""),
        ("b/Well.md", b""),
        ("loose.txt", b""),
    ]
    one, other = read(files).volumes
    assert (one.title, one.closed, one.front, one.libraries) == ("Field guide", True, "Pump", ("Data",))
    assert (one.language, other.language) == ("en-GB", "")
    assert other.title == "b"


def test_a_language_that_is_none_is_a_problem_with_its_place() -> None:
    wiki = read([("volume.yaml", b"language: german"), ("Pump.md", b"")])
    assert [(problem.path, problem.code) for problem in wiki.problems] == [("volume.yaml", "bad_language")]
    assert wiki.volumes[0].language == ""


def test_the_title_is_in_the_front_matter_or_the_name_of_the_file() -> None:
    files = [
        ("a/x.md", b"---\ntitle: C# / notes\nsummary: s\n---\ntext"),
        ("a/y.md", b"---\ntitle: Only\n---\ntext"),
    ]
    (volume,) = read(files).volumes
    assert [(page.title, page.text) for page in volume.pages] == [
        ("C# / notes", "---\nsummary: s\n---\ntext"),
        ("Only", "text"),
    ]


def test_contents_give_order_and_depth_and_what_they_leave_out_comes_after() -> None:
    contents = (
        "Some words.\n\n- [[Well]]\n  - [[Pump]]\n    - [[Not written]]\n- [[Last]]\n- no name\n- [[well]]\n"
    )
    files = [
        ("a/contents.md", contents.encode()),
        *((f"a/{n}.md", b"") for n in ("Pump", "Well", "Last", "Extra")),
    ]
    wiki = read(files)
    assert wiki.volumes[0].contents == (
        (0, "Well"),
        (1, "Pump"),
        (2, "Not written"),
        (0, "Last"),
        (0, "Extra"),
    )
    assert "two places" in wiki.problems[0].message


def test_what_cannot_be_read_is_said_with_its_path_and_the_rest_is_read() -> None:
    named = {"bad": b"\xff\xfe", "nul": b"x\x00", "good": b"", "GOOD": b"", "..": b""}
    wiki = read([(f"a/{name}.md", data) for name, data in named.items()])
    assert [page.title for page in wiki.volumes[0].pages] == ["GOOD"]
    assert len(wiki.problems) >= 3
    assert all(problem.path.startswith("a/") for problem in wiki.problems)


def test_an_import_brings_volumes_with_contents_and_owner(app: AppContext, tmp_path: Path) -> None:
    (tmp_path / "guide").mkdir()
    (tmp_path / "guide" / "volume.yaml").write_text("title: Field guide\nfront: Pump\n")
    (tmp_path / "guide" / "contents.md").write_text("- [[Pump]]\n  - [[Well]]\n")
    (tmp_path / "guide" / "Pump.md").write_bytes(b"see [[Well]]\r\n")
    (tmp_path / "guide" / "Well.md").write_text("")
    people.add(app, "Wenna", "Wenna Carrow", "seven odd gulls sing", [])
    owner = people.person_id(app, "wenna")
    importing.import_now(app, tmp_path, importing.read_folder(tmp_path), "note", owner=owner)
    token = people.sign_in(app, "wenna", "seven odd gulls sing")
    actor = people.actor_of(app, token)
    assert list(actor.roles.values()) == [Role.OWNER]
    view = reading.open_volume(app, actor, "field-guide")
    assert isinstance(view, reading.PageView)
    assert [(entry.number, entry.title) for entry in view.place.contents.entries] == [
        ("1", "Pump"),
        ("1.1", "Well"),
    ]
    assert texts(app)["Pump"] == "see [[Well]]\r\n"
    with pytest.raises(Conflict):
        importing.import_now(app, tmp_path, importing.read_folder(tmp_path), "again")


def test_an_import_is_done_whole_or_not_at_all(app: AppContext, tmp_path: Path) -> None:
    wiki = read([("good/Pump.md", b""), ("a／b/Well.md", b"")])
    with pytest.raises(BadName):
        importing.import_now(app, tmp_path, wiki, "note")
    assert texts(app) == {}


def test_a_folder_that_is_not_there_is_said(tmp_path: Path) -> None:
    with pytest.raises(Missing, match="no folder"):
        importing.read_folder(tmp_path / "nothing")


def test_passwords_are_checked_and_sessions_end(app: AppContext) -> None:
    people.add(app, "piet", "Piet", "seven odd gulls sing", [])
    assert people.sign_in(app, "piet", "wrong") is None
    assert people.sign_in(app, "nobody", "seven odd gulls sing") is None
    token = people.sign_in(app, "PIET", "seven odd gulls sing")
    assert token is not None
    assert people.actor_of(app, token).handle == "piet"
    assert not people.actor_of(app, token + "x").signed_in
    people.sign_out(app, token)
    assert not people.actor_of(app, token).signed_in


def test_a_session_runs_out(app: AppContext) -> None:
    people.add(app, "piet", "Piet", "seven odd gulls sing", [])
    clock: Any = app.clock
    token = people.sign_in(app, "piet", "seven odd gulls sing")
    for _ in range(14):
        assert people.actor_of(app, token).signed_in
        clock.now += people.IDLE_SESSION - timedelta(minutes=10)
    assert people.actor_of(app, token).signed_in
    clock.now += timedelta(hours=20)  # used all the time, but 14 days old
    assert not people.actor_of(app, token).signed_in
    token = people.sign_in(app, "piet", "seven odd gulls sing")
    clock.now += people.IDLE_SESSION + timedelta(minutes=1)
    assert not people.actor_of(app, token).signed_in


def test_an_import_that_is_cut_off_keeps_no_part_of_it(
    app: AppContext, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "files").mkdir()
    (tmp_path / "Pump.md").write_text("![a](lamp.txt)", encoding="utf-8")
    (tmp_path / "files" / "lamp.txt").write_text("words", encoding="utf-8")
    (tmp_path / "sources.json").write_text('[{"id": "a", "title": "A"}]', encoding="utf-8")
    wiki = importing.read_folder(tmp_path)

    def cut_off(*_: object) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr("mokuji.services.writing.sources.put_all", cut_off)
        with pytest.raises(KeyboardInterrupt):
            importing.import_now(app, tmp_path, wiki, "note")
    assert texts(app) == {}
    assert importing.import_now(app, tmp_path, wiki, "note") == ()
    assert set(texts(app)) == {"Pump"}


def test_a_pipe_and_a_name_that_is_no_utf_8_are_said_and_hold_nothing_up(tmp_path: Path) -> None:
    (tmp_path / "Pump.md").write_text("Fine.", encoding="utf-8")
    os.mkfifo(tmp_path / "Pipe.md")
    (Path(os.fsdecode(os.fsencode(tmp_path) + b"/Caf\xe9.md"))).write_text("x", encoding="utf-8")
    found = checking.check(tmp_path)
    said = {(problem.path, problem.code) for problem in found.problems}
    assert {("Pipe.md", "not_readable"), ("Caf\\xe9.md", "file_name")} <= said
    for problem in found.problems:
        str(problem).encode()


def test_nothing_is_imported_while_something_would_be_left_out_unknown(
    app: AppContext, tmp_path: Path
) -> None:
    for path, data in {
        "Pump.md": b"[[Well]]",
        "bad.md": b"\xff",
        "photo.png": b"x",
        "files/deep/lamp.txt": b"words",
        "files/empty.png": b"",
        "deep/files/lost.md": b"x",
        "notes.yaml": b"a: 1",
        "volume.yaml": b"title: Sea",
        ".hidden/x.md": b"",
        "sources.bib": b"@misc{a, title={A}}",
    }.items():
        (tmp_path / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / path).write_bytes(data)
    (tmp_path / "out.md").symlink_to("/etc/hostname")
    (tmp_path / "linked").symlink_to("/etc")
    wiki = importing.read_folder(tmp_path)
    with pytest.raises(importing.NotWhole) as refused:
        importing.import_now(app, tmp_path, wiki, "note")
    named = {problem.path for problem in refused.value.problems}
    lost = {"deep/files/lost.md", "notes.yaml", "linked", "out.md"}
    assert named == {"bad.md", "photo.png", "files/deep/lamp.txt", "files/empty.png", *lost}
    assert texts(app) == {}
    left = importing.import_now(app, tmp_path, wiki, "note", leave_out=True)
    assert {problem.path for problem in left} == named
    assert set(texts(app)) == {"Pump"}
