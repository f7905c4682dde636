"""What was read of a folder is kept for the next command: a check with it says what one without it does."""

from __future__ import annotations

import os
import random
import stat
from pathlib import Path

import pytest

from mokuji.services.folders import checking, kept_summaries, summaries
from mokuji.services.folders.kept_summaries import summed_up
from tests.outside.jargon import jargon_wiki

STYLE = "style:\n  headings: sentence\n  step: 4\n"
ODD = """---
title: Odd
aliases: [Even, "A, b"]
---
# One

The the pump [[no page|x]], [[Pump#none]], [[=Pump|a: b]] and [[Even]]. <!-- part: a -->

1. One two three four five six.

| a | b |
|---|---|
| 1 |

```dot
```
"""


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder of real articles and one page with faults of every sort, and a place to keep what was read."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "kept"))
    monkeypatch.setattr(kept_summaries, "KEPT_FROM", 0)
    for nth, page in enumerate(list(jargon_wiki().pages_by_id.values())[:60]):
        at = tmp_path / "wiki" / ("a" if nth % 2 else "b") / f"{nth}.md"
        at.parent.mkdir(parents=True, exist_ok=True)
        at.write_text(f"---\ntitle: '{page.head.title.replace(chr(39), chr(39) * 2)}'\n---\n{page.text}")
    (tmp_path / "wiki/a/Odd.md").write_text(ODD)
    (tmp_path / "wiki/a/volume.yaml").write_text(STYLE)
    return tmp_path / "wiki"


def _kept(folder: Path) -> Path:
    (file,) = (folder.parent / "kept/mokuji/folders").iterdir()
    return file


def test_after_any_edits_a_check_with_what_was_kept_says_what_one_without_does(folder: Path) -> None:
    rng = random.Random(1)
    files = sorted(folder.rglob("*.md"))
    for _ in range(12):
        assert checking.check(folder) == checking.check(folder, anew=True)
        for file in rng.sample(files, 3):
            act = rng.randrange(5)
            if act == 0:
                file.write_text(file.read_text(encoding="utf-8") + "\nThe the [[Odd]] [[Odd#One]].\n")
            elif act == 1:
                file.write_text(ODD.replace("Odd", f"Odd {rng.random()}"))
            elif act == 2:
                (folder / "a/volume.yaml").write_text(STYLE.replace("4", str(rng.randrange(1, 6))))
            elif act == 3:
                file.write_text(file.read_text(encoding="utf-8").replace("title: ", "title: X", 1))
            else:
                (folder / f"v{rng.randrange(3)}").mkdir(exist_ok=True)
                (folder / f"v{rng.randrange(3)}").mkdir(exist_ok=True)
                (folder / "b" / f"New {rng.random()}.md").write_text("[[v1/Odd]]\n")


def test_only_what_changed_is_read_again(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    checking.check(folder)
    read: list[str] = []
    whole = summaries.summary_of

    def counted(page, volumes, styles):  # type: ignore[no-untyped-def]
        read.append(page.head.title)
        return whole(page, volumes, styles)

    monkeypatch.setattr(summaries, "summary_of", counted)
    checking.check(folder)
    assert read == []
    (folder / "a/Odd.md").write_text(ODD + "\nMore.\n")
    checking.check(folder)
    assert read == ["Odd"]


@pytest.mark.parametrize("damage", [b"", b"nonsense", b"\n", b"\xff" * 400])
def test_what_is_damaged_is_passed_over(folder: Path, damage: bytes) -> None:
    sound = checking.check(folder)
    file = _kept(folder)
    whole = file.read_bytes()
    file.write_bytes(damage)
    assert checking.check(folder) == sound
    file.write_bytes(whole[: len(whole) // 2])
    assert checking.check(folder) == sound
    assert len(file.read_bytes()) > len(whole) // 2


def test_lines_that_are_no_summaries_are_read_anew(folder: Path) -> None:
    sound = checking.check(folder)
    file = _kept(folder)
    lines = [line[:33] + b'[[["link"]], 1]' for line in file.read_bytes().split(b"\n")[1:]]
    body = b"\n".join(lines)
    file.write_bytes(kept_summaries._digest(body) + b"\n" + body)
    assert checking.check(folder) == sound


def test_nobody_else_may_read_what_is_kept(folder: Path) -> None:
    checking.check(folder)
    assert stat.S_IMODE(_kept(folder).stat().st_mode) == 0o600
    assert stat.S_IMODE(_kept(folder).parent.stat().st_mode) == 0o700


def test_where_nothing_can_be_kept_a_check_goes_on_without(folder: Path) -> None:
    folder.parent.joinpath("kept").write_text("no folder")
    assert checking.check(folder) == checking.check(folder, anew=True)
    assert folder.parent.joinpath("kept").read_text() == "no folder"


def test_a_page_whose_spelling_is_looked_up_is_not_kept(folder: Path) -> None:
    (folder / "a/volume.yaml").write_text("style:\n  spelling: en-GB\n")
    checking.check(folder)
    assert len(_kept(folder).read_bytes().split(b"\n")) - 1 == 30


def test_of_few_folders_only_what_was_read_is_kept(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(kept_summaries, "FOLDERS", 1)
    kept = folder.parent / "kept/mokuji/folders"
    kept.mkdir(parents=True)
    for nth in range(5):
        (kept / f"old{nth}").write_bytes(b"")
        os.utime(kept / f"old{nth}", (nth, nth))
    summed_up(folder, [], frozenset(), {})
    checking.check(folder)
    assert len(list(kept.iterdir())) == 2
