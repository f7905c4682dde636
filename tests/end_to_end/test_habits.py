"""What holds on every screen: without scripts, narrow, dark, by keyboard, and in the go box."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

from tests.end_to_end.conftest import Open
from tests.end_to_end.typing import drawn

WELL = "/tern-4-service-manual/battery-well"
SCREENS = [
    "/",
    "/tern-4-service-manual",
    WELL,
    "/-/edit" + WELL,
    "/-/rename" + WELL + "?title=Battery+compartment",
    "/-/revisions" + WELL,
    "/-/revisions" + WELL + "?from=1&to=1",
    "/-/backlinks" + WELL,
    "/-/find?words=battery",
    "/-/changes?page=solar+collar&words=a",
    "/-/trash",
    "/-/lines/tern-4-service-manual/solar-collar",
    "/-/beside" + WELL + "?other=Power",
    "/-/became/tern-4-service-manual?since=2026-05-01",
    "/-/stood/tern-4-service-manual?at=2026-06-01",
    "/-/several/tern-4-service-manual",
    "/-/bring/tern-4-service-manual",
    "/-/take-away" + WELL + "?reach=branch&form=commonmark&stays=1",
    "/-/upkeep/tern-4-service-manual",
    "/-/upkeep/tern-4-service-manual/mentions",
    "/-/upkeep/tern-4-service-manual/look-alikes",
    "/-/plan/merge" + WELL + "?into=Power",
    "/-/plan/delete" + WELL + "?references=words",
    "/-/volume/contents/tern-4-service-manual",
    "/-/volume/libraries/tern-4-service-manual",
    "/-/sign-in",
    "/-/edit/field-guide/rope-splice",
    "/field-guide/no-such-page",
]


def test_reading_and_a_plain_save_work_without_scripts(open_page: Open) -> None:
    page = open_page(WELL, who="Wenna", java_script_enabled=False)
    page.get_by_role("link", name="Edit", exact=True).click()
    page.get_by_label("Text of the page").fill("Plain text with [[hull]].")
    page.get_by_label("Note").fill("no scripts")
    page.get_by_role("button", name="Save").click()
    # The text has no sections any more, and references lead to some.
    page.get_by_role("button", name="Save only this page").click()
    expect(page.locator(".text")).to_have_text(re.compile("Plain text with hull"))
    expect(page.locator(".where .why")).to_have_text("no scripts")


@pytest.mark.parametrize("address", SCREENS)
def test_a_screen_fits_phone_and_desk_and_its_text_stands_out(open_page: Open, address: str) -> None:
    """No screen is wider than its window. Contrast of WCAG 2.2, 1.4.3: 4.5 to 1 in light and in dark, for every
    piece of text in view on a plain ground."""
    page = open_page(address, who="Wenna")
    for width in (390, 820, 1280):
        page.set_viewport_size({"width": width, "height": 800})
        drawn(page)
        wide = page.evaluate("document.documentElement.scrollWidth")
        assert wide <= width, f"{address} is {wide} wide at {width}"
    for scheme in ("light", "dark"):
        page.emulate_media(color_scheme=scheme)
        drawn(page)
        assert page.evaluate(CONTRAST) == [], scheme


CONTRAST = """() => {
  const canvas = document.createElement('canvas').getContext('2d', {willReadFrequently: true});
  const parsed = new Map();
  const parse = (color) => {
    if (!parsed.has(color)) {
      canvas.clearRect(0, 0, 1, 1); canvas.fillStyle = color; canvas.fillRect(0, 0, 1, 1);
      const [r, g, b, a] = canvas.getImageData(0, 0, 1, 1).data;
      parsed.set(color, [r, g, b, a / 255]);
    }
    return parsed.get(color);
  };
  const light = ([r, g, b]) => {
    const [x, y, z] = [r, g, b].map((v) => (v /= 255) <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
    return 0.2126 * x + 0.7152 * y + 0.0722 * z;
  };
  const over = (top, under) => top.slice(0, 3).map((v, n) => v * top[3] + under[n] * (1 - top[3]));
  const ground = (element) => {
    const layers = [];
    for (let e = element; e; e = e.parentElement) layers.push(parse(getComputedStyle(e).backgroundColor));
    return layers.reverse().reduce((under, top) => over(top, under), [255, 255, 255]);
  };
  const faint = new Set();
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walker.nextNode()) {
    const element = walker.currentNode.parentElement;
    if (!walker.currentNode.data.trim() || !element.checkVisibility({visibilityProperty: true})) continue;
    const box = element.getBoundingClientRect();
    if (box.bottom < 0 || box.top > innerHeight || !box.width) continue;
    const behind = ground(element);
    const before = over(parse(getComputedStyle(element).color), behind);
    const [a, b] = [light(before), light(behind)].sort((x, y) => y - x);
    if ((a + 0.05) / (b + 0.05) < 4.5)
      faint.add(`${element.className || element.tagName}: ${walker.currentNode.data.trim().slice(0, 30)}`);
  }
  return [...faint];
}"""


def test_the_empty_go_box_goes_back_and_forth_and_knows_one_person_s_pages_only(open_page: Open) -> None:
    page = open_page("/bench-notes/returns", who="Mirela")
    page.goto("/tern-4-service-manual/power")
    page.goto(WELL)
    rows = page.locator("#go-hits .page")
    page.keyboard.press("Control+k")
    expect(rows).to_have_count(2)
    expect(rows.first).to_contain_text("Power")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/tern-4-service-manual/power$"))
    page.keyboard.press("Control+k")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/battery-well$"))
    page.locator("summary.face").click()
    page.get_by_role("button", name="Sign out").click()
    page.goto(WELL)
    page.keyboard.press("Control+k")
    expect(page.get_by_role("dialog", name="Go to a page")).to_be_visible()
    expect(rows).to_have_count(0)
    expect(page.get_by_text("Type a part of a name")).to_be_visible()


def test_the_card_of_a_reference_shows_first_lines_or_who_else_refers(open_page: Open) -> None:
    page = open_page(WELL)
    page.locator(".text").get_by_role("link", name="charge regulator").hover()
    expect(page.get_by_role("tooltip")).to_contain_text("The regulator sits on the port wall")
    page.locator(".text").get_by_role("link", name="lid gasket").hover()
    expect(page.get_by_role("tooltip")).to_contain_text("Referred to on: Battery well, Renew the seals")


def test_every_key_that_is_listed_is_shown_and_regions_can_be_walked(open_page: Open) -> None:
    page = open_page(WELL)
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    page.keyboard.press("Escape")
    visited = []
    for _ in range(4):
        page.keyboard.press("F6")
        visited.append(page.evaluate("document.activeElement.closest('nav, main, aside, footer').className"))
    assert visited == ["spine", "panel", "page", "margin"]
