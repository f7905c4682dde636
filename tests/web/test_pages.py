"""The pages people see: the steps of the work without scripts, and faults in plain words."""

from __future__ import annotations

import html
import re

import pytest

from tests.application import TestClient
from tests.web.conftest import Browser, token

WELL = "/tern-4-service-manual/battery-well"
EDIT = "/-/edit" + WELL


def _field(page: str, name: str) -> str:
    match = re.search(rf'name="{name}"[^>]*value="([^"]*)"', page)
    assert match is not None, name
    return html.unescape(match[1])


def _post(client: TestClient, address: str, **fields: str) -> tuple[int, str]:
    done = client.post(address, data={"token": token(client), **fields})
    return done.status_code, done.text


def test_reading_is_open_and_a_page_stands_beside_contents_and_margin(browser: Browser) -> None:
    page = browser().get(WELL).text
    assert "<h1>Battery well</h1>" in page
    assert re.search(r'aria-current="page">\s*<span class="no">2.3.1</span>', page)
    assert "Backlinks · 27 pages" in page
    assert 'class="ref"' in page and 'class="unwritten"' in page


def _contents(page: str) -> str:
    return page[
        page.index('<div class="tree toc"') : page.index("</nav>", page.index('<div class="tree toc"'))
    ]


def test_the_contents_beside_each_page_say_which_is_in_hand_and_follow_a_rename(browser: Browser) -> None:
    client = browser("wenna")
    volume = "/tern-4-service-manual/"
    keys = re.findall(r'data-key="([^"]+)"', _contents(client.get(WELL).text))
    assert len(keys) > 20
    for key in keys[:6]:
        contents = _contents(client.get(volume + key.replace(" ", "-")).text)
        assert contents.count("aria-current") == 1 and f'data-key="{key}" aria-current="page"' in contents
        assert "\x01" not in contents and re.findall(r'data-key="([^"]+)"', contents) == keys
    plan = client.get("/-/plan/rename" + WELL, params={"title": "Well of batteries"}).text
    _post(
        client,
        "/-/plan/rename" + WELL,
        title="Well of batteries",
        words="title",
        digest=_field(plan, "digest"),
    )
    after = _contents(client.get(volume + keys[0].replace(" ", "-")).text)
    assert "Well of batteries" in after and 'data-key="battery well"' not in after


def test_each_backlink_leads_to_the_very_sentence(browser: Browser) -> None:
    client = browser()
    page = client.get(WELL).text
    links = re.findall(r'class="said" href="([^"#]+)#(ref-\d+)"', page)
    assert len(links) >= 5
    for address, place in links:
        target = client.get(html.unescape(address)).text
        assert re.search(rf'<a class="ref" id="{place}" href="{WELL}', target), address


def test_a_page_has_one_address_and_others_lead_to_it(browser: Browser) -> None:
    client = browser()
    for other in ("/Tern-4-Service-Manual/Battery%20well", "/tern-4-service-manual/battery_well"):
        done = client.get(other, follow_redirects=True)
        assert done.url.path == WELL and done.status_code == 200


def test_writing_without_scripts(browser: Browser) -> None:
    client = browser("wenna")
    app = client.get("/-/edit" + WELL).text
    assert html.unescape(app).count("Hydrogen gathers") == 1
    status, page = _post(
        client,
        "/-/edit" + WELL,
        revision=_field(app, "revision"),
        title="Battery well",
        text="New [[hull]].",
        note="why",
        follow="no",
    )
    assert status == 200 and 'title="why"' in page and "New <a" in page


def test_a_save_over_a_newer_revision_keeps_what_was_typed_and_shows_both(browser: Browser) -> None:
    wenna, mirela = browser("wenna"), browser("mirela")
    revision = _field(wenna.get("/-/edit" + WELL).text, "revision")
    _post(
        mirela, "/-/edit" + WELL, revision=revision, title="Battery well", text="Mirela's text.", follow="no"
    )
    status, page = _post(
        wenna, "/-/edit" + WELL, revision=revision, title="Battery well", text="Wenna's text.", note="n"
    )
    assert status == 409
    assert "Wenna&#39;s text." in page and 'value="n"' in page and "See what the other saved" in page
    assert "Mirela's text" in html.unescape(wenna.get(WELL).text)


def test_a_faulty_title_brings_the_desk_back_with_everything_that_was_typed(browser: Browser) -> None:
    client = browser("wenna")
    fields = {"revision": "0", "title": "..", "text": "kept text", "note": "kept note"}
    status, page = _post(client, "/-/edit/tern-4-service-manual/new-page", **fields)
    assert status == 422
    assert "kept text" in page and "kept note" in page and "cannot be a title" in page


def test_following_an_unwritten_name_leads_straight_into_writing_it(browser: Browser) -> None:
    client = browser("wenna")
    match = re.search(r'<a class="unwritten" id="ref-\d+" href="([^"]+)"', client.get(WELL).text)
    assert match is not None
    app = client.get(html.unescape(match[1])).text
    assert 'value="Lid gasket"' in app and '<option value="battery well" selected>' in app
    status, page = _post(
        client,
        "/-/edit/tern-4-service-manual/lid-gasket",
        revision="0",
        title="Lid gasket",
        text="A ring.",
        under="battery well",
    )
    assert status == 200 and "<h1>Lid gasket</h1>" in page and "2.3.1.1" in page


