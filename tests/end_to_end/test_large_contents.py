"""The contents of a volume with two thousand names in one level: drawn as needed, folded, found, moved."""

from __future__ import annotations

import pytest
from playwright.sync_api import Locator, Page, expect
from sqlalchemy import text

from mokuji.core.model.policy import Role
from mokuji.store.database import writing
from mokuji.store.places.contents import write_contents
from tests.end_to_end.conftest import Open, Site

NAMES = 2000


@pytest.fixture
def catalogue(site: Site) -> str:
    """A volume of parts; below part 1500 stand two drawings, below the second one a note."""
    entries: list[tuple[int, str, str]] = []
    for n in range(1, NAMES + 1):
        entries.append((0, f"Part {n}", f"part {n}"))
        if n == 1500:
            entries += [
                (1, "Drawing A", "drawing a"),
                (1, "Drawing B", "drawing b"),
                (2, "Old note", "old note"),
            ]
    with writing(site.app.engine) as connection:
        volume = connection.execute(
            text("INSERT INTO volume (key, title) VALUES ('parts', 'Parts') RETURNING id")
        ).scalar_one()
        write_contents(connection, volume, entries)
        person = connection.execute(text("SELECT id FROM person WHERE handle = 'wenna'")).scalar_one()
        connection.execute(
            text("INSERT INTO membership (person, volume, role) VALUES (:person, :volume, :role)"),
            {"person": person, "volume": volume, "role": Role.OWNER},
        )
    return "/parts"


def _tree(page: Page) -> Locator:
    return page.get_by_role("navigation", name="Contents of Parts").locator(".tree")


def _number(row: Locator) -> str:
    return row.get_attribute("data-number") or ""


def test_rows_are_drawn_as_they_come_into_view(open_page: Open, catalogue: str) -> None:
    page = open_page(catalogue)
    tree = _tree(page)
    expect(tree.get_by_role("link", name="Part 1", exact=False).first).to_be_visible()
    for share, name in ((0.5, "Part 1000"), (1.0, f"Part {NAMES}"), (0.0, "Part 1")):
        page.evaluate(
            "share => { const list = document.querySelector('.tree');"
            " list.scrollTop = share * list.scrollHeight - list.clientHeight / 2; }",
            share,
        )
        expect(tree.locator(f'[data-name="{name}"]')).to_be_in_viewport()
        assert tree.locator("[data-name]").count() < 100
    # The number is that of the whole, wherever the row was drawn first.
    tree.locator('[data-name="Part 1"]').focus()
    page.keyboard.press("ArrowDown")
    expect(tree.locator('[data-name="Part 2"]')).to_be_focused()
    assert _number(tree.locator('[data-name="Part 2"]')) == "2"


def test_branches_open_stay_open_and_what_is_called_so_is_found_with_what_is_above(
    open_page: Open, catalogue: str
) -> None:
    page = open_page(f"{catalogue}/part-1500")
    tree = _tree(page)
    expect(tree.locator('[data-name="Drawing A"]')).to_be_in_viewport()
    tree.get_by_role("button", name="Pages below Drawing B").click()
    note = tree.locator('[data-name="Old note"]')
    expect(note).to_have_attribute("data-number", "1500.2.1")
    page.goto(f"{catalogue}/part-1490")
    expect(note).to_be_in_viewport()
    tree.get_by_role("button", name="Pages below Part 1500").click()
    expect(note).to_have_count(0)
    page.goto(f"{catalogue}/part-3")
    search = page.get_by_label("Filter the contents")
    search.fill("old n")
    expect(tree.locator("[data-name]")).to_have_count(3)
    assert [_number(row) for row in tree.locator("[data-name]").all()] == ["1500", "1500.2", "1500.2.1"]
    search.fill("part")
    expect(page.get_by_text("More than a hundred are called so")).to_be_visible()
    search.fill("no such")
    expect(page.get_by_text("Nothing in the contents is called so.")).to_be_visible()
    search.fill("")
    expect(tree.locator('[data-name="Part 3"]')).to_be_in_viewport()


def test_a_row_is_moved_by_key_with_undo_and_by_dragging_through_a_plan(
    open_page: Open, catalogue: str
) -> None:
    page = open_page(f"{catalogue}/part-1200", who="Wenna")
    tree = _tree(page)
    row = tree.locator('[data-name="Part 1200"]')
    row.focus()
    page.keyboard.press("Control+Shift+ArrowUp")
    expect(page.get_by_text("Moved.")).to_be_visible()
    expect(row).to_have_attribute("data-number", "1199")
    expect(row).to_be_focused()
    page.get_by_role("button", name="Undo").click()
    expect(row).to_have_attribute("data-number", "1200")
    row.drag_to(tree.locator('[data-name="Part 1204"]'), target_position={"x": 60, "y": 22})
    expect(page.get_by_role("heading", name="Another place in the contents")).to_be_visible()
    assert "after=part" in page.url and "1204" in page.url


def test_without_scripts_folded_branches_and_what_was_left_out_are_links(
    open_page: Open, catalogue: str
) -> None:
    page = open_page(f"{catalogue}/part-1460", java_script_enabled=False)
    tree = _tree(page)
    expect(tree.locator('[data-name="Drawing A"]')).to_have_count(0)
    tree.get_by_role("link", name="Pages below Part 1500").click()
    expect(tree.locator('[data-name="Drawing A"]')).to_be_visible()
    expect(page.locator("h1")).to_contain_text("Part 1460")
    tree.get_by_role("link", name="more").last.click()
    expect(tree.locator('[data-name="Part 1550"]')).to_be_visible()
    tree.get_by_role("link", name="before").first.click()
    expect(tree.locator('[data-name="Part 1450"]')).to_be_visible()
