"""Where lines come from, held to git 2.39 from Debian: ``git blame``, ``git blame -M`` where lines were moved, and
``git blame -C`` where they went from page to page."""

from __future__ import annotations

import subprocess
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mokuji.core.diff.origins import Origin, came_from, follow, lines_of

WORDS = "anode buoy chain drum eye float gasket hatch inlet jack keel lamp mast nut oar pump quay rope seal".split()
"""Lines are made of these and of numbers, so that no two of a history are alike."""


@dataclass
class Pages:
    """Pages in memory, each by its texts from the oldest on (None: it was not there), one for each act."""

    texts: Mapping[int, Sequence[str | None]]

    def before(self, page: int, revision: int) -> tuple[int, str] | None:
        """The last text of a page that an act found, if it found another one."""
        found = [(n, text) for n, text in enumerate(self.texts[page][:revision]) if text is not None]
        if not found or self.texts[page][revision - 1] is None:
            return None
        number, text = found[-1]
        while number and self.texts[page][number - 1] == text:
            number -= 1
        return number, text

    def elsewhere(self, page: int, revision: int) -> Iterator[tuple[int, int, str]]:
        """Pages that the act changed too."""
        for other, texts in self.texts.items():
            if other != page and revision and texts[revision - 1] not in {None, texts[revision]}:
                found = self.before(other, revision)
                assert found is not None
                yield other, *found


def _account(texts: Sequence[str]) -> list[Origin]:
    """Of the newest of some texts, from the oldest on."""
    return follow(1, len(texts) - 1, texts[-1], Pages({1: texts}))


def _blamed(texts: Sequence[str], *how: str) -> list[Origin]:
    """What git says of the same texts, one a commit."""
    return _blamed_of({1: texts}, 1, *how)


def _blamed_of(pages: Mapping[int, Sequence[str | None]], page: int, *how: str) -> list[Origin]:
    """What git says of a page among others, one act a commit."""
    stream = []
    for number in range(len(pages[page])):
        stream.append(f"commit refs/heads/main\nmark :{number + 1}\n".encode())
        stream.append(f"committer A <a@docs.example> {1_700_000_000 + number} +0000\ndata 1\nx\n".encode())
        for id_, texts in pages.items():
            text = texts[number]
            if text is not None:
                data = text.encode()
                stream.append(f"M 100644 inline {id_}.md\ndata {len(data)}\n".encode() + data + b"\n")
            elif number and texts[number - 1] is not None:
                stream.append(f"D {id_}.md\n".encode())
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
            [*where, "blame", "--line-porcelain", *how, "main", "--", f"{page}.md"],
            check=True,
            capture_output=True,
            text=True,
        ).stdout
    found, number, was, begins, source = [], 0, 0, True, page
    for line in told.splitlines():
        if begins:
            commit, at, *_ = line.split(" ")
            number, was = numbers[commit], int(at) - 1
        elif line.startswith("filename "):
            source = int(line.removeprefix("filename ").removesuffix(".md"))
        begins = line.startswith("\t")
        if begins:
            found.append(Origin(source, number, was))
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


@st.composite
def bodies(draw: st.DrawFn) -> dict[int, list[str | None]]:
    """Three pages: of which blocks go from one to another, all of one into another, or half of one to a new one."""
    made = 0

    def lines(many: int) -> list[str]:
        nonlocal made
        made += many
        return [
            f"{n} {WORDS[n % 19]} {WORDS[n * 7 % 19]} {WORDS[n * 3 % 19]} is what was written then, and no other"
            for n in range(made - many, made)
        ]

    now: dict[int, list[str] | None] = {1: lines(6), 2: lines(6), 3: None}
    told: dict[int, list[str | None]] = {page: [] for page in now}

    def tell() -> None:
        for page, body in now.items():
            told[page].append(None if body is None else "".join(f"{line}\n" for line in body))

    tell()
    for _ in range(draw(st.integers(1, 6))):
        here = draw(st.sampled_from([page for page, body in now.items() if body]))
        body = now[here] or []
        what = draw(st.sampled_from(["edit", "block", "all", "half"]))
        free = [page for page, each in now.items() if each is None and page != 1]
        there = draw(st.sampled_from([page for page in now if page != here]))
        if what == "edit" or (what == "half" and (not free or len(body) < 4)):
            at = draw(st.integers(0, len(body)))
            now[here] = body[:at] + lines(2) + body[at + draw(st.integers(0, 2)) :]
        elif what == "half":
            now[free[0]], now[here] = body[len(body) // 2 :], body[: len(body) // 2]
        elif what == "all" and here != 1 and now[there] is not None:
            now[there], now[here] = (now[there] or []) + body, None
        else:
            at = draw(st.integers(0, len(body) - 1))
            now[here] = body[:at] + body[at + 3 :]
            now[there] = (now[there] or []) + body[at : at + 3]
        tell()
    return told


@settings(max_examples=60)
@given(bodies())
def test_a_line_that_came_from_another_page_comes_from_where_git_says(
    pages: dict[int, list[str | None]],
) -> None:
    text = pages[1][-1]
    assert text is not None
    newest = len(pages[1]) - 1
    while newest and pages[1][newest - 1] == text:
        newest -= 1
    assert follow(1, newest, text, Pages(pages)) == _blamed_of(pages, 1, "-C")


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
