"""Extract and inline through the database: who may, what is found elsewhere, and that nothing closed shows."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, requests
from mokuji.acts.view import Applied
from mokuji.core.base.errors import Forbidden
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.writing import writing
from mokuji.services.writing.insert_forms import insert_at
from mokuji.upkeep import upkeep
from tests.services.making import pages, person, texts, volume

SAY = "Vent the well for ten minutes before the second bolt is loosened."

CARD = """---
slots:
  risk: {required: true, help: What can happen}
  who: {default: all}
---
${risk} ${who}"""


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Data")
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, data=Role.WRITER, secret=Role.WRITER)
    pages(
        app,
        writer,
        "guide",
        {
            "Well": f"First.\r\n\r\n{SAY}\r\n\r\nLast.\r\n",
            "Lid": f"- {SAY.replace('ten', 'two')}\n- more",
            "Card": CARD,
            "Host": "[[=Card | risk: fire]] [[=Secret/Plan]]",
        },
    )
    pages(app, writer, "data", {"Sheet": f"> {SAY}"})
    pages(app, writer, "secret", {"Plan": SAY, "Copy": f"x\n\n{SAY}"})
    refresh(app)
    return writer


def _extract(rows: tuple[str, ...] = (), **more: object) -> requests.Extract:
    start = len("First.\n\n")
    slots = (("long", "ten"),)
    values = {"slots": tuple(requests.Slot(*slot) for slot in slots), "from_form": True, "rows": rows, **more}
    return requests.Extract("guide", "well", start, start + len(SAY), "Vent", **values)  # type: ignore[arg-type]


def test_a_selection_in_a_browser_is_found_in_a_text_of_other_line_ends(
    app: AppContext, writer: Actor
) -> None:
    view = doing.plan(app, writer, _extract())
    assert view.choices.passage == SAY
    offered = {row.page.title: row.after for row in view.rows}
    assert offered == {
        "Lid": "[[=Vent | long: two]]",
        "Sheet": "[[=Guide/Vent | long: ten]]",
        "Plan": "[[=Guide/Vent | long: ten]]",
        "Copy": "[[=Guide/Vent | long: ten]]",
    }


def test_the_chosen_places_are_replaced_and_the_others_stay(app: AppContext, writer: Actor) -> None:
    chosen = tuple(
        row.id for row in doing.plan(app, writer, _extract()).rows if row.page.title in {"Lid", "Sheet"}
    )
    view = doing.plan(app, writer, _extract(chosen))
    assert view.can_be_done
    assert isinstance(doing.apply(app, writer, _extract(chosen), view.digest), Applied)
    now = texts(app)
    assert now["Vent"].replace("\r\n", "\n") == (
        "---\nslots:\n  long: {example: ten}\n---\n" + SAY.replace("ten", "${long}") + "\n"
    )
    assert now["Well"] == "First.\r\n\r\n[[=Vent | long: ten]]\r\n\r\nLast.\r\n"
    assert now["Lid"] == "- [[=Vent | long: two]]\n- more"
    assert now["Sheet"] == "> [[=Guide/Vent | long: ten]]"
    assert now["Plan"] == SAY


def test_places_that_one_may_not_write_are_not_offered(app: AppContext, writer: Actor) -> None:
    other = person(app, "jory", guide=Role.WRITER, data=Role.READER)
    assert {row.page.title for row in doing.plan(app, other, _extract()).rows} == {"Lid"}
    reader = person(app, "piet", guide=Role.READER)
    with pytest.raises(Forbidden):
        doing.plan(app, reader, _extract())


def test_the_text_of_a_closed_volume_does_not_get_out(app: AppContext, writer: Actor) -> None:
    # What is made in a closed volume is offered to no page that others may read.
    wish = requests.Extract("secret", "plan", 0, len(SAY), "Vent")
    assert {row.page.title for row in doing.plan(app, writer, wish).rows} == {"Copy"}
    # An insert of a closed page shows to those who may read it only, and its text would show to all.
    inline = doing.plan(app, writer, requests.Inline("guide", "host", 1))
    assert inline.refusal is not None and "closed volume" in inline.refusal.message
    other = person(app, "jory", guide=Role.WRITER)
    error = doing.plan(app, other, requests.Inline("guide", "host", 1)).refusal
    assert error is not None and (error.code, error.message) == (
        "insert_unwritten",
        "This insert leads to no page.",
    )


def test_what_was_selected_in_an_older_text_is_not_taken_from_the_new_one(
    app: AppContext, writer: Actor
) -> None:
    writing.save(app, writer, writing.Save("guide", "Well", "Other words", revision=1))
    for wish in (_extract(revision=1), requests.Inline("guide", "well", 0, revision=1)):
        view = doing.plan(app, writer, wish)
        assert view.refusal is not None and view.refusal.code == "page_edited"


def test_repeated_text_is_reported_with_its_places_in_the_volume_and_its_libraries(
    app: AppContext, writer: Actor
) -> None:
    pages(
        app, writer, "guide", {"Again": f"{SAY} {SAY}", "Once more": f"{SAY} {SAY}", "Third": f"{SAY} {SAY}"}
    )
    findings = upkeep.report(app, writer, "guide", "repeats").findings
    assert [(finding.number, [spot.page.title for spot in finding.spots]) for finding in findings] == [
        (3, ["Again", "Once more", "Third"])
    ]
    assert "2 lines in 3 places" in findings[0].reason
    assert upkeep.report(app, writer, "data", "repeats").findings == ()


def test_the_insert_under_the_caret_is_a_form(app: AppContext, writer: Actor) -> None:
    text = "é\n[[=Card | risk: two\n  lines | nobody: x]] [[=Card|[[=Card]]]]"
    form = insert_at(app, writer, "guide", text, 6)
    assert form is not None and form.page is not None
    assert (form.index, form.page.title, form.span.of(text)[:7]) == (0, "Card", "[[=Card")
    risk, who = form.fields
    assert (risk.slot.help, risk.words, risk.span and risk.span.of(text)) == (
        "What can happen",
        "two\n  lines",
        "two\n  lines",
    )
    assert risk.whole is not None and risk.whole.of(text) == "| risk: two\n  lines "
    assert (who.slot.default, who.words, who.span) == ("all", None, None)
    assert form.faults == ("“Card” has no slot “nobody”.",)
    inner = insert_at(app, writer, "guide", text, text.rindex("[[=Card") + 4)
    assert inner is not None and inner.index == 2
    outer = insert_at(app, writer, "guide", text, text.rindex("[[=Card") - 1)
    assert outer is not None and outer.fields[0].words == "[[=Card]]", (
        "a value without a name is that of the first slot"
    )
    assert insert_at(app, writer, "guide", text, 1) is None


def test_the_form_tells_nothing_of_a_closed_page(app: AppContext, writer: Actor) -> None:
    other = person(app, "jory", guide=Role.WRITER)
    form = insert_at(app, other, "guide", "[[=Secret/Plan]]", 4)
    assert form is not None and (form.page, form.volume, form.fields, form.faults) == (None, None, (), ())
    with pytest.raises(Forbidden):
        insert_at(app, person(app, "piet", guide=Role.READER), "guide", "[[=Card]]", 4)