def test_a_rename_is_planned_shown_done_and_undone(browser: Browser) -> None:
    client = browser("wenna")
    plan = client.get("/-/plan/rename" + WELL, params={"title": "Battery compartment"}).text
    said = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", plan))
    assert "47 references in 29 pages of 4 volumes will say “Battery compartment”" in said
    assert "1 reference that led nowhere leads to a page afterwards" in said
    status, page = _post(
        client,
        "/-/plan/rename" + WELL,
        title="Battery compartment",
        words="title",
        digest=_field(plan, "digest"),
    )
    assert status == 200 and "“Battery well” is now called “Battery compartment”" in html.unescape(page)
    assert client.get("/tern-4-service-manual/battery-compartment").status_code == 200
    former = client.get(WELL, follow_redirects=False)
    assert (former.status_code, former.headers["location"]) == (
        307,
        "/tern-4-service-manual/battery-compartment",
    )
    undo = re.search(r'href="(/-/changes/\d+/undo)"', page)
    assert undo is not None
    status, page = _post(client, undo[1], digest=_field(client.get(undo[1]).text, "digest"))
    assert status == 200
    assert client.get(WELL).status_code == 200


def test_a_stale_plan_is_shown_again_and_nothing_is_done(browser: Browser) -> None:
    client = browser("wenna")
    status, page = _post(
        client, "/-/plan/rename" + WELL, title="Battery compartment", words="title", digest="stale"
    )
    assert status == 409 and "Nothing was done yet" in page
    assert client.get(WELL).status_code == 200


def test_a_collision_is_said_and_another_title_can_be_tried(browser: Browser) -> None:
    page = browser("wenna").get("/-/plan/rename" + WELL, params={"title": "mast head"})
    assert page.status_code == 409
    assert "has a page “Mast head” already" in page.text and 'name="title"' in page.text


def _ticks(page: str) -> list[int]:
    return [int(n) for n in re.findall(r'class="tick[^"]*" data-number="(\d+)"', page)]


def _within(page: str) -> list[int]:
    return [int(n) for n in re.findall(r'class="tick[^"]* within" data-number="(\d+)"', page)]


def test_revisions_open_on_the_last_two_with_what_differs_beside_them(browser: Browser) -> None:
    client = browser()
    page = client.get("/-/revisions" + WELL).text
    assert "new gasket part number" in page and "Wenna Carrow" in page and "21 Nov 2026, 14:05" in page
    assert _ticks(page) == [3, 2, 1] and _within(page) == [3, 2]
    assert "1 passage differs." in page and re.search(r"<ins>\(K-GA-0104\) ?</ins>", page)
    assert re.search(
        r"<h1[^>]*><span[^>]*>Revisions of</span> <a href=\"[^\"]+/battery-well\">Battery well</a></h1>", page
    )


def test_every_tick_has_ways_to_be_either_end_without_scripts(browser: Browser) -> None:
    client = browser()
    page = client.get("/-/revisions" + WELL).text
    for number in (1, 2, 3):
        tick = re.search(rf'data-number="{number}">(.*?)</li>', page, re.DOTALL)
        assert tick is not None
        for words in ("from here", "to here", "its text"):
            link = re.search(rf'href="([^"]+)" aria-label="{words}: revision {number}"', tick[1])
            assert link is not None
            there = client.get(html.unescape(link[1])).text
            assert number in _within(there), words
    whole = client.get("/-/revisions" + WELL, params={"from": 3, "to": 1}).text
    assert _within(whole) == [3, 2, 1], "in any order"
    part = client.get("/-/revisions" + WELL, params={"from": 1, "to": 3, "part": 1}).text
    assert "<html" not in part and re.search(r"\d passages differ", part)


def test_a_page_with_one_revision_shows_its_text_and_says_so(browser: Browser) -> None:
    address = "/-/revisions/tern-4-service-manual/mast-head"
    page = browser().get(address).text
    assert _ticks(page) == [1] and "one revision so far" in page and '<article class="former"' in page
    assert "<pre" in browser().get(address, params={"from": 1, "to": 1, "typed": 1}).text


@pytest.mark.parametrize(
    ("former", "now"),
    [
        ("/-/history{}", "/-/revisions{}"),
        ("/-/compare{}?older=1&newer=3", "/-/revisions{}?from=1&to=3"),
        ("/-/revision{}?number=2", "/-/revisions{}?from=2&to=2"),
    ],
)
def test_addresses_of_former_screens_still_lead_there(browser: Browser, former: str, now: str) -> None:
    answer = browser().get(former.format(WELL), follow_redirects=False)
    assert answer.status_code == 308 and answer.headers["location"] == now.format(WELL)


@pytest.mark.parametrize("query", ["from=99", "to=99", "from=0", "to=x", "from=1&to=99999999999999999999"])
def test_a_revision_that_is_not_there_is_said(browser: Browser, query: str) -> None:
    answer = browser().get(f"/-/revisions{WELL}?{query}")
    assert answer.status_code in {404, 422} and "<h1>" in answer.text


