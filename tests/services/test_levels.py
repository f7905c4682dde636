"""The contents of a large volume: levels in part, what leads to a name, what is called so; checked by a plain walk."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from sqlalchemy import text

from mokuji.acts import doing, requests
from mokuji.acts.view import Applied
from mokuji.core.base.errors import Missing
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.reading import levels, reading
from mokuji.store.places import contents
from mokuji.store.places.contents import Gap, Level
from tests.copies import made_once
from tests.services.making import pages, person, volume

PARTS = 450
"""More than a level that is loaded at once, and than a volume that is loaded whole."""


def _filled(app: AppContext) -> Actor:
    volume(app, "Guide", closed=True)
    keeper = person(app, "wenna", guide=Role.OWNER)
    outline = [
        f"- Part {n}" + ("\n  - Seal of 7\n    - Ring of 7" if n == 7 else "") for n in range(1, PARTS + 1)
    ]
    wish = requests.Outline("guide", "\n".join(outline))
    view = doing.plan(app, keeper, wish)
    assert view.plan is not None, view.refusal
    assert isinstance(doing.apply(app, keeper, wish, view.plan.digest), Applied)
    pages(app, keeper, "guide", {"Part 7": "[[Part 300]]", "Part 300": ""})
    refresh(app)
    return keeper


app, keeper = made_once(_filled)


def _lines(level: Level) -> list[tuple[int, str]]:
    return [(entry.nth, entry.title) for entry in level.entries]


def _order(app: AppContext) -> list[str]:
    """The titles of the topmost level as they stand in the database, in order."""
    with app.engine.connect() as connection:
        rows = connection.execute(text("SELECT title FROM contents WHERE parent IS NULL ORDER BY position"))
        return list(rows.scalars())


def test_windows_of_a_level_make_the_whole_of_it(app: AppContext, keeper: Actor) -> None:
    order = _order(app)
    found: list[tuple[int, str]] = []
    for behind in range(0, len(order), contents.LEVEL):
        (level,) = levels.below(app, keeper, "guide", [""], behind).levels
        assert level.total == len(order) == PARTS
        found += _lines(level)
    assert found == list(enumerate(order, 1))


def test_levels_below_several_names_come_at_once_and_names_without_a_place_are_left_out(
    app: AppContext, keeper: Actor
) -> None:
    found = levels.below(app, keeper, "guide", ["Part-7", "no such", "seal of 7", "part 7", "\x00"]).levels
    assert [(level.under, _lines(level)) for level in found] == [
        ("part 7", [(1, "Seal of 7")]),
        ("seal of 7", [(1, "Ring of 7")]),
    ]
    assert [entry.branch for level in found for entry in level.entries] == [True, False]


def test_what_leads_to_a_name_is_loaded_with_its_surroundings(app: AppContext, keeper: Actor) -> None:
    top, seal, ring = levels.around(app, keeper, "guide", "ring of 7").levels
    assert (7, "Part 7") in _lines(top) and top.total == PARTS and not top.under
    assert (seal.under, _lines(seal)) == ("part 7", [(1, "Seal of 7")])
    assert (ring.under, _lines(ring)) == ("seal of 7", [(1, "Ring of 7")])
    (far,) = levels.around(app, keeper, "guide", "Part 300").levels
    assert {entry.title: entry.led_to_by for entry in far.entries}["Part 300"] == 1
    assert (300, "Part 300") in _lines(far) and len(far.entries) <= contents.LEVEL
    with pytest.raises(Missing):
        levels.around(app, keeper, "guide", "No such name")


@pytest.mark.parametrize("typed", ["ring", "RING of", "part 44", "7", "part", "x", "", "%", "_", "\x00"])
def test_what_is_called_so_comes_with_what_it_stands_below_and_the_numbers_of_the_whole(
    app: AppContext, keeper: Actor, typed: str
) -> None:
    order = _order(app)
    found = levels.named(app, keeper, "guide", typed)
    shown = {entry.title for level in found.levels for entry in level.entries}
    below = ["Seal of 7", "Ring of 7"]
    wanted = {title for title in [*order, *below] if typed.lower() and typed.lower() in title.lower()}
    assert found.more == (len(wanted) > contents.NAMED)
    if not found.more:
        above = {"Seal of 7": {"Part 7"}, "Ring of 7": {"Part 7", "Seal of 7"}}
        assert shown == wanted.union(*(above.get(title, set()) for title in wanted))
    for level in found.levels:
        if not level.under:
            assert all(order[entry.nth - 1] == entry.title for entry in level.entries)


def test_who_may_not_read_a_volume_sees_none_of_its_contents(app: AppContext, keeper: Actor) -> None:
    looks: tuple[Callable[[], object], ...] = (
        lambda: levels.below(app, NOBODY, "guide", [""]),
        lambda: levels.around(app, NOBODY, "guide", "Part 7"),
        lambda: levels.named(app, NOBODY, "guide", "Part"),
    )
    for look in looks:
        with pytest.raises(Missing):
            look()


def test_gaps_say_how_many_entries_were_left_out_before_and_behind(app: AppContext, keeper: Actor) -> None:
    view = reading.open_page(app, keeper, "guide", "part 300")
    assert isinstance(view, reading.PageView)
    rows = view.place.shown.rows
    gaps = [row for row in rows if isinstance(row, Gap)]
    first, last = view.place.contents.entries[0], view.place.contents.entries[-1]
    assert gaps == [Gap(first.nth - 1, True, 0, first.key), Gap(PARTS - last.nth, False, 0, last.key)]
    assert (rows[0], rows[-1]) == (gaps[0], gaps[1])
    # Around a branch that is looked at, the page in hand keeps its own surroundings.
    looked = reading.open_page(app, keeper, "guide", "part 300", "seal of 7")
    assert isinstance(looked, reading.PageView) and looked.following == view.following
    assert [entry.number for entry in looked.place.shown.entries if entry.depth] == ["7.1", "7.1.1"]
    assert [row.count for row in looked.place.shown.rows if isinstance(row, Gap)] == [
        PARTS - 6 - contents.LEVEL // 2
    ]


def test_the_pages_of_a_large_volume_are_counted(app: AppContext, keeper: Actor) -> None:
    view = reading.open_volume(app, keeper, "guide")
    assert not isinstance(view, reading.PageView) and not view.contents.whole
    assert view.pages == 2
