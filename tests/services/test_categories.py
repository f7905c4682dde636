"""Categories and lists of pages: what is filed where, always current, and nothing closed shows."""

from __future__ import annotations

from functools import partial

import pytest
from rdflib import Graph, URIRef
from rdflib.namespace import RDF, SKOS

from mokuji.acts import doing, requests
from mokuji.core.assembly.listing import read
from mokuji.core.base.errors import BadText, Missing
from mokuji.core.edit.front_edit import names_of
from mokuji.core.model.policy import Actor, Role
from mokuji.formats.skos import Form
from mokuji.services.app_context import AppContext
from mokuji.services.reading import categories, listings, reading
from mokuji.services.reading.listings import listing
from mokuji.services.reading.rendering import Addresses
from mokuji.services.writing import concepts, writing
from tests.copies import made_once
from tests.services.making import pages, person, texts, volume

PAGES = {
    "Pump": "---\ncategories: [Power, Sensors]\nstatus: draft\nowner: Wenna\n---\nx",
    "Vane": "---\ncategories: [sensors]\nstatus: Final\nowner: Jonas\n---\n- tried #at-sea by two\n- b\n\n#at-sea",
    "Notice": "---\ntemplate: true\ngives: [Notices]\n---\n<!-- part -->Mind.<!-- /part -->",
    "Lid": "---\nstatus: draft\n---\n[[=Notice]]",
    "Sensors": "---\nsummary: What measures.\nbroader: [Equipment]\n---\n",
}


def _filled(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, secret=Role.OWNER)
    pages(app, writer, "guide", PAGES)
    pages(
        app, writer, "secret", {"S": "---\ncategories: [Sensors]\n---\n", "T": "---\ngives: [Hidden]\n---\n"}
    )
    pages(app, writer, "guide", {"Uses": "[[=Secret/T]]"})
    return writer


app, writer = made_once(_filled)


def test_the_index_is_a_tree_with_counts(app: AppContext, writer: Actor) -> None:
    index = categories.index(app, writer, "guide")
    told = [(node.depth, index.categories[node.key]) for node in index.nodes]
    assert [(depth, each.name, each.pages, each.marks) for depth, each in told] == [
        (0, "At sea", 1, 2),
        (0, "Equipment", 0, 0),
        (1, "Sensors", 2, 0),
        (0, "Hidden", 1, 0),
        (0, "Notices", 1, 0),
        (0, "Power", 1, 0),
    ]
    assert index.categories["sensors"].page is not None


def test_a_category_lists_pages_passages_and_through_which_template(app: AppContext, writer: Actor) -> None:
    view = categories.category(app, writer, "guide", "Sensors")
    assert [page.head.title for page in view.filed] == ["Pump", "Vane"]
    assert view.description == "What measures." and [category.name for category in view.broader] == [
        "Equipment"
    ]
    assert [(each.title, number) for each, number in view.elsewhere] == [("Secret", 1)]
    (lid,) = categories.category(app, writer, "guide", "notices").filed
    assert lid.head.title == "Lid" and [head.title for head in lid.through] == ["Notice"]
    (vane,) = categories.category(app, writer, "guide", "at sea").filed
    assert [(passage.line, passage.words.before, passage.words.words) for passage in vane.passages] == [
        (6, "tried ", "#at-sea"),
        (9, "", "#at-sea"),
    ]


def test_a_category_is_gone_when_nothing_is_filed_and_follows_saves_at_once(
    app: AppContext, writer: Actor
) -> None:
    writing.save(app, writer, writing.Save("guide", "Vane", "no mark", revision=1))
    with pytest.raises(Missing, match="Nothing in “Guide” is filed under “at sea”"):
        categories.category(app, writer, "guide", "at sea")
    doing.apply(app, writer, requests.Delete("guide", "pump"), None)
    assert "power" not in categories.index(app, writer, "guide").categories


def test_what_is_closed_files_nothing_for_others(app: AppContext, writer: Actor) -> None:
    outsider = person(app, "jonas", guide=Role.READER)
    assert "hidden" not in categories.index(app, outsider, "guide").categories
    assert categories.category(app, outsider, "guide", "sensors").elsewhere == ()
    view = reading.open_page(app, outsider, "guide", "uses")
    assert isinstance(view, reading.PageView) and view.categories == ()


def test_pages_are_read_in_pages_by_key(app: AppContext, writer: Actor) -> None:
    first = categories.category(app, writer, "guide", "sensors", most=1)
    assert first.more_after == "pump"
    second = categories.category(app, writer, "guide", "sensors", first.more_after or "", 1)
    assert [page.head.title for page in second.filed] == ["Vane"] and second.more_after is None


