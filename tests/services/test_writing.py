"""Writing: what is typed is kept to the byte, nothing is overwritten, hostile texts are said to be such."""

from __future__ import annotations

from typing import Any

import pytest

from mokuji.core.base.errors import BadName, BadText, Conflict
from mokuji.core.diff.merge import Conflict as MergeConflict
from mokuji.core.model.policy import Actor, Role
from mokuji.services import app_context
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import history
from mokuji.services.reading import reading, searching
from mokuji.services.writing import writing
from mokuji.store.database import writing as writing_transaction
from tests.services.making import pages, person, texts, titles_found, volume


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Data")
    return person(app, "wenna", guide=Role.WRITER, data=Role.WRITER)


TEXTS = ["", "no last line end", "a\r\nb\rc\nd\t \n", "\ufeff---\nx: 1\n---\n", "😀 e\u0301 \u2028"]


@pytest.mark.parametrize("text", TEXTS)
def test_a_text_is_kept_to_the_byte(app: AppContext, writer: Actor, text: str) -> None:
    pages(app, writer, "guide", {"Pump": text})
    assert texts(app)["Pump"] == text


def test_a_text_from_a_form_keeps_the_line_ends_of_the_page(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Unix": "a\nb\n", "Dos": "a\r\nb\r\n", "Mixed": "a\nb\r\nc"})
    for title, submitted, kept in (
        ("unix", "a\r\nnew\r\nb\r\n", "a\nnew\nb\n"),
        ("dos", "a\r\nnew\r\nb\r\n", "a\r\nnew\r\nb\r\n"),
        ("mixed", "a\r\nb\r\nc\r\nd", "a\nb\r\nc\nd"),
    ):
        writing.save(app, writer, writing.Save("guide", title, submitted, revision=1, from_form=True))
        assert texts(app)[title.title()] == kept


def test_a_page_is_found_the_moment_it_is_saved(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "the impeller turns"})
    assert titles_found(app, writer, "impellers") == ["Pump"]
    writing.save(app, writer, writing.Save("guide", "pump", "the rotor turns", revision=1))
    assert titles_found(app, writer, "impeller") == []
    assert titles_found(app, writer, '"rotor turns"') == ["Pump"]


def test_a_new_page_stands_under_the_page_that_led_to_it(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "[[Lid gasket]]", "Last": ""})
    opened = writing.open_for_edit(app, writer, "guide", "lid-gasket")
    assert (opened.title, opened.under_title, opened.revision) == ("Lid gasket", "Pump", 0)
    writing.save(app, writer, writing.Save("guide", opened.title, "x", revision=0, under=opened.under))
    view = reading.open_page(app, writer, "guide", "lid-gasket")
    assert isinstance(view, reading.PageView) and view.entry is not None
    assert view.entry.number == "1.1"


def test_an_unwritten_name_is_offered_as_it_was_typed(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "see [[ROV bay]] and [[Data/pH meter]]"})
    assert writing.open_for_edit(app, writer, "guide", "rov-bay").title == "ROV bay"
    assert writing.open_for_edit(app, writer, "data", "ph-meter").title == "pH meter"


def test_a_page_saved_meanwhile_is_never_overwritten(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "first"})
    writing.save(app, writer, writing.Save("guide", "pump", "second", revision=1))
    with pytest.raises(Conflict) as fault:
        writing.save(app, writer, writing.Save("guide", "pump", "mine", revision=1))
    assert fault.value.code == "edited_meanwhile"
    with pytest.raises(Conflict):
        writing.save(app, writer, writing.Save("guide", "Pump", "a new page of the same name", revision=0))
    with pytest.raises(Conflict) as fault:
        writing.save(app, writer, writing.Save("guide", "gone", "mine", revision=3))
    assert fault.value.code == "gone_meanwhile"
    assert texts(app) == {"Pump": "second"}


