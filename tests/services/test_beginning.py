"""Beginning: an outline becomes contents with names to be written, and a page begins with a pattern."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.patterns import BUILT_IN, begun_from, plain
from mokuji.core.model.policy import Actor, Role
from mokuji.formats.contents import read_outline
from mokuji.services.app_context import AppContext
from mokuji.services.reading import reading
from mokuji.services.writing import patterns, writing
from tests.services.making import pages, person, volume

OUTLINES = [
    ("A\n    B\n        C\n    D\nE\n", [(0, "A"), (1, "B"), (2, "C"), (1, "D"), (0, "E")]),
    ("- A\n  * B\n\n  + C\n- D", [(0, "A"), (1, "B"), (1, "C"), (0, "D")]),
    ("A\r\n\tB\r\n\t\tC\r\n", [(0, "A"), (1, "B"), (2, "C")]),
    ("1. A\n1.1 B\n1.1.1 C\n2. D\n2.1. E", [(0, "A"), (1, "B"), (2, "C"), (0, "D"), (1, "E")]),
    ("# A\n## B\n### C ###\n# D", [(0, "A"), (1, "B"), (2, "C"), (0, "D")]),
    ("• A\n\t◦ B\n• C", [(0, "A"), (1, "B"), (0, "C")]),
    ("1. A\n   1. B\n   2. C\n2. D", [(0, "A"), (1, "B"), (1, "C"), (0, "D")]),
    ("- [[A \\] b]]\n  - [[C]]", [(0, "A ] b"), (1, "C")]),
    ("    A\n  B\n", [(0, "A"), (0, "B")]),
    ("A\n            B\n      C", [(0, "A"), (1, "B"), (1, "C")]),
    ("2 valves\n10-way plug", [(0, "valves"), (0, "10-way plug")]),
    ("", []),
]


@pytest.mark.parametrize(("text", "rows"), OUTLINES)
def test_an_outline_is_read_however_it_was_typed(text: str, rows: list[tuple[int, str]]) -> None:
    found, problems = read_outline(text)
    assert ([(row.depth, row.title) for row in found], problems) == (rows, [])


def test_what_cannot_be_a_name_is_said_with_its_line() -> None:
    _, problems = read_outline(f"A\n{'x' * 300}\na\n")
    assert problems[0].startswith("Line 2, “xxx") and problems[1] == (
        "Line 3: “a” stands in the outline twice. A name has one place."
    )


@pytest.fixture
def writer(app: AppContext) -> Actor:
    for title in ("Guide", "Data"):
        volume(app, title)
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, data=Role.OWNER, secret=Role.OWNER)
    pages(app, writer, "guide", {"Pump": "x", "Lamp": "x"})
    return writer


def _outlined(app: AppContext, actor: Actor, text: str, under: str = "") -> str:
    doing.apply(app, actor, requests.Outline("guide", text, under), None)
    return reading.contents_text(app, actor, "guide")


def test_names_of_an_outline_get_their_places_in_order(app: AppContext, writer: Actor) -> None:
    assert _outlined(app, writer, "Storing\n\tWinter\nPump\n\tFloat", "lamp").splitlines() == [
        "- [[Pump]]",
        "  - [[Float]]",
        "- [[Lamp]]",
        "  - [[Storing]]",
        "    - [[Winter]]",
    ]
    assert _outlined(app, writer, "Storing\n\tSummer\nEnd").splitlines()[-3:] == [
        "    - [[Winter]]",
        "    - [[Summer]]",
        "- [[End]]",
    ]


def test_an_outline_without_new_names_or_below_nothing_is_refused(app: AppContext, writer: Actor) -> None:
    for text, under, said in (
        ("Pump", "", "a place already"),
        ("", "", "Type the names"),
        ("A", "zz", "no place"),
    ):
        with pytest.raises((Refused, Missing), match=said):
            _outlined(app, writer, text, under)


def test_ours_are_the_topic_types_and_have_no_marks_left_without_scripts() -> None:
    assert set(BUILT_IN) == {"concept", "task", "reference"}
    for text in BUILT_IN.values():
        assert "#{" in text and "#{" not in plain(text) and "\n## " in plain(text)


def test_a_pattern_gives_its_text_without_what_it_says_of_itself() -> None:
    text = (
        "---\npattern: yes\nsummary: How a fault is written\naliases: [fault form]\ngives: [Faults, 'A: b']\n"
        "product: Tern 4\nkinds: [a, 'b, c']\n---\n## Seen\n\n[[Pump]]\n"
    )
    assert begun_from(Page(PageHead(1, 1, "f", "F"), text)) == (
        '---\nsummary: \nproduct: Tern 4\nkinds: [a, "b, c"]\ncategories: [Faults, "A: b"]\n---\n'
        "## Seen\n\n[[Pump]]\n"
    )


def test_patterns_of_a_volume_and_its_libraries_are_offered_to_who_may_read_them(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Fault form": "---\npattern: yes\nsummary: One fault\n---\n## Seen\n"})
    pages(app, writer, "data", {"Table form": "---\npattern: for values\n---\n| a |\n|---|\n"})
    pages(app, writer, "secret", {"Plan form": "---\npattern: yes\n---\nhidden\n"})
    doing.apply(app, writer, requests.Libraries("guide", ("data", "secret")), None)
    view = writing.open_for_edit(app, writer, "guide", "new")
    own = [("guide/fault form", "Fault form", "One fault"), ("data/table form", "Table form", "")]
    assert [(p.name, p.words, p.about) for p in view.patterns[:2]] == own
    assert [p.name for p in view.patterns[2:]] == ["secret/plan form", "concept", "task", "reference"]
    other = person(app, "jonas", guide=Role.WRITER)
    assert "secret/plan form" not in [
        p.name for p in writing.open_for_edit(app, other, "guide", "new").patterns
    ]
    assert patterns.pattern_text(app, other, "guide", "guide/fault form") == "---\nsummary: \n---\n## Seen\n"
    for name in ("secret/plan form", "guide/pump", "nothing"):
        with pytest.raises(Missing, match="no such pattern"):
            patterns.pattern_text(app, other, "guide", name)
