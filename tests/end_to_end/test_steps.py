"""The eight steps of a writer's work, in a browser, by mouse and by keyboard."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.end_to_end.conftest import Open, Site
from tests.end_to_end.typing import GRACE, type_at_end

WELL = "/tern-4-service-manual/battery-well"
EDIT = "/-/edit" + WELL


def test_1_open_a_volume_and_read_a_page_beside_contents_and_margin(open_page: Open) -> None:
    page = open_page("/")
    page.get_by_role("link", name="Tern 4 service manual").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("About this manual")
    contents = page.get_by_role("navigation", name="Contents of Tern 4 service manual")
    contents.get_by_role("link", name="Battery well").click()
    expect(page).to_have_url(re.compile(":[0-9]+" + WELL + "$"))
    current = contents.locator('[aria-current="page"]')
    expect(current).to_contain_text("2.3.1")
    expect(current).to_be_in_viewport()
    margin = page.get_by_role("complementary", name="Margin")
    expect(margin).to_contain_text("Backlinks · 27 pages")
    margin.get_by_role("link", name="Torque and sealant").click()
    expect(page).to_have_url(re.compile("#torque-and-sealant$"))
    # The filter keeps the ancestors of what it finds.
    page.get_by_label("Filter the contents").fill("collar")
    expect(contents.locator(".line:visible")).to_have_count(3)
    page.get_by_label("Filter the contents").fill("nothing like it")
    expect(contents).to_contain_text("Nothing in the contents is called so.")


def test_1_branches_fold_and_stay_folded(open_page: Open) -> None:
    page = open_page(WELL)
    contents = page.get_by_role("navigation", name="Contents of Tern 4 service manual")
    before = contents.locator(".line:visible").count()
    contents.get_by_role("button", name="Pages below Fault finding").click()
    expect(contents.locator(".line:visible")).to_have_count(before - 3)
    contents.get_by_role("link", name="Main isolator").click()
    expect(contents.locator(".line:visible")).to_have_count(before - 3)


def test_2_write_and_save_with_a_note_by_keyboard(open_page: Open) -> None:
    page = open_page(WELL, who="Wenna")
    page.keyboard.press("e")
    expect(page).to_have_url(re.compile(EDIT))
    type_at_end(page, "\n\nMind the vent.")
    expect(page.locator(".seen")).to_contain_text("Mind the vent.")
    page.get_by_label("Note").fill("a warning more")
    page.keyboard.press("Control+s")
    expect(page.get_by_text("saved as revision 4")).to_be_visible()
    expect(page.get_by_label("Note")).to_have_value("")
    type_at_end(page, " Twice.")
    page.keyboard.press("Control+Shift+S")
    expect(page).to_have_url(re.compile(":[0-9]+" + WELL + "$"))
    expect(page.locator(".text")).to_contain_text("Mind the vent. Twice.")
    page.get_by_role("link", name="changed").click()
    expect(page.locator(".tick").nth(1)).to_contain_text("a warning more")


def test_2_nothing_is_lost_when_the_server_is_away(open_page: Open, site: Site) -> None:
    page = open_page(EDIT, who="Wenna")
    type_at_end(page, "\n\nTyped while the line was down.")
    site.stop()
    page.keyboard.press("Control+s")
    expect(page.get_by_text("The server does not answer")).to_be_visible()
    site.start()
    page.reload()
    expect(page.get_by_text("This is your draft of")).to_be_visible()
    expect(page.locator(".cm-content")).to_contain_text("Typed while the line was down.")
    page.keyboard.press("Control+s")
    expect(page.get_by_text("saved as revision 4")).to_be_visible()
    page.goto(WELL)
    expect(page.locator(".text")).to_contain_text("Typed while the line was down.")


def test_2_a_save_over_somebody_elses_is_brought_together(open_page: Open) -> None:
    page, other = open_page(EDIT, who="Wenna"), open_page(EDIT, who="Mirela")
    type_at_end(other, "\n\nMirela was here.")
    other.keyboard.press("Control+Shift+S")
    expect(other.locator(".text")).to_contain_text("Mirela was here.")
    type_at_end(page, "\n\nWenna was here.")
    page.keyboard.press("Control+s")
    # Both wrote at the end: nothing is saved before somebody says what stands there.
    clash = page.get_by_role("alert").filter(has_text="Somebody else changed the same passages")
    expect(clash).to_contain_text("Mirela was here.")
    expect(page.locator(".cm-content")).to_contain_text("Wenna was here.")
    clash.get_by_label("both, one after the other").check()
    clash.get_by_role("button", name="Put it together").click()
    page.keyboard.press("Control+Shift+S")
    expect(page.locator(".text")).to_contain_text("Wenna was here.")
    expect(page.locator(".text")).to_contain_text("Mirela was here.")


def test_2_an_ended_login_loses_nothing(open_page: Open) -> None:
    page = open_page(EDIT, who="Wenna")
    type_at_end(page, "\n\nStill here.")
    page.context.clear_cookies()
    page.keyboard.press("Control+s")
    expect(page.get_by_text("You are signed out")).to_be_visible()
    again = page.context.new_page()
    again.goto("/-/sign-in")
    again.get_by_role("button", name="Wenna").click()
    again.wait_for_url(re.compile(r"/$"))
    page.keyboard.press("Control+s")
    expect(page.get_by_text("saved as revision 4")).to_be_visible()


def test_3_see_which_names_are_written_and_follow_one_that_is_not(open_page: Open) -> None:
    page = open_page(WELL, who="Wenna")
    gasket = page.get_by_role("link", name="lid gasket")
    expect(gasket).to_have_class(re.compile("unwritten"))
    gasket.click()
    expect(page.get_by_label("Title")).to_have_value("Lid gasket")
    expect(page.get_by_label("Stands below")).to_have_value("battery well")
    type_at_end(page, "A ring of EPDM for the [[hull]] and the [[groove]].")
    expect(page.locator(".cm-ref")).to_have_text("[[hull]]")
    expect(page.locator(".cm-unwritten")).to_have_text("[[groove]]")
    expect(page.locator(".seen .ref")).to_have_text("hull")
    expect(page.locator(".findings")).to_contain_text("1 unwritten")
    page.keyboard.press("Control+Shift+S")
    expect(page.get_by_role("heading", level=1)).to_have_text("Lid gasket")
    expect(page.locator('[aria-current="page"]').first).to_contain_text("2.3.1.1")
    page.goto(WELL)
    expect(page.locator(".text").get_by_role("link", name="lid gasket")).to_have_class("ref")


def test_3_names_are_completed_and_followed_from_the_text(open_page: Open) -> None:
    page = open_page(EDIT, who="Wenna")
    type_at_end(page, "\n\nSee [[renew")
    option = page.locator(".cm-tooltip-autocomplete li").first
    expect(option).to_contain_text("Renew the seals")
    page.wait_for_timeout(GRACE)
    page.keyboard.press("Enter")
    expect(page.locator(".cm-line").last).to_have_text("See [[Renew the seals]]")
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("Control+Enter")
    expect(page).to_have_url(re.compile("/renew-the-seals$"))
    page.go_back()
    # Who followed a reference finds the text as it was left.
    expect(page.locator(".cm-line").last).to_have_text("See [[Renew the seals]]")


def test_3_a_name_of_another_volume_is_completed_with_it(open_page: Open) -> None:
    page = open_page(EDIT, who="Wenna")
    type_at_end(page, "\n\n[[storm moor")
    expect(page.locator(".cm-tooltip-autocomplete li").first).to_contain_text("Storm mooring")
    page.wait_for_timeout(GRACE)
    page.keyboard.press("Enter")
    expect(page.locator(".cm-line").last).to_have_text("[[Field guide/Storm mooring]]")


def test_4_go_from_a_backlink_to_the_very_sentence_lit_up(open_page: Open) -> None:
    page = open_page(WELL)
    margin = page.get_by_role("complementary", name="Margin")
    margin.get_by_role("link", name="23 more").or_(margin.get_by_role("link", name="21 more")).click()
    page.get_by_role("link", name="The switch sits on the floor").click()
    expect(page).to_have_url(re.compile(r"/bilge-switch#ref-\d+$"))
    lit = page.evaluate("[...CSS.highlights.get('lit')].map((range) => range.toString())")
    assert lit == ["The switch sits on the floor of the battery well, aft side."]
    expect(page.locator(":target")).to_be_in_viewport()


def test_4_all_backlinks_have_their_sentences(open_page: Open) -> None:
    page = open_page(WELL)
    page.get_by_role("link", name="more", exact=False).last.click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Backlinks of Battery well")
    assert page.locator(".backlink").count() == 27
    assert page.locator(".backlink mark").count() >= 35


def test_5_rename_through_a_plan_and_take_it_back(open_page: Open) -> None:
    page = open_page(WELL, who="Wenna")
    page.keyboard.press("r")
    title = page.get_by_role("textbox", name="New title")
    expect(title).to_be_focused()
    title.fill("Mast head")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("has a page “Mast head” already")
    title.fill("Battery compartment")
    page.keyboard.press("Enter")
    expect(page.locator(".plan-say")).to_contain_text("47 references in 29 pages of 4 volumes")
    expect(page.get_by_text("Now unwritten, will lead to a page")).to_be_visible()
    expect(page.locator(".was del").first).to_contain_text("[[Battery well]]")
    expect(page.locator(".will ins").first).to_contain_text("[[Battery compartment]]")
    page.get_by_role("button", name="Rename and update 47 references in 29 pages").click()
    expect(page.get_by_role("status")).to_contain_text("30 pages were written as one change")
    page.get_by_role("link", name="Go to the page").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Battery compartment")
    page.go_back()
    page.get_by_role("link", name="Undo").click()
    expect(page.locator(".plan-say")).to_contain_text("What was renamed is taken back")
    page.get_by_role("button", name="Undo it").click()
    expect(page.get_by_role("status")).to_contain_text("Done.")
    page.goto(WELL)
    expect(page.get_by_role("heading", level=1)).to_have_text("Battery well")


def test_5_an_act_from_the_menu_by_keyboard_and_the_trash(open_page: Open) -> None:
    page = open_page("/tern-4-service-manual/quay-charger", who="Wenna")
    page.locator("summary", has_text="Reshape…").focus()
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("link", name="Rename")).to_be_focused()
    page.keyboard.press("ArrowUp")
    expect(page.get_by_role("link", name="Delete")).to_be_focused()
    page.keyboard.press("Enter")
    page.get_by_label("become plain words").check()
    page.get_by_role("button", name="Show the plan").click()
    expect(page.locator(".plan-say")).to_contain_text("1 page goes to the trash")
    page.get_by_role("button", name="Delete 1 page").click()
    page.get_by_role("link", name="the trash").click()
    page.locator("form", has_text="Quay charger").get_by_role("button", name="Plan restoring it").click()
    page.get_by_role("button", name="Restore 1 page").click()
    expect(page.get_by_role("status")).to_contain_text("Done.")
    page.goto("/tern-4-service-manual/quay-charger")
    expect(page.get_by_role("heading", level=1)).to_have_text("Quay charger")


def test_5_a_form_that_was_changed_is_planned_before_anything_is_done(open_page: Open) -> None:
    page = open_page("/-/plan/rename" + WELL + "?title=Cell+well", who="Wenna")
    button = page.locator(".sticky-foot button.main")
    said = button.text_content() or ""
    assert "Rename and update" in said
    page.get_by_role("textbox", name="New title").fill("Battery room")
    expect(button).to_have_text("Show the plan of this first")
    button.click()
    expect(page.locator(".plan-say")).to_contain_text("will say “Battery room”")
    expect(button).to_have_text(said)
    page.get_by_label("the present words").check()
    expect(button).to_have_text("Show the plan of this first")
    page.get_by_label("the new title").check()
    expect(button).to_have_text(said)
    button.click()
    expect(page.get_by_role("status")).to_contain_text("Done.")
    page.goto("/tern-4-service-manual/battery-room")
    expect(page.get_by_role("heading", level=1)).to_have_text("Battery room")


def test_5_the_go_box_knows_the_acts_of_a_page(open_page: Open) -> None:
    page = open_page(WELL, who="Wenna")
    page.keyboard.press("Control+k")
    page.get_by_role("combobox", name="Part of a name").fill("make a page of")
    page.get_by_role("option", name="Make a page of a section").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Make a page of a section")


def test_5_a_row_of_the_contents_moves_by_keyboard_and_by_dragging(open_page: Open) -> None:
    page = open_page(WELL, who="Wenna")
    page.keyboard.press("c")
    page.keyboard.press("Control+Shift+ArrowDown")
    expect(page.locator('[aria-current="page"] .no')).to_have_text("2.3.2")
    page.keyboard.press("Control+Shift+ArrowUp")
    expect(page.locator('[aria-current="page"] .no')).to_have_text("2.3.1")
    row = page.locator('.toc [data-key="mast head"]')
    row.drag_to(page.locator('.toc [data-key="sensors"]'))
    expect(page.locator("main")).to_contain_text("“Mast head” below “Sensors”")
    page.get_by_role("button", name="Change the contents").click()
    expect(page.get_by_role("status")).to_contain_text("Done.")
    page.goto("/tern-4-service-manual/mast-head")
    expect(page.locator('[aria-current="page"] .no')).to_have_text("2.3.4")


def test_5_a_save_that_takes_a_section_away_asks_and_lets_references_follow(open_page: Open) -> None:
    page = open_page(WELL, who="Wenna")
    page.keyboard.press("e")
    line = page.locator(".cm-line", has_text="Limits").first
    line.click()
    page.keyboard.press("End")
    page.keyboard.type(" of use")
    page.keyboard.press("Control+s")
    asked = page.get_by_role("alert").filter(has_text="Not saved yet")
    expect(asked).to_contain_text("4 references to a section that is called otherwise now")
    expect(page.get_by_role("button", name="Save, and let them follow")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator("body")).to_contain_text("saved as revision 4")
    page.goto("/-/edit/tern-4-service-manual/limits-and-tables")
    expect(page.locator(".cm-content")).to_contain_text("[[Battery well#Limits of use]]")


def test_5_marked_mentions_are_linked_through_one_plan(open_page: Open) -> None:
    page = open_page(WELL, who="Wenna")
    page.get_by_role("link", name="Upkeep").click()
    page.get_by_role("link", name="Bare mentions").click()
    marks = page.get_by_role("checkbox")
    marks.nth(0).check()
    marks.nth(2).check()
    page.get_by_role("button", name="Link them").click()
    expect(page.locator(".plan-say")).to_contain_text("2 mentions will be linked")
    page.get_by_role("button", name="Link 2 places").click()
    expect(page.get_by_role("status")).to_contain_text("2 pages were written as one change")


def test_5_what_is_meant_as_it_is_is_put_aside_with_a_reason_and_taken_back(open_page: Open) -> None:
    page = open_page("/-/upkeep/tern-4-service-manual/orphans", who="Wenna")
    foot = page.locator(".marked-foot")
    expect(foot.get_by_role("button", name="Delete them")).to_be_hidden()
    page.get_by_role("checkbox", name="Mark Sensors").check()
    expect(foot.get_by_role("button", name="Delete them")).to_be_visible()
    foot.get_by_label("Put them aside: why").fill("The contents lead there.")
    page.keyboard.press("Enter")
    page.get_by_text("Put aside · 1").click()
    expect(page.locator(".put-aside")).to_contain_text("The contents lead there.")
    expect(page.locator(".finding")).to_have_count(2)
    page.get_by_role("button", name="List it again").click()
    expect(page.locator(".finding")).to_have_count(3)


def test_5_a_report_is_gone_through_by_keyboard_with_each_finding_in_its_place(open_page: Open) -> None:
    page = open_page("/-/upkeep/tern-4-service-manual/mentions", who="Wenna")
    beside = page.get_by_role("complementary", name="In its place")
    expect(beside.locator("mark")).to_have_text("bilge switch")
    page.keyboard.press("j")
    expect(page.locator("#f2")).to_be_focused()
    expect(beside.locator("mark")).to_have_text("hull")
    page.keyboard.press("Space")
    expect(page.locator("#f2").get_by_role("checkbox")).to_be_checked()
    page.keyboard.press("F8")
    expect(beside.locator("h2")).to_have_text("Before you open it")
    page.keyboard.press("k")
    expect(page.locator("#f2")).to_be_focused()
    page.keyboard.press("Alt+Enter")
    expect(page.locator(".plan-say").first).to_contain_text("1 mention will be linked")


def test_5_other_lists_are_gone_through_by_the_same_keys(open_page: Open) -> None:
    page = open_page("/-/find?words=battery", who="Wenna")
    page.keyboard.press("j")
    page.keyboard.press("j")
    page.keyboard.press("k")
    first = page.locator("[data-row]").first
    expect(first).to_be_focused()
    page.keyboard.press("Enter")
    page.wait_for_url("**/battery-well")


def test_6_see_revisions_and_compare_two(open_page: Open) -> None:
    page = open_page(WELL)
    page.keyboard.press("v")
    ticks = page.locator(".tick")
    expect(ticks).to_have_count(3)
    expect(ticks.first).to_contain_text("21 Nov 2026 Wenna Carrow")
    expect(ticks.first).to_contain_text("new gasket part number")
    expect(page.locator("ins")).to_have_text("(K-GA-0104) ")
    # By key, and by dragging: what differs follows at once, and the address too.
    page.get_by_role("slider", name="From revision").press("ArrowDown")
    expect(page.locator("ins").first).to_contain_text("It has two vents.")
    expect(page).to_have_url(re.compile(r"from=1&to=3"))
    expect(page.get_by_role("slider", name="From revision")).to_have_attribute("aria-valuenow", "1")
    page.get_by_role("slider", name="To revision").hover()
    page.mouse.down()
    last = ticks.last.bounding_box()
    assert last is not None
    page.mouse.move(last["x"] + 20, last["y"] + 10, steps=5)
    page.mouse.up()
    expect(page.locator(".differences")).to_contain_text("The text is that of revision 1")
    # Space on a tick marks the other end.
    ticks.nth(1).locator(".what").focus()
    page.keyboard.press("Space")
    expect(page).to_have_url(re.compile(r"from=1&to=2"))
    expect(page.locator(".tick.within")).to_have_count(2)
    ticks.first.locator(".what").click()
    expect(page).to_have_url(re.compile(r"from=2&to=3"))
    page.get_by_role("heading", level=1).get_by_role("link").click()
    expect(page).to_have_url(re.compile(WELL + "$"))


def test_7_sign_in_by_choosing_a_person_of_the_demo_and_out_again(open_page: Open) -> None:
    page = open_page(WELL)
    expect(page.get_by_role("link", name="Edit", exact=True)).to_have_count(0)
    page.get_by_role("link", name="Sign in to edit").click()
    page.get_by_role("button", name="Jonas Thole").click()
    expect(page).to_have_url(re.compile(":[0-9]+" + WELL + "$"))
    expect(page.get_by_role("link", name="Edit", exact=True)).to_be_visible()
    page.get_by_title("Jonas Thole").click()
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("link", name="Sign in", exact=True)).to_be_visible()


def test_7_a_wrong_password_is_said(open_page: Open) -> None:
    page = open_page("/-/sign-in")
    page.get_by_label("Handle").fill("wenna")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("do not belong together")


def test_8_go_by_part_of_a_name_and_by_a_near_spelling(open_page: Open) -> None:
    page = open_page(WELL)
    page.keyboard.press("Control+k")
    page.keyboard.type("isol")
    expect(page.get_by_role("option").first).to_contain_text("Main isolator")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/main-isolator$"))
    page.keyboard.press("/")
    page.keyboard.type("baterry dranes")
    expect(page.get_by_role("option").first).to_contain_text("near spelling")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+k")
    page.get_by_role("combobox", name="Part of a name").fill("storm")
    page.keyboard.press("Tab")
    expect(page.get_by_role("option").first).to_contain_text("Storm mooring")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/field-guide/storm-mooring$"))


def test_8_find_by_words_at_once_after_saving(open_page: Open) -> None:
    page = open_page(EDIT, who="Wenna")
    type_at_end(page, "\n\nBeware of the zanzibar clamp.")
    page.keyboard.press("Control+s")
    expect(page.get_by_text("saved as revision 4")).to_be_visible()
    page.goto("/-/find")
    page.get_by_label("What to find").fill("zanzibar clamps")
    page.keyboard.press("Enter")
    expect(page.locator(".found mark").first).to_have_text("zanzibar")


def test_8_write_the_page_that_is_not_there(open_page: Open) -> None:
    page = open_page(WELL, who="Wenna")
    page.keyboard.press("Control+k")
    page.keyboard.type("Vent plug")
    # Nothing is called so: then it stands first, else last.
    expect(page.get_by_role("option").first).to_contain_text("Write a new page “Vent plug”")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Title")).to_have_value("Vent plug")


# ---- 6: say it once -------------------------------------------------------------------


def test_6_a_template_is_put_in_with_its_slots_laid_out(open_page: Open) -> None:
    page = open_page("/-/edit/tern-4-service-manual/mast-head", who="Wenna")
    type_at_end(page, "\n\n[[=")
    listed = page.locator(".cm-tooltip-autocomplete li")
    expect(listed.first).to_contain_text("Part card")
    page.keyboard.type("safety")
    expect(listed.first).to_contain_text("Safety notice")
    page.wait_for_timeout(GRACE)
    page.keyboard.press("Enter")
    # What may be typed there is shown, and is not in the text.
    expect(page.locator(".cm-ghost")).to_have_count(2)
    expect(page.locator(".seen")).to_contain_text("needs a value")
    page.keyboard.type("The lamp is hot.")
    expect(page.locator(".cm-ghost")).to_have_count(1)
    page.keyboard.press("Tab")
    page.keyboard.type("Wait a minute.")
    expect(page.locator(".seen")).to_contain_text("WARNING The lamp is hot. Wait a minute.")
    page.keyboard.press("Control+Shift+S")
    expect(page.locator(".text .insert")).to_contain_text("WARNING The lamp is hot. Wait a minute.")
    expect(page.locator(".text .source")).to_have_text("Parts and data / Safety notice · put its text here")
    expect(page.locator(".go-bar")).to_be_visible()
    page.locator("h1").click()
    page.keyboard.press("i")
    expect(page.locator("body.show-sources .text .source")).to_have_css("opacity", "1")


def test_6_the_places_of_use_are_looked_at_before_a_template_is_saved(open_page: Open) -> None:
    page = open_page("/-/edit/parts-and-data/safety-notice", who="Wenna")
    type_at_end(page, "\n\n<!-- part -->\nAnd take your time.\n<!-- /part -->\n")
    with page.context.expect_page() as opened:
        page.get_by_role("button", name="Effect").click()
    effect = opened.value
    expect(effect.locator(".plan-say")).to_contain_text(
        "4 places on 4 pages put it in. 4 of them will look different."
    )
    expect(effect.locator(".sides").first).to_contain_text("And take your time.")
    page.keyboard.press("Control+Shift+S")
    expect(page).to_have_url(re.compile("[0-9]/parts-and-data/safety-notice$"))
    page.goto("/field-guide/crane-lift")
    expect(page.locator(".text")).to_contain_text("And take your time.")


def test_6_a_slot_that_places_of_use_give_is_not_dropped_unasked(open_page: Open) -> None:
    page = open_page("/-/edit/parts-and-data/part-card", who="Wenna")
    page.locator(".cm-content").click()
    page.locator(".cm-line", has_text="weight: {default").click()
    page.keyboard.press("Home")
    page.keyboard.press("Home")  # before its indentation
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Delete")
    page.keyboard.press("Control+s")
    asked = page.get_by_role("alert").filter(has_text="Not saved yet")
    expect(asked).to_contain_text("1 place that puts this page in would be faulty")
    expect(asked).to_contain_text("“Part card” has no slot “weight”.")
    page.get_by_role("button", name="Go on writing").click()


def test_6_a_mark_leads_to_its_category_and_that_to_the_passages(open_page: Open) -> None:
    page = open_page("/tern-4-service-manual/change-the-cells")
    page.get_by_role("link", name="#two-people").click()
    expect(page.get_by_role("heading", name="Two people")).to_be_visible()
    page.keyboard.press("j")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Bilge switch trips", level=1)).to_be_visible()
    page.locator(".spine").get_by_role("link", name="Materials").click()
    expect(page.get_by_role("heading", name="Materials")).to_be_visible()


def test_6_a_page_is_filed_in_its_margin(open_page: Open) -> None:
    page = open_page(WELL, who="Wenna")
    field = page.get_by_label("Category to file it under")
    field.focus()
    expect(page.locator("#category-names option[value='Two people']")).to_have_count(1)
    field.fill("two people")
    page.keyboard.press("Enter")
    filed = page.locator("#margin section", has_text="Categories")
    expect(filed.get_by_role("link", name="Two people")).to_be_visible()
    filed.get_by_role("button", name="Take it out of Confined spaces").click()
    expect(filed.get_by_role("link", name="Confined spaces")).to_have_count(0)
    page.goto(EDIT)
    expect(page.locator(".cm-content")).to_contain_text("categories: [Power, Two people]")


def test_6_a_form_beside_the_text_changes_the_values_of_the_insert_under_the_caret(open_page: Open) -> None:
    page = open_page("/-/edit/tern-4-service-manual/bilge-switch-trips", who="Wenna")
    form = page.get_by_role("group", name="The insert under the caret")
    page.locator(".cm-line", has_text="[[=Safety notice").click()
    expect(form).to_contain_text("Insert of Safety notice")
    avoid = form.get_by_label("avoid")
    avoid.fill("Wait, and air it.")
    expect(page.locator(".seen .insert")).to_contain_text("Wait, and air it.")
    word = form.get_by_label("word")
    word.fill("NOTICE")
    word.press_sequentially(" 2")
    expect(page.locator(".cm-content")).to_contain_text("word: NOTICE 2")
    word.fill("")
    expect(page.locator(".cm-content")).not_to_contain_text("word:")
    expect(page.locator(".seen .insert")).to_contain_text("WARNING")
    page.locator(".cm-line").last.click()
    expect(form).to_be_hidden()


def test_6_a_template_is_put_in_from_a_list_by_who_would_rather_not_type_it(open_page: Open) -> None:
    page = open_page("/-/edit/tern-4-service-manual/mast-head", who="Wenna")
    type_at_end(page, "\n\n")
    page.keyboard.press("F9")
    page.get_by_label("Put in").fill("safety")
    expect(page.locator(".choices button").first).to_contain_text("Safety notice")
    page.keyboard.press("Enter")
    page.keyboard.type("It is hot.")
    expect(page.locator(".seen .insert")).to_contain_text("WARNING It is hot.")
    form = page.get_by_role("group", name="The insert under the caret")
    form.get_by_label("avoid").fill("Wait.")
    expect(page.locator(".seen .insert")).to_contain_text("It is hot. Wait.")


def test_6_selected_text_becomes_a_template_and_goes_back(open_page: Open) -> None:
    page = open_page("/-/edit/tern-4-service-manual/test-in-the-tank", who="Wenna")
    page.locator(".cm-content").click()
    page.keyboard.press("Shift+F9")
    expect(page.get_by_role("status")).to_contain_text("Select the text first")
    page.locator(".cm-line", has_text="Wear gloves").click(click_count=3)
    page.keyboard.press("Shift+F9")
    expect(page.locator(".passage-in-hand")).to_contain_text("Wear gloves and eye protection.")
    page.get_by_label("Title").fill("Before work")
    page.locator("textarea[name=slots]").fill("wind: 10 m/s")
    page.get_by_role("button", name="Show the plan").click()
    page.get_by_label("all 3").check()
    page.get_by_role("button", name="Show the plan with the marked ones").click()
    expect(page.locator(".plan-say")).to_contain_text("So will 3 more places that say the same.")
    page.get_by_role("button", name="Make it a template").click()
    page.goto("/field-guide/mooring-inspection")
    insert = page.locator(".text .insert")
    expect(insert).to_contain_text("stop when the wind is above 8 m/s.")
    page.keyboard.press("i")
    insert.get_by_role("link", name="put its text here").click()
    expect(page.locator(".plan-say")).to_contain_text("The text of “Before work” will stand in the place")
    page.get_by_role("button", name="Put the text there").click()
    page.goto("/field-guide/mooring-inspection")
    expect(page.locator(".text .insert")).to_have_count(0)
    expect(page.locator(".text")).to_contain_text("stop when the wind is above 8 m/s.")


def test_6_marks_and_categories_are_completed_where_they_are_typed(open_page: Open) -> None:
    page = open_page("/-/edit/tern-4-service-manual/mast-head", who="Wenna")
    type_at_end(page, "\n\nLift it #tw")
    listed = page.locator(".cm-tooltip-autocomplete li")
    expect(listed.first).to_contain_text("two-people")
    page.wait_for_timeout(
        150
    )  # a list that has just opened takes no key, lest it takes one meant for the text
    page.keyboard.press("Enter")
    expect(page.locator(".cm-content")).to_contain_text("Lift it #two-people")
    page.locator(".cm-line", has_text="categories:").click()
    page.keyboard.press("End")
    page.keyboard.press("ArrowLeft")
    page.keyboard.type(", conf")
    expect(listed.first).to_contain_text("Confined spaces")
    page.wait_for_timeout(150)
    page.keyboard.press("Enter")
    expect(page.locator(".cm-line", has_text="categories:")).to_contain_text(", Confined spaces]")


# ---- 7: the desk helps to write ----------------------------------------------------------


def test_who_signs_in_by_the_button_of_the_demo_comes_to_the_volumes(open_page: Open) -> None:
    page = open_page("/-/sign-in")
    page.get_by_role("button", name="Wenna").click()
    expect(page).to_have_url(re.compile(r"/$"))
    expect(page.get_by_role("link", name="Tern 4 service manual")).to_be_visible()
    page.goto(WELL)
    expect(page.get_by_role("link", name="Edit", exact=True)).to_be_visible()
