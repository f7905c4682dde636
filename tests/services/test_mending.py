"""Findings are mended several at once, put aside for good, and had over all volumes."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from mokuji.acts import doing, log, words
from mokuji.acts.requests import Amend, Delete, LeadToSection, Link, Rename, Several, Undo
from mokuji.acts.view import Applied
from mokuji.core.base.errors import BadFields, Forbidden, Missing, Refused
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.core.style.style import Style
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.reading import house_styles, reading
from mokuji.services.writing import writing
from mokuji.upkeep import asides, keeping, upkeep
from mokuji.upkeep.listed import Listed, mark_of
from mokuji.upkeep.reports.registry import REPORTS
from tests.services import making
from tests.services.making import give, pages, person, texts, volume

FLAWED = "Open the the lid.\n\n### Deep\n\nSee [[Well#None]] and and the pump.\n"


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Data")
    volume(app, "Secret", closed=True)
    return person(app, "wenna", guide=Role.OWNER, data=Role.WRITER, secret=Role.WRITER)


def _rows(app: AppContext, actor: Actor, name: str, volume_key: str = "guide") -> list[Listed]:
    return list(upkeep.every(app, actor, volume_key, name))


def _titles(app: AppContext, actor: Actor, name: str, volume_key: str = "guide") -> list[str]:
    return [row.finding.title for row in _rows(app, actor, name, volume_key)]


# ---- several at once ----------------------------------------------------------------


def test_flaws_of_one_page_are_mended_in_one_plan_and_taken_back_in_one(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": FLAWED, "Well": "## Depth\n"})
    rows = _rows(app, writer, "flaws")
    assert len(rows) == 3
    request = upkeep.mend_together(rows, "Mend them")
    assert isinstance(request, Amend) and len(request.changes) == 3
    view = doing.plan(app, writer, request)
    assert view.refusal is None and "3 places on 1 page will have other words." in words.sentence(view)
    done = doing.apply(app, writer, request, view.digest)
    assert isinstance(done, Applied)
    assert texts(app)["Pump"] == "Open the lid.\n\n## Deep\n\nSee [[Well#None]] and the pump.\n"
    assert _rows(app, writer, "flaws") == []
    doing.apply(app, writer, Undo(done.change_set), None)
    assert texts(app)["Pump"] == FLAWED


def test_a_flaw_that_was_mended_by_hand_meanwhile_stops_the_plan_with_what_to_do(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": FLAWED})
    request = upkeep.mend_together(_rows(app, writer, "flaws"), "Mend them")
    writing.save(app, writer, writing.Save("guide", "Pump", "Another text altogether.\n", revision=1))
    view = doing.plan(app, writer, request)
    assert view.refusal is not None and "Look at the list again" in view.refusal.message


def test_marked_orphans_go_together_and_what_led_between_them_is_told(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Old": "[[Older]]", "Lone": "", "Front": "[[Front]]"})
    rows = _rows(app, writer, "orphans")
    request = upkeep.mend_together([row for row in rows if row.finding.title != "Front"], "Delete them")
    assert isinstance(request, Several) and {type(each) for each in request.acts} == {Delete}
    done = doing.apply(app, writer, request, doing.plan(app, writer, request).digest)
    assert isinstance(done, Applied) and set(texts(app)) == {"Front"}
    doing.apply(app, writer, Undo(done.change_set), None)
    assert set(texts(app)) == {"Old", "Lone", "Front"}


def test_missing_sections_mentions_and_unwritten_names_are_mended_several_at_once(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Well": "## Depth of water\n\n## Cover\n", "Pump": "## Seal\n"})
    text = "[[Well#Depth of watr]] [[Well#Covers]] by the pump, a pump. [[lidd]] [[lid cover]]\n"
    pages(app, writer, "guide", {"A": text, "B": text})
    sections = upkeep.mend_together(_rows(app, writer, "sections"), "Lead each to the section most like it")
    assert isinstance(sections, Several) and {type(each) for each in sections.acts} == {LeadToSection}
    doing.apply(app, writer, sections, None)
    assert "[[Well#Depth of water]] [[Well#Cover]]" in texts(app)["A"] == texts(app)["B"]
    mentions = upkeep.mend_together(_rows(app, writer, "mentions"), "Link them")
    assert isinstance(mentions, Link) and len(mentions.only or ()) == 4
    doing.apply(app, writer, mentions, None)
    assert "by the [[pump]], a [[pump]]." in texts(app)["B"]
    names = upkeep.mend_together(_rows(app, writer, "unwritten"), "Lead them to", "Well")
    doing.apply(app, writer, names, None)
    assert texts(app)["A"].endswith("[[well]] [[well]]\n") and _rows(app, writer, "unwritten") == []


def test_values_that_inserts_lack_are_put_in_for_several_at_once(app: AppContext, writer: Actor) -> None:
    card = "---\nslots: {who: {required: true}}\n---\n${who}"
    pages(app, writer, "guide", {"Card": card, "One": "[[=Card]]\n", "Two": "x [[=Card]]\n\n[[=Card]]\n"})
    request = upkeep.mend_together(_rows(app, writer, "insert-faults"), "Mend them")
    doing.apply(app, writer, request, None)
    assert texts(app)["Two"] == "x [[=Card | who: ]]\n\n[[=Card | who: ]]\n"


def test_what_all_are_given_is_asked_for_once_and_one_finding_needs_no_plan_of_several(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": "[[lid]]"})
    request = upkeep.mend_together(_rows(app, writer, "unwritten"), "Lead them to", "Pump")
    assert not isinstance(request, Several) and getattr(request, "to", "") == "Pump"
    with pytest.raises(Refused, match="mended in this way"):
        upkeep.mend_together(_rows(app, writer, "unwritten"), "Delete them")


def test_only_who_may_write_is_offered_anything(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": FLAWED})
    for actor in (NOBODY, person(app, "piet", guide=Role.READER)):
        rows = _rows(app, actor, "orphans")
        assert rows and all(row.offers == () and not row.may_write for row in rows)
        with pytest.raises(Forbidden):
            asides.put(app, actor, "orphans", rows, "I say so.")


def test_titles_that_break_a_rule_are_renamed_in_one_plan(app: AppContext, writer: Actor) -> None:
    house_styles.set_style(app, writer, "guide", Style(titles="sentence"))
    pages(app, writer, "guide", {"Big Pump": "[[Deep Well]]", "Deep Well": ""})
    request = upkeep.mend_together(_rows(app, writer, "style"), "Mend them")
    assert isinstance(request, Several) and {type(each) for each in request.acts} == {Rename}
    doing.apply(app, writer, request, None)
    assert texts(app) == {"Big pump": "[[Deep well]]", "Deep well": ""}


# ---- put aside ----------------------------------------------------------------------

ASIDE = {
    "Pump": FLAWED + "\n[[lid]] ![x](gone.png) [^none] the well\n",
    "Well": "---\ntemplate: true\n---\nA well.\n",
    "Wells": "[[=Well | depth: 1]]\n\n[[Pump]]\n",
    "Note": "#one-of-a-kind [here](http://testserver/guide/pump)\n",
}


@pytest.mark.parametrize("name", REPORTS)
def test_what_is_put_aside_is_listed_and_counted_no_more_until_it_is_taken_back(
    app: AppContext, writer: Actor, name: str
) -> None:
    same = "\n".join(
        f"The same long words stand here in line {n}, and in both of the pages." for n in range(9)
    )
    pages(app, writer, "guide", {**ASIDE, "One": same, "Two": same, "Depth sensor": "", "Depth sensors": ""})
    pages(app, writer, "data", {"One": same})
    house_styles.set_style(app, writer, "guide", Style(titles="title", spelling="en-GB"))
    origins = ("http://testserver",)

    def listed() -> list[str]:
        rows = list(upkeep.every(app, writer, "guide", name, origins))
        numbers = upkeep.overview(app, writer, "guide", origins).numbers
        assert numbers[name] == len(rows)
        return [row.mark for row in rows]

    before = listed()
    if not before:
        assert name in {"categories", "unused", "out-of-reach"}, "this wiki has one of each kind but these"
        return
    (row, *_) = upkeep.marked(app, writer, "guide", name, before[:1], origins)
    asides.put(app, writer, name, [row], "It is meant so.")
    left = listed()
    assert row.mark not in left and set(left) <= set(before)
    # Another save has all reports made anew.
    writing.save(app, writer, writing.Save("data", "More", "Words.", revision=0))
    assert listed() == left
    (told,) = upkeep.report(app, writer, "guide", name, origins=origins).asides
    assert (told[1].reason, told[1].person) == ("It is meant so.", writer.name) and told[1].title
    assert asides.take_back(app, writer, name, [mark_of(told[0], told[1].what)]) == 1
    assert listed() == before
    assert upkeep.report(app, writer, "guide", name, origins=origins).asides == ()


def test_a_finding_stays_aside_when_its_page_is_renamed_and_comes_back_when_it_says_something_else(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": "The the lid."})
    asides.put(app, writer, "flaws", _rows(app, writer, "flaws"), "A name.")
    doing.apply(app, writer, Rename("guide", "pump", "Device"), None)
    writing.save(app, writer, writing.Save("guide", "Device", "Before it.\n\nThe the lid.", revision=2))
    assert _titles(app, writer, "flaws") == []
    writing.save(app, writer, writing.Save("guide", "Device", "Before it.\n\nOf of course.", revision=3))
    assert _titles(app, writer, "flaws") == ["Device"]


def test_the_number_beside_the_room_leaves_out_what_is_put_aside(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "[[lid]] [[None/Lid]]", "Lone": ""})
    for name in ("orphans", "unwritten", "out-of-reach"):
        asides.put(app, writer, name, _rows(app, writer, name)[:1], "Later.")
        refresh(app)
        view, place = upkeep.overview(app, writer, "guide"), reading.volume_in_hand(app, writer, "guide")
        assert place is not None and place.to_mend == view.to_mend
        assert view.to_mend == sum(
            len(_rows(app, writer, n)) for n, report in REPORTS.items() if report.to_mend
        )


def test_why_is_asked_for_and_what_is_gone_cannot_be_put_aside(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "[[lid]]"})
    rows = _rows(app, writer, "unwritten")
    with pytest.raises(BadFields, match="Say in a few words"):
        asides.put(app, writer, "unwritten", rows, "  ")
    pages(app, writer, "guide", {"Lid": ""})
    with pytest.raises(Refused, match="listed any more"):
        upkeep.marked(app, writer, "guide", "unwritten", [rows[0].mark])


def test_what_was_put_aside_is_told_to_those_only_who_may_read_all_that_it_speaks_of(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "secret", {"Heron": "## Nest\n"})
    pages(app, writer, "guide", {"Pump": "[[Secret/Heron#Eggs]] [[Well#None]]", "Well": ""})
    asides.put(app, writer, "sections", _rows(app, writer, "sections"), "Known.")
    assert len(upkeep.report(app, writer, "guide", "sections").asides) == 2
    other = person(app, "jonas", guide=Role.WRITER)
    told = upkeep.report(app, other, "guide", "sections").asides
    assert len(told) == 1 and "Heron" not in repr(told)


def test_a_report_that_was_made_by_a_job_lets_go_what_is_put_aside_at_once(
    app: AppContext, writer: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    pages(app, writer, "guide", {"Pump": FLAWED})
    monkeypatch.setattr(keeping, "AT_ONCE_CHARACTERS", -1)
    rows = _rows(app, writer, "flaws")
    assert rows == []
    keeping.make(app, 1, "flaws", [3], ())
    rows = _rows(app, writer, "flaws")
    asides.put(app, writer, "flaws", rows[:1], "Meant so.")
    view = upkeep.report(app, writer, "guide", "flaws")
    assert len(view.rows) == len(rows) - 1 and view.made is not None and view.made.fresh
    assert upkeep.overview(app, writer, "guide").numbers["flaws"] == len(rows) - 1


@pytest.mark.parametrize("back", [False, True])
def test_what_is_put_aside_or_taken_back_while_a_report_is_made_is_not_lost(
    app: AppContext, writer: Actor, monkeypatch: pytest.MonkeyPatch, back: bool
) -> None:
    pages(app, writer, "guide", {"Pump": FLAWED})
    (first, *rest) = _rows(app, writer, "flaws")
    if back:
        asides.put(app, writer, "flaws", [first], "Meant so.")
    real = REPORTS["flaws"]

    def slowly(*arguments: Any) -> Any:
        found = real.findings(*arguments)
        if back:
            asides.take_back(app, writer, "flaws", [mark_of(first.volume, first.what)])
        else:
            asides.put(app, writer, "flaws", [first], "Meant so.")
        return found

    with monkeypatch.context() as patch:
        patch.setitem(REPORTS, "flaws", replace(real, findings=slowly))
        keeping.make(app, first.volume.id, "flaws", [3], ())
    wanted = [first, *rest] if back else rest
    assert [row.what for row in _rows(app, writer, "flaws")] == [row.what for row in wanted]


# ---- over all volumes ---------------------------------------------------------------


@pytest.mark.parametrize("name", ["unwritten", "flaws"])
def test_a_report_over_all_volumes_holds_what_each_holds_in_pages_of_any_size(
    app: AppContext, writer: Actor, name: str
) -> None:
    for where in ("guide", "data", "secret"):
        pages(app, writer, where, {f"Page {n} of {where}": f"[[lid {n}]] the the\n" for n in range(4)})
    one_by_one = [
        (row.volume.key, row.mark)
        for key in ("data", "guide", "secret")
        for row in _rows(app, writer, name, key)
    ]
    assert len(one_by_one) == 12
    assert [(row.volume.key, row.mark) for row in _rows(app, writer, name, upkeep.ALL)] == one_by_one
    for size in (1, 3, 4, 5, 12):
        seen: list[tuple[str, str]] = []
        after: str | None = ""
        while after is not None:
            part = upkeep.report(app, writer, upkeep.ALL, name, after=after, most=size)
            assert len(part.rows) <= size
            seen += [(row.volume.key, row.mark) for row in part.rows]
            after = part.more_after
        assert seen == one_by_one
    assert upkeep.overview(app, writer).numbers[name] == 12
    assert [row.volume.key for row in _rows(app, NOBODY, name, upkeep.ALL)] == [
        *(["data"] * 4 + ["guide"] * 4 if name == "unwritten" else [])
    ], "who has not signed in sees what is in step, and nothing that is closed"


def test_findings_of_two_volumes_are_mended_in_one_plan(app: AppContext, writer: Actor) -> None:
    for where in ("guide", "data"):
        pages(app, writer, where, {f"Page of {where}": "the the lid\n"})
    request = upkeep.mend_together(_rows(app, writer, "flaws", upkeep.ALL), "Mend them")
    doing.apply(app, writer, request, None)
    assert set(texts(app).values()) == {"the lid\n"}


@pytest.mark.parametrize("name", ["flaws", "orphans", "unwritten", "style"])
def test_what_was_done_in_a_closed_volume_too_is_told_to_others_as_that_and_no_more(
    app: AppContext, writer: Actor, name: str
) -> None:
    many = {
        "flaws": "Mend them",
        "orphans": "Delete them",
        "unwritten": "Lead them to",
        "style": "Mend them",
    }[name]
    for where, word in (("guide", "Lamp"), ("secret", "Heron")):
        text = f"the the {word}\n\n[[No {word}]]\n"
        pages(app, writer, where, {f"{word} Page": text, f"{word} Two": text})
        house_styles.set_style(app, give(app, writer, where, Role.OWNER), where, Style(titles="sentence"))
    writer = give(app, writer, "guide", Role.OWNER)
    rows = _rows(app, writer, name, upkeep.ALL)
    assert {row.volume.key for row in rows} == {"guide", "secret"}
    request = upkeep.mend_together(rows, many, "Guide/Lamp Two")
    done = doing.apply(app, writer, request, doing.plan(app, writer, request).digest)
    assert isinstance(done, Applied)
    reader = person(app, "jonas", guide=Role.WRITER)
    told = [repr(log.one_act(app, reader, done.change_set)), repr(making.acts(app, reader))]
    with pytest.raises(Forbidden):
        doing.apply(app, reader, Undo(done.change_set), None)
    assert "heron" not in " ".join(told).lower()
    outsider = person(app, "piet", guide=Role.READER)
    assert "heron" not in repr(log.one_act(app, outsider, done.change_set)).lower()
    with pytest.raises(Forbidden):
        doing.plan(app, outsider, Undo(done.change_set))


def test_an_overview_over_all_says_nothing_of_closed_volumes(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "secret", {"Heron": "[[nest]]"})
    assert upkeep.overview(app, writer).numbers["unwritten"] == 1
    view = upkeep.overview(app, NOBODY)
    assert view.numbers["unwritten"] == 0 and "Secret" not in repr(view.by_volume)
    with pytest.raises(Missing):
        upkeep.report(app, writer, upkeep.ALL, "no-such-report")
