"""Three texts brought together, held to GNU diff3 (Debian's diffutils, which every Debian has) and to Git."""

from __future__ import annotations

import subprocess
from pathlib import Path

from hypothesis import HealthCheck, event, given, settings
from hypothesis import strategies as st

from mokuji.core.diff.merge import Conflict, merge3, merged

lines = st.lists(st.sampled_from(["Set the valve.", "Wait.", "Note the value.", "", "End."]), max_size=7)


def _text(of: list[str]) -> str:
    return "".join(f"{line}\n" for line in of)


def _diff3(folder: Path, mine: str, base: str, theirs: str) -> str | None:
    """What GNU diff3 makes of the three; None where it sees a conflict."""
    for name, text in (("mine", mine), ("base", base), ("theirs", theirs)):
        (folder / name).write_text(text)
    done = subprocess.run(
        ["diff3", "-m", "mine", "base", "theirs"], cwd=folder, capture_output=True, text=True, check=False
    )
    return done.stdout if done.returncode == 0 else None


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(lines, lines, lines)
def test_where_both_see_no_conflict_the_result_is_that_of_diff3(
    tmp_path: Path, base: list[str], mine: list[str], theirs: list[str]
) -> None:
    ours = merged(_text(mine), merge3(_text(base), _text(mine), _text(theirs)))
    known = _diff3(tmp_path, _text(mine), _text(base), _text(theirs))
    event(f"{'conflict' if ours is None else 'clean'}, diff3 {'conflict' if known is None else 'clean'}")
    if ours is not None and known is not None and mine != theirs:
        assert sorted(ours.split("\n")) == sorted(known.split("\n"))


def _git(folder: Path, mine: str, base: str, theirs: str) -> str | None:
    """What ``git merge-file`` (Debian's package git) makes of the three; None where it sees a conflict."""
    for name, text in (("mine", mine), ("base", base), ("theirs", theirs)):
        (folder / name).write_text(text)
    done = subprocess.run(
        ["git", "merge-file", "-p", "mine", "base", "theirs"],
        cwd=folder,
        capture_output=True,
        text=True,
        check=False,
    )
    return done.stdout if done.returncode == 0 else None


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.integers(0, 9), max_size=9, unique=True), st.data())
def test_where_git_sees_no_conflict_the_result_is_the_same_to_the_byte(
    tmp_path: Path, numbers: list[int], data: st.DataObject
) -> None:
    """Lines that are all different, as in real texts: of equal lines two programs may take either for the one kept."""
    base = [f"Line {n}." for n in numbers]

    def changed(who: str) -> str:
        kinds = st.sampled_from(["keep", "keep", "keep", "drop", "change", "add"])
        made: list[str] = []
        for n, line in enumerate(base):
            kind = data.draw(kinds)
            made += {"keep": [line], "drop": [], "change": [f"{who} {n}"], "add": [line, f"{who} adds {n}"]}[
                kind
            ]
        return _text(made)

    mine, theirs = changed("mine"), changed("theirs")
    known = _git(tmp_path, mine, _text(base), theirs)
    ours = merged(mine, merge3(_text(base), mine, theirs))
    event(f"{'conflict' if ours is None else 'clean'}, git {'conflict' if known is None else 'clean'}")
    if known is not None:
        assert ours == known


@given(lines, lines)
def test_a_text_that_one_side_left_alone_is_that_of_the_other(base: list[str], other: list[str]) -> None:
    assert merged(_text(other), merge3(_text(base), _text(other), _text(base))) == _text(other)
    assert merged(_text(base), merge3(_text(base), _text(base), _text(other))) == _text(other)


@given(lines, lines)
def test_what_both_changed_alike_is_no_conflict(base: list[str], other: list[str]) -> None:
    assert merged(_text(other), merge3(_text(base), _text(other), _text(other))) == _text(other)


def test_a_conflict_holds_all_three_and_nothing_else() -> None:
    mine = "one\nTWO\nend\n"
    parts = merge3("one\ntwo\nend\n", mine, "one\nzwei\nend\n")
    (conflict,) = [part for part in parts if isinstance(part, Conflict)]
    assert (conflict.base, conflict.mine.of(mine), conflict.theirs) == ("two\n", "TWO\n", "zwei\n")
    assert merged(mine, parts) is None