def _shown(app: AppContext, actor: Actor, text: str) -> str:
    seen = writing.preview(app, actor, "guide", "list", text)
    return seen.rendered(app, Addresses(lists=partial(listing, app, actor))).html


LISTS = [
    ("[[=* | category: Sensors]]", ["Pump", "Vane"]),
    ("[[=* | category: Sensors | sort: -title]]", ["Vane", "Pump"]),
    ("[[=* | category: sensors, power]]", ["Pump"]),
    ("[[=* | status: DRAFT | sort: owner]]", ["Pump", "Lid"]),
    ("[[=* | category: Sensors | status: final]]", ["Vane"]),
    ("[[=* | category: Notices]]", ["Lid"]),
    ("[[=* | category: At-sea]]", ["Vane"]),
    ("[[=* | category: Sensors | limit: 1]]", ["Pump"]),
    ("[[=* | category: Sensors | volume: Secret]]", ["S"]),
]


@pytest.mark.parametrize(("text", "titles"), LISTS)
def test_a_list_is_of_the_pages_that_its_words_choose(
    app: AppContext, writer: Actor, text: str, titles: list[str]
) -> None:
    html = _shown(app, writer, text)
    assert [
        part.partition("<")[0] for part in html.split('">')[1:] if part.partition("<")[0].strip()
    ] == titles
    assert "problem" not in html


def test_a_list_shows_fields_as_columns(app: AppContext, writer: Actor) -> None:
    html = _shown(app, writer, "[[=* | category: Sensors | show: owner, status]]")
    assert "<th>Page</th><th>Owner</th><th>Status</th>" in html
    assert "<td>Wenna</td><td>draft</td>" in html and "<td>Jonas</td><td>Final</td>" in html


FAULTS = [
    ("[[=* | Sensors]]", "write “category: Sensors”"),
    ("[[=* | show: owner]]", "needs a category, a field or a question"),
    ("[[=* | category: Sensors | limit: many]]", "“limit” is a number"),
    ("[[=* | category: Sensors | as: tree]]", "“table” or as “list”"),
    ("[[=* | category: Sensor]]", "Nothing in “Guide” is filed under “sensor”"),
    ("[[=* | stats: draft]]", "No page of “Guide” has a field “stats”"),
    ("[[=* | category: Sensors | show: ownr]]", "None of these pages has a field “ownr”"),
    ("[[=* | category: Sensors | sort: ownr]]", "has a field “ownr” to be sorted by"),
    ("[[=* | category: Sensors | volume: Gone]]", "There is no volume “Gone”"),
]


@pytest.mark.parametrize(("text", "said"), FAULTS)
def test_what_a_list_does_not_understand_is_said_in_its_place(
    app: AppContext, writer: Actor, text: str, said: str
) -> None:
    assert said in _shown(app, writer, text)