def test_what_was_saved_meanwhile_elsewhere_on_the_page_is_brought_together(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": "one\r\n\r\ntwo\r\n\r\nthree\r\n"})
    writing.save(app, writer, writing.Save("guide", "pump", "one\r\n\r\ntwo\r\n\r\nTHREE\r\n", revision=1))
    mine = "ONE\n\ntwo\n\nthree\n"
    done = writing.save(
        app, writer, writing.Save("guide", "pump", mine, revision=1, merge=True, from_form=True)
    )
    assert (done.head.revision, done.merged) == (3, "ONE\r\n\r\ntwo\r\n\r\nTHREE\r\n")
    assert texts(app)["Pump"] == done.merged
    plain = writing.save(app, writer, writing.Save("guide", "pump", "x", revision=3, merge=True))
    assert plain.merged is None


def test_where_both_changed_the_same_words_nothing_is_saved_and_both_are_told(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": "one\n\ntwo\n\nthree\n"})
    writing.save(app, writer, writing.Save("guide", "pump", "one\n\nzwei\n\nTHREE\n", revision=1))
    with pytest.raises(writing.Clash) as fault:
        writing.save(
            app, writer, writing.Save("guide", "pump", "ONE\n\ndeux\n\nthree\n", revision=1, merge=True)
        )
    clash = fault.value
    assert (clash.code, clash.revision) == ("edited_meanwhile", 2)
    (part,) = [each for each in clash.parts if isinstance(each, MergeConflict)]
    assert (part.base, part.mine.of(clash.mine), part.theirs) == ("two\n", "deux\n", "zwei\n")
    assert texts(app)["Pump"] == "one\n\nzwei\n\nTHREE\n"


def test_saving_the_same_text_makes_no_revision(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "same"})
    assert writing.save(app, writer, writing.Save("guide", "pump", "same", revision=1)).unchanged
    assert len(history.revisions(app, writer, "guide", "pump").revisions) == 1


def test_revisions_say_who_when_and_why_and_can_be_compared(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "one\ntwo\n"})
    writing.save(
        app, writer, writing.Save("guide", "pump", "one\nthree\n", revision=1, note="  new\n number ")
    )
    newest, first = history.revisions(app, writer, "guide", "pump").revisions
    assert (newest.number, newest.author, newest.note) == (2, "Wenna", "new number")
    assert newest.at > first.at
    view = history.compare_revisions(app, writer, "guide", "pump", 2, 1)
    assert [passage.kind for passage in view.passages] == ["same", "changed"]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("one\ntwo \x00", "Line 2, column 5 holds a NUL"),
        ("\ud800", r"U\+D800"),
        ("x" * 2_000_001, "2,000,000 is the most"),
    ],
)
def test_what_cannot_be_kept_is_refused_with_its_place(
    app: AppContext, writer: Actor, text: str, said: str
) -> None:
    with pytest.raises(BadText, match=said):
        writing.save(app, writer, writing.Save("guide", "Pump", text, revision=0))
    assert texts(app) == {}


@pytest.mark.parametrize("title", ["", "a\x00b", "\ud800", "x" * 201, ".."])
def test_what_cannot_be_a_title_is_refused(app: AppContext, writer: Actor, title: str) -> None:
    with pytest.raises(BadName):
        writing.save(app, writer, writing.Save("guide", title, "x", revision=0))


HOSTILE = {
    "brackets": "[" * 100_000,
    "open references": "[[" * 50_000,
    "closed brackets": "]" * 100_000,
    "references": "[[a]]" * 20_000,
    "nested labels": "[[a|" * 25_000 + "]]" * 25_000,
    "nested inserts": "[[=a|b: " * 12_000 + "]]" * 12_000,
    "quotes": ">" * 100_000 + "x",
    "lists": "- " * 50_000 + "x",
    "emphasis": "*a **b " * 15_000,
    "backquotes": " ".join("`" * n for n in range(1, 400)),
    "tags": "<b>" * 30_000,
    "blocks of HTML": "<div>\n" * 20_000,
    "table": "|" * 50_000 + "\n" + "|-" * 50_000,
    "footnotes": "".join(f"[^{n}]" for n in range(5000))
    + "\n\n"
    + "".join(f"[^{n}]: x\n\n" for n in range(5000)),
    "headings": "## [[a]]\n" * 10_000,
    "broken YAML": "---\na: [" + "[" * 5000 + "\n---\nx",
    "YAML of many lines": "---\n" + "a: b\n" * 10_000 + "---\nx",
    "many aliases": "---\naliases: [" + ", ".join(f"n{n}" for n in range(8000)) + "]\n---\nx",
    "one long word": "x" * 1_900_000,
    "many different words": " ".join(f"w{n}" for n in range(250_000)),
    "control characters": "".join(map(chr, range(1, 32))) * 50,
}


