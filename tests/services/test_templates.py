"""Templates: what their page says of them, where they are used, and that nothing closed shows."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, requests
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.reading import reading, templates
from mokuji.services.writing import writing
from mokuji.upkeep import upkeep
from tests.services.making import pages, person, texts, volume

SUPPLY = """---
slots:
  volts: {required: true, help: Rated supply, example: 12 V}
  who: {default: staff}
---
Notes for writers.

<!-- part -->
Give it ${volts}, says ${who}. See [[Pump]].
<!-- /part -->
"""


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, secret=Role.WRITER)
    pages(
        app,
        writer,
        "guide",
        {
            "Supply": SUPPLY,
            "A": "[[=Supply | volts: 24 V | who: [[Pump]] ]] and [[Supply]]",
            "B": "x\n\n[[=supply | volts: 12 V]]\n\n[[=Supply | volt: 1]]",
            "Pump": "",
        },
    )
    pages(app, writer, "secret", {"S": "[[=Guide/Supply | volts: 9 V]]"})
    return writer


def test_every_place_of_use_is_listed_with_its_values_faults_first(app: AppContext, writer: Actor) -> None:
    view = templates.all_uses(app, writer, "guide", "supply")
    assert [(use.page.title, use.values) for use in view.uses] == [
        ("B", (None, None)),
        ("A", ("24 V", "[[Pump]]")),
        ("B", ("12 V", None)),
        ("S", ("9 V", None)),
    ]
    assert (view.number, view.pages, view.faulty) == (4, 3, 1)
    assert {fault.code for fault in view.uses[0].faults} == {"slot_unknown", "slot_missing"}


def test_uses_are_sorted_by_a_slot_or_by_page_and_shown_a_screen_at_a_time(
    app: AppContext, writer: Actor
) -> None:
    by_volts = templates.all_uses(app, writer, "guide", "supply", "volts").uses
    assert [volt.values[0] for volt in by_volts] == ["12 V", "24 V", "9 V", None]
    by_page = templates.all_uses(app, writer, "guide", "supply", "page", 1, 2)
    assert [(use.page.title, use.index) for use in by_page.uses] == [("B", 0), ("B", 1)] and by_page.more


def test_who_may_not_read_a_volume_sees_none_of_its_uses(app: AppContext, writer: Actor) -> None:
    outsider = person(app, "jonas", guide=Role.READER)
    view = templates.all_uses(app, outsider, "guide", "supply")
    assert (view.number, view.pages) == (3, 2) and "secret" not in repr(view).lower()


def test_its_own_page_says_what_it_is_for(app: AppContext, writer: Actor) -> None:
    seen = reading.open_page(app, writer, "guide", "supply")
    assert isinstance(seen, reading.PageView)
    assert "Notes for writers" in seen.rendered(app).html and "${volts}" in seen.rendered(app).html
    about = templates.about(app, writer, seen.head)
    assert [slot.name for slot in about.slots] == ["volts", "who"]
    assert "Give it 12 V, says staff." in about.sample.html and "Notes" not in about.sample.html
    assert not about.sample.problems and (about.number, about.faulty) == (4, 1)


def test_a_change_in_a_template_is_seen_at_the_next_view_of_every_page(
    app: AppContext, writer: Actor
) -> None:
    def shown() -> str:
        view = reading.open_page(app, writer, "guide", "a")
        assert isinstance(view, reading.PageView)
        return view.rendered(app).html

    assert "Give it 24 V" in shown()
    writing.save(
        app, writer, writing.Save("guide", "Supply", SUPPLY.replace("Give it", "Feed it"), revision=1)
    )
    assert "Feed it 24 V" in shown() and "Give it" not in shown()


def test_faults_of_inserts_stand_among_the_problems_of_their_page_with_their_line(
    app: AppContext, writer: Actor
) -> None:
    view = reading.open_page(app, writer, "guide", "b")
    assert isinstance(view, reading.PageView)
    problems = view.rendered(app).problems
    assert [(problem.line, problem.problem.code) for problem in problems] == [
        (5, "slot_unknown"),
        (5, "slot_missing"),
    ]


def test_an_insert_of_a_closed_page_and_of_none_look_the_same(app: AppContext, writer: Actor) -> None:
    outsider = person(app, "jonas", guide=Role.WRITER)
    pages(app, writer, "guide", {"C": "[[=Secret/S]]", "D": "[[=Secret/Gone]]"})
    shown = []
    for key in ("c", "d"):
        view = reading.open_page(app, outsider, "guide", key)
        assert isinstance(view, reading.PageView)
        shown.append(view.rendered(app).html.replace("Gone", "S").replace("gone", "s"))
    assert shown[0] == shown[1] and "9 V" not in shown[0]
    mine = reading.open_page(app, writer, "guide", "c")
    assert isinstance(mine, reading.PageView) and "9 V" in mine.rendered(app).html


def test_a_preview_puts_in_what_is_not_saved_yet(app: AppContext, writer: Actor) -> None:
    seen = writing.preview(app, writer, "guide", "new", "[[=Supply | volts: *5* V]]")
    assert "Give it <em>5</em> V" in seen.rendered(app).html


def test_the_effect_of_a_change_counts_what_differs_and_shows_it(app: AppContext, writer: Actor) -> None:
    same = templates.effect(app, writer, "guide", "supply", SUPPLY.replace("Notes for", "Words for"))
    assert (same.number, same.pages, same.changed, same.faulty) == (4, 3, 0, ())
    other = templates.effect(
        app, writer, "guide", "supply", SUPPLY.replace("says ${who}", "by ${who:-nobody}")
    )
    assert other.changed == 4 and not other.faulty
    first = next(shown for shown in other.shown if shown.page.title == "A")
    assert "24 V, says" in first.before and "24 V, by" in first.after
    assert texts(app)["Supply"] == SUPPLY, "nothing is saved"


def test_reports_find_faulty_inserts_unused_templates_and_what_is_filed_badly(
    app: AppContext, writer: Actor
) -> None:
    def found(name: str) -> list[tuple[str, str]]:
        return [
            (finding.title, finding.reason) for finding in upkeep.report(app, writer, "guide", name).findings
        ]

    assert found("insert-faults") == [
        ("Supply", "“Supply” has no slot “volt”. “Supply” needs a value for “volts”.")
    ]
    assert found("unused") == [] and found("unfiled") == [], "no page is filed at all"
    pages(
        app,
        writer,
        "guide",
        {
            "Unused": "---\ntemplate: true\nsummary: Nowhere\n---\n[[Unused]]",
            "One": "---\ncategories: [Sensor]\n---\n",
            "Two": "---\ncategories: [Sensors]\nbroader: [Parts]\n---\n",
            "Parts": "---\ncategories: [Sensors]\nbroader: [Two]\n---\n",
        },
    )
    assert found("unused") == [("Unused", "Nowhere")]
    assert [title for title, _ in found("unfiled")] == ["A", "B", "Pump", "Supply", "Unused"]
    assert [title for title, _ in found("lone")] == ["Sensor"]
    assert found("categories") == [
        ("Parts → Two", "broader than each other"),
        ("Sensor", "singular and plural"),
    ]
    doing.apply(app, writer, requests.RenameCategory("guide", "sensor", "sensors"), None)
    assert texts(app)["One"] == "---\ncategories: [Sensors]\n---\n", "written as the other one is"


CHANGES = [
    ("  who: {default: staff}\n", "  who: {required: true}\n", "“Supply” needs a value for “who”.", 3),
    (
        "  volts: {required: true, help: Rated supply, example: 12 V}\n",
        "",
        "“Supply” has no slot “volts”.",
        3,
    ),
]


@pytest.mark.parametrize(("was", "will", "said", "number"), CHANGES)
def test_a_save_asks_before_places_of_use_become_faulty(
    app: AppContext, writer: Actor, was: str, will: str, said: str, number: int
) -> None:
    changed = SUPPLY.replace(was, will)
    asked = writing.save_or_tell(app, writer, writing.Save("guide", "Supply", changed, revision=1))
    assert isinstance(asked, writing.Moves) and len(asked.faulty) == number
    assert {faulty.message for faulty in asked.faulty} >= {said}
    assert f"{number} places that put this page in would be faulty." == asked.sentence
    assert isinstance(
        writing.save(app, writer, writing.Save("guide", "Supply", changed, revision=1, follow=False)),
        writing.Saved,
    )


def test_a_save_that_takes_a_part_away_asks_too(app: AppContext, writer: Actor) -> None:
    text = "<!-- part: limits -->\n10 bar\n<!-- /part -->\n"
    pages(app, writer, "guide", {"Data": text, "Host": "[[=Data#limits]]"})
    asked = writing.save_or_tell(app, writer, writing.Save("guide", "Data", "10 bar", revision=1))
    assert isinstance(asked, writing.Moves)
    assert [(faulty.page.title, faulty.message) for faulty in asked.faulty] == [
        ("Host", "“Data” has no section or part “limits”.")
    ]


def test_what_can_be_put_in_is_listed_templates_first_with_their_slots(
    app: AppContext, writer: Actor
) -> None:
    volume(app, "Common")
    owner = person(app, "mirela", guide=Role.OWNER, common=Role.OWNER)
    pages(
        app,
        owner,
        "common",
        {"Supply card": "---\nslots: [a]\n---\n", "Other": "---\ntemplate: true\n---\n"},
    )
    doing.apply(app, owner, requests.Libraries("guide", ("common",)), None)
    owner = person(app, "piet", guide=Role.OWNER, common=Role.OWNER)
    every = templates.for_insert(app, owner, "", "guide")
    assert [(insert.title, insert.place) for insert in every] == [
        ("Supply", ""),
        ("Other", "Common"),
        ("Supply card", "Common"),
    ]
    inserts = templates.for_insert(app, owner, "suppl", "guide")
    assert [(insert.title, insert.insert, [slot.name for slot in insert.slots]) for insert in inserts] == [
        ("Supply", "Supply", ["volts", "who"]),
        ("Supply card", "Common/Supply card", ["a"]),
    ]
    outsider = person(app, "jonas", guide=Role.READER)
    assert templates.for_insert(app, outsider, "s", "secret") == []


def test_a_template_that_only_notes_put_in_is_told_apart_from_one_that_nothing_does(
    app: AppContext, writer: Actor
) -> None:
    pages(
        app,
        writer,
        "guide",
        {
            "Lonely": "---\ntemplate: true\nsummary: A draft\n---\nx",
            "Shown": "---\ntemplate: true\n---\nx",
            "Noted": "---\ntemplate: true\n---\nx",
            "Other": "---\ntemplate: true\n---\nSee [[=Noted]]\n\n<!-- part -->\n[[=Shown]]\n<!-- /part -->\n",
            "User": "[[=Other]]",
        },
    )
    findings = upkeep.report(app, writer, "guide", "unused").findings
    assert [(finding.title, finding.reason) for finding in findings] == [
        ("Lonely", "A draft"),
        ("Noted", "put in only in notes for writers: “Other”"),
    ]


def test_files_are_listed_with_the_pages_that_point_at_them(app: AppContext, writer: Actor) -> None:
    pages(
        app,
        writer,
        "guide",
        {
            "Mast": "![Wiring](wiring%20mast.svg) and [again](wiring%20mast.svg)",
            "Lamp": "[sheet](limits.pdf) `![no](code.svg)` [out](https://example.org/x.pdf) [own](/guide/a)",
            "Lens": "| ![x](Wiring%20mast.svg) |\n|---|",
        },
    )
    findings = upkeep.report(app, writer, "guide", "files").findings
    assert [
        (finding.title, finding.number, [spot.page.title for spot in finding.spots]) for finding in findings
    ] == [
        ("limits.pdf", 1, ["Lamp"]),
        ("Wiring mast.svg", 1, ["Lens"]),
        ("wiring mast.svg", 1, ["Mast", "Mast"]),
    ]
    rest = upkeep.report(app, writer, "guide", "files", after="limits.pdf", most=1).findings
    assert [finding.title for finding in rest] == ["Wiring mast.svg"]


def test_what_is_not_saved_yet_is_kept_for_nobody_else(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Own": "## Part\n\nsaved words\n\n## Again\n\n[[=Own#Part]]\n"})
    pages(app, writer, "guide", {"Other": "[[=Own#Part]]\n"})
    text = "## Part\n\nunsaved words\n\n## Again\n\n[[=Own#Part]]\n"
    seen = writing.preview(app, writer, "guide", "own", text)
    assert seen.rendered(app).html.count("unsaved words") == 2
    for title in ("own", "other"):
        view = reading.open_page(app, writer, "guide", title)
        assert isinstance(view, reading.PageView)
        shown = view.rendered(app).html
        assert "saved words" in shown and "unsaved" not in shown
    again = writing.preview(app, writer, "guide", "own", text.replace("unsaved", "later"))
    assert again.rendered(app).html.count("later words") == 2