def test_a_list_of_more_pages_than_are_looked_at_says_so(
    app: AppContext, writer: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(listings, "MOST_LOOKED_AT", 1)
    assert "This list is of 1 of 2 pages." in _shown(app, writer, "[[=* | category: Sensors | show: owner]]")
    monkeypatch.setattr(listings, "MOST_LOOKED_AT", 2)
    assert "problem" not in _shown(app, writer, "[[=* | category: Sensors | show: owner]]")


def test_a_list_holds_only_what_its_reader_may_see(app: AppContext, writer: Actor) -> None:
    outsider = person(app, "jonas", guide=Role.WRITER)
    text = "[[=* | category: Sensors | volume: Secret]]"
    assert _shown(app, outsider, text) == _shown(app, outsider, text.replace("Secret", "Nowhere")).replace(
        "Nowhere", "Secret"
    )


def test_names_of_values_decide_and_the_rest_are_fields() -> None:
    query, faults = read(
        [("category", "A, b-c"), ("status", "Draft"), ("show", "x , y"), ("sort", "-z"), ("limit", "7")]
    )
    assert not faults and query.categories == ("a", "b c") and query.filters == {"status": "draft"}
    assert (query.show, query.sort, query.limit, query.table) == (("x", "y"), "-z", 7, True)


TURTLE = """@prefix skos: <http://www.w3.org/2004/02/skos/core#> .
<urn:a> a skos:Concept ; skos:prefLabel "Sensors", "Geber"@de ; skos:altLabel "probes" ; skos:broader <urn:b> .
<urn:b> a skos:Concept ; skos:prefLabel "Equipment" ; skos:definition "All that is: \\"fitted\\"." .
<urn:c> a skos:Concept ; skos:prefLabel "Wind" .
<urn:a> skos:narrower <urn:c> .
<urn:d> a skos:ConceptScheme .
"""


@pytest.mark.parametrize("form", ["turtle", "json-ld"])
def test_categories_go_out_as_skos_that_rdflib_reads(app: AppContext, writer: Actor, form: Form) -> None:
    told = concepts.export(
        app, writer, "guide", form, lambda v, k: f"https://w.example/{v}/{k}".replace(" ", "-"), "urn:s"
    )
    graph = Graph().parse(data=told, format=form)
    labels = {str(graph.value(subject, SKOS.prefLabel)) for subject in graph.subjects(RDF.type, SKOS.Concept)}
    assert labels == {"At sea", "Equipment", "Hidden", "Notices", "Power", "Sensors"}
    sensors = URIRef("https://w.example/guide/sensors")
    assert graph.value(sensors, SKOS.broader) == URIRef("https://w.example/guide/equipment")
    assert str(graph.value(sensors, SKOS.definition)) == "What measures."


def test_skos_concepts_become_pages_and_add_to_those_that_are_there(app: AppContext, writer: Actor) -> None:
    done = concepts.bring_in(app, writer, "guide", TURTLE, "turtle")
    assert (done.written, done.changed, done.same) == (("Equipment", "Wind"), ("Sensors",), ())
    made = texts(app)
    assert made["Equipment"] == '---\nsummary: "All that is: \\"fitted\\"."\n---\n'
    assert made["Wind"] == "---\nbroader: [Sensors]\n---\n"
    assert made["Sensors"] == "---\nsummary: What measures.\nbroader: [Equipment]\naliases: [probes]\n---\n"
    again = concepts.bring_in(app, writer, "guide", TURTLE, "turtle")
    assert again.same == ("Equipment", "Sensors", "Wind")
    told = concepts.export(
        app, writer, "guide", "json-ld", lambda v, k: f"urn:{v}:{k}".replace(" ", "-"), "urn:s"
    )
    assert concepts.bring_in(app, writer, "guide", told, "json-ld").changed == ()


@pytest.mark.parametrize(
    ("data", "form"),
    [
        ("<a> is no Turtle", "turtle"),
        ("{", "json-ld"),
        ('{"@context": "https://x.example/c.json"}', "json-ld"),
    ],
)
def test_what_is_no_skos_is_said_and_nothing_is_fetched(
    app: AppContext, writer: Actor, data: str, form: Form
) -> None:
    with pytest.raises(BadText):
        concepts.bring_in(app, writer, "guide", data, form)


def _move(app: AppContext, writer: Actor, name: str, *under: str) -> doing.PlanView:
    wish = requests.MoveCategory("guide", name, under)
    view = doing.plan(app, writer, wish)
    if view.can_be_done:
        assert isinstance(doing.apply(app, writer, wish, view.digest), doing.Applied)
    return view


def _tree(app: AppContext, writer: Actor) -> list[tuple[int, str]]:
    index = categories.index(app, writer, "guide")
    return [(node.depth, index.categories[node.key].name) for node in index.nodes]


def test_a_category_is_moved_below_another_by_its_page_which_is_written_if_need_be(
    app: AppContext, writer: Actor
) -> None:
    assert _tree(app, writer)[:3] == [(0, "At sea"), (0, "Equipment"), (1, "Sensors")]
    _move(app, writer, "at sea", "equipment")
    assert texts(app)["At sea"] == "---\nbroader: [Equipment]\n---\n"
    _move(app, writer, "Sensors", "At sea", "equipment")
    assert texts(app)["Sensors"] == "---\nsummary: What measures.\nbroader: [Equipment, At sea]\n---\n"
    assert _tree(app, writer)[:3] == [(0, "Equipment"), (1, "At sea"), (2, "Sensors")]
    _move(app, writer, "sensors")
    assert (0, "Sensors") in _tree(app, writer)
    assert "summary: What measures." in texts(app)["Sensors"]


def test_a_category_is_not_moved_below_itself(app: AppContext, writer: Actor) -> None:
    for under in ("Sensors", "Equipment"):
        view = (
            _move(app, writer, "equipment", "Sensors")
            if under == "Sensors"
            else _move(app, writer, "Sensors", "sensors")
        )
        assert view.refusal is not None and view.refusal.code == "category_cycle"
    said = _move(app, writer, "equipment", "Sensors").refusal
    assert said is not None
    assert said.message.startswith(
        "“Equipment” would be broader than itself: “Equipment” → “Sensors” → “Equipment”."
    )
    nothing = _move(app, writer, "no such").refusal
    assert nothing is not None and nothing.code == "category_missing"


def test_names_parted_by_a_comma_file_a_page_under_each(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Winch": "---\ncategories: ['Oil, grease']\n---\n"})
    for name in ("Safety, Deck work", "oil, GREASE"):
        wish = requests.File("guide", "lid", name)
        doing.apply(app, writer, wish, doing.plan(app, writer, wish).digest)
    assert names_of(texts(app)["Lid"], "categories") == ("Safety", "Deck work", "Oil, grease")