def test_a_review_shows_the_change_as_text_line_by_line(browser: Browser) -> None:
    wenna = browser("wenna")
    page = wenna.get("/-/edit" + WELL).text
    text = _typed(page).replace("## Limits", "## Limits of it")
    fields = {"revision": _field(page, "revision"), "title": "Battery well", "text": text}
    _, review = _post(wenna, "/-/review" + WELL, **fields)
    as_text = review.partition("As text")[2]
    assert re.search(r'class="was"><span>## Limits</span>', as_text)
    assert re.search(r'class="will"><span>## Limits<ins> of it</ins></span>', as_text)


def test_what_is_missing_says_so_in_words_and_nothing_is_dashed_or_dotted(browser: Browser) -> None:
    wenna = browser("wenna")
    text = "[no](gone.pdf), ![no picture](gone.png), [^no-source], @no-person and @wenna"
    status, page = _post(
        wenna, "/-/edit" + WELL, text=text, follow="no", title="Battery well", revision="3", note=""
    )
    assert status == 200
    assert 'class="no-file" title="There is no file “gone.pdf”"' in page
    assert 'class="picture no-file"' in page and 'class="no-source"' in page
    assert '<span class="nobody" title="Nobody here has this handle">@no-person</span>' in page
    assert re.search(r'<a class="person"[^>]*>@wenna</a>', page)
    css = wenna.get("/-/static/mokuji.css").text
    rules = re.findall(r"([^{}]+)\{[^{}]*(?:dashed|dotted|wavy)[^{}]*\}", css)
    # The leaders of the contents; and what Tailwind says of abbreviations, which is said otherwise behind it.
    assert {rule.strip() for rule in rules} <= {".toc .dots", "abbr:where([title])"}


def test_finding_ranks_and_marks_sentences_and_offers_to_write(browser: Browser) -> None:
    page = browser("wenna").get("/-/find", params={"words": "chlorine"}).text
    assert "<mark>chlorine</mark>" in page
    nothing = browser("wenna").get("/-/find", params={"words": "zeppelin mast"}).text
    assert "Write a new page “zeppelin mast”" in nothing


def test_the_people_of_the_demo_are_shown_in_the_demo_only(browser: Browser, demo_app) -> None:  # type: ignore[no-untyped-def]
    assert "Jonas Thole" in browser().get("/-/sign-in").text
    from dataclasses import replace

    from mokuji.server import create_app

    client = TestClient(
        create_app(replace(demo_app, demo=False), ["mokuji.test"]), base_url="http://mokuji.test"
    )
    assert "Jonas Thole" not in client.get("/-/sign-in").text


@pytest.mark.parametrize(
    ("address", "status", "said"),
    [
        ("/no-such-volume", 404, "There is nothing here"),
        ("/tern-4-service-manual/no-such-page", 404, "There is no page of this name"),
        ("/bench-notes", 404, "There is nothing here"),
        ("/bench-notes/returns", 404, "There is nothing here"),
        ("/-/nothing/of/this", 404, "There is nothing here"),
        ("/-/changes/999999", 404, "There is nothing here"),
        ("/-/edit/tern-4-service-manual/battery-well", 403, "Sign in first"),
        ("/-/plan/rename/tern-4-service-manual/battery-well", 403, "Sign in first"),
        ("/-/find?page=x", 422, "Something is missing or wrong"),
        ("/tern-4-service-manual/a%00b", 400, "NUL"),
        ("/-/find?words=%00", 400, "NUL"),
    ],
)
def test_a_fault_is_a_page_in_plain_words(browser: Browser, address: str, status: int, said: str) -> None:
    done = browser().get(address)
    assert done.status_code == status
    assert said in done.text and done.text.lstrip().startswith("<!doctype html>")


def test_who_may_only_read_is_told_so(browser: Browser) -> None:
    done = browser("jonas").get("/-/edit/parts-and-data/anodes")
    assert done.status_code == 403 and "An owner of the volume can make you a writer" in done.text


def test_a_request_that_is_too_large_is_refused_before_it_is_read(browser: Browser) -> None:
    done = browser().post("/-/sign-in", content=b"x" * 16_000_001)
    assert done.status_code == 413 and "16 MB" in done.text


def test_a_text_too_large_for_a_page_is_refused_and_kept_on_the_desk(browser: Browser) -> None:
    client = browser("wenna")
    big = "five megabytes " * 350_000
    status, page = _post(client, "/-/edit/field-guide/big", revision="0", title="Big", text=big)
    assert status == 413 and "2,000,000 is the most" in page and "five megabytes five" in page


def test_a_server_fault_is_a_plain_page_and_shows_nothing_of_the_inside(
    browser: Browser, monkeypatch: pytest.MonkeyPatch
) -> None:
    from mokuji.services.reading import searching

    def broken(*_: object, **__: object) -> None:
        raise RuntimeError("secret inside")

    monkeypatch.setattr(searching, "find", broken)
    done = browser().get("/-/find?words=x")
    assert done.status_code == 500
    assert "Mokuji made a mistake" in done.text and "secret inside" not in done.text


def _said(page: str) -> str:
    """What a page says, without its marks."""
    return html.unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", page)))


