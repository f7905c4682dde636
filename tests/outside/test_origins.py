"""Where lines come from, held to git 2.39 from Debian: ``git blame``, and ``git blame -M`` where lines were moved."""

from __future__ import annotations

import subprocess
import tempfile
from collections.abc import Sequence
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mokuji.core.diff.origins import Account, Origin, came_from, lines_of

WORDS = "anode buoy chain drum eye float gasket hatch inlet jack keel lamp mast nut oar pump quay rope seal".split()
"""Lines are made of these and of numbers, so that no two of a history are alike."""


def _account(texts: Sequence[str]) -> list[Origin]:
    """Of the newest of some texts, from the oldest on."""
    account = Account(len(texts) - 1, texts[-1])
    for number in range(len(texts) - 2, -1, -1):
        account.older(number, texts[number])
    return account.origins()


def _blamed(texts: Sequence[str], *how: str) -> list[Origin]:
    """What git says of the same texts, one a commit."""
    stream = []
    for number, text in enumerate(texts):
        data = text.encode()
        stream.append(f"commit refs/heads/main\nmark :{number + 1}\n".encode())
        stream.append(f"committer A <a@docs.example> {1_700_000_000 + number} +0000\ndata 1\nx\n".encode())
        stream.append(f"M 100644 inline page.md\ndata {len(data)}\n".encode() + data + b"\n")
    with tempfile.TemporaryDirectory() as folder:
        where = ["git", "-C", folder]
        subprocess.run(["git", "init", "-q", folder], check=True)
        marks = Path(folder) / "marks"
        subprocess.run(
            [*where, "fast-import", "--quiet", f"--export-marks={marks}"], input=b"".join(stream), check=True
        )
        numbers = {
            commit: int(mark[1:]) - 1
            for mark, commit in (line.split() for line in marks.read_text().splitlines())
        }
        told = subprocess.run(
            [*where, "blame", "--line-porcelain", *how, "main", "--", "page.md"],
            check=True,
            capture_output=True,
            text=True,
        ).stdout
    found = []
    begins = True
    for line in told.splitlines():
        if begins:
            commit, was, *_ = line.split(" ")
            found.append(Origin(numbers[commit], int(was) - 1))
        begins = line.startswith("\t")
    return found


@st.composite
def histories(draw: st.DrawFn, moves: bool) -> list[str]:
    """Texts, each an edit of the one before: lines come, go, are written anew, and with ``moves`` are moved."""
    made = 0

    def line() -> str:
        nonlocal made
        made += 1
        return f"{made} {WORDS[made % 19]} {WORDS[made * 7 % 19]} {WORDS[made * 3 % 19]} is what was written then"

    now = [line() for _ in range(draw(st.integers(1, 12)))]
    texts = ["\n".join(now) + "\n"]
    for _ in range(draw(st.integers(1, 8))):
        for _ in range(draw(st.integers(1, 3))):
            what = draw(st.sampled_from(["add", "go", "anew", "move"] if moves else ["add", "go", "anew"]))
            at = draw(st.integers(0, len(now)))
            many = draw(st.integers(1, 3))
            if what == "add":
                now[at:at] = [line() for _ in range(many)]
            elif what == "anew":
                now[at : at + many] = [line() for _ in now[at : at + many]]
            elif len(now) > many:
                taken = now[at : at + many]
                del now[at : at + many]
                if what == "move":
                    to = draw(st.integers(0, len(now)))
                    now[to:to] = taken
        if now and "\n".join(now) + "\n" != texts[-1]:
            texts.append("\n".join(now) + "\n")
    return texts


@settings(max_examples=40)
@given(histories(moves=False))
def test_a_line_comes_from_where_git_says(texts: list[str]) -> None:
    assert _account(texts) == _blamed(texts)


@settings(max_examples=40)
@given(histories(moves=True))
def test_a_line_that_was_moved_comes_from_where_git_says_that_follows_moves(texts: list[str]) -> None:
    assert _account(texts) == _blamed(texts, "-M")


@pytest.mark.parametrize(
    ("texts", "revisions"),
    [
        (["a\nb\n", "a\nb\nc\n"], [0, 0, 1]),
        (["a\nb", "b\na"], [1, 0]),  # short lines stand everywhere by chance
        (["", "a"], [1]),
        (["a", "a\r\n"], [0]),
        (["a\n", "", "a\n"], [2]),
        (["a", "b", "b", "a b"], [3]),
    ],
)
def test_a_few_histories_by_hand(texts: list[str], revisions: list[int]) -> None:
    assert [each.revision for each in _account(texts)] == revisions


LINES = st.lists(
    st.sampled_from(["", "}", "a", "the very same line in several places", "another long line of text"])
)


@given(st.lists(LINES, min_size=1, max_size=6))
def test_whatever_the_texts_each_line_stands_where_it_is_said_to_come_from(lists: list[list[str]]) -> None:
    texts = ["\n".join(lines) for lines in lists]
    newest = lines_of(texts[-1])
    found = _account(texts)
    assert len(found) == len(newest)
    for line, origin in zip(newest, found, strict=True):
        assert lines_of(texts[origin.revision])[origin.line] == line


@given(LINES, LINES)
def test_no_line_becomes_two_and_none_comes_from_two(before: list[str], after: list[str]) -> None:
    pairs = list(came_from(before, after))
    assert len({here for here, _ in pairs}) == len({there for _, there in pairs}) == len(pairs)
    assert all(after[here] == before[there] for here, there in pairs)
