"""The list of sources: made, changed, renamed and taken away with all that cites them; for the people of the wiki."""

from __future__ import annotations

from pathlib import Path

import pytest

from mokuji.acts import doing, requests, words
from mokuji.acts.things.source_edit import save_source
from mokuji.core.base.errors import BadFields, Forbidden
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.desk import Desk
from mokuji.services.folders import folders
from mokuji.services.reading import reading
from mokuji.services.writing import sources
from mokuji.store import sources as stored
from mokuji.store.database import writing as writing_transaction
from tests.services.making import pages, person, texts, volume

FIELDS = {"type": "book", "title": "Gel batteries", "author": "Ferrar, Ida", "issued": "2018"}


@pytest.fixture
def writer(desk: Desk) -> Actor:
    volume(desk, "Guide")
    volume(desk, "Secret", closed=True)
    return person(desk, "wenna", guide=Role.WRITER, secret=Role.WRITER)


def _done(desk: Desk, actor: Actor, wish: requests.Request) -> int:
    done = doing.apply(desk, actor, wish, None)
    assert isinstance(done, doing.Applied)
    return done.change_set


def test_a_source_is_made_with_a_name_of_its_own_and_changed_with_a_way_back(
    desk: Desk, writer: Actor
) -> None:
    assert save_source(desk, writer, "", FIELDS, new=True) == "ferrar-2018"
    with pytest.raises(BadFields) as fault:
        save_source(desk, writer, "Ferrar-2018", FIELDS, new=True)
    assert set(fault.value.fields) == {"name"}
    save_source(desk, writer, "ferrar-2018", {**FIELDS, "title": "Gel cells"}, new=False)
    found = sources.about(desk, writer, "ferrar-2018").source
    assert found is not None and found.fields["title"] == "Gel cells"
    _done(desk, writer, requests.Undo(1))
    found = sources.about(desk, writer, "FERRAR-2018").source
    assert found is not None and found.fields["title"] == "Gel batteries"


def test_whatever_cites_a_source_follows_its_name(desk: Desk, writer: Actor) -> None:
    save_source(desk, writer, "gel", FIELDS, new=True)
    pages(desk, writer, "guide", {"A": "So[^gel] and[^GEL], not `[^gel]`.", "B": "[^own]\n\n[^own]: x"})
    pages(desk, writer, "secret", {"C": "Here[^gel]."})
    before = texts(desk)
    wish = requests.RenameSource("guide", "gel", "ferrar")
    said = words.sentence(doing.plan(desk, writer, wish))
    assert said == "The source “gel” will be called “ferrar”. 3 places on 2 pages follow."
    number = _done(desk, writer, wish)
    assert texts(desk) == {**before, "A": "So[^ferrar] and[^ferrar], not `[^gel]`.", "C": "Here[^ferrar]."}
    _done(desk, writer, requests.Undo(number))
    assert texts(desk) == before
    # A page that has such a footnote itself would hide the source.
    pages(desk, writer, "guide", {"D": "[^gel] [^ferrar]\n\n[^ferrar]: mine"})
    refusal = doing.plan(desk, writer, wish).refusal
    assert refusal is not None and refusal.code == "source_hidden" and "“D”" in refusal.message
    for bad in ("two words", "a]b", ""):
        assert doing.plan(desk, writer, requests.RenameSource("guide", "gel", bad)).refusal is not None


def test_one_of_two_that_are_one_takes_the_place_of_the_other(desk: Desk, writer: Actor) -> None:
    for name in ("one", "two"):
        save_source(desk, writer, name, FIELDS, new=True)
    pages(desk, writer, "guide", {"A": "So[^two]."})
    (pair,) = sources.listing(desk, writer, which="alike").alike
    assert (pair.one, pair.other) == ("one", "two")
    number = _done(desk, writer, requests.DeleteSource("guide", "two", "one"))
    assert texts(desk)["A"] == "So[^one]."
    assert not sources.listing(desk, writer, which="alike").alike
    _done(desk, writer, requests.Undo(number))
    assert texts(desk)["A"] == "So[^two]."
    assert sources.about(desk, writer, "two").source is not None


def test_what_is_missing_and_what_is_not_cited_is_listed(desk: Desk, writer: Actor) -> None:
    save_source(desk, writer, "gel", FIELDS, new=True)
    save_source(desk, writer, "lead", {**FIELDS, "title": "Lead"}, new=True)
    pages(desk, writer, "guide", {"A": "So[^gel] and[^nowhere]."})
    assert [s.name for s in sources.listing(desk, writer, which="unused").sources] == ["lead"]
    (missing,) = sources.listing(desk, writer, which="missing").missing
    assert (missing.name, [page.title for page in missing.pages]) == ("nowhere", ["A"])


