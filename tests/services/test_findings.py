"""Findings while writing: the same as in the reports, each with its mend; nothing closed shows."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from mokuji.acts import doing
from mokuji.acts.requests import Amend
from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.errors import Forbidden, Missing
from mokuji.core.base.spans import Lines, Span
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.core.reports.page_findings import PageFinding
from mokuji.formats.check import as_json
from mokuji.services.app_context import AppContext
from mokuji.services.folders import checking
from mokuji.services.writing import writing
from mokuji.services.writing.findings import findings
from mokuji.upkeep import asides, one_page, upkeep
from tests.copies import made_once
from tests.services.making import pages, person, texts, volume

SITE = ("https://docs.example",)


def _filled(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Parts")
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, parts=Role.WRITER, secret=Role.WRITER)
    card = "---\nslots:\n  risk: {required: true}\n  who: {required: true}\n---\n${risk} ${who}"
    pages(app, writer, "guide", {"Battery well": "## Torque and sealant\n\n## Limits\n", "Card": card})
    pages(app, writer, "parts", {"Anodes": ""})
    pages(app, writer, "secret", {"Battery vault": "## Hidden\n"})
    return writer


app, writer = made_once(_filled)


def _found(app: AppContext, actor: Actor, text: str) -> list[PageFinding]:
    seen = writing.preview(app, actor, "guide", "Draft", text)
    return findings(app, actor, seen, seen.rendered(app).problems, SITE)


@pytest.mark.parametrize(
    ("text", "kind", "message", "mended"),
    [
        ("[[Batery well]]", "unwritten", "“Batery well” is not written yet", "[[Battery well]]"),
        ("[[=Batery well|x: y]]", "unwritten", "“Batery well” is not written yet", "[[=Battery well|x: y]]"),
        ("[[Nothing like it]]", "unwritten", "“Nothing like it” is not written yet", None),
        (
            "[[Battery well#Limit]]",
            "problem",
            "“Battery well” has no section “Limit”",
            "[[Battery well#Limits]]",
        ),
        (
            "[[Battery well#Torqe|x]]",
            "problem",
            "“Battery well” has no section “Torqe”",
            "[[Battery well#Torque and sealant|x]]",
        ),
        ("## One\n\n[[=Nothing like it]]", "unwritten", "“Nothing like it” is not written yet", None),
        ("See [[Pump] now", "problem", "“[[” is not closed", "See [[Pump]] now"),
        ("See [[Battery well is open", "problem", "“[[” is not closed", "See [[Battery well]] is open"),
        ("See [[=Battery well.", "problem", "“[[” is not closed", "See [[=Battery well]]."),
        ("See [[no such thing", "problem", "“[[” is not closed", "See \\[\\[no such thing"),
        ("## One\n\n[[#Onne]]", "problem", "has no section “Onne”", "## One\n\n[[#One]]"),
        (
            "[[=Card | risk: fire]]",
            "problem",
            "“Card” needs a value for “who”.",
            "[[=Card | risk: fire | who: ]]",
        ),
        (
            "[[=Card\n| who: me\n]]",
            "problem",
            "“Card” needs a value for “risk”.",
            "[[=Card\n| who: me\n| risk: \n]]",
        ),
        (
            "See https://docs.example/guide/battery-well.",
            "advice",
            "This address is a page of this wiki: “Battery well”",
            "See [[Battery well]].",
        ),
        (
            "[see](https://docs.example/-/edit/guide/battery-well)",
            "advice",
            "is a page of this wiki",
            "[[Battery well|see]]",
        ),
        (
            "[see](/-/file/guide/wiring%20plan.svg)",
            "advice",
            "is a file of this volume: “wiring plan.svg”",
            "[see](wiring%20plan.svg)",
        ),
        (
            'a ![the *plan*](</-/file/guide/wiring%20plan.svg> "how"){width=60%}',
            "advice",
            "is a file of this volume: “wiring plan.svg”",
            'a ![the *plan*](<wiring%20plan.svg> "how"){width=60%}',
        ),
        ("[[Anodes]]", "unwritten", "; “Parts” has a page of this name", "[[Parts/Anodes]]"),
        ("[[Battery vault]]", "unwritten", "; “Secret” has a page of this name", "[[Secret/Battery vault]]"),
        ("[the well](/guide/battery-well)", "advice", "is a page of this wiki", "[[Battery well|the well]]"),
        ("ask @wena", "advice", "Nobody here has the handle “wena”", "ask @wenna"),
        ("the the", "advice", "“the” stands here twice.", "the"),
        ("# One", "problem", "A first-level heading", "## One"),
    ],
)
def test_a_finding_says_what_is_wrong_and_its_mend_puts_it_right(
    app: AppContext, writer: Actor, text: str, kind: str, message: str, mended: str | None
) -> None:
    found = [finding for finding in _found(app, writer, text) if message in finding.message]
    assert [finding.kind for finding in found] == [kind]
    mends = found[0].mends
    assert (apply(text, mends[0].edits) if mends else None) == mended


def test_an_insert_of_an_unwritten_page_on_a_page_that_is_not_saved_is_no_loop(
    app: AppContext, writer: Actor
) -> None:
    found = _found(app, writer, "## One\n\n[[=Nothing like it]]\n")
    assert [(finding.kind, finding.message) for finding in found] == [
        ("unwritten", "“Nothing like it” is not written yet")
    ]


def test_findings_stand_in_the_order_of_the_text_with_their_lines(app: AppContext, writer: Actor) -> None:
    text = "a a\n\n[[Nowhere]]\n\n#### Deep\n\n[[#gone]]\n"
    found, lines = _found(app, writer, text), Lines(text)
    assert [(lines.position(finding.span.start).line, finding.kind) for finding in found] == [
        (1, "advice"),
        (3, "unwritten"),
        (5, "advice"),
        (7, "problem"),
    ]


def test_a_name_of_several_pages_is_told_with_all_that_it_may_mean(app: AppContext, writer: Actor) -> None:
    alias = "---\naliases: [the pump, sump]\n---\n"
    pages(
        app, writer, "guide", {"Bilge pump": alias, "Air pump": alias, "Tank": "---\naliases: [vat]\n---\n"}
    )
    pages(app, writer, "secret", {"Secret pump": alias})
    text = "[[The pump|it]], [[vat]], [[Air pump]]"
    (finding,) = _found(app, writer, text)
    assert finding.message == (
        "“The pump” is another name of 2 pages: it leads to “Air pump”, not to “Bilge pump”"
    )
    assert [apply(text, mend.edits).partition(",")[0] for mend in finding.mends] == [
        "[[Air pump|it]]",
        "[[Bilge pump|it]]",
    ]


def test_nothing_of_a_closed_page_is_offered(app: AppContext, writer: Actor) -> None:
    other = person(app, "jory", guide=Role.WRITER)
    text = "[[Secret/Battery vaul]] [[Secret/Battery vault#Hiden]] https://docs.example/secret/battery-vault"
    assert any(finding.mends for finding in _found(app, writer, text))
    for finding in _found(app, other, text):
        # What was typed is said back, and no more.
        assert finding.kind == "unwritten" and "Hidden" not in finding.message
        assert all("vault" not in mend.words for mend in finding.mends)
    (found,) = _found(app, other, "[[Battery vault]]")
    assert found.message == "“Battery vault” is not written yet"


@pytest.mark.parametrize(
    "text",
    [
        "[[Batery well]]",
        "[[Battery well#Limit]] and [[Battery well#Torqe|x]]",
        "[[=Card | risk: fire]]",
        "See [[Pump] now",
        "See [[Battery well is open",
        "See [[no such thing",
        "## One\n\n[[#Onne]]",
        "a a\n\n#### Deep\n\n| a | b |\n|---|\n| 1 | 2 |\n",
        "![x](gone.png) and a note[^none].",
        "[[Anodes]]",
        "[[Nothing like it]] twice: [[Nothing like it]].",
        "```dot\ndigraph { a -> }\n```\n",
        "# First\n\n<!-- part: open -->\n\nText.\n",
    ],
)
def test_a_folder_is_found_wrong_in_the_same_places_with_the_same_mends(
    app: AppContext, writer: Actor, tmp_path: Path, text: str
) -> None:
    desk = _found(app, writer, text)
    card = "---\nslots:\n  risk: {required: true}\n  who: {required: true}\n---\n${risk} ${who}"
    files = {
        "Guide/Battery well.md": "## Torque and sealant\n\n## Limits\n",
        "Guide/Card.md": card,
        "Guide/Draft.md": text,
        "Parts/Anodes.md": "",
    }
    for path, words in files.items():
        (tmp_path / path).parent.mkdir(exist_ok=True)
        (tmp_path / path).write_text(words, newline="")
    found = checking.check(tmp_path)
    told = {
        (problem.code, problem.kind, problem.message.rstrip("."), problem.span): problem.mends
        for problem in found.problems
        if problem.path == "Guide/Draft.md"
    }
    wanted = {(f.code, f.kind, f.message.rstrip("."), f.span): f.mends for f in desk}
    listed = {key: mends for key, mends in wanted.items() if key[0] in {"unwritten", "section_missing"}}
    assert told == {key: mends for key, mends in wanted.items() if key not in listed}
    lines = Lines(text)
    for (_, _, _, span), mends in listed.items():
        at = lines.position(span.start)
        (reference,) = [each for each in found.references if (each.line, each.column) == (at.line, at.column)]
        assert reference.resolution != "page" and reference.mends == mends
    assert told or listed


def test_what_mends_a_file_is_said_for_programs_with_its_place_in_the_file(tmp_path: Path) -> None:
    path = tmp_path / "Guide" / "Draft.md"
    path.parent.mkdir()
    text = "---\ntitle: A draft\n---\n\nSee 🜂 the the lid, [[Draf]].\n\n[[A draft#Non]]\n\n## None\n"
    path.write_text(text, newline="")
    (tmp_path / "Guide" / "Draft two.md").write_text("[[A draft]]", newline="")
    found = json.loads(as_json(checking.check(tmp_path)))
    (twice,) = [problem for problem in found["problems"] if problem["kind"] == "advice"]
    assert text[twice["start"] : twice["end"]] == "the the"
    edits = [
        Edit(Span(e["start"], e["end"]), e["words"])
        for mended in (twice, *found["references"])
        for mend in mended["mends"][:1]
        for e in mend["edits"]
    ]
    path.write_text(apply(text, edits), newline="")
    again = checking.check(tmp_path)
    assert not [problem for problem in again.problems if problem.kind == "advice"]
    assert {reference.resolution for reference in again.references} == {"page"}, path.read_text()


def test_advice_leaves_a_folder_sound(tmp_path: Path) -> None:
    (tmp_path / "Guide").mkdir()
    (tmp_path / "Guide" / "One.md").write_text("The the lid: [[Two]].")
    (tmp_path / "Guide" / "Two.md").write_text("[[One]]")
    found = checking.check(tmp_path)
    assert found.sound and [problem.kind for problem in found.problems] == ["advice"]


def test_beside_a_page_stands_what_the_desk_finds_in_it_and_each_mend_is_a_plan(
    app: AppContext, writer: Actor
) -> None:
    text = "[[Battery well#Limit]] and [[Nothing like it]]\n\n### Skips\n\nThe the seal ![](mast.png)\n"
    pages(app, writer, "guide", {"Draft": text})
    view = one_page.to_mend(app, writer, "guide", "draft", SITE)
    desk = [each for each in _found(app, writer, text) if each.kind != "unwritten"]
    assert [row.finding for row in view.rows] == desk and view.number == len(desk) == 5
    amended = {
        offer.words: offer.act for row in view.rows for offer in row.offers if isinstance(offer.act, Amend)
    }
    assert {"Lead to “Limits”", "Make it level 2", "Take one out"} <= amended.keys()
    doing.apply(app, writer, amended["Lead to “Limits”"], None)
    assert texts(app)["Draft"].startswith("[[Battery well#Limits]]")


def test_what_was_put_aside_does_not_stand_beside_its_page(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Draft": "The the seal.\n\n### Skips\n"})
    assert one_page.to_mend(app, writer, "guide", "draft", SITE).number == 2
    twice = [
        row for row in upkeep.report(app, writer, "guide", "flaws").rows if "twice" in row.finding.reason
    ]
    asides.put(app, writer, "flaws", twice, "A name of ours.")
    (left,) = one_page.to_mend(app, writer, "guide", "draft", SITE).rows
    assert left.finding.code == "heading_skips"


@pytest.mark.parametrize(
    ("report", "code"),
    [
        ("sections", "section_missing"),
        ("addresses", "own_address"),
        ("no-file", "file_missing"),
        ("no-source", "source_missing"),
        ("insert-faults", "slot_missing"),
    ],
)
def test_what_a_page_names_and_was_put_aside_does_not_stand_beside_it(
    app: AppContext, writer: Actor, report: str, code: str
) -> None:
    text = (
        "[[Battery well#Nowhere]] [pump](https://docs.example/guide/battery-well) "
        "![a](mast.png) said[^nowhere]\n\n[[=Card|risk: x]]\n"
    )
    pages(app, writer, "guide", {"Draft": text})

    def beside() -> list[str]:
        return sorted(row.finding.code for row in one_page.to_mend(app, writer, "guide", "draft", SITE).rows)

    before = beside()
    rows = upkeep.report(app, writer, "guide", report, origins=SITE).rows
    asides.put(app, writer, report, rows, "Agreed.")
    assert code in before and beside() == [each for each in before if each != code]


def test_what_is_to_mend_on_a_page_is_told_to_its_writers_alone(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "secret", {"Draft": "The the seal."})
    reader = person(app, "jonas", guide=Role.READER)
    with pytest.raises(Missing):
        one_page.to_mend(app, reader, "secret", "draft", SITE)
    pages(app, writer, "guide", {"Draft": "The the seal."})
    for actor in (reader, NOBODY):
        with pytest.raises(Forbidden):
            one_page.to_mend(app, actor, "guide", "draft", SITE)
