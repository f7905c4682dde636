"""Every act that folders can have is a command made of its request: it shows its plan, and does it."""

from __future__ import annotations

import inspect
import subprocess
import sys
from pathlib import Path

import pytest
from typer.testing import CliRunner, Result

from mokuji.acts import registry
from mokuji.acts.act import Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.folder_registry import ON_FOLDERS
from mokuji.cli.act_commands import asked
from mokuji.cli.listed import ELSEWHERE, WHOLE, Listed, loaded
from mokuji.cli.main import app
from mokuji.services.folders import checking

FILES = {
    "guide/contents.md": "- [[Pump]]\n  - [[Well]]\n    - [[Lid]]\n- [[Log]]\n",
    "guide/Pump.md": (
        "Lead.\n\n## Limits {#lim}\n\nTo 4 bar, see [[Well]].\n\n### Cold\n\nLess.\n\n## Care\n\nOil[^gel].\n"
    ),
    "guide/Well.md": "---\ncategories: [Water]\n---\n[[Pump#Limits]] and [[Pump#Cold|cold]], [[Rope]].\n",
    "guide/Lid.md": "[[Well]], [[pump|its words]].\n",
    "guide/Log.md": "Nothing of the well.\n\n[[=Card | size: 4]]\n",
    "guide/Card.md": "---\nslots: {size: }\n---\nSize ${size}.\n",
    "parts/List.md": "[[guide/Pump#lim]] and [[guide/Well]]; ![](well.png).\n",
    "parts/files/well.png": "picture",
    "sources.json": '[{"id": "gel", "title": "Gel"}]\n',
}
COMMANDS: dict[str, tuple[list[str], str]] = {
    "create": (["Rope", "--volume", "guide", "--under", "Log", "--text", "-"], "+Typed in."),
    "edit": (["Log", "--text", "-"], "+Typed in."),
    "rename": (["Well", "Sump", "--alias", "--everywhere"], "+Nothing of the sump."),
    "names": (["Log", "--add", "Rope"], "led nowhere and leads to a page now"),
    "place": (["Log", "--volume", "guide", "--under", "Pump", "--after", "first"], "+  - [[Log]]"),
    "move": (["List", "--to", "guide"], "parts/files/well.png → guide/files/well.png"),
    "merge": (["Lid", "Log", "--texts", "before", "--no-alias"], "-[[Well]], [[pump|its words]]."),
    "split": (["Pump", "Limits", "--leave", "insert"], "+[[=Limits]]"),
    "join": (["Log", "Pump"], "+## Log"),
    "replace": (["its words", "other words", "--volume", "guide"], "+[[Well]], [[pump|other words]]."),
    "section": (["Pump", "Limits", "Bounds"], "+## Bounds {#lim}"),
    "retarget": (["Rope", "Log", "--volume", "guide"], "[[Log]]"),
    "delete": (["Well", "--references", "retarget", "--to", "Log"], "+[[Log]], [[pump|its words]]."),
    "category": (["Water", "Waters", "--volume", "guide"], "+categories: [Waters]"),
    "slot": (["Card", "size", "width"], "+[[=Card | width: 4]]"),
    "extract": (["Well", "Both", "--lines", "4", "--page"], "+[[=Both]]"),
    "inline": (["Card", "--remove"], "+Size 4."),
    "rename-file": (
        ["well.png", "shaft", "--volume", "parts"],
        "parts/files/well.png → parts/files/shaft.png",
    ),
    "rename-source": (["gel", "gel-2026"], "+Oil[^gel-2026]."),
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for name, text in FILES.items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_text(text)
    return tmp_path


def _run(command: str, folder: Path, *words: str) -> Result:
    return CliRunner().invoke(app, [command, str(folder), *words], input="Typed in.\n")


def _files(folder: Path) -> dict[str, str]:
    return {
        path.relative_to(folder).as_posix(): path.read_text()
        for path in folder.rglob("*.*")
        if path.is_file()
    }


def test_every_act_of_the_registry_that_has_a_command_is_tried_here() -> None:
    assert COMMANDS.keys() == {act.command for act in ON_FOLDERS}
    assert set(map(id, ON_FOLDERS)) == {id(act) for act in registry.ACTS if act.command}


@pytest.mark.parametrize("act", ON_FOLDERS, ids=lambda act: act.command)
def test_an_act_shows_its_plan_and_is_done(act: Act[object, object], folder: Path) -> None:  # type: ignore[type-var]
    words, said = COMMANDS[act.command]
    before = _files(folder)
    planned = _run(act.command, folder, *words, "--plan")
    assert planned.exit_code == 0, planned.output
    assert said in planned.output and "nothing was written" in planned.output
    assert _files(folder) == before
    done = _run(act.command, folder, *words)
    assert done.exit_code == 0 and "changed." in done.output, done.output
    assert _files(folder) != before
    led = [
        reference
        for reference in checking.check(folder).references
        if reference.resolution == "section_missing"
    ]
    assert led == [], "no act leaves a reference to a section behind"


@pytest.mark.parametrize("act", ON_FOLDERS, ids=lambda act: act.command)
def test_what_is_not_there_is_refused_with_a_sentence(act: Act[object, object], folder: Path) -> None:  # type: ignore[type-var]
    words, _ = COMMANDS[act.command]
    before = _files(folder)
    # What is made cannot be missing, but its volume can.
    other = (*words, "--volume", "nowhere") if act.command == "create" else ("No such thing", *words[1:])
    if act.command == "retarget":
        other = ("Rope", "No such thing", *words[2:])
    refused = _run(act.command, folder, *other)
    assert refused.exit_code in (1, 2) and refused.output.strip().endswith(".")
    assert "Traceback" not in refused.output and _files(folder) == before


@pytest.mark.parametrize("act", ON_FOLDERS, ids=lambda act: act.command)
def test_every_option_says_what_it_is_for(act: Act[object, object]) -> None:  # type: ignore[type-var]
    assert [each.field for each in asked(act) if not each.how.help] == []


@pytest.mark.parametrize("act", ON_FOLDERS, ids=lambda act: act.command)
def test_the_plan_of_an_act_for_folders_asks_for_no_more_than_folders_give(act: Act[object, object]) -> None:  # type: ignore[type-var]
    first = next(iter(inspect.signature(act.plan, eval_str=True).parameters.values()))
    assert first.annotation is PlanningContext


def test_a_page_is_moved_in_the_contents_where_no_volume_is_named(folder: Path) -> None:
    assert _run("move", folder, "Log", "--under", "Pump").exit_code == 0
    assert "  - [[Log]]" in (folder / "guide/contents.md").read_text()


def test_the_rows_of_a_plan_are_told_and_taken_all_at_once(folder: Path) -> None:
    told = _run("rename", folder, "Well", "Sump", "--plan").output
    assert "2 more places could change and stay; --everywhere changes them too." in " ".join(told.split())
    assert "of the sump" not in told
    assert _run("rename", folder, "Well", "Sump", "--everywhere").exit_code == 0
    assert "Nothing of the sump." in (folder / "guide/Log.md").read_text()


def test_the_list_of_commands_says_what_the_modules_of_commands_hold() -> None:
    held = {
        name: Listed(module, each.get_short_help_str(WHOLE))
        for module in ("act_commands", "folder_commands")
        for name, each in loaded(module).items()
    }
    assert list(ELSEWHERE.items()) == list(held.items())


def test_a_word_of_help_loads_nothing_of_what_commands_need() -> None:
    program = (
        "import sys; from mokuji.cli.main import app; app(['--help'], standalone_mode=False); "
        "print([each for each in ('pydantic', 'numpy', 'yaml', 'rich', 'mokuji.acts') if each in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=False)
    assert done.stdout.splitlines()[-1:] == ["[]"], done.stderr


@pytest.mark.parametrize(
    "words", [("check",), ("rename", "Well", "Sump", "--plan"), ("tasks",), ("render", "Pump")]
)
def test_what_needs_no_database_does_not_load_its_driver(words: tuple[str, ...], folder: Path) -> None:
    program = (
        "import sys; from mokuji.cli.main import app; app(sys.argv[1:], standalone_mode=False); "
        "print([each for each in ('sqlalchemy', 'alembic', 'psycopg', 'fastapi') if each in sys.modules])"
    )
    command, *rest = words
    done = subprocess.run(
        [sys.executable, "-c", program, command, str(folder), *rest],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.stdout.splitlines()[-1:] == ["[]"], done.stderr