MANUAL = "/tern-4-service-manual"
ACTS = [
    ("place" + WELL, {"under": "Sensors", "after": "Depth sensor"}, "“Battery well” below “Sensors”"),
    ("move" + WELL, {"to": "field-guide", "alone": "1"}, "1 page will be in “Field guide”"),
    (
        "merge" + MANUAL + "/mast-head",
        {"into": "Hull and keel", "texts": "after"},
        "becomes part of “Hull and keel”",
    ),
    (
        "split" + WELL,
        {"section": "1", "title": "Battery limits", "leave": "link"},
        "becomes a page “Battery limits”",
    ),
    (
        "join" + MANUAL + "/quay-charger",
        {"into": "Charge regulator"},
        "becomes a section of “Charge regulator”",
    ),
    ("section" + WELL, {"section": "1", "title": "Bounds"}, "The section “Limits” will be called “Bounds”"),
    ("retarget" + MANUAL + "/lid-gasket", {"to": "Renew the seals"}, "to “Lid gasket” will lead to"),
    ("delete" + WELL, {"references": "words"}, "1 page goes to the trash"),
    (
        "category" + MANUAL + "/two-people",
        {"to": "Two persons"},
        "will be filed under “Two persons”: 3 pages, 3 marks",
    ),
    ("file" + MANUAL + "/limits-and-tables", {"add": "service"}, "The page will be filed under “Service”."),
    (
        "category-move" + MANUAL + "/two-people",
        {"under": "safety"},
        "“Two people” will stand below “Safety”.",
    ),
    ("slot/parts-and-data/safety-notice", {"slot": "avoid", "to": "remedy"}, "3 places give it a value"),
    (
        "value/parts-and-data/safety-notice",
        {"slot": "word", "value": "NOTICE"},
        "1 place that gives no “word”",
    ),
    (
        "extract" + MANUAL + "/change-the-anodes",
        {"start": "82", "end": "242", "title": "Before work", "slots": "wind: 10 m/s"},
        "will be the template “Before work”, and an insert of it will stand in its place.",
    ),
    (
        "inline" + MANUAL + "/depth-sensor",
        {"insert": "0"},
        "The text of “Sensor data” will stand in the place",
    ),
    ("inline-all/parts-and-data/sensor-data", {"asked": "1", "trash": "1"}, "in the place of 3 inserts"),
    (
        "file-rename" + MANUAL + "/battery-well.svg",
        {"to": "well"},
        "will be called “well.svg”. 1 place on 1 page",
    ),
    ("file-delete" + MANUAL + "/battery-well.svg", {"how": "leave"}, "The file “battery-well.svg” goes."),
    (
        "source-rename" + MANUAL + "/quist-2021",
        {"to": "quist"},
        "The source “quist-2021” will be called “quist”.",
    ),
    (
        "source-delete" + MANUAL + "/ferrar-2018",
        {"how": "instead", "instead": "gel-handbook"},
        "The source “ferrar-2018” goes.",
    ),
    ("person-rename" + MANUAL + "/wenna", {"to": "carrow"}, "The person “wenna” will be called “carrow”."),
    ("aliases" + WELL, {"aliases": "well lid\nlid gasket"}, "also be found as “well lid”, “lid gasket”"),
]


@pytest.mark.parametrize(("act", "fields", "said"), ACTS, ids=[act.partition("/")[0] for act, _, _ in ACTS])
def test_every_act_is_asked_planned_done_and_undone(
    browser: Browser, act: str, fields: dict[str, str], said: str
) -> None:
    client = browser("wenna")
    before = {each: client.get(each).text for each in (WELL, "/field-guide/crane-lift")}
    address = f"/-/plan/{act}"
    asked = client.get(address)
    assert asked.status_code == 200 and ("Show the plan" in asked.text or act.startswith("inline/"))
    plan = client.get(address, params=fields)
    assert plan.status_code == 200 and said in _said(plan.text)
    status, page = _post(client, address, **fields, digest=_field(plan.text, "digest"), note="tidied")
    assert status == 200 and "Done." in page and "tidied" in page
    undo = re.search(r'href="(/-/changes/\d+/undo)"', page)
    assert undo is not None
    status, _ = _post(client, undo[1], digest=_field(client.get(undo[1]).text, "digest"))
    assert status == 200
    for each, text in before.items():
        assert _article(client.get(each).text) == _article(text)


def _article(page: str) -> str:
    """A page's text, without what says when it was changed, and in which revision it is."""
    match = re.search("<article[^>]*>(.*)</article>", page, re.DOTALL)
    assert match is not None
    return re.sub(r"revision=\"?\d+", "", match[1].partition("<h1>")[2])


def _typed(page: str) -> str:
    """What stands in the text field of a form."""
    match = re.search(r"<textarea[^>]*>\n(.*?)</textarea>", page, re.DOTALL)
    assert match is not None
    return html.unescape(match[1])


