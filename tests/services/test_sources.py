"""The list of sources: made, changed, renamed and taken away with all that cites them; for the people of the wiki."""

from __future__ import annotations

from pathlib import Path

import pytest

from mokuji.acts import doing, requests, words
from mokuji.acts.assets.source_edit import save_source
from mokuji.core.base.errors import BadFields, Conflict, Forbidden
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.folders import checking, folders
from mokuji.services.reading import reading
from mokuji.services.writing import sources
from mokuji.store import sources as stored
from mokuji.store.database import writing as writing_transaction
from tests.services.making import pages, person, texts, volume

FIELDS = {"type": "book", "title": "Gel batteries", "author": "Ferrar, Ida", "issued": "2018"}


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Secret", closed=True)
    return person(app, "wenna", guide=Role.WRITER, secret=Role.WRITER)


def _done(app: AppContext, actor: Actor, wish: requests.Request) -> int:
    done = doing.apply(app, actor, wish, None)
    assert isinstance(done, doing.Applied)
    return done.change_set


def test_a_source_is_made_with_a_name_of_its_own_and_changed_with_a_way_back(
    app: AppContext, writer: Actor
) -> None:
    assert save_source(app, writer, "", FIELDS, new=True) == "ferrar-2018"
    with pytest.raises(BadFields) as fault:
        save_source(app, writer, "Ferrar-2018", FIELDS, new=True)
    assert set(fault.value.fields) == {"name"}
    save_source(app, writer, "ferrar-2018", {**FIELDS, "title": "Gel cells"}, new=False)
    source = sources.about(app, writer, "ferrar-2018").source
    assert source is not None and source.fields["title"] == "Gel cells"
    _done(app, writer, requests.Undo(1))
    source = sources.about(app, writer, "FERRAR-2018").source
    assert source is not None and source.fields["title"] == "Gel batteries"


def test_a_change_that_began_before_another_one_is_not_lost_and_loses_nothing(
    app: AppContext, writer: Actor
) -> None:
    save_source(app, writer, "gel", FIELDS, new=True)
    begun = sources.about(app, writer, "gel").source
    assert begun is not None
    save_source(app, writer, "gel", {**FIELDS, "issued": "2019"}, new=False, revision=begun.revision)
    with pytest.raises(Conflict, match="changed by somebody else"):
        save_source(app, writer, "gel", {**FIELDS, "title": "Mine"}, new=False, revision=begun.revision)
    now = sources.about(app, writer, "gel").source
    assert now is not None and now.fields["title"] == "Gel batteries"
    save_source(app, writer, "gel", {**FIELDS, "title": "Mine"}, new=False, revision=now.revision)
    with pytest.raises(Conflict):
        save_source(app, writer, "gel", FIELDS, new=False, revision=begun.revision)


def test_whatever_cites_a_source_follows_its_name(app: AppContext, writer: Actor) -> None:
    save_source(app, writer, "gel", FIELDS, new=True)
    pages(app, writer, "guide", {"A": "So[^gel] and[^GEL], not `[^gel]`.", "B": "[^own]\n\n[^own]: x"})
    pages(app, writer, "secret", {"C": "Here[^gel]."})
    before = texts(app)
    wish = requests.RenameSource("guide", "gel", "ferrar")
    said = words.sentence(doing.plan(app, writer, wish))
    assert said == "The source “gel” will be called “ferrar”. 3 places on 2 pages follow."
    number = _done(app, writer, wish)
    assert texts(app) == {**before, "A": "So[^ferrar] and[^ferrar], not `[^gel]`.", "C": "Here[^ferrar]."}
    _done(app, writer, requests.Undo(number))
    assert texts(app) == before
    # A page that has such a footnote itself would hide the source.
    pages(app, writer, "guide", {"D": "[^gel] [^ferrar]\n\n[^ferrar]: mine"})
    refusal = doing.plan(app, writer, wish).refusal
    assert refusal is not None and refusal.code == "source_hidden" and "“D”" in refusal.message
    for bad in ("two words", "a]b", ""):
        assert doing.plan(app, writer, requests.RenameSource("guide", "gel", bad)).refusal is not None


def test_one_of_two_that_are_one_takes_the_place_of_the_other(app: AppContext, writer: Actor) -> None:
    for name in ("one", "two"):
        save_source(app, writer, name, FIELDS, new=True)
    pages(app, writer, "guide", {"A": "So[^two]."})
    (pair,) = sources.listing(app, writer, which="alike").alike
    assert (pair.one, pair.other) == ("one", "two")
    number = _done(app, writer, requests.DeleteSource("guide", "two", "one"))
    assert texts(app)["A"] == "So[^one]."
    assert not sources.listing(app, writer, which="alike").alike
    _done(app, writer, requests.Undo(number))
    assert texts(app)["A"] == "So[^two]."
    assert sources.about(app, writer, "two").source is not None


def test_what_is_missing_and_what_is_not_cited_is_listed(app: AppContext, writer: Actor) -> None:
    save_source(app, writer, "gel", FIELDS, new=True)
    save_source(app, writer, "lead", {**FIELDS, "title": "Lead"}, new=True)
    pages(app, writer, "guide", {"A": "So[^gel] and[^nowhere]."})
    assert [s.name for s in sources.listing(app, writer, which="unused").sources] == ["lead"]
    (missing,) = sources.listing(app, writer, which="missing").missing
    assert (missing.name, [page.title for page in missing.pages]) == ("nowhere", ["A"])


