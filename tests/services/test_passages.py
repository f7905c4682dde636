"""A passage shows what is to be mended in its place: its lines, what stands above it, and nothing closed."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Missing
from mokuji.core.base.spans import Span
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.reading import passages
from tests.services.making import pages, person, volume

TEXT = "---\nsummary: x\n---\nBefore.\n\n## The [[lid]]\n\nOne line.\r\nThe *lid gasket* of\nthe lid.\n\nLast.\n\n\n"


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    writer = person(app, "wenna", guide=Role.OWNER)
    pages(
        app,
        writer,
        "guide",
        {"Hull": "", "Pump": TEXT, "Long": "\n".join(f"Line {n}" for n in range(1, 101))},
    )
    doing.apply(app, writer, requests.Place("guide", "pump", "hull", "last"), None)
    return writer


def _at(text: str, words: str) -> Span:
    return Span(text.index(words), text.index(words) + len(words))


def test_the_words_in_question_are_marked_under_their_heading(app: AppContext, writer: Actor) -> None:
    lines = passages.passage(app, writer, "guide", "pump", _at(TEXT, "lid gasket"))
    assert (lines.path, lines.heading, lines.page.title) == (("Hull",), "The lid", "Pump")
    (line,) = [each for each in lines.lines if each.marked]
    assert (line.number, line.before, line.marked, line.after) == (9, "The *", "lid gasket", "* of")
    assert not lines.cut and lines.lines[-1].before == "Last.", "empty lines at the end say nothing"


def test_a_mark_over_a_line_end_is_marked_in_both_lines(app: AppContext, writer: Actor) -> None:
    start = TEXT.index("gasket*")
    lines = passages.passage(app, writer, "guide", "pump", Span(start, TEXT.index(" lid.")))
    assert [(line.number, line.marked) for line in lines.lines if line.marked] == [
        (9, "gasket* of"),
        (10, "the"),
    ]


def test_without_a_mark_the_text_is_shown_from_its_first_line(app: AppContext, writer: Actor) -> None:
    for nothing in (None, Span(0, 10**6), Span(7, 3)):
        lines = passages.passage(app, writer, "guide", "pump", nothing)
        assert (lines.lines[0].number, lines.lines[0].before) == (4, "Before.")
        assert not any(line.marked for line in lines.lines)


def test_of_a_long_page_some_lines_around_are_shown(app: AppContext, writer: Actor) -> None:
    text = "\n".join(f"Line {n}" for n in range(1, 101))
    lines = passages.passage(app, writer, "guide", "long", _at(text, "Line 50"))
    numbers = [line.number for line in lines.lines]
    assert numbers == list(range(50 - passages.BEFORE, 50 + passages.BEHIND + 1)) and lines.cut
    assert not passages.passage(app, writer, "guide", "long", _at(text, "Line 100")).cut


def test_a_long_line_is_cut_on_both_sides_of_the_mark(app: AppContext, writer: Actor) -> None:
    text = "a" * 2000 + " here " + "b" * 2000
    pages(app, writer, "guide", {"Wide": text})
    (line,) = passages.passage(app, writer, "guide", "wide", _at(text, "here")).lines
    assert line.marked == "here" and line.before.startswith("… a") and line.after.endswith("b …")
    assert len(line.before) + len(line.after) < 2 * passages.LONGEST + 8


def test_a_page_that_is_not_there_is_said(app: AppContext, writer: Actor) -> None:
    with pytest.raises(Missing, match="no page of this name"):
        passages.passage(app, writer, "guide", "nothing", None)
