"""Diagrams: drawn by Graphviz, safe, in the page's colours; a wrong one says its line, a slow one is given up."""

from __future__ import annotations

import re
from xml.etree import ElementTree

import pytest

from mokuji.adapters import diagrams
from mokuji.adapters.diagrams import draw, figure

ENDLESS = "digraph {" + " ".join(f"n{n * 7 % 150} -> n{n * 31 % 149};" for n in range(1500)) + "}"


def test_a_diagram_is_drawn_and_told_in_words() -> None:
    drawn = draw('digraph { a [label="Collar"]; a -> cells [label="27 V"]; cells:n -> "x->y"; alone }')
    root = ElementTree.fromstring(drawn.svg)
    assert root.tag.endswith("svg") and not drawn.fault
    assert drawn.words == ("Collar leads to cells (27 V)", "cells leads to x->y", "alone")
    assert draw("graph { a -- b }").words == ("a is joined to b",)


def test_what_is_black_follows_the_page_and_words_can_be_read_on_what_is_filled() -> None:
    svg = draw(
        'digraph { a [style=filled, fillcolor=navy]; b [style=filled, fillcolor="#ffffcc"]; a -> c }'
    ).svg
    assert '"black"' not in re.sub(r"<text[^>]*>b<", "", svg)
    assert re.search(r'<text[^>]*fill="white"[^>]*>a</text>', svg)
    assert re.search(r'<text[^>]*fill="black"[^>]*>b</text>', svg)
    assert re.search(r'<text[^>]*fill="currentColor"[^>]*>c</text>', svg)


@pytest.mark.parametrize(
    ("source", "line"),
    [("digraph {\n a -> -> b\n}", 2), ("digraph {\n\n a -> b", 3), ("graph { a -> b }", 1), ("nonsense", 1)],
)
def test_a_wrong_diagram_says_what_is_wrong_and_where(source: str, line: int) -> None:
    drawn = draw(source)
    assert (drawn.svg, drawn.line) == ("", line)
    assert drawn.fault.startswith("Syntax error")


@pytest.mark.parametrize(
    "source",
    [
        'digraph { a [URL="javascript:alert(1)", tooltip="<script>"] }',
        'digraph { a [image="/etc/passwd", shapefile="/etc/passwd"] }',
        'digraph { a [label="<script>alert(1)</script>"] }',
        'digraph { a [label=<<b>x</b>>, href="data:text/html,x", target=_top] }',
        'digraph { stylesheet="https://e.org/x.css"; a [class="x\\" onload=\\"alert(1)", id="main"] }',
        'digraph { "a\\" onclick=\\"x" -> b [comment="--> <script>"] }',
    ],
)
def test_nothing_in_a_drawing_can_run_lead_away_or_read_files(source: str) -> None:
    drawn = draw(source)
    root = ElementTree.fromstring(drawn.svg)
    for element in root.iter():
        assert element.tag.rpartition("}")[2] in {
            "svg",
            "g",
            "text",
            "polygon",
            "path",
            "ellipse",
            "polyline",
        }
        assert not {name for name in element.attrib if name.startswith("on")} & element.attrib.keys()
        assert not element.attrib.keys() & {
            "id",
            "class",
            "style",
            "href",
            "{http://www.w3.org/1999/xlink}href",
        }
    assert "root:" not in drawn.svg


def test_a_diagram_that_takes_too_long_is_given_up(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(diagrams, "SECONDS", 0.2)
    drawn = draw(ENDLESS)
    assert "Make it smaller" in drawn.fault and not drawn.svg
    assert diagrams.known(ENDLESS) is drawn


def test_bounds_are_said() -> None:
    assert "20,000" in draw("x" * 30_000).fault
    assert "empty" in draw("  \n").fault


def test_a_machine_without_graphviz_shows_the_source(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PATH", "")
    assert draw("digraph { never -> drawn }") is diagrams.MISSING
    assert diagrams.known("digraph { never -> drawn }") is None, "it may be installed later"


def test_a_figure_says_what_it_shows_to_whoever_cannot_see_it() -> None:
    html = figure("<svg/>", "Ways & means", ("a leads to b",), "")
    assert 'aria-label="Ways &amp; means"' in html and "<li>a leads to b</li>" in html
    assert "<p>It &lt;shows&gt;</p>" in figure("<svg/>", "", ("a",), "It <shows>")