def test_contents_are_edited_as_text(browser: Browser) -> None:
    client = browser("wenna")
    address = "/-/volume/contents" + MANUAL
    asked = client.get(address).text
    listed = _typed(asked)
    assert listed.startswith("- [[About this manual]]\n- [[The buoy]]\n  - [[Hull and keel]]\n")
    wished = listed.replace("  - [[Mast head]]\n", "").replace(
        "- [[The buoy]]", "- [[Mast head]]\n- [[The buoy]]"
    )
    status, plan = _post(client, address, text=wished.replace("\n", "\r\n"))
    assert status == 200 and "1 name gets another place" in _said(plan)
    status, _ = _post(client, address, text=wished.replace("\n", "\r\n"), digest=_field(plan, "digest"))
    assert status == 200
    assert re.search(r'<span class="no">2</span><span>Mast head', client.get(MANUAL).text)
    status, page = _post(client, address, text=wished.replace("- [[Mast head]]\n", ""))
    assert status == 200 and "“Mast head” will have no place in the contents" in _said(page)


def test_a_branch_lies_in_the_trash_and_comes_back_at_its_place(browser: Browser) -> None:
    client = browser("wenna")
    address = "/-/plan/delete" + MANUAL + "/power"
    fields = {"references": "leave", "branch": "1"}
    lay_there = re.findall(r'name="page" value="(\d+)" checked', client.get("/-/trash").text)
    _post(client, address, **fields, digest=_field(client.get(address, params=fields).text, "digest"))
    assert client.get(WELL).status_code == 404
    trash = client.get("/-/trash").text
    pages = re.findall(r'name="page" value="(\d+)" checked', trash)
    pages = [page for page in pages if page not in lay_there]
    assert len(pages) == 6 and "60 days left" in trash
    restore = "/-/restore?" + "&".join(f"page={page}" for page in pages)
    plan = client.get(restore).text
    assert "6 pages come back" in _said(plan)
    done = client.post(
        "/-/restore", data={"token": token(client), "page": pages, "digest": _field(plan, "digest")}
    )
    assert done.status_code == 200
    assert '<span class="no">2.3.1</span>' in client.get(WELL).text
    assert re.findall(r'name="page" value="(\d+)" checked', client.get("/-/trash").text) == lay_there


def test_a_deleted_front_page_is_offered_back_or_another_is_chosen(browser: Browser) -> None:
    client = browser("wenna")
    address = "/-/plan/delete" + MANUAL + "/about-this-manual"
    fields = {"references": "leave"}
    _post(client, address, **fields, digest=_field(client.get(address, params=fields).text, "digest"))
    start = client.get(MANUAL).text
    assert "Its front page “About this manual” is not there" in _said(start) and "Plan restoring" in start
    status, page = _post(client, "/-/front" + MANUAL, page="the buoy")
    assert status == 200 and "<h1>The buoy</h1>" in page


def test_a_save_asks_before_it_takes_a_section_from_references(browser: Browser) -> None:
    client = browser("wenna")
    app = client.get("/-/edit" + WELL).text
    typed = _typed(app)
    fields = {"revision": _field(app, "revision"), "title": "Battery well"}
    fields["text"] = typed.replace("## Limits", "## Bounds")
    status, page = _post(client, "/-/edit" + WELL, **fields)
    assert status == 409 and "4 references to a section that is called otherwise now" in _said(page)
    assert "## Bounds" in page and 'name="follow" value="yes"' in page
    status, page = _post(client, "/-/edit" + WELL, **fields, follow="yes")
    assert status == 200
    assert "Battery well#Bounds" in html.unescape(client.get("/-/edit" + MANUAL + "/change-the-cells").text)


def test_a_volume_is_made_renamed_and_deleted_with_all_in_it(browser: Browser) -> None:
    client = browser("wenna")
    fields = {"title": "Training notes", "closed": "1"}
    plan = client.get("/-/new-volume", params=fields).text
    _post(client, "/-/new-volume", **fields, digest=_field(plan, "digest"))
    _post(
        client,
        "/-/edit/training-notes/first",
        revision="0",
        title="First",
        text="[[Tern 4 service manual/Battery well]]",
    )
    fields = {"title": "Lessons"}
    plan = client.get("/-/volume/rename/training-notes", params=fields).text
    _post(client, "/-/volume/rename/training-notes", **fields, digest=_field(plan, "digest"))
    assert client.get("/training-notes/first", follow_redirects=False).headers["location"] == "/lessons/first"
    plan = client.get("/-/volume/delete/lessons").text
    assert "goes to the trash with 1 page" in _said(plan)
    status, page = _post(client, "/-/volume/delete/lessons", digest=_field(plan, "digest"))
    assert status == 200 and "Done." in page
    assert client.get("/lessons/first").status_code == 404
    undo = re.search(r'href="(/-/changes/\d+/undo)"', page)
    assert undo is not None
    _post(client, undo[1], digest=_field(client.get(undo[1]).text, "digest"))
    assert client.get("/lessons/first").status_code == 200


REPORTS = {
    "orphans": "Yearly service",
    "out-of-reach": "Nothing to mend here",
    "unwritten": "Lid gasket",
    "look-alikes": "singular and plural",
    "no-file": "Nothing to mend here",
    "no-source": "Nothing to mend here",
    "sections": "Nothing to mend here",
    "mentions": "says Bilge switch",
    "addresses": "Nothing to mend here",
    "flaws": "Nothing to mend here",
    "style": "This sentence has",
    "insert-faults": "Nothing to mend here",
    "repeats": "2 lines in 3 places: 1 fewer if said once",
    "namesakes": "Nothing to mend here",
    "unused": "Nothing to mend here",
    "files": "battery-well.svg",
    "unfiled": "About this manual",
    "lone": "Confined spaces",
    "categories": "Nothing to mend here",
}