def test_who_may_not_read_a_page_does_not_learn_that_it_cites(desk: Desk, writer: Actor) -> None:
    save_source(desk, writer, "gel", FIELDS, new=True)
    pages(desk, writer, "secret", {"Hidden": "So[^gel] and[^nowhere]."})
    reader = person(desk, "jonas", guide=Role.READER)
    assert sources.listing(desk, reader).cited == {}
    assert sources.about(desk, reader, "gel").citing == ()
    assert sources.listing(desk, reader, which="missing").missing == ()
    assert sources.listing(desk, reader, which="unused").sources == (), (
        "it is used somewhere, and that is all"
    )
    with pytest.raises(Forbidden):
        sources.listing(desk, NOBODY)
    with pytest.raises(Forbidden):
        save_source(desk, reader, "x", FIELDS, new=True)


def test_a_file_of_sources_comes_in_and_what_is_there_stays(desk: Desk, writer: Actor) -> None:
    save_source(desk, writer, "gel", FIELDS, new=True)
    data = b"@book{gel, title={Other}}\n@book{newone, title={New}}\n@book{x, author={Nobody}}"
    done = sources.bring(desk, writer, data)
    assert (done.other, done.same) == (("gel",), ()) and len(done.problems) == 1
    again = sources.bring(desk, writer, sources.take(desk, writer, "json").encode())
    assert not again.new and set(again.same) == {"gel", *done.new}


def test_a_cited_source_stands_at_the_end_of_the_page(desk: Desk, writer: Actor) -> None:
    save_source(desk, writer, "gel", FIELDS, new=True)
    pages(desk, writer, "guide", {"A": "So[^gel] and[^own].\n\n[^own]: Mine.\n"})
    from mokuji.web.show import places

    view = reading.open_page(desk, NOBODY, "guide", "a")
    assert isinstance(view, reading.PageView)
    html = view.rendered(desk, places(desk, NOBODY, may_write=False, under="a")).html
    assert '<li id="note-1">Ferrar, Ida: <cite>Gel batteries</cite>. 2018.' in html
    assert '<li id="note-2"><p>Mine.' in html


def test_a_folder_has_its_list_at_its_top(tmp_path: Path) -> None:
    (tmp_path / "A.md").write_text("So[^gel] and[^none].", encoding="utf-8")
    (tmp_path / "sources.bib").write_text("@book{gel, title={Gel batteries}, year=2018}", encoding="utf-8")
    html, _ = folders.render(tmp_path, "A")
    assert "<cite>Gel batteries</cite>. 2018." in html
    (problem,) = [p for p in folders.check(tmp_path).problems if p.code == "source_missing"]
    assert (problem.path, problem.line, problem.column) == ("A.md", 1, 13)


def test_the_handle_of_a_person_is_followed_where_they_are_named(desk: Desk, writer: Actor) -> None:
    pages(desk, writer, "guide", {"A": "- [ ] ask @wenna and @Wenna, not a@wenna.org"})
    jonas = person(desk, "jonas", guide=Role.WRITER)
    with pytest.raises(Forbidden):
        doing.plan(desk, jonas, requests.RenamePerson("guide", "wenna", "carrow"))
    number = _done(desk, writer, requests.RenamePerson("guide", "wenna", "Carrow"))
    assert texts(desk)["A"] == "- [ ] ask @carrow and @carrow, not a@wenna.org"
    _done(desk, writer, requests.Undo(number))
    assert texts(desk)["A"] == "- [ ] ask @wenna and @Wenna, not a@wenna.org"
    taken = doing.plan(desk, writer, requests.RenamePerson("guide", "wenna", "jonas")).refusal
    assert taken is not None and taken.code == "person_name"


def test_sources_that_were_kept_before_they_were_looked_at_spoil_no_others(desk: Desk, writer: Actor) -> None:
    save_source(desk, writer, "gel", FIELDS, new=True)
    odd: list[dict[str, object]] = [
        {"title": "Odd", "URL": "http://[2001:db8::1/manual"},
        {"author": {"family": 1}, "title": ["x"]},
    ]
    with writing_transaction(desk.engine) as connection:
        for n, fields in enumerate(odd):
            stored.add(connection, f"odd-{n}", f"odd-{n}", fields, None, desk.clock())
    pages(desk, writer, "guide", {"A": "So[^gel], [^odd-0], [^odd-1], [^gel], [^odd-0]."})
    from mokuji.web.show import places

    view = reading.open_page(desk, NOBODY, "guide", "a")
    assert isinstance(view, reading.PageView)
    html = view.rendered(desk, places(desk, NOBODY, may_write=False, under="a")).html
    assert "<cite>Gel batteries</cite>. 2018." in html and "<cite>Odd</cite>." in html
    assert len(sources.listing(desk, writer).sources) == 3
    assert sources.listing(desk, writer, which="alike").alike == ()
    assert sources.names_like(desk, writer, "odd")
    for form in ("json", "bibtex"):
        assert "Gel batteries" in sources.take(desk, writer, form)
    assert sources.about(desk, writer, "odd-1").source is not None