@pytest.mark.parametrize("text", HOSTILE.values(), ids=HOSTILE.keys())
def test_a_hostile_text_is_saved_read_and_renamed_around(app: AppContext, writer: Actor, text: str) -> None:
    pages(app, writer, "guide", {"Hostile": text, "Other": "[[Hostile]]"})
    assert texts(app)["Hostile"] == text
    view = reading.open_page(app, writer, "guide", "hostile")
    assert isinstance(view, reading.PageView)
    writing.preview(app, writer, "guide", "hostile", text)
    writing.save(app, writer, writing.Save("guide", "hostile", text + "\nmore", revision=1))
    titles_found(app, writer, "more")
    history.compare_revisions(app, writer, "guide", "hostile", 1, 2)


def test_the_preview_lists_problems_and_unwritten_names_with_their_lines(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": ""})
    seen = writing.preview(
        app, writer, "guide", "new", "[[Pump]]\n\n[[Gasket]] and [[gasket]]\n\n# First\n\n[[open"
    )
    assert [(unwritten.title, unwritten.line) for unwritten in seen.unwritten] == [("Gasket", 3)]
    assert [(problem.problem.code, problem.line) for problem in seen.rendered(app).problems] == [
        ("heading_first_level", 5),
        ("reference_unclosed", 7),
    ]


def test_the_editor_learns_which_names_are_written_and_where_they_lead(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": "---\naliases: [Bilge]\n---\n"})
    pages(app, writer, "data", {"Sheet": ""})
    targets = writing.targets(
        app, writer, "guide", ["pump", "bilge", "Data/Sheet", "Gasket", "Data/New", "", "a\nb"]
    )
    assert {typed: (target.written, target.volume, target.key) for typed, target in targets.items()} == {
        "pump": (True, "guide", "pump"),
        "bilge": (True, "guide", "pump"),
        "Data/Sheet": (True, "data", "sheet"),
        "Gasket": (False, "guide", "gasket"),
        "Data/New": (False, "data", "new"),
    }


@pytest.mark.parametrize(
    ("typed", "titles"),
    [
        ("batt", ["Battery", "Battery well", "Cold battery"]),
        ("well", ["Battery well"]),
        ("batery", ["Battery", "Battery well", "Cold battery"]),
        ("bilge", ["Pump"]),
        ("zzz", []),
        ("%", []),
        ("_", []),
    ],
)
def test_the_go_box_knows_parts_of_names_aliases_and_near_spellings(
    app: AppContext, writer: Actor, typed: str, titles: list[str]
) -> None:
    texts_ = {"Pump": "---\naliases: [Bilge]\n---\n", "Battery": "", "Battery well": "", "Cold battery": ""}
    pages(app, writer, "guide", texts_)
    result = searching.go_box(app, writer, typed, "guide")
    assert sorted(named_page.title for named_page in result.named) == titles


def test_a_name_that_is_not_there_can_be_written_from_the_go_box(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": ""})
    missing, there = (
        searching.go_box(app, writer, "Gasket", "guide"),
        searching.go_box(app, writer, "pump", "guide"),
    )
    assert missing.writable is not None and missing.writable.title == "Guide"
    assert there.writable is None


def test_a_save_that_leads_nothing_elsewhere_keeps_nobody_from_writing(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": "one\n", "Well": "[[Pump#Limits]]\n"})
    # Held alone the lock could not be had while somebody else writes: the save would wait until it is given up.
    with writing_transaction(app.engine):
        saved = writing.save(app, writer, writing.Save("guide", "Pump", "two\n", revision=1))
    assert saved.head.revision == 2


@pytest.mark.parametrize("merge", [False, True])
def test_a_save_that_comes_between_what_another_reads_and_writes_is_not_overwritten(
    app: AppContext, writer: Actor, monkeypatch: pytest.MonkeyPatch, merge: bool
) -> None:
    pages(app, writer, "guide", {"Race": "First line.\n"})
    came: list[object] = []

    def page_at(*arguments: Any) -> Any:
        page = app_context.page_at(*arguments)
        if not came:
            came.append(page)
            writing.save(app, writer, writing.Save("guide", "Race", "First line.\nTheirs.\n", revision=1))
        return page

    monkeypatch.setattr(writing, "page_at", page_at)
    with pytest.raises(Conflict):
        mine = writing.Save("guide", "Race", "First line.\nMine.\n", revision=1, merge=merge)
        writing.save(app, writer, mine)
    assert texts(app)["Race"] == "First line.\nTheirs.\n"
