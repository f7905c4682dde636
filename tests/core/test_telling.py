"""Who is named by a change is who was not named before it."""

from __future__ import annotations

import pytest

from mokuji.core.language.scan import read_text
from mokuji.core.telling.naming import Named, named_in, named_in_note


def _named(before: str | None, after: str) -> Named:
    old = read_text(before) if before is not None else None
    return named_in(after, read_text(after), before or "", old)


@pytest.mark.parametrize(
    ("before", "after", "given", "named"),
    [
        (None, "Ask @Wenna.", "", "wenna"),
        ("Ask @wenna.", "Ask @wenna now.", "", ""),
        ("Ask @wenna.", "Ask @wenna, and @jonas and @wenna again.", "", "wenna jonas"),
        ("a@wenna.example `@piet`", "a@wenna.example `@piet` x", "", ""),
        ("", "- [ ] Look @mirela due:2026-12-24", "mirela", ""),
        ("- [ ] Look @mirela", "- [x] Look @mirela", "", ""),
        ("- [ ] Look @mirela", "- [ ] Look there @mirela due:2026-12-24", "", ""),
        ("- [ ] Look @mirela", "- [x] Look @mirela\n- [ ] See @mirela", "mirela", ""),
        ("- [ ] Look @mirela", "- [ ] Look @jonas", "jonas", ""),
        ("- [ ] Look @mirela", "@mirela\n\n- [ ] Look @mirela", "", "mirela"),
        ("See @wenna", "", "", ""),
    ],
)
def test_who_is_named_or_given_a_task_anew(before: str | None, after: str, given: str, named: str) -> None:
    assert _named(before, after) == Named(frozenset(given.split()), frozenset(named.split()))


def test_a_note_names_people_as_a_text_does_but_is_no_markdown() -> None:
    assert named_in_note("For @Wenna, (@jonas) and me@piet.example").named == {"wenna", "jonas"}
    assert named_in_note("`@wenna`").named == frozenset()