def test_who_may_not_read_a_page_does_not_learn_that_it_cites(app: AppContext, writer: Actor) -> None:
    save_source(app, writer, "gel", FIELDS, new=True)
    pages(app, writer, "secret", {"Hidden": "So[^gel] and[^nowhere]."})
    reader = person(app, "jonas", guide=Role.READER)
    assert sources.listing(app, reader).cited == {}
    assert sources.about(app, reader, "gel").citing == ()
    assert sources.listing(app, reader, which="missing").missing == ()
    assert sources.listing(app, reader, which="unused").sources == (), "it is used somewhere, and that is all"
    with pytest.raises(Forbidden):
        sources.listing(app, NOBODY)
    with pytest.raises(Forbidden):
        save_source(app, reader, "x", FIELDS, new=True)


def test_a_file_of_sources_comes_in_and_what_is_there_stays(app: AppContext, writer: Actor) -> None:
    save_source(app, writer, "gel", FIELDS, new=True)
    data = b"@book{gel, title={Other}}\n@book{newone, title={New}}\n@book{x, author={Nobody}}"
    done = sources.bring(app, writer, data)
    assert (done.other, done.same) == (("gel",), ()) and len(done.problems) == 1
    again = sources.bring(app, writer, sources.take(app, writer, "json").encode())
    assert not again.new and set(again.same) == {"gel", *done.new}


def test_a_cited_source_stands_at_the_end_of_the_page(app: AppContext, writer: Actor) -> None:
    save_source(app, writer, "gel", FIELDS, new=True)
    pages(app, writer, "guide", {"A": "So[^gel] and[^own].\n\n[^own]: Mine.\n"})
    from mokuji.web.show import places

    view = reading.open_page(app, NOBODY, "guide", "a")
    assert isinstance(view, reading.PageView)
    html = view.rendered(app, places(app, NOBODY, may_write=False, under="a")).html
    assert '<li id="note-1">Ferrar, Ida: <cite>Gel batteries</cite>. 2018.' in html
    assert '<li id="note-2"><p>Mine.' in html


def test_a_folder_has_its_list_at_its_top(tmp_path: Path) -> None:
    (tmp_path / "A.md").write_text("So[^gel] and[^none].", encoding="utf-8")
    (tmp_path / "sources.bib").write_text("@book{gel, title={Gel batteries}, year=2018}", encoding="utf-8")
    html, _ = folders.render(tmp_path, "A")
    assert "<cite>Gel batteries</cite>. 2018." in html
    (problem,) = [p for p in checking.check(tmp_path).problems if p.code == "source_missing"]
    assert (problem.path, problem.line, problem.column) == ("A.md", 1, 13)


def test_the_handle_of_a_person_is_followed_where_they_are_named(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"A": "- [ ] ask @wenna and @Wenna, not a@wenna.org"})
    jonas = person(app, "jonas", guide=Role.WRITER)
    with pytest.raises(Forbidden):
        doing.plan(app, jonas, requests.RenamePerson("guide", "wenna", "carrow"))
    number = _done(app, writer, requests.RenamePerson("guide", "wenna", "Carrow"))
    assert texts(app)["A"] == "- [ ] ask @carrow and @carrow, not a@wenna.org"
    _done(app, writer, requests.Undo(number))
    assert texts(app)["A"] == "- [ ] ask @wenna and @Wenna, not a@wenna.org"
    taken = doing.plan(app, writer, requests.RenamePerson("guide", "wenna", "jonas")).refusal
    assert taken is not None and taken.code == "person_name"


def test_sources_that_were_kept_before_they_were_looked_at_spoil_no_others(
    app: AppContext, writer: Actor
) -> None:
    save_source(app, writer, "gel", FIELDS, new=True)
    odd: list[dict[str, object]] = [
        {"title": "Odd", "URL": "http://[2001:db8::1/manual"},
        {"author": {"family": 1}, "title": ["x"]},
    ]
    with writing_transaction(app.engine) as connection:
        for n, fields in enumerate(odd):
            stored.add(connection, f"odd-{n}", f"odd-{n}", fields, None, app.clock())
    pages(app, writer, "guide", {"A": "So[^gel], [^odd-0], [^odd-1], [^gel], [^odd-0]."})
    from mokuji.web.show import places

    view = reading.open_page(app, NOBODY, "guide", "a")
    assert isinstance(view, reading.PageView)
    html = view.rendered(app, places(app, NOBODY, may_write=False, under="a")).html
    assert "<cite>Gel batteries</cite>. 2018." in html and "<cite>Odd</cite>." in html
    assert len(sources.listing(app, writer).sources) == 3
    assert sources.listing(app, writer, which="alike").alike == ()
    assert sources.names_like(app, writer, "odd")
    for form in ("json", "bibtex"):
        assert "Gel batteries" in sources.take(app, writer, form)
    assert sources.about(app, writer, "odd-1").source is not None
