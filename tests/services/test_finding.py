"""A question is answered by the pages that readers see it on, best first, and by nothing that they may not read."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Forbidden, Missing, MokujiError
from mokuji.core.finding.ranking import Tier
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext, catch_up
from mokuji.services.reading import listings, questions, searching
from mokuji.services.writing import writing
from tests.copies import made_once
from tests.services.making import many_pages, pages, person, titles_found, volume

PAGES = {
    "Café menu": "Eine naïve Frage zur Straße. Das macht nichts.",
    "Ölfilterwechsel": "Den Filter tauschen. Anzugsmoment 25 Nm.",
    "Part K-GA-0131": "The gasket K-GA-0131 fits the lid. Torque 24.0 V ± 0.5 V, version 2.1.3.",
    "Languages": "Written in C++ and in Python. Not in `C#`.",
    "Pump manual": "水泵过滤器需要每月更换。 The pump runs.",
    "Errors": "Error E-1042: the pump stops.\n\n## Pressure too low\n\nCall ERR_CONN_RESET.\n\n"
    "```c\ninit_valve();\n```\n",
    "Pump": "---\naliases: [Bilge pump]\ncategories: [Machines]\nstatus: draft\n---\n"
    "It pumps. See [[Errors]] @jonas #hot.",
    "Pump housing": "Holds the [[Pump]]. ![the plan](pump-plan.png)",
    "Old pump": "A pump that is retired. [[Pump]]",
    "Callout": "---\nslots: [text]\n---\nNot put in, says zebra.\n"
    "<!-- part -->\nMind the giraffe. ${text}\n<!-- /part -->\n",
    "Box": "In a box: [[=Callout | text: slowly]]",
    "Shows": "Here it is: [[=Box]]",
    "Tells": "Only [[=Callout | text: aside]] and a marmot.",
}


def _fill(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Notes", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, notes=Role.OWNER)
    pages(app, writer, "guide", PAGES)
    pages(app, writer, "notes", {"Hidden pump": "The ocelot pumps at night.", "Inner": "An ocelot inside."})
    pages(app, writer, "guide", {"Window": "Through it: [[=Notes/Inner]]"})
    while catch_up(app):
        pass
    return writer


app, writer = made_once(_fill)


@pytest.mark.parametrize(
    ("typed", "titles"),
    [
        ("cafe", ["Café menu"]),
        ("CAFÉ naive strasse", ["Café menu"]),
        ("filterwechsel", ["Ölfilterwechsel"]),
        ("oelfilterwechsel", ["Ölfilterwechsel"]),
        ("水泵", ["Pump manual"]),
        ("过滤", ["Pump manual"]),
        ("泵", ["Pump manual"]),
        ("K-GA-0131", ["Part K-GA-0131"]),
        ("GA-0131", ["Part K-GA-0131"]),
        ("0131", ["Part K-GA-0131"]),
        ("kga0131", ["Part K-GA-0131"]),
        ("C++", ["Languages"]),
        ("C# -text:C++", []),
        ('"24.0 V"', ["Part K-GA-0131"]),
        ("24 V", ["Part K-GA-0131"]),
        ("24,0", ["Part K-GA-0131"]),
        ("2.1", ["Part K-GA-0131"]),
        ("2.2", []),
        ("E1042", ["Errors"]),
        ("1042", ["Errors"]),
        ("conn reset", ["Errors"]),
        ("pressur*", ["Errors"]),
        ("reset or gasket", ["Errors", "Part K-GA-0131"]),
        ("heading:pressure", ["Errors"]),
        ("title:gasket", []),
        ("alias:bilge", ["Pump"]),
        ("code:valve", ["Errors"]),
        ("text:valve", []),
        ("category:machines", ["Pump"]),
        ("category:hot", ["Pump"]),
        ("field:status=Draft", ["Pump"]),
        ("field:status -category:machines", []),
        ("person:jonas", ["Pump"]),
        ("file:plan", ["Pump housing"]),
        ("housing by:wenna", ["Pump housing"]),
        ("housing by:jonas", []),
        ("housing changed:2020", []),
        ("in:guide housing", ["Pump housing"]),
        ("in:nowhere housing", []),
        ('"pump retired"', []),
        ('"pump that is retired"', ["Old pump"]),
        ("pump -old -manual -hous* -stops -in:notes", ["Pump"]),
    ],
)
def test_a_question_is_answered(app: AppContext, writer: Actor, typed: str, titles: Sequence[str]) -> None:
    assert sorted(titles_found(app, writer, typed, "guide")) == sorted(titles)


def test_names_stand_before_headings_and_these_before_texts(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Heads": "## The pump\n"})
    answer = searching.find(app, writer, "pump", "guide")
    tiers = [each.hit.tier for each in answer.found]
    assert tiers == sorted(tiers) and tiers[0] is Tier.TITLE
    assert {Tier.IN_TITLE, Tier.IN_HEADING, Tier.IN_TEXT} <= set(tiers)
    assert answer.found[0].hit.led == 2, "two pages lead to it"
    (first, *_) = searching.find(app, writer, "bilge pump", "guide").found
    assert (first.hit.head.title, first.hit.tier) == ("Pump", Tier.ALIAS)


@pytest.mark.parametrize(
    ("typed", "title", "instead"),
    [
        ("gaskett", "Part K-GA-0131", {"gaskett": ["gasket"]}),
        ("presure", "Errors", {"presure": ["pressure"]}),
        ("pupm housing", "Pump housing", {"pupm": ["pump"]}),
        ("Oilfilterwechsel", "Ölfilterwechsel", {}),
    ],
)
def test_a_misspelt_word_is_looked_for_as_the_nearest_there_is(
    app: AppContext, writer: Actor, typed: str, title: str, instead: dict[str, list[str]]
) -> None:
    answer = searching.find(app, writer, typed, "guide")
    assert answer.found[0].hit.head.title == title
    assert instead.items() <= answer.instead.items()


def test_a_word_of_a_deleted_page_is_near_to_nothing(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Zoo": "A platypus."})
    assert searching.find(app, writer, "platypuss", "guide").instead
    doing.apply(app, writer, requests.Delete("guide", "zoo"), None)
    answer = searching.find(app, writer, "platypuss", "guide")
    assert not answer.instead and not answer.found


def test_what_an_insert_shows_is_found_where_it_is_shown(app: AppContext, writer: Actor) -> None:
    answer = searching.find(app, writer, "giraffe", "guide")
    found = {each.hit.head.title: each for each in answer.found}
    assert found.keys() == {"Callout", "Box", "Shows", "Tells"}
    assert found["Callout"].through is None
    for title in ("Box", "Shows", "Tells"):
        through = found[title].through
        assert through is not None and through.title == "Callout" and found[title].hit.tier is Tier.PUT_IN
        assert [piece.words for piece in found[title].quoted[0].pieces if piece.marked] == ["giraffe"]
    assert titles_found(app, writer, "giraffe marmot", "guide") == ["Tells"], "one word here, one from there"
    assert titles_found(app, writer, "zebra", "guide") == ["Callout"], "what is not put in is not shown"
    writing.save(app, writer, writing.Save("guide", "Callout", "Mind the okapi.", revision=1))
    assert titles_found(app, writer, "giraffe", "guide") == []
    assert "Tells" in titles_found(app, writer, "okapi", "guide")


def test_a_closed_source_gives_no_hit_no_count_and_no_word(app: AppContext, writer: Actor) -> None:
    other = person(app, "jory", guide=Role.WRITER)
    assert set(titles_found(app, writer, "ocelot")) == {"Hidden pump", "Inner", "Window"}
    for actor in (other, NOBODY):
        for typed in ("ocelot", "ocelott", "title:hidden", "hidden pmup", "in:notes pump", "noc*"):
            answer = searching.find(app, actor, typed)
            said = repr((answer.found, answer.named, answer.counts, answer.instead, answer.places))
            assert "Hidden" not in said and "celot" not in said.replace("ocelott", "").replace("'ocelot'", "")
            assert set(answer.counts.volumes) <= {1}
        assert searching.find(app, actor, "ocelot").found == ()


def test_counts_say_what_each_filter_leaves(app: AppContext, writer: Actor) -> None:
    answer = searching.find(app, writer, "pump")
    counts = answer.counts
    assert counts.volumes == {1: len(titles_found(app, writer, "pump in:guide")), 2: 1}
    assert ("machines", "Machines", 1) in counts.categories
    assert counts.people[0][:2] == ("wenna", "Wenna")
    for place, number in searching.find(app, writer, "pump", "guide").places.items():
        assert number == len(titles_found(app, writer, f"{place}:pump", "guide")), place


def test_an_older_note_is_found_by_who_may_read_its_revision(app: AppContext, writer: Actor) -> None:
    writing.save(app, writer, writing.Save("guide", "Pump", "One.", revision=1, note="Impeller exchanged"))
    writing.save(app, writer, writing.Save("guide", "Pump", "Two.", revision=2, note="Typo"))
    assert titles_found(app, writer, 'note:"impeller ex"') == ["Pump"]
    assert titles_found(app, writer, "note:100%") == []


def test_the_words_of_a_volume_are_stemmed_in_its_language(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Häuser": "Die Häuser stehen dort."})
    doing.apply(app, writer, requests.Language("guide", "de"), None)
    assert "Häuser" in titles_found(app, writer, "stehend", "guide")
    doing.apply(app, writer, requests.Language("guide", "ja"), None)
    assert "Häuser" not in titles_found(app, writer, '"stehend"', "guide")


def test_an_unknown_volume_is_said_and_a_question_of_signs_finds_names(
    app: AppContext, writer: Actor
) -> None:
    answer = searching.find(app, writer, "in:elsewhere pump")
    assert answer.unknown == ("There is no volume “elsewhere”.",) and not answer.found
    pages(app, writer, "guide", {"++": "Signs."})
    assert searching.find(app, writer, "++").found == ()
    assert [each.title for each in searching.find(app, writer, "++").named] == ["++"]


def test_a_page_of_that_name_is_offered_where_it_can_be_written(app: AppContext, writer: Actor) -> None:
    assert searching.find(app, writer, "zeppelin", "guide").writable is not None
    assert searching.find(app, writer, "pump", "guide").writable is None
    assert searching.find(app, writer, "title:zeppelin", "guide").writable is None
    assert searching.find(app, NOBODY, "zeppelin", "guide").writable is None


def test_a_kept_question_is_its_persons_own_until_it_is_shared(app: AppContext, writer: Actor) -> None:
    other = person(app, "jory", guide=Role.READER)
    number = questions.keep(app, writer, "Gone old", "pump -old", "guide")
    assert [each.kept.name for each in questions.kept(app, writer)] == ["Gone old"]
    assert questions.kept(app, other) == [] == questions.kept(app, NOBODY)
    with pytest.raises(Missing):
        questions.forget(app, other, number)
    assert questions.keep(app, writer, "gone OLD", "pump -retired", "guide", shared=True) == number
    (seen,) = questions.kept(app, other)
    assert (seen.kept.line, seen.own, seen.may_forget) == ("pump -retired", False, False)
    with pytest.raises(Forbidden):
        questions.forget(app, other, number)
    questions.forget(app, writer, number)
    assert questions.kept(app, other) == []


def test_a_question_of_a_closed_volume_is_seen_by_its_readers_only(app: AppContext, writer: Actor) -> None:
    other = person(app, "jory", guide=Role.WRITER)
    questions.keep(app, writer, "Night", "ocelot", "notes", shared=True)
    questions.keep(app, writer, "Everywhere", "pump", shared=True)
    assert [each.kept.name for each in questions.kept(app, other)] == ["Everywhere"]
    tries: list[Callable[[], object]] = [
        lambda: questions.keep(app, other, "N", "pump", "notes"),
        lambda: questions.keep(app, other, "N", "("),
        lambda: questions.keep(app, other, "N", "..."),
        lambda: questions.keep(app, other, "", "pump"),
        lambda: questions.keep(app, NOBODY, "N", "pump"),
        lambda: questions.keep(app, person(app, "new"), "N", "pump", shared=True),
    ]
    for keep in tries:
        with pytest.raises(MokujiError):
            keep()


def _listed(app: AppContext, actor: Actor, **asked: str) -> tuple[list[str], list[str]]:
    """The titles that a list in the guide shows to somebody, and what is said to be wrong with it."""
    shown = listings.listing(app, actor, 1, asked.items())
    assert shown is not None
    return [row.head.title for row in shown.rows], [fault.message for fault in shown.faults]


def test_a_question_makes_a_list_in_a_page_for_each_of_its_readers(app: AppContext, writer: Actor) -> None:
    assert _listed(app, writer, find="pump title:housing") == (["Pump housing"], [])
    questions.keep(app, writer, "Machines", "category:machines or giraffe", "guide", shared=True)
    titles, _ = _listed(app, writer, question="machines")
    assert titles[0] in {"Pump", "Callout"} and set(titles) == {"Pump", "Callout", "Tells", "Box", "Shows"}
    assert _listed(app, writer, question="machines", sort="title", limit="2")[0] == ["Box", "Callout"]
    assert _listed(app, writer, find="pump", category="machines") == (["Pump"], [])
    assert "No question “none” is shared" in _listed(app, writer, question="none")[1][0]
    assert "one question" in _listed(app, writer, question="machines", find="pump")[1][0]
    other = person(app, "jory", guide=Role.READER)
    assert _listed(app, writer, find="ocelot") == (["Window"], [])
    assert _listed(app, other, find="ocelot") == ([], [])


def test_a_word_that_stands_in_another_form_only_is_not_misspelt(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Rings": "Renew the washers."})
    answer = searching.find(app, writer, "washer", "guide")
    assert [each.hit.head.title for each in answer.found] == ["Rings"] and not answer.instead


def test_a_page_that_is_found_by_its_name_shows_what_it_begins_with(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Oddity": "## Head\n\nFirst words.\n"})
    (found,) = searching.find(app, writer, "oddity", "guide").found
    assert ["".join(piece.words for piece in each.pieces) for each in found.quoted] == ["First words."]


def test_a_name_that_holds_the_words_in_another_form_is_more_than_nearly_so(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {f"Okapi {n}": "An okapi." for n in range(3)} | {"Okapis": "Two."})
    found = searching.find(app, writer, "okapi").found
    assert {each.hit.head.title for each in found} == {"Okapi 0", "Okapi 1", "Okapi 2", "Okapis"}
    assert {each.hit.tier for each in found} == {Tier.IN_TITLE}


def test_the_name_that_was_typed_stands_before_its_other_forms(app: AppContext, writer: Actor) -> None:
    pages(
        app,
        writer,
        "guide",
        {"Wrenches": "", "Wrench set": "", "Use": "[[Wrench set]]", "More": "[[Wrench set]]"},
    )
    assert titles_found(app, writer, "wrench", "guide")[:2] == ["Wrench set", "Wrenches"]


def test_whoever_is_nobody_learns_no_handle(app: AppContext, writer: Actor) -> None:
    answer = searching.find(app, NOBODY, "housing by:wenna")
    assert not answer.found and answer.unknown == ("Sign in to ask who changed a page.",)
    assert searching.find(app, NOBODY, "housing").counts.people == ()
    assert searching.find(app, writer, "housing").counts.people


def test_a_sign_that_stands_for_many_letters_is_kept_within_what_an_index_takes(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Long": "\ufdfa" * 300 + " walrus " + "ß" * 5_000 + " " + "㎏x" * 900})
    assert titles_found(app, writer, "walrus", "guide") == ["Long"]


def test_each_of_many_hits_stands_on_one_page_of_the_list_the_one_that_is_led_to_first(
    app: AppContext, writer: Actor
) -> None:
    many = {f"Record {number}": "A wombat." for number in range(320)}
    many["Zoo"] = "A wombat."
    many |= {f"Way {number}": "See [[Zoo]]." for number in range(9)}
    many_pages(app, volume(app, "Many"), many)
    while catch_up(app, 500):
        pass
    reader = person(app, "reader", many=Role.READER)
    answers = [searching.find(app, reader, "wombat", "many", page) for page in range(18)]
    titles = [each.hit.head.title for answer in answers for each in answer.found]
    assert titles[0] == "Zoo"
    assert sorted(titles) == sorted(title for title, said in many.items() if "wombat" in said)
    assert [answer.more for answer in answers[15:]] == [True, False, False]
