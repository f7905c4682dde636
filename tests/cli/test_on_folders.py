"""The commands that work on plain folders: their findings, statuses and files."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner, Result

from mokuji.cli.main import app

GUIDE = {
    "guide/volume.yaml": "title: Guide\nfront: Start # the first page\n",
    "guide/contents.md": "Read in this order.\n\n- [[Start]]\n  - [[Pump]]\n\nLater:\n\n- [[Not written yet]]\n",
    "guide/Start.md": "See [[pump]] and [[Pump#Limits|its limits]].\r\n\r\nAlso [[Data/Sheet]].\r\n",
    "guide/deep/Pump.md": "---\nsummary: It pumps\n---\n## Limits\n\nBack to [[Start]], [[#Limits]].\n",
    "data/Sheet.md": "---\ntitle: Sheet\n---\n| Part | See |\n|---|---|\n| seal | [[Guide/Pump|pump]] |\n",
}


def _write(folder: Path, files: dict[str, str]) -> Path:
    for path, text in files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(text.encode())
    return folder


def _texts(folder: Path) -> dict[str, str]:
    return {
        path.relative_to(folder).as_posix(): path.read_bytes().decode()
        for path in sorted(folder.rglob("*"))
        if path.is_file()
    }


def _run(*words: str | Path) -> Result:
    return CliRunner().invoke(app, [str(word) for word in words])


def _found(folder: Path) -> dict[str, Any]:
    done = _run("check", folder, "--format", "json")
    assert done.exit_code in {0, 1}, done.output
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def test_a_sound_folder_gives_status_0_and_every_reference_with_its_place(tmp_path: Path) -> None:
    folder = _write(tmp_path, GUIDE)
    (folder / "guide/contents.md").write_text("- [[Start]]\n  - [[Pump]]\n")
    assert _run("check", folder).exit_code == 0
    found = _found(folder)
    assert found["pages"] == [
        {"volume": "data", "title": "Sheet", "path": "data/Sheet.md"},
        {"volume": "Guide", "title": "Start", "path": "guide/Start.md"},
        {"volume": "Guide", "title": "Pump", "path": "guide/deep/Pump.md"},
    ]
    assert [
        (r["from"], r["line"], r["column"], r["kind"], r["target"], r["section"], r["resolution"], r["to"])
        for r in found["references"]
    ] == [
        ("data/Sheet.md", 6, 10, "link", "Guide/Pump", None, "page", "guide/deep/Pump.md"),
        ("guide/Start.md", 1, 5, "link", "pump", None, "page", "guide/deep/Pump.md"),
        ("guide/Start.md", 1, 18, "link", "Pump", "Limits", "page", "guide/deep/Pump.md"),
        ("guide/Start.md", 3, 6, "link", "Data/Sheet", None, "page", "data/Sheet.md"),
        ("guide/deep/Pump.md", 6, 9, "link", "Start", None, "page", "guide/Start.md"),
        ("guide/deep/Pump.md", 6, 20, "link", "", "Limits", "page", "guide/deep/Pump.md"),
    ]
    assert found["orphans"] == found["out_of_reach"] == found["unwritten"] == found["problems"] == []


def test_what_is_to_mend_gives_status_1_and_is_named_with_its_place(tmp_path: Path) -> None:
    files = {
        "contents.md": "- [[Start]]\n",
        "Start.md": "é [[Lid]] [[lid]] [[Start#None]] [[=Old/Text]] [[open\n",
        "Alone.md": "[[Island]]\n",
        "Island.md": "[[Alone]]\n",
        "Lost.md": "# Head\n",
    }
    done = _run("check", _write(tmp_path, files), "--format", "json")
    assert done.exit_code == 1
    found = json.loads(done.stdout)
    assert [(r["column"], r["resolution"]) for r in found["references"] if r["from"] == "Start.md"] == [
        (3, "unwritten"),
        (11, "unwritten"),
        (19, "section_missing"),
        (34, "unwritten"),
    ]
    assert found["orphans"] == ["Lost.md", "Start.md"]
    assert found["out_of_reach"] == ["Alone.md", "Island.md", "Lost.md"]
    volume = tmp_path.name
    assert found["unwritten"] == [
        {"volume": volume, "name": "Lid", "references": 2},
        {"volume": volume, "name": "Old/Text", "references": 1},
    ]
    assert [(p["path"], p["line"], p["column"], p["code"]) for p in found["problems"]] == [
        ("Lost.md", 1, 1, "heading_first_level"),
        ("Start.md", 1, 48, "reference_unclosed"),
    ]
    said = _run("check", tmp_path)
    assert said.exit_code == 1
    assert "Start.md:1:3: “Lid” is not written. [unwritten]" in said.stdout
    assert "Start.md:1:19: “Start” has no section “None”. [section_missing]" in said.stdout


def test_two_files_with_one_name_are_a_problem_that_names_both_and_neither_is_lost(tmp_path: Path) -> None:
    files = {"Sea-trial.md": "[[Well]]", "more/sea trial.md": "[[Lid]]", "Well.md": "[[Sea trial]]"}
    found = _found(_write(tmp_path, files))
    (problem,) = found["problems"]
    assert problem["code"] == "name_taken"
    assert "Sea-trial.md" in problem["path"] + problem["message"]
    assert "more/sea trial.md" in problem["path"] + problem["message"]
    assert [page["path"] for page in found["pages"]] == ["Sea-trial.md", "Well.md", "more/sea trial.md"]
    assert [(r["from"], r["to"]) for r in found["references"]] == [
        ("Sea-trial.md", "Well.md"),
        ("Well.md", "Sea-trial.md"),
        ("more/sea trial.md", None),
    ]
    # Which of them is meant cannot be known, so nothing is guessed.
    before = _texts(tmp_path)
    done = _run("rename", tmp_path, "sea trial", "Harbour trial")
    assert done.exit_code == 1 and "more/sea trial.md" in done.output
    assert _texts(tmp_path) == before


@pytest.mark.parametrize("words", [("check", "no/such"), ("rename", "no/such", "a", "b")])
def test_without_a_folder_it_cannot_run(tmp_path: Path, words: tuple[str, ...]) -> None:
    done = _run(words[0], tmp_path / words[1], *words[2:])
    assert done.exit_code == 2 and "is no folder" in done.output
    assert _run("check", tmp_path).exit_code == 2


def test_a_rename_changes_the_page_its_references_contents_and_front_and_nothing_else(tmp_path: Path) -> None:
    folder = _write(tmp_path, GUIDE)
    (folder / "guide/untouched.md").write_text("No reference.\n")
    untouched = (folder / "guide/untouched.md").stat().st_mtime_ns
    plan = _run("rename", folder, "Pump", "Bilge pump", "--plan")
    assert plan.exit_code == 0 and "+See [[bilge pump]] and [[Bilge pump#Limits|its limits]]." in plan.stdout
    assert _texts(folder) == {**GUIDE, "guide/untouched.md": "No reference.\n"}
    assert _run("rename", folder, "Pump", "Bilge pump").exit_code == 0
    assert _texts(folder) == {
        "data/Sheet.md": "---\ntitle: Sheet\n---\n| Part | See |\n|---|---|\n| seal | [[Guide/Bilge pump|pump]] |\n",
        "guide/Start.md": GUIDE["guide/Start.md"]
        .replace("[[pump]]", "[[bilge pump]]")
        .replace("[[Pump#", "[[Bilge pump#"),
        "guide/contents.md": GUIDE["guide/contents.md"].replace("[[Pump]]", "[[Bilge pump]]"),
        "guide/deep/Bilge pump.md": GUIDE["guide/deep/Pump.md"],
        "guide/untouched.md": "No reference.\n",
        "guide/volume.yaml": GUIDE["guide/volume.yaml"],
    }
    assert (folder / "guide/untouched.md").stat().st_mtime_ns == untouched
    assert _run("rename", folder, "Start", "Begin: here").exit_code == 0
    now = _texts(folder)
    assert now["guide/volume.yaml"] == 'title: Guide\nfront: "Begin: here"\n'
    assert now["guide/Begin- here.md"].startswith('---\r\ntitle: "Begin: here"\r\n---\r\nSee')
    assert (
        "[[Begin: here]]" in now["guide/deep/Bilge pump.md"]
        and "- [[Begin: here]]" in now["guide/contents.md"]
    )


def test_a_page_whose_title_is_in_its_front_matter_keeps_its_file(tmp_path: Path) -> None:
    folder = _write(tmp_path, {"p-01.md": "---\n# kept\ntitle: Pump  \nsummary: s\n---\nx [[Pump]]\n"})
    assert _run("rename", folder, "Pump", "C# pump").exit_code == 0
    assert _texts(folder) == {"p-01.md": '---\n# kept\ntitle: "C# pump"\nsummary: s\n---\nx [[C\\# pump]]\n'}


def test_a_rename_to_a_name_that_is_taken_is_refused_and_changes_nothing(tmp_path: Path) -> None:
    folder = _write(tmp_path, GUIDE)
    done = _run("rename", folder, "Guide/Pump", "start")
    assert done.exit_code == 1 and "Start" in done.output
    assert _texts(folder) == GUIDE


def test_a_move_to_another_volume_takes_the_file_along_and_every_reference_follows(tmp_path: Path) -> None:
    folder = _write(tmp_path, GUIDE)
    assert _run("move", folder, "Pump", "--to", "data").exit_code == 0
    now = _texts(folder)
    assert "guide/deep/Pump.md" not in now
    assert "[[Guide/Start]]" in now["data/Pump.md"]
    assert "See [[data/Pump|pump]] and [[data/Pump#Limits|its limits]]" in now["guide/Start.md"]
    assert "[[Pump" not in now["guide/contents.md"]
    assert all(r["resolution"] == "page" for r in _found(folder)["references"])


def test_a_move_in_the_contents_keeps_the_words_between(tmp_path: Path) -> None:
    folder = _write(tmp_path, GUIDE)
    assert _run("move", folder, "Pump", "--after", "Not written yet").exit_code == 0
    assert _texts(folder)["guide/contents.md"] == (
        "Read in this order.\n\n- [[Start]]\n\nLater:\n\n- [[Not written yet]]\n- [[Pump]]\n"
    )


def test_a_merge_leaves_one_page_and_its_references_lead_there(tmp_path: Path) -> None:
    folder = _write(tmp_path, GUIDE)
    assert _run("merge", folder, "Pump", "Start").exit_code == 0
    now = _texts(folder)
    assert "guide/deep/Pump.md" not in now and "## Limits" in now["guide/Start.md"]
    assert "aliases: [Pump]" in now["guide/Start.md"]
    assert "[[Guide/Start|pump]]" in now["data/Sheet.md"]
    assert all(r["resolution"] == "page" for r in _found(folder)["references"])


def test_files_that_lead_out_or_are_no_pages_are_passed_over(tmp_path: Path) -> None:
    outside = _write(tmp_path / "outside", {"Secret.md": "s"})
    folder = _write(
        tmp_path / "in", {"Well.md": "[[Secret]]", ".git/x.md": "", "files/y.md": "", "n.txt": ""}
    )
    (folder / "Secret.md").symlink_to(outside / "Secret.md")
    assert [page["path"] for page in _found(folder)["pages"]] == ["Well.md"]


def test_what_cannot_be_read_is_a_problem_with_its_path(tmp_path: Path) -> None:
    folder = _write(tmp_path, {"Well.md": "fine"})
    (folder / "Bad.md").write_bytes(b"ok\n\xff")
    (problem,) = _found(folder)["problems"]
    assert (problem["path"], problem["code"]) == ("Bad.md", "not_utf8")


TEMPLATE = (
    "---\nslots:\n  volts: {required: true}\n---\n"
    "<!-- part -->\n**${volts}** in the [[pump]]\n<!-- /part -->\nNotes.\n"
)


def test_a_page_is_printed_as_html_with_what_it_inserts(tmp_path: Path) -> None:
    host = "## Supply\n\n[[=Supply | volts: 12 V, [[Data/Sheet]] ]]\n\nSee [[Gone]].\n"
    folder = _write(tmp_path, GUIDE | {"guide/Supply.md": TEMPLATE, "guide/deep/Host.md": host})
    done = _run("render", folder, "Guide/Host")
    assert done.exit_code == 0 and done.stderr == ""
    assert "<strong>12 V, " in done.stdout and "Notes" not in done.stdout
    assert 'href="../../data/Sheet.md"' in done.stdout and 'href="Pump.md"' in done.stdout


def test_what_is_wrong_about_an_insert_is_said_with_its_place_by_render_and_by_check(tmp_path: Path) -> None:
    files = {
        "guide/Supply.md": TEMPLATE,
        "guide/Host.md": "x\n\n- [[=Supply | volt: 12]]\n\n[[=Supply#gone]]\n",
    }
    folder = _write(tmp_path, GUIDE | files)
    done = _run("render", folder, "Host")
    assert done.exit_code == 1 and "◣" not in done.stdout
    said = [
        "guide/Host.md:3:3: “Supply” has no slot “volt”. [slot_unknown]",
        "guide/Host.md:3:3: “Supply” needs a value for “volts”. [slot_missing]",
    ]
    assert done.stderr.splitlines()[:2] == said and "no section or part “gone”" in done.stderr
    checked = _run("check", folder).stdout.splitlines()
    assert set(said) <= set(checked)
    assert "guide/Host.md:5:1: “Supply” has no section “gone”. [section_missing]" in checked


def test_a_list_of_pages_is_printed_with_links_to_their_files(tmp_path: Path) -> None:
    files = {
        "guide/A.md": "---\ncategories: [Parts]\nowner: Ada\n---\n",
        "guide/B.md": "a #parts\n",
        "guide/List.md": "[[=* | category: parts | show: owner]]\n",
    }
    done = _run("render", _write(tmp_path, GUIDE | files), "List")
    assert done.exit_code == 0 and done.stdout.count("<tr>") == 3
    assert 'href="A.md">A</a></td><td>Ada</td>' in done.stdout and 'href="B.md">B</a>' in done.stdout


# ---- said once ------------------------------------------------------------------------

SAID = "Vent the well for {} minutes before the second bolt of its lid is loosened."
ONCE = {
    "guide/Well.md": f"First\r\n\r\n{SAID.format(10)}\r\n\r\nLast #lid-work\r\n",
    "guide/Lid.md": f"---\ncategories: [Lid work] # by hand\n---\n- {SAID.format(2)}\n- x\n",
    "guide/Hull.md": f"{SAID.format(10)}\n\n{SAID.format(10)}\n",
    "guide/Lid work.md": "---\nbroader: [Work]\n---\n",
    "guide/Card.md": "---\nslots:\n  risk: {required: true}\n---\n${risk}!\n",
    "data/Sheet.md": f"> {SAID.format(10)}\n\n[[=Guide/Card | risk: fire]] [[=Guide/Card | rsk: fire]]\n",
}


def test_lines_become_a_template_everywhere_and_come_back_to_the_byte(tmp_path: Path) -> None:
    folder = _write(tmp_path, ONCE)
    words = ("extract", folder, "Guide/Well", "Venting", "--lines", "3", "--slot", "minutes: 10")
    shown = _run(*words, "--plan")
    assert "4 more places could change and stay" in shown.output and _texts(folder) == ONCE
    assert _run(*words, "--everywhere").exit_code == 0
    now = _texts(folder)
    assert now["guide/Venting.md"].startswith("---\r\nslots:\r\n  minutes: {example:")
    assert now["guide/Well.md"] == "First\r\n\r\n[[=Venting | minutes: 10]]\r\n\r\nLast #lid-work\r\n"
    assert "- [[=Venting | minutes: 2]]\n- x" in now["guide/Lid.md"]
    assert now["data/Sheet.md"].startswith("> [[=guide/Venting | minutes: 10]]\n")
    listed = _run("uses", folder, "Venting")
    assert (listed.exit_code, listed.output.count("minutes: 10"), listed.output.count("\n")) == (0, 4, 5)
    assert _run("inline", folder, "Venting", "--remove").exit_code == 0
    assert _texts(folder) == ONCE


def test_lines_that_are_not_there_and_titles_that_are_taken_are_refused(tmp_path: Path) -> None:
    folder = _write(tmp_path, ONCE)
    for lines, title, said in (
        ("3-900", "New", "has 6 lines"),
        ("x", "New", "has 6 lines"),
        ("3", "Lid", "has a page “Lid” already"),
    ):
        done = _run("extract", folder, "Guide/Well", title, "--lines", lines)
        assert done.exit_code == 1 and said in done.output, done.output
    assert _texts(folder) == ONCE


def test_a_category_and_a_slot_of_a_folder_are_renamed_where_they_stand(tmp_path: Path) -> None:
    folder = _write(tmp_path, ONCE)
    assert "--volume" in _run("category", folder, "Lid work", "Lids").output
    assert _run("category", folder, "lid work", "Lids", "--volume", "Guide").exit_code == 0
    assert _run("slot", folder, "Card", "risk", "danger").exit_code == 0
    now = _texts(folder)
    assert "Last #lids\r\n" in now["guide/Well.md"]
    assert "categories: [Lids] # by hand" in now["guide/Lid.md"]
    assert "  danger: {required: true}\n---\n${danger}!" in now["guide/Card.md"]
    assert "[[=Guide/Card | danger: fire]] [[=Guide/Card | rsk: fire]]" in now["data/Sheet.md"]


def test_uses_repeats_and_categories_are_listed(tmp_path: Path) -> None:
    folder = _write(tmp_path, ONCE)
    uses = _run("uses", folder, "Card")
    assert uses.exit_code == 1 and "data/Sheet.md:3: risk: fire" in uses.output
    assert "“Card” has no slot “rsk”." in uses.output
    twice = f"{SAID.format(10)} {SAID.format(10)}"
    _write(folder, {f"data/{title}.md": twice for title in ("More", "Again", "Third")})
    found = _run("repeats", folder)
    assert found.exit_code == 1 and "data/More.md:1" in found.output
    assert "guide/Lid.md" not in found.output
    tree = _run("categories", folder, "--volume", "Guide")
    assert tree.output == "Work  0\n  Lid work  2\n"
    (folder / "data/More.md").unlink()
    assert _run("repeats", folder).exit_code == 0


HOLDING = {
    "guide/One.md": "---\nstatus: draft\n---\n[sheet](limits.txt) as in[^gel]\n\n"
    "- [ ] (A) Order gaskets due:2027-01-02 @wenna\n",
    "guide/Two.md": "---\nstatus: final\nowner: Ada\n---\n- [x] Done\n",
    "guide/files/limits.txt": "12 V\n",
    "sources.bib": "@book{gel, title={Gel batteries}}\n",
}


def test_what_pages_hold_is_renamed_and_listed_from_a_terminal(tmp_path: Path) -> None:
    folder = _write(tmp_path, HOLDING)
    plan = _run("rename-file", folder, "limits.txt", "bounds", "--plan")
    assert "+[sheet](bounds.txt) as in[^gel]" in plan.output and "nothing was written" in plan.output
    assert _texts(folder) == HOLDING
    assert _run("rename-file", folder, "limits.txt", "bounds").exit_code == 0
    assert _run("rename-source", folder, "gel", "ferrar").exit_code == 0
    texts = _texts(folder)
    assert texts["guide/files/bounds.txt"] == "12 V\n" and "guide/files/limits.txt" not in texts
    assert "[sheet](bounds.txt) as in[^ferrar]" in texts["guide/One.md"]
    assert texts["sources.bib"].startswith("@book{ferrar,")
    assert _run("rename-source", folder, "none", "x").exit_code == 2
    listed = _run("tasks", folder).output
    assert listed == "guide/One.md:6: (A) Order gaskets due:2027-01-02 @wenna\n"
    assert _run("tasks", folder, "--format", "todo.txt", "--person", "@wenna").output == (
        "(A) Order gaskets +One due:2027-01-02 to:wenna\n"
    )
    assert "BEGIN:VTODO" in _run("tasks", folder, "--format", "ics").output
    table = _run("fields", folder, "status", "--show", "owner", "--sort", "-title").output
    assert table.splitlines() == [
        "title,status,owner,file",
        "Two,final,Ada,guide/Two.md",
        "One,draft,,guide/One.md",
    ]


def test_plain_markdown_becomes_pages_that_are_checked_and_lead_where_the_links_led(tmp_path: Path) -> None:
    source = tmp_path / "manual"
    (source / "parts").mkdir(parents=True)
    (source / "README.md").write_text(
        "# Manual\n\nSee [the pump](parts/pump.md#open-it) and [gone](gone.md).\n"
    )
    (source / "parts" / "pump.md").write_text("# Pump\n\n## Open it\n\n![Drawing](drawing.svg)\n")
    (source / "parts" / "drawing.svg").write_text("<svg xmlns='http://www.w3.org/2000/svg'/>")
    planned = _run("convert", source, tmp_path / "pages", "--plan")
    assert planned.exit_code == 0 and not (tmp_path / "pages").exists()
    assert "README.md:3: [gone](gone.md) leads to “gone.md”, which is not in the folder." in planned.stdout
    assert (
        "2 pages. Links: references: 1 (0 without their section); to files: 1 (to 1 file);" in planned.stdout
    )
    done = _run("convert", source, tmp_path / "pages")
    assert done.exit_code == 0 and "written" in done.stdout
    manual = tmp_path / "pages" / "manual"
    assert (manual / "Manual.md").read_text() == "See [[Pump#Open it|the pump]] and [gone](gone.md).\n"
    assert (manual / "files" / "drawing.svg").is_file()
    assert (manual / "contents.md").read_text().splitlines()[:2] == ["- [[Manual]]", "- [[parts]]"]
    led = [each for each in _found(tmp_path / "pages")["references"] if each["to"]]
    assert len(led) == 1
    again = _run("convert", source, tmp_path / "pages")
    assert again.exit_code == 1 and "not empty" in again.output
    assert _run("convert", tmp_path / "none", tmp_path / "x").exit_code == 1