@pytest.mark.parametrize(("name", "said"), REPORTS.items())
def test_each_report_lists_what_is_to_mend_and_can_be_had_as_csv_and_json(
    browser: Browser, name: str, said: str
) -> None:
    client = browser("wenna")
    page = client.get(f"/-/upkeep{MANUAL}/{name}")
    assert page.status_code == 200 and said in _said(page.text)
    rows = client.get(f"/-/upkeep{MANUAL}/{name}.json").json()
    lines = client.get(f"/-/upkeep{MANUAL}/{name}.csv").text.splitlines()
    assert lines[0] == "name,page,line,sentence,other,reason,pages,volume"
    assert len(lines) - 1 == len(rows) == page.text.count('class="finding"')
    for href in re.findall(r'<div class="mends">.*?</div>', page.text, re.DOTALL):
        for address in re.findall(r'href="([^"]+)"', href):
            assert client.get(html.unescape(address)).status_code in {200, 409}, address


def test_a_faulty_insert_is_listed_with_what_is_wrong_about_it(browser: Browser) -> None:
    page = _said(browser("wenna").get("/-/upkeep/field-guide/insert-faults").text)
    assert "Storm mooring puts in Safety notice" in page and "“Safety notice” has no slot “avoids”." in page


SCREENS = [
    ("/-/materials" + MANUAL, "From Parts and data, where inserts of this volume look next"),
    ("/-/categories" + MANUAL, "Equipment"),
    ("/-/category" + MANUAL + "/two-people", "3 pages, 3 marked passages"),
    ("/-/category" + MANUAL + "/safety-notices", "through Safety notice"),
    ("/-/uses/parts-and-data/safety-notice", "4 places on 4 pages, 1 with faults"),
    ("/parts-and-data/safety-notice", "Sample, with the examples"),
    (MANUAL + "/change-the-cells", "A battery of 31 kg slips through wet gloves."),
    (MANUAL + "/limits-and-tables", "25.2–26.4 V"),
]


@pytest.mark.parametrize(("address", "said"), SCREENS)
def test_what_is_kept_once_is_shown_where_it_is_put_in(browser: Browser, address: str, said: str) -> None:
    page = browser().get(address)
    assert page.status_code == 200 and said in _said(page.text)


def test_a_category_and_places_of_use_can_be_had_as_files(browser: Browser) -> None:
    client = browser()
    rows = client.get("/-/category" + MANUAL + "/two-people?form=json").json()
    assert [row["page"] for row in rows] == ["Bilge switch trips", "Change the cells", "Receive the buoy"]
    assert rows[0]["passages"] == [{"line": 10, "words": "Weigh the buoy #two-people."}]
    lines = client.get("/-/uses/parts-and-data/safety-notice?form=csv").text.splitlines()
    assert lines[0] == "volume,page,section,word,hazard,avoid,faults" and len(lines) == 5


def test_the_effect_of_a_change_is_shown_before_and_after(browser: Browser) -> None:
    client = browser("wenna")
    text = "---\nslots: {word: , hazard: }\n---\n> ${word}! ${hazard}\n"
    status, page = _post(client, "/-/effect/parts-and-data/safety-notice", text=text)
    said = _said(page)
    assert status == 200 and "4 of them will look different, and 3 will have a new fault" in said
    assert "− now" in said and "CAUTION! A battery of 31 kg slips through wet gloves." in said


def test_upkeep_counts_stand_in_the_spine_and_lead_to_the_reports(browser: Browser) -> None:
    page = browser().get(WELL).text
    assert re.search(r'href="/-/upkeep/tern-4-service-manual"[^>]*title="9 open findings', page)
    overview = _said(browser().get(f"/-/upkeep{MANUAL}").text)
    assert "3 Orphans" in overview and "6 Unwritten names" in overview


def test_each_finding_leads_to_its_passage_marked_under_its_heading(browser: Browser) -> None:
    client = browser()
    page = client.get(f"/-/upkeep{MANUAL}/unwritten").text
    address = html.unescape(re.findall(r'data-passage="([^"]+)"', page)[0])
    passage = client.get(address)
    assert passage.status_code == 200 and "<mark>[[lid gasket]]</mark>" in passage.text
    assert "Tern 4 service manual › The buoy › Power" in _said(passage.text)
    top = client.get(f"/-/passage{WELL}?start=99999999&end=0").text
    assert "<mark>" not in top and "WARNING" in top, "without a range that fits, the first lines"


def test_a_passage_of_a_closed_volume_and_of_none_are_refused_alike(browser: Browser) -> None:
    client = browser()
    told = {
        client.get(f"/-/passage/{volume}/anything").status_code
        for volume in ("bench-notes", "no-such-volume")
    }
    assert told == {404}


