"""Words are replaced in the pages that may be written, every place is shown, and all of it is taken back as one."""

from __future__ import annotations

import dataclasses

import pytest

from mokuji.acts import doing, requests, words
from mokuji.acts.pages import replace, term
from mokuji.acts.stored_context import StoredContext
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext, catch_up
from mokuji.store.database import reading
from tests.copies import made_once
from tests.services.making import pages, person, texts, volume

PAGES = {
    "Pump": "## Pump limits\n\nA pump and `pump`.",
    "House": "See [[Pump#Pump limits]]. The PUMP. [[Notes/Log]]",
    "Valve": "[[Oil pan]]",
}


def _fill(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Data")
    volume(app, "Notes", closed=True)
    writer = person(app, "wenna", guide=Role.WRITER, data=Role.WRITER, notes=Role.OWNER)
    pages(app, writer, "guide", PAGES)
    pages(app, writer, "data", {"Other": "A pump elsewhere. [[Guide/Pump#Pump limits]]", "Oil pan": "Pan."})
    pages(app, writer, "notes", {"Log": "A secret pump."})
    while catch_up(app):
        pass
    return writer


app, writer = made_once(_fill)


def test_a_volume_is_changed_and_references_to_headings_follow_everywhere(
    app: AppContext, writer: Actor
) -> None:
    wish = requests.Replace("guide", "pump", "valve")
    view = doing.plan(app, writer, wish)
    said = "“pump” will become “valve” in 3 places of 2 pages. 2 section references follow."
    assert words.sentence(view) == said
    assert [(row.page.title, row.kind) for row in view.rows] == [
        ("House", "text"),
        ("Pump", "text"),
        ("Pump", "text"),
    ]
    done = doing.apply(app, writer, wish, view.digest)
    after = texts(app)
    assert after["Pump"] == "## Valve limits\n\nA valve and `pump`."
    assert after["House"] == "See [[Pump#Valve limits]]. The VALVE. [[Notes/Log]]"
    assert after["Other"] == "A pump elsewhere. [[Guide/Pump#Valve limits]]"
    assert after["Log"] == "A secret pump."
    assert isinstance(done, doing.Applied)
    doing.apply(app, writer, requests.Undo(done.change_set), None)
    assert {title: texts(app)[title] for title in PAGES} == PAGES


def test_all_volumes_are_those_that_may_be_written(app: AppContext, writer: Actor) -> None:
    other = person(app, "jory", guide=Role.WRITER, data=Role.READER)
    doing.apply(app, other, requests.Replace("guide", "pump", "valve", everywhere=True), None)
    after = texts(app)
    assert after["Other"].startswith("A pump elsewhere.") and after["Log"] == "A secret pump."
    doing.apply(app, writer, requests.Replace("guide", "pump", "tap", everywhere=True), None)
    after = texts(app)
    assert after["Other"].startswith("A tap elsewhere.") and after["Log"] == "A secret tap."


def test_places_are_left_out_and_pages_chosen_by_a_question(app: AppContext, writer: Actor) -> None:
    view = doing.plan(app, writer, requests.Replace("guide", "pump", "valve", find="title:house"))
    assert [row.page.title for row in view.rows] == ["House"]
    every = doing.plan(app, writer, requests.Replace("guide", "pump", "valve"))
    left = tuple(row.id for row in every.rows if row.page.title == "Pump")
    doing.apply(app, writer, requests.Replace("guide", "pump", "valve", left=left), None)
    assert texts(app)["Pump"] == PAGES["Pump"] and "VALVE" in texts(app)["House"]


@pytest.mark.parametrize(
    ("wish", "code"),
    [
        (requests.Replace("guide", "zeppelin", "x"), "nothing_to_do"),
        (requests.Replace("guide", "valve", "tap"), "names_a_page"),
        (requests.Replace("guide", "(", "x", pattern=True), "bad_pattern"),
        (requests.Replace("guide", " ", "x"), "bad_words"),
        (requests.Replace("notes", "pump", "x"), "volume_missing"),
    ],
)
def test_what_cannot_be_done_is_refused(
    app: AppContext, writer: Actor, wish: requests.Replace, code: str
) -> None:
    actor = writer if wish.volume == "guide" else person(app, "jory", guide=Role.WRITER)
    view = doing.plan(app, actor, wish) if wish.volume == "guide" else None
    if view is None:
        with pytest.raises(Exception, match="no volume"):
            doing.plan(app, actor, wish)
    else:
        assert view.refusal is not None and view.refusal.code == code


def test_a_name_that_is_only_a_name_is_renamed_instead(app: AppContext, writer: Actor) -> None:
    wish = requests.Replace("data", "oil pan", "Sump")
    offered = replace.ACT.instead(doing.plan(app, writer, wish), wish)
    assert offered is not None and offered[1] == requests.Rename("data", "oil pan", "Sump")


def test_a_pattern_takes_its_groups_along(app: AppContext, writer: Actor) -> None:
    doing.apply(app, writer, requests.Replace("data", r"A (\w+) else", r"No \1 else", pattern=True), None)
    assert texts(app)["Other"].startswith("No pump elsewhere.")


def test_a_term_is_changed_with_its_page_names_category_and_forms(app: AppContext, writer: Actor) -> None:
    pages(
        app,
        writer,
        "data",
        {
            "Battery": "---\naliases: [Gel battery]\n---\nA battery.",
            "Cells": "---\ncategories: [Battery]\n---\nTwo batteries, a BATTERY, and [[Battery]]. `battery`",
        },
    )
    catch_up(app)
    wish = requests.ChangeTerm("data", "battery", "Cell pack")
    with reading(app.engine) as connection:
        context = StoredContext(connection, writer)
        offered = term.ACT.choices(context, wish, None, context.page("data", "battery"))
    assert offered.text == "Battery = Cell pack\nbatteries = Cell packs"
    forms = ("Battery = cell pack", "batteries = cell packs")
    doing.apply(app, writer, requests.ChangeTerm("data", "battery", "Cell pack", forms), None)
    after = texts(app)
    assert after["Cell pack"] == "---\naliases: [Gel cell pack]\n---\nA cell pack."
    assert after["Cells"] == (
        "---\ncategories: [Cell pack]\n---\nTwo cell packs, a CELL PACK, and [[Cell pack]]. `battery`"
    )


def test_single_places_of_a_term_are_left_as_they_are_whatever_form_stands_there(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "data", {"Battery": "", "Cells": "A battery, batteries, a battery."})
    catch_up(app)
    forms = ("Battery = cell pack", "batteries = cell packs")
    wish = requests.ChangeTerm("data", "battery", "Cell pack", forms)
    rows = doing.plan(app, writer, wish).rows
    assert [row.before for row in rows] == ["A battery, batteries, a battery."] * 3
    for left, text in (
        ([0], "A battery, cell packs, a cell pack."),
        ([1], "A cell pack, batteries, a cell pack."),
        ([0, 2], "A battery, cell packs, a battery."),
    ):
        done = doing.apply(
            app, writer, dataclasses.replace(wish, left=tuple(rows[at].id for at in left)), None
        )
        assert texts(app)["Cells"] == text
        assert isinstance(done, doing.Applied)
        doing.apply(app, writer, requests.Undo(done.change_set), None)
        rows = doing.plan(app, writer, wish).rows


def test_a_question_in_a_plan_knows_what_was_saved_just_now(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "data", {"Newest": "A pump with a manometer."})
    wish = requests.Replace("data", "pump", "valve", find="manometer")
    assert [row.page.title for row in doing.plan(app, writer, wish).rows] == ["Newest"]
    pages(app, writer, "data", {"Newer": "A pump with a manometer."})
    doing.apply(app, writer, wish, None)
    assert texts(app)["Newer"] == "A valve with a manometer."


def test_where_all_places_are_left_out_that_is_said(app: AppContext, writer: Actor) -> None:
    wish = requests.Replace("guide", "pump", "valve")
    every = tuple(row.id for row in doing.plan(app, writer, wish).rows)
    view = doing.plan(app, writer, requests.Replace("guide", "pump", "valve", left=every))
    assert words.sentence(view) == "Every place is left out; nothing would change."
