"""Which brackets are references: the cases of tests/cases/references.txt, and what holds for all texts."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base import names
from mokuji.core.base.spans import Lines
from mokuji.core.language.scan import scan
from mokuji.core.syntax.reference import Kind, Reference
from tests.wikis import VOLUMES, Outline, texts

CASES = Path(__file__).parent.parent / "cases" / "references.txt"


def _cases() -> list[tuple[str, str, str]]:
    parts = re.split(r"^=== (.+)\n", CASES.read_text(), flags=re.MULTILINE)
    found = []
    for said, body in zip(parts[1::2], parts[2::2], strict=True):
        text, _, expected = body.partition("\n-->\n")
        found.append(
            (said, text.replace("␍\n", "\r\n").replace("␍", "\r").replace("⇥", "\t"), expected.strip())
        )
    return found


def _described(text: str, reference: Reference) -> str:
    name = reference.name
    said = [reference.kind.value, reference.span.of(text), (name.key if name else "") or "-"]
    if name is not None and name.volume is not None:
        said.append(f"{name.volume}/{name.title}")
    if reference.section is not None:
        said += ["#", reference.section]
    if reference.label(text):
        said += ["|", reference.label(text)]
    return " ".join(said).strip()


@pytest.mark.parametrize(("said", "text", "expected"), _cases(), ids=[case[0] for case in _cases()])
def test_a_case_is_read_as_it_says(said: str, text: str, expected: str) -> None:
    found = scan(text)
    lines = Lines(text)
    described = [_described(text, reference) for reference in found.references]
    for problem in found.problems:
        place = lines.position(problem.span.start)
        described.append(f"problem {problem.code} {place.line}:{place.column}")
    assert "\n".join(described) == expected, said


_outline = Outline({VOLUMES[0]: ["Pump", "C#", "x|y"], VOLUMES[1]: ["A/B"]})


@given(texts(_outline, VOLUMES[0]))
def test_ranges_are_exact_and_in_order(text: str) -> None:
    found = scan(text)
    for reference in found.references:
        typed = reference.span.of(text)
        assert typed.startswith("[[") and typed.endswith("]]")
        start, end = reference.name_span
        assert reference.span.start < start <= end < reference.span.end
        if reference.name is not None and not reference.name.absolute:
            assert names.key(names.unescape(reference.name_span.of(text))) == reference.name.key
        if reference.section is not None and reference.section_span is not None:
            assert names.unescape(reference.section_span.of(text)) == reference.section
    assert list(found.references) == sorted(found.references, key=lambda reference: reference.span)


@given(texts(_outline, VOLUMES[0]))
def test_scanning_a_text_twice_gives_the_same(text: str) -> None:
    assert scan(text) == scan(text)


@given(texts(_outline, VOLUMES[0]), texts(_outline, VOLUMES[0]))
def test_what_stands_in_another_paragraph_changes_no_link(one: str, other: str) -> None:
    """A paragraph of plain words after a blank line leaves the references before it as they were."""
    if one.startswith(("---", "\ufeff")) or "[^1]: " in one or "\r" in one:
        return
    alone = [r for r in scan(one + "\n").references if r.kind is Kind.LINK]
    beside = [r for r in scan(one + "\n\n\nplain words\n").references if r.kind is Kind.LINK]
    assert beside == alone


def test_references_inside_the_values_of_an_insert_follow_it() -> None:
    found = scan("[[=Notice | text: [[Pump]] and [[Well|x]]]] [[After]]").references
    assert [r.name.key for r in found if r.name] == ["notice", "pump", "well", "after"]


@given(st.text(alphabet="[]|=#/\\`*_<>$!(){}ab \n", max_size=120))
def test_no_text_of_brackets_and_marks_breaks_the_scanner(text: str) -> None:
    for reference in scan(text).references:
        assert reference.span.of(text).startswith("[[")