def test_marked_mentions_go_into_one_plan(browser: Browser) -> None:
    client = browser("wenna")
    page = client.get(f"/-/upkeep{MANUAL}/mentions").text
    marks = re.findall(r'name="mark" value="([^"]+)" aria', page)[:3]
    form = {"token": token(client), "mark": marks, "how": "Link them"}
    plan = client.post(f"/-/upkeep{MANUAL}/mentions/marked", data=form).text
    assert "3 mentions will be linked" in _said(plan)
    only = {html.unescape(each) for each in re.findall(r'name="only" value="([^"]+)"', plan)}
    done = client.post(
        f"/-/volume/link{MANUAL}",
        data={"token": token(client), "only": sorted(only), "digest": _field(plan, "digest")},
    )
    assert done.status_code == 200 and "Done." in done.text


def test_a_finding_is_put_aside_with_its_reason_and_listed_again(browser: Browser) -> None:
    client = browser("wenna")
    page = client.get(f"/-/upkeep{MANUAL}/orphans").text
    mark = re.findall(r'name="mark" value="([^"]+)" aria', page)[0]
    form = {"token": token(client), "mark": mark, "aside": "1", "reason": ""}
    refused = client.post(f"/-/upkeep{MANUAL}/orphans/marked", data=form)
    assert refused.status_code == 422 and "Say in a few words" in _said(refused.text)
    left = client.post(
        f"/-/upkeep{MANUAL}/orphans/marked", data={**form, "reason": "For <readers> only"}
    ).text
    assert mark not in left and "For &lt;readers&gt; only" in left and "Put aside · 1" in _said(left)
    assert "2 Orphans" in _said(client.get(f"/-/upkeep{MANUAL}").text)
    aside = re.findall(r'name="mark" value="([^"]+)"><span', left)[0]
    back = client.post(f"/-/upkeep{MANUAL}/orphans/back", data={"token": token(client), "mark": aside}).text
    assert mark in back and "Put aside ·" not in _said(back)


def test_who_presses_enter_in_a_field_means_what_it_is_for(browser: Browser) -> None:
    client = browser("wenna")
    page = client.get(f"/-/upkeep{MANUAL}/unwritten").text
    marks = re.findall(r'name="mark" value="([^"]+)" aria', page)[:2]
    form = {
        "token": token(client),
        "mark": marks,
        "how": "",
        "given Lead them to": "Battery well",
        "reason": "",
    }
    plan = client.post(f"/-/upkeep{MANUAL}/unwritten/marked", data=form)
    assert "Several acts in one" in _said(plan.text) and plan.status_code == 200


def test_upkeep_over_all_volumes_says_of_which_each_finding_is(browser: Browser) -> None:
    client = browser("wenna")
    overview = _said(client.get("/-/upkeep").text)
    assert "All volumes Upkeep" in overview and "Tern 4 service manual 3" in overview
    report = _said(client.get("/-/upkeep/-/orphans").text)
    assert "Tern 4 service manual / " in report
    rows = client.get("/-/upkeep/-/orphans.csv").text.splitlines()
    assert {row.rpartition(",")[2] for row in rows[1:]} >= {"Tern 4 service manual", "Field guide"}


def test_an_undo_in_conflict_shows_both_changes_and_can_leave_that_page(browser: Browser) -> None:
    client = browser("wenna")
    charger = MANUAL + "/quay-charger"
    text = _typed(client.get("/-/edit" + charger).text)
    for old, new in (("5 A", "6 A"), ("6 A", "7 A")):
        text = text.replace(old, new)
        fields = {
            "revision": _field(client.get("/-/edit" + charger).text, "revision"),
            "title": "Quay charger",
        }
        status, _ = _post(client, "/-/edit" + charger, **fields, text=text, note=f"now {new}")
        assert status == 200
    changes = client.get("/-/changes").text
    # Both saves are of one sitting: the earlier one is folded in the row of the later.
    assert 'Edited</a> <span class="text-slate">2 times' in changes
    undo = re.search(r'<li><a href="(/-/changes/\d+)">[^<]*</a> now 6 A', changes)
    assert undo is not None
    plan = client.get(undo[1] + "/undo")
    assert "1 page was changed by others in the same places" in _said(plan.text)
    compared = re.findall(r'href="(/-/revisions[^"]+)"', plan.text)
    assert compared
    for address in compared:
        assert client.get(html.unescape(address)).status_code == 200
    kept = client.get(undo[1] + "/undo", params={"keep": _field(plan.text, "keep")})
    assert "nothing would change" in _said(kept.text)
    assert "7 A" in client.get(charger).text


@pytest.mark.parametrize(("form", "media"), [("turtle", "text/turtle"), ("json-ld", "application/ld+json")])
def test_the_categories_of_a_volume_can_be_had_as_skos(browser: Browser, form: str, media: str) -> None:
    response = browser().get(f"/-/categories{MANUAL}?form={form}")
    assert response.headers["content-type"].startswith(media)
    assert "/-/category/tern-4-service-manual/sensors" in response.text and "broader" in response.text


