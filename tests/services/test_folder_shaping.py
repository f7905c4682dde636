"""Acts on a folder that shape its pages: what the plan says is what the files say afterwards, and references follow."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from mokuji.acts.requests import Create, Delete, Join, Merge, Retarget, Section, Split
from mokuji.core.base.errors import Missing, MokujiError, Refused
from mokuji.core.model.changes import Fate
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.plans.split import Parted
from mokuji.services.folders import checking, folder_plan, folders
from mokuji.services.folders.folder_plan import FolderPlan
from tests.services.on_folders import other_names, planned, section
from tests.services.test_folder_acts import _write
from tests.wikis import TITLES, wikis


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    _files(
        tmp_path,
        {
            "guide/contents.md": "- [[Pump]]\n  - [[Well]]\n    - [[Lid]]\n- [[Log]]\n",
            "guide/Pump.md": (
                "Lead.\n\n## Limits {#lim}\n\nTo 4 bar, see [[Well]].\n\n### Cold\n\nLess.\n\n## Care\n\nOil.\n"
            ),
            "guide/Well.md": "[[Pump#Limits]] and [[Pump#Cold|cold]], [[Rope]].\n",
            "guide/Lid.md": "[[Well]], [[pump|its words]].\n",
            "guide/Log.md": "Nothing.\n",
            "parts/List.md": "[[guide/Pump#lim]] and [[guide/Well]]; ![](well.png).\n",
            "parts/files/well.png": "picture",
        },
    )
    return tmp_path


def _files(folder: Path, texts: dict[str, str]) -> None:
    for name, text in texts.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(text)


def _led(folder: Path) -> list[str]:
    """Where each reference of the folder leads, in order of file and place."""
    return [
        f"{reference.path} → {reference.to or reference.resolution}"
        for reference in checking.check(folder).references
    ]


def _read(folder: Path, name: str) -> str:
    return (folder / name).read_text()


def test_a_section_becomes_a_page_and_references_to_it_follow(folder: Path) -> None:
    folder_plan.apply(planned(folder, Split("", "Pump", section(folder, "Pump", "limits"))))
    assert _read(folder, "guide/Limits.md") == "To 4 bar, see [[Well]].\n\n## Cold\n\nLess.\n"
    assert "[[Limits]]" in _read(folder, "guide/Pump.md") and "## Care" in _read(folder, "guide/Pump.md")
    assert _read(folder, "guide/Well.md") == "[[Limits]] and [[Limits#Cold|cold]], [[Rope]].\n"
    assert _read(folder, "parts/List.md").startswith("[[guide/Limits]]")
    assert "  - [[Limits]]" in _read(folder, "guide/contents.md")


def test_a_section_is_named_by_its_words_its_identifier_or_its_number(folder: Path) -> None:
    for typed in ("Limits", "#lim", "1."):
        facts = planned(folder, Split("", "Pump", section(folder, "Pump", typed), "Bounds")).plan.facts
        assert isinstance(facts, Parted) and facts.section == "Limits" and facts.title == "Bounds"
    with pytest.raises(Missing, match=r"no section “Heat”. It has these: 1. Limits; 2. Cold; 3. Care"):
        section(folder, "Pump", "Heat")
    with pytest.raises(Missing, match="no heading number 9; it has 3"):
        section(folder, "Pump", "9.")
    (folder / "guide" / "Pump.md").write_text("## A\n\n## A\n")
    with pytest.raises(Refused, match=r"Name one by its number: “1.”, “2.”"):
        section(folder, "Pump", "a")
    folder_plan.apply(planned(folder, Section("", "Pump", section(folder, "Pump", "2."), "B")))
    assert _read(folder, "guide/Pump.md") == "## A\n\n## B\n"


def test_a_page_becomes_a_section_of_another_volume_with_its_files(folder: Path) -> None:
    folder_plan.apply(planned(folder, Join("", "List", "guide/Log")))
    assert not (folder / "parts" / "List.md").exists()
    assert _read(folder, "guide/Log.md") == (
        "Nothing.\n\n## List\n\n[[guide/Pump#lim]] and [[guide/Well]]; ![](well.png).\n"
    )
    assert (folder / "guide" / "files" / "well.png").read_text() == "picture"


def test_a_merge_into_another_volume_brings_files_too(folder: Path) -> None:
    folder_plan.apply(planned(folder, Merge("", "List", "guide/Log")))
    assert (folder / "guide" / "files" / "well.png").read_text() == "picture"


def test_a_page_is_deleted_and_references_stay_become_words_or_lead_elsewhere(folder: Path) -> None:
    plan = planned(folder, Delete("", "Well"))
    assert len(plan.plan.lost) == 3
    assert {path for path, text in plan.files.items() if text is None} == {"guide/Well.md"}
    words = planned(folder, Delete("", "Well", references="words"))
    assert words.files["guide/Lid.md"] == "Well, [[pump|its words]].\n"
    branch = planned(folder, Delete("", "Well", branch=True))
    assert {path for path, text in branch.files.items() if text is None} == {"guide/Well.md", "guide/Lid.md"}
    with pytest.raises(Missing, match="Type the name"):
        planned(folder, Delete("", "Well", references="retarget"))
    folder_plan.apply(planned(folder, Delete("", "Well", references="retarget", target="Log")))
    assert _read(folder, "guide/Lid.md") == "[[Log]], [[pump|its words]].\n"
    assert "[[Well]]" not in _read(folder, "guide/contents.md")


def test_references_are_led_elsewhere_from_a_page_and_from_a_name_that_is_not_written(folder: Path) -> None:
    folder_plan.apply(planned(folder, Retarget("", "Well", "Log")))
    assert _read(folder, "parts/List.md").startswith("[[guide/Pump#lim]] and [[guide/Log]]")
    folder_plan.apply(planned(folder, Retarget("guide", "Rope", "Log")))
    assert "[[Log]]" in _read(folder, "guide/Well.md") and "Rope" not in _read(folder, "guide/Well.md")
    with pytest.raises(Refused, match="--volume"):
        planned(folder, Retarget("", "Nowhere", "Log"))


def test_other_names_are_added_and_taken(folder: Path) -> None:
    folder_plan.apply(planned(folder, other_names(folder, "Log", add=("Rope", "Cable"))))
    assert "guide/Well.md → guide/Log.md" in _led(folder), "what asked for the name leads there"
    folder_plan.apply(planned(folder, other_names(folder, "Log", drop=("cable",))))
    assert "Cable" not in _read(folder, "guide/Log.md") and "Rope" in _read(folder, "guide/Log.md")
    with pytest.raises(Missing, match="no other name “Cable”"):
        planned(folder, other_names(folder, "Log", drop=("Cable",)))


def test_a_page_is_written_where_it_is_asked_for(folder: Path) -> None:
    plan = planned(folder, Create("guide", "Rope", "Of [[Well]].\n", "Log"))
    assert [reference.page.title for reference in plan.plan.captured] == ["Well"]
    folder_plan.apply(plan)
    assert _read(folder, "guide/Rope.md") == "Of [[Well]].\n"
    assert _read(folder, "guide/contents.md").endswith("- [[Log]]\n  - [[Rope]]\n")
    with pytest.raises(Refused, match="has a page “Rope” already"):
        planned(folder, Create("guide", "rope"))
    with pytest.raises(Missing, match="no place in the contents"):
        planned(folder, Create("guide", "Hawser", under="Nowhere"))


Make = Callable[[Path, str, str, str], FolderPlan]
ACTS: dict[str, Make] = {
    "split": lambda folder, page, other, title: planned(
        folder, Split("", page, section(folder, page, "1."), title)
    ),
    "join": lambda folder, page, other, title: planned(folder, Join("", page, other)),
    "delete": lambda folder, page, other, title: planned(folder, Delete("", page, references="words")),
    "retarget": lambda folder, page, other, title: planned(folder, Retarget("", page, other)),
    "section": lambda folder, page, other, title: planned(
        folder, Section("", page, section(folder, page, "1."), "Other words")
    ),
    "names": lambda folder, page, other, title: planned(folder, other_names(folder, page, add=(title,))),
    "create": lambda folder, page, other, title: planned(folder, Create("Guide", title, "Text.")),
}


@pytest.mark.parametrize("act", ACTS)
def test_the_files_say_afterwards_what_the_plan_said(act: str) -> None:
    done = []

    @given(wikis(), st.sampled_from(TITLES), st.data())
    @settings(max_examples=80 if act in {"split", "section", "join"} else 25)
    def try_one(wiki: MemoryWiki, title: str, data: st.DataObject) -> None:
        with tempfile.TemporaryDirectory() as made:
            folder = Path(made)
            try:
                _write(wiki, folder)
            except MokujiError:
                assume(False)  # a front matter that cannot take a title
            paths = st.sampled_from([each.path for each in checking.check(folder).pages])
            page, other = data.draw(paths), data.draw(paths)
            before = {path.relative_to(folder).as_posix(): path.read_bytes() for path in folder.rglob("*.*")}
            try:
                plan = ACTS[act](folder, page, other, title)
                folder_plan.apply(plan)
            except MokujiError:
                assert {
                    path.relative_to(folder).as_posix(): path.read_bytes() for path in folder.rglob("*.*")
                } == before
                return
            found = folders.load(folder)
            homes = {volume.id: volume.title for volume in plan.loaded.wiki.volumes.values()}
            now = {
                (next(v.title for v in found.wiki.volumes.values() if v.id == p.head.volume), p.head.title)
                for p in found.wiki.pages_by_id.values()
            }
            changes = plan.plan.change_set
            gone = {
                (homes[removed_page.head.volume], removed_page.head.title) for removed_page in changes.removed
            }
            new = {(homes[c.head_after.volume], c.title) for c in changes.changes if c.fate is Fate.MADE}
            was = {
                (homes[p.head.volume], p.head.title)
                for id_, p in plan.loaded.wiki.pages_by_id.items()
                if id_ not in plan.loaded.index.spare
            }
            assert {each for each in now if each in was | new} == (was - gone) | new
            done.append(act)

    try_one()
    assert len(done) >= 5, "it was refused too often to say something"
