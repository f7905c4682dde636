"""Upkeep: each report finds what it is for, numbers follow every act, and nothing closed shows."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.writing import writing
from mokuji.upkeep import asides, upkeep
from tests.services.making import pages, person, texts, volume


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Data")
    volume(app, "Secret", closed=True)
    return person(app, "wenna", guide=Role.OWNER, data=Role.WRITER, secret=Role.WRITER)


def _titles(app: AppContext, actor: Actor, name: str, **more: object) -> list[str]:
    return [finding.title for finding in upkeep.report(app, actor, "guide", name, **more).findings]  # type: ignore[arg-type]


def _numbers(app: AppContext, actor: Actor) -> dict[str, int | None]:
    return dict(upkeep.overview(app, actor, "guide").numbers)


def test_numbers_follow_saves_and_acts(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "[[Well]] [[Lid]]", "Well": "[[Pump]]", "Alone": ""})
    assert _titles(app, writer, "orphans") == ["Alone"]
    assert _titles(app, writer, "unwritten") == ["Lid"]
    writing.save(app, writer, writing.Save("guide", "Lid", "[[Alone]] [[seal ring]]", revision=0))
    assert _numbers(app, writer) | {"orphans": 0, "unwritten": 1} == _numbers(app, writer)
    doing.apply(app, writer, requests.Delete("guide", "pump"), None)
    assert _titles(app, writer, "unwritten") == ["Pump", "Seal ring"]
    assert _titles(app, writer, "orphans") == ["Lid", "Well"]


def test_the_most_wanted_unwritten_name_comes_first_with_its_sentences(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"A": "Buy a [[seal ring]].", "B": "A [[Seal ring]] or a [[bolt]]."})
    pages(app, writer, "data", {"C": "See [[Guide/Seal ring]] there."})
    findings = upkeep.report(app, writer, "guide", "unwritten").findings
    assert [(finding.title, finding.number) for finding in findings] == [("Seal ring", 3), ("Bolt", 1)]
    assert [spot.sentence.before for spot in findings[0].spots] == ["Buy a ", "A ", "See "]


def test_reports_are_paged_whole_and_each_finding_once(app: AppContext, writer: Actor) -> None:
    made = {f"Page {n}": f"[[wanted {n}]] and the page 1" for n in range(7)}
    pages(app, writer, "guide", made)
    for name in ("orphans", "unwritten", "mentions"):
        whole = [finding.key for finding in upkeep.report(app, writer, "guide", name, most=100).findings]
        assert len(whole) == len(set(whole)) > 5
        seen: list[str] = []
        after: str | None = ""
        while after is not None:
            part = upkeep.report(app, writer, "guide", name, after=after, most=2)
            seen += [finding.key for finding in part.findings]
            after = part.more_after
        assert seen == whole


def test_what_is_closed_shows_in_no_report_and_no_number(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "", "Well": ""})
    pages(app, writer, "secret", {"Hidden": "[[Guide/Pump]] [[Guide/Hidden wish]]"})
    assert _titles(app, writer, "orphans") == ["Well"]
    assert _titles(app, NOBODY, "orphans") == ["Pump", "Well"]
    assert _titles(app, writer, "unwritten") == ["Hidden wish"]
    assert _titles(app, NOBODY, "unwritten") == []
    assert upkeep.overview(app, NOBODY, "guide").numbers["unwritten"] == 0
    with pytest.raises(Missing):
        upkeep.overview(app, NOBODY, "secret")


def test_a_page_without_a_place_is_out_of_reach_until_something_placed_leads_there(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": "", "Well": "[[Lid]]", "Lid": "[[Well]]"})
    doing.apply(app, writer, requests.Contents("guide", "- [[Pump]]\n"), None)
    assert _titles(app, writer, "out-of-reach") == ["Lid", "Well"]
    writing.save(app, writer, writing.Save("guide", "pump", "see [[well]]", revision=1))
    assert _titles(app, writer, "out-of-reach") == []
    writing.save(app, writer, writing.Save("guide", "pump", "no more", revision=2))
    assert _titles(app, writer, "out-of-reach") == ["Lid", "Well"]
    doing.apply(app, writer, requests.Place("guide", "lid"), None)
    assert _titles(app, writer, "out-of-reach") == []


def test_look_alikes_are_listed_until_they_are_said_to_differ(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Depth sensor": "", "Depth sensors": "", "Well": "[[wells]]"})
    findings = upkeep.report(app, writer, "guide", "look-alikes").findings
    assert [(finding.pair.one.title, finding.pair.other.title) for finding in findings if finding.pair] == [
        ("Depth sensor", "Depth sensors"),
        ("Well", "Wells"),
    ]
    first, second = upkeep.report(app, writer, "guide", "look-alikes").rows
    asides.put(app, writer, "look-alikes", [second], "These differ.")
    assert _titles(app, writer, "look-alikes") == ["Depth sensor"]
    with pytest.raises(Forbidden):
        asides.put(app, NOBODY, "look-alikes", [first], "These differ.")


def test_missing_sections_and_own_addresses_are_found_and_mended(app: AppContext, writer: Actor) -> None:
    pages(
        app,
        writer,
        "guide",
        {
            "Pump": "## Limits\n\n[[#Bounds]]",
            "Well": "[[Pump#Limits]] [[Pump#Old]] [so](https://docs.example/guide/pump#limits) "
            "https://docs.example/data/none <https://docs.example/guide/pump>",
        },
    )
    assert _titles(app, writer, "sections") == ["Pump § Bounds", "Pump § Old"]
    origins = ("https://docs.example",)
    assert _titles(app, writer, "addresses", origins=origins) == ["Pump", "Pump"]
    doing.apply(app, writer, requests.LinkAddresses("guide", "well", origins), None)
    assert texts(app)["Well"] == (
        "[[Pump#Limits]] [[Pump#Old]] [[Pump#Limits|so]] https://docs.example/data/none [[Pump]]"
    )
    assert _titles(app, writer, "addresses", origins=origins) == []


def test_a_missing_section_is_led_to_the_nearest_of_those_that_are_there(
    app: AppContext, writer: Actor
) -> None:
    text = "## Limits of pressure\n\n## Limit\n\n## Seat\n"
    pages(app, writer, "guide", {"Pump": text, "Well": "[[Pump]] [[Pump#Limts|so]]"})
    (finding,) = upkeep.report(app, writer, "guide", "sections").findings
    assert finding.nearest == ("Limits of pressure", "Limit")
    wish = requests.LeadToSection("guide", "well", 1, "Limit")
    doing.apply(app, writer, wish, None)
    assert texts(app)["Well"] == "[[Pump]] [[Pump#Limit|so]]"
    assert _titles(app, writer, "sections") == []
    for index, section in ((0, "Seat"), (1, "Nowhere"), (7, "Seat")):
        view = doing.plan(app, writer, requests.LeadToSection("guide", "well", index, section))
        assert view.refusal is not None, section
    view = doing.plan(app, writer, requests.LeadToSection("guide", "well", 1, "Seat", revision=1))
    assert view.refusal is not None and view.refusal.code == "plan_stale"


def test_bare_mentions_are_linked_as_wished_and_readers_see_the_same_words(
    app: AppContext, writer: Actor
) -> None:
    pages(
        app,
        writer,
        "guide",
        {
            "Battery well": "The battery well itself.",
            "Lid": "The battery-well, then the Battery well.\n\n`battery well`",
            "Sheet": "| battery well |\n|---|\n| x |\n",
        },
    )
    findings = upkeep.report(app, writer, "guide", "mentions").findings
    assert [(finding.page.title, finding.spots[0].line) for finding in findings if finding.page] == [
        ("Lid", 1),
        ("Lid", 1),
        ("Sheet", 1),
    ]
    done = doing.apply(app, writer, requests.Link("guide", "battery well", None, True), None)
    assert isinstance(done, doing.Applied)
    assert texts(app)["Lid"] == "The [[battery-well]], then the Battery well.\n\n`battery well`"
    assert texts(app)["Sheet"] == "| [[battery well]] |\n|---|\n| x |\n"
    (left,) = upkeep.report(app, writer, "guide", "mentions").findings
    assert left.page is not None and left.target is not None
    spot = left.spots[0].span
    one = requests.Mark(left.page.id, spot.start, spot.end, left.target.id)
    doing.apply(app, writer, requests.Link("guide", only=(one,)), None)
    assert "then the [[Battery well]]." in texts(app)["Lid"]
    doing.apply(app, writer, requests.Undo(done.change_set), None)
    assert texts(app)["Lid"].startswith("The battery-well, then the [[Battery well]].")


def test_a_page_is_linked_from_another_or_gets_another_name(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "One.\r\n", "Well": "[[Shaft]]"})
    doing.apply(app, writer, requests.LinkFrom("guide", "well", "Pump"), None)
    assert texts(app)["Pump"] == "One.\r\n\r\nSee [[Well]].\r\n"
    doing.apply(app, writer, requests.AddAlias("guide", "shaft", "Well"), None)
    assert _titles(app, writer, "unwritten") == []


def test_a_name_becomes_an_alias_as_those_typed_it_who_ask_for_it(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "One.", "Well": "[[SVG-files]] [[eBuoy kit|x]]"})
    plan = doing.plan(app, writer, requests.Retarget("guide", "svg-files", "Pump"))
    assert plan.note == "References to “SVG-files” lead to “Pump”"
    for address in ("svg-files", "ebuoy-kit"):
        doing.apply(app, writer, requests.AddAlias("guide", address, "Pump"), None)
    doing.apply(app, writer, requests.AddAlias("guide", "Bilge-Pump", "Pump"), None)
    assert texts(app)["Pump"] == "---\naliases: [SVG-files, eBuoy kit, Bilge-Pump]\n---\nOne."


def test_a_marked_mention_is_not_linked_once_other_words_stand_there(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Battery well": "", "Lid": "On the battery well."})
    (finding,) = upkeep.report(app, writer, "guide", "mentions").findings
    assert finding.page is not None and finding.target is not None
    one = requests.Mark(finding.page.id, *finding.spots[0].span, finding.target.id)
    writing.save(app, writer, writing.Save("guide", "lid", "Not on the battery well.", revision=1))
    with pytest.raises(Refused, match="was changed meanwhile") as refusal:
        doing.apply(app, writer, requests.Link("guide", only=(one,)), None)
    assert refusal.value.code == "plan_stale"
    assert texts(app)["Lid"] == "Not on the battery well."


def test_flaws_are_listed_with_their_place_page_by_page(app: AppContext, writer: Actor) -> None:
    pages(
        app,
        writer,
        "guide",
        {"Table": "| a | b |\n|---|---|\n| 1 |\n", "Words": "Open the the lid\n\n![](lid.svg)\n"},
    )
    findings = upkeep.report(app, writer, "guide", "flaws").findings
    assert [
        (finding.title, finding.spots[0].line, finding.reason.partition(":")[0]) for finding in findings
    ] == [
        ("Table", 3, "This row has 1 of 2 cells."),
        ("Words", 1, "“the” stands here twice."),
        ("Words", 3, "This picture has no description"),
    ]
    rest = upkeep.report(app, writer, "guide", "flaws", after=findings[1].key)
    assert [finding.spots[0].line for finding in rest.findings] == [3]
    assert upkeep.overview(app, writer, "guide").numbers["flaws"] == 3


def test_missing_files_and_sources_and_what_is_not_understood_are_listed(
    app: AppContext, writer: Actor
) -> None:
    text = "![a](Lamp.png) ![b](lamp.png) so[^gel].\n\n$\\nonsense$\n\n"
    text += "```dot W\ndigraph { a -> }\n```\n\n- [ ] x due:soon\n"
    pages(app, writer, "guide", {"Pump": text, "Well": "See[^GEL]."})
    (lost,) = upkeep.report(app, writer, "guide", "no-file").findings
    assert (lost.title.lower(), lost.number, [spot.line for spot in lost.spots]) == ("lamp.png", 1, [1, 1])
    (cited,) = upkeep.report(app, writer, "guide", "no-source").findings
    assert (cited.key, cited.number, len(cited.spots)) == ("gel", 2, 2)
    said = [finding.reason for finding in upkeep.report(app, writer, "guide", "flaws").findings]
    assert [words.partition(".")[0] for words in said] == [
        "This formula is not understood",
        "This diagram cannot be drawn",
        "“soon” is no day of the calendar",
    ]


def test_pages_of_one_name_that_say_the_same_in_two_volumes_are_found_in_both_and_merged(
    app: AppContext, writer: Actor
) -> None:
    volume(app, "Annex")
    volume(app, "Vault", closed=True)
    keeper = person(app, "mirela", guide=Role.WRITER, annex=Role.OWNER, vault=Role.OWNER)
    said = "Open the lid, and look at the seal. Close it again.\n"
    pages(app, keeper, "guide", {"Seal": said, "Pump": "It pumps water out.", "Lid": said})
    pages(
        app,
        keeper,
        "annex",
        {"seal": f"---\nsummary: x\n---\n{said.upper()}", "Pump": "Of another one, all told."},
    )
    pages(app, keeper, "vault", {"Lid": said})
    (finding,) = upkeep.report(app, writer, "guide", "namesakes").findings
    assert (finding.title, finding.reason) == ("Seal", "“Annex” says the same")
    assert finding.other is not None and finding.other.title == "seal"
    titles = [each.title for each in upkeep.report(app, keeper, "guide", "namesakes").findings]
    assert titles == ["Lid", "Seal"], "who may read the closed volume is told of it, too"
    assert _titles(app, writer, "namesakes") == ["Seal"]