def test_the_insert_under_the_caret_is_told_with_its_slots_and_places(browser: Browser) -> None:
    client = browser("wenna")
    text = "x [[=Safety notice | hazard: It drops.]]"
    answer = client.post("/-/insert-at" + MANUAL, data={"text": text, "at": "9", "token": token(client)})
    told = answer.json()["insert"]
    assert (told["title"], told["href"], told["index"]) == (
        "Safety notice",
        "/parts-and-data/safety-notice",
        0,
    )
    by_name = {each["name"]: each for each in told["fields"]}
    start, end = by_name["hazard"]["span"]
    assert text[start:end] == by_name["hazard"]["value"] == "It drops."
    assert (by_name["word"]["value"], by_name["word"]["has_default"]) == (None, True)
    assert told["faults"] == ["“Safety notice” needs a value for “avoid”."]
    nothing = client.post("/-/insert-at" + MANUAL, data={"text": text, "at": "0", "token": token(client)})
    assert nothing.json() == {"insert": None}
    # A person who may not write is told so in words.
    other = browser()
    assert other.post("/-/insert-at" + MANUAL, data={"text": text, "at": "9"}).status_code in {401, 403}


def test_categories_that_are_broader_than_each_other_are_listed_with_their_moves(browser: Browser) -> None:
    client = browser("wenna")
    text = "---\nsummary: x\ncategories: [Sensors, Equipment]\nbroader: [{}]\n---\n"
    for key, title, broader in (("equipment", "Equipment", "Sensors"),):
        app = client.get(f"/-/edit{MANUAL}/{key}").text
        status, _ = _post(
            client,
            f"/-/edit{MANUAL}/{key}",
            title=title,
            text=text.format(broader),
            revision=_field(app, "revision"),
        )
        assert status in {200, 303}
    page = client.get(f"/-/upkeep{MANUAL}/categories").text
    assert "Equipment → Sensors" in _said(page) and "broader than each other" in page
    move = re.search(r'href="([^"]+category-move[^"]+)">Move “Sensors”…', page)
    assert move is not None and client.get(html.unescape(move[1])).status_code == 200


def test_without_scripts_a_save_over_somebody_elses_is_merged_or_refused_with_all_that_was_typed(
    browser: Browser,
) -> None:
    client = browser("wenna")
    address = f"/-/edit{MANUAL}/wind-vane"
    app = client.get(address).text
    text, revision = _typed(app), _field(app, "revision")
    first = {"title": "Wind vane", "revision": revision}
    assert _post(client, address, **first, text=text + "\nFirst.\n")[0] in {200, 303}
    # Elsewhere on the page: both stand.
    status, page = _post(client, address, **first, text=text.replace("The vane turns", "This vane turns"))
    assert status in {200, 303}
    both = _typed(client.get(address).text)
    assert "This vane turns" in both and both.rstrip().endswith("First.")
    # In the same place: refused, and nothing that was typed is lost.
    status, page = _post(client, address, **first, text=text + "\nSecond.\n")
    assert status == 409 and "was saved by somebody else" in _said(page)
    assert _typed(page).rstrip().endswith("Second.")


def test_without_scripts_a_change_is_reviewed_on_a_page_of_its_own(browser: Browser) -> None:
    client = browser("wenna")
    address = f"{MANUAL}/wind-vane"
    app = client.get(f"/-/edit{address}").text
    typed = {
        "title": "Wind vane",
        "revision": _field(app, "revision"),
        "text": _typed(app) + "\nSee [[X|<b>]].\n",
    }
    status, page = _post(client, f"/-/review{address}", **typed)
    assert status == 200
    assert "1 new reference, 1 of them unwritten." in _said(page)
    assert "<ins>&lt;b&gt;</ins>" in page and _field(page, "note") == "1 line added"
    assert _typed(page).rstrip() == typed["text"].rstrip()
    status, page = _post(client, f"/-/review-back{address}", **typed, note="mine")
    assert _typed(page).rstrip() == typed["text"].rstrip() and _field(page, "note") == "mine"
    assert _typed(client.get(f"/-/edit{address}").text) == _typed(app), "nothing was saved"


def test_each_line_of_a_page_says_who_wrote_it_and_leads_to_the_change(browser: Browser) -> None:
    client = browser()
    shown = client.get("/-/lines/tern-4-service-manual/battery-well").text
    assert "second vent since hull T4-0180" in shown and "Wenna Carrow" in shown
    before = re.search(r'href="(/-/lines/tern-4-service-manual/battery-well\?at=\d+)"', shown)
    assert before is not None
    assert "As it stood in revision" in client.get(before[1]).text
    told = client.get("/api/v1/volumes/tern-4-service-manual/lines/battery-well").json()
    assert told["runs"][0]["first"] == 1 and told["runs"][-1]["last"] > 20 and not told["cut"]
    assert client.get("/-/lines/tern-4-service-manual/battery-well?at=999").status_code == 404
    assert "/-/lines/" in client.get("/-/revisions/tern-4-service-manual/battery-well").text


@pytest.mark.parametrize("number", ["-1", "0", "999999999999999999999"])
def test_a_change_that_cannot_be_is_not_undone_at_once(browser: Browser, number: str) -> None:
    client = browser("wenna")
    done = client.post(f"/-/undo-now/{number}", data={"token": token(client)})
    assert 400 <= done.status_code < 500 and done.json()["message"]
