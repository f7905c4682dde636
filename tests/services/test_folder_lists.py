"""What pages of a plain folder hold: files and sources renamed with all that names them, tasks, fields."""

from __future__ import annotations

from pathlib import Path

import pytest

from mokuji.acts.requests import Move, RenameFile, RenameSource
from mokuji.core.base.errors import Collision, Missing, Refused
from mokuji.services.folders import checking, folder_lists, folder_plan
from tests.outside.test_media import picture
from tests.services.on_folders import planned


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for volume in ("a", "b"):
        (tmp_path / volume / "files").mkdir(parents=True)
    (tmp_path / "a" / "files" / "Lamp.png").write_bytes(picture("PNG"))
    (tmp_path / "a" / "files" / "same.png").write_bytes(picture("PNG"))
    (tmp_path / "b" / "files" / "lamp.png").write_bytes(picture("PNG", (50, 20)))
    (tmp_path / "b" / "files" / "same.png").write_bytes(picture("PNG"))
    (tmp_path / "a" / "One.md").write_bytes(
        b"---\nstatus: draft\nowner: Wenna\n---\n![a](lamp.png) ![s](same.png) so[^gel]\r\n\n"
        b"- [ ] (A) x due:2027-01-02 @wenna\n"
    )
    (tmp_path / "a" / "Two.md").write_text(
        "---\nstatus: final\n---\n[^gel] `[^gel]`\n\n- [ ] y\n- [x] z @wenna\n"
    )
    (tmp_path / "b" / "Other.md").write_text("![b](lamp.png)\n")
    (tmp_path / "sources.json").write_text(
        '[\n  {"id": "gel", "title": "Gel \\"gel\\"",  "note": "gel"}\n]\n'
    )
    return tmp_path


def test_a_file_of_a_folder_is_renamed_with_all_that_names_it(folder: Path) -> None:
    plan = planned(folder, RenameFile("a", "LAMP.png", "mast head"))
    folder_plan.apply(plan)
    assert sorted(path.name for path in (folder / "a" / "files").iterdir()) == ["mast head.png", "same.png"]
    assert (
        (folder / "a" / "One.md")
        .read_bytes()
        .startswith(
            b"---\nstatus: draft\nowner: Wenna\n---\n![a](mast%20head.png) ![s](same.png) so[^gel]\r\n"
        )
    )
    assert (folder / "b" / "Other.md").read_text() == "![b](lamp.png)\n"
    assert not [p for p in checking.check(folder).problems if p.code == "file_missing"]
    with pytest.raises(Collision):
        planned(folder, RenameFile("a", "same.png", "Mast Head"))
    with pytest.raises(Missing):
        planned(folder, RenameFile("a", "none.png", "x"))
    with pytest.raises(Refused):
        planned(folder, RenameFile("", "same.png", "x"))


def test_a_source_of_a_folder_is_renamed_in_its_list_and_where_it_is_cited(folder: Path) -> None:
    folder_plan.apply(planned(folder, RenameSource("", "GEL", "ferrar-2018")))
    assert (folder / "sources.json").read_text() == (
        '[\n  {"id": "ferrar-2018", "title": "Gel \\"gel\\"",  "note": "gel"}\n]\n'
    )
    assert "so[^ferrar-2018]" in (folder / "a" / "One.md").read_text()
    assert (
        (folder / "a" / "Two.md").read_text().startswith("---\nstatus: final\n---\n[^ferrar-2018] `[^gel]`")
    )
    assert not [p for p in checking.check(folder).problems if p.code == "source_missing"]


def test_a_list_in_bibtex_is_renamed_as_well(folder: Path) -> None:
    (folder / "sources.json").unlink()
    (folder / "sources.bib").write_text("@book{gel,\n  title = {gel, gel}}\n@book{other, title={x}}\n")
    folder_plan.apply(planned(folder, RenameSource("", "gel", "new")))
    assert (
        folder / "sources.bib"
    ).read_text() == "@book{new,\n  title = {gel, gel}}\n@book{other, title={x}}\n"


def test_a_page_that_moves_takes_its_files_along(folder: Path) -> None:
    plan = planned(folder, Move("", "One", "b", branch=False))
    folder_plan.apply(plan)
    text = (folder / "b" / "One.md").read_text()
    assert "![a](Lamp-2.png) ![s](same.png)" in text
    assert (folder / "b" / "files" / "Lamp-2.png").read_bytes() == picture("PNG")
    assert (folder / "b" / "files" / "lamp.png").read_bytes() == picture("PNG", (50, 20))
    assert not [p for p in checking.check(folder).problems if p.code == "file_missing"]


def test_tasks_of_a_folder_are_listed_by_day_with_their_places(folder: Path) -> None:
    told = folder_lists.tasks_in(folder)
    assert [(path, line, task.words) for path, line, task in told] == [
        ("a/One.md", 7, "x"),
        ("a/Two.md", 6, "y"),
    ]
    assert [task.words for _, _, task in folder_lists.tasks_in(folder, person="wenna")] == ["x"]
    assert [task.words for _, _, task in folder_lists.tasks_in(folder, done=True)] == ["z"]


def test_fields_of_a_folder_are_a_table(folder: Path) -> None:
    table = folder_lists.table_of(folder, "status", volume="a", columns=("owner",))
    assert [(row.head.title, row.fields["status"]) for row in table.rows] == [
        ("One", "draft"),
        ("Two", "final"),
    ]
    assert table.columns == ("status", "owner") and table.rows[0].fields["owner"] == "Wenna"
    assert len(folder_lists.table_of(folder, "status", volume="a", value="Final").rows) == 1
    with pytest.raises(Missing):
        folder_lists.table_of(folder, "none", volume="a")
