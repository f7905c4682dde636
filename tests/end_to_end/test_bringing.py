"""Out and back in a browser: a volume is taken away, worked on, dropped on its volume, chosen from and taken in."""

from __future__ import annotations

import re
import zipfile
from pathlib import Path

from playwright.sync_api import expect

from tests.end_to_end.conftest import Open

SAFETY = "and half an hour is the limit."


def test_a_volume_goes_out_is_worked_on_and_comes_back(open_page: Open, tmp_path: Path) -> None:
    page = open_page("/field-guide", who="Wenna")
    page.locator("summary.volume").click()
    with page.expect_download() as waited:
        page.get_by_role("link", name="Take it away as files").click()
        page.get_by_role("button", name="Take away").click()
    waited.value.save_as(tmp_path / "out.zip")
    work = tmp_path / "work"
    with zipfile.ZipFile(tmp_path / "out.zip") as archive:
        archive.extractall(work)
    guide = work / "Field guide"
    (guide / "Slack mooring.md").rename(guide / "Chain mooring.md")
    boarding = guide / "Boarding a buoy.md"
    boarding.write_text(boarding.read_text().replace(SAFETY, SAFETY + " Wear boots."))
    (guide / "Night work.md").write_text("No lift is made at night, see [[Chain mooring]].\n")

    # Meanwhile somebody changes the same line here.
    plain = open_page("/-/edit/field-guide/boarding-a-buoy", who="Wenna", java_script_enabled=False)
    desk = plain.get_by_label("Text of the page")
    desk.fill(desk.input_value().replace(SAFETY, SAFETY + " Wear gloves."))
    plain.get_by_role("button", name="Save").click()
    expect(plain.locator(".text")).to_contain_text("Wear gloves.")

    page.reload()
    page.locator("summary.volume").click()
    page.get_by_role("link", name="Bring it back from files").click()
    page.get_by_label("A folder").set_input_files(work)
    expect(page.get_by_role("status").filter(has_text="files")).to_be_visible()
    page.get_by_role("button", name="Bring it").click()
    page.wait_for_url(re.compile("bring-back"))
    expect(page.locator(".plan-say")).to_contain_text("1 page has to be chosen first")
    expect(page.get_by_text("Slack mooring → Chain mooring")).to_be_visible()
    expect(page.get_by_role("button", name="Take it in", exact=True)).to_have_count(0)
    page.get_by_role("button", name="As the folder has it").click()
    page.get_by_role("button", name="leave out: Night work").click()
    expect(page.get_by_role("button", name="take it in: Night work")).to_be_visible()
    page.get_by_role("button", name="Take it in", exact=True).click()
    expect(page.locator("h1")).to_have_text("Brought back from “work”")
    page.goto(page.url.partition("/-/")[0] + "/field-guide/boarding-a-buoy")
    expect(page.locator(".text")).to_contain_text("Wear boots.")
    page.goto(page.url.partition("/field-guide")[0] + "/field-guide/choose-a-site")
    expect(page.get_by_role("link", name="Chain mooring").first).to_be_visible()
