"""What a page said is put back: a whole revision, or a passage of it, beside what was written since."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import revisions
from mokuji.services.reading import reading
from mokuji.services.writing import writing
from mokuji.services.writing.putting_back import PutBack, put_back
from mokuji.services.writing.writing import Clash, Save, save
from tests.services.making import pages, person, texts, volume

FIRST = "# Way\n\nFirst line.\n\nSee [[Pump]] and [[=Note]].\n\nLast line.\n"
SECOND = FIRST.replace("First line.", "First line, longer.").replace("Last line.", "Last of all.")
THIRD = SECOND.replace("See", "Now see")


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, secret=Role.OWNER)
    pages(app, writer, "guide", {"Pump": "x", "Note": "A note.", "Way": FIRST})
    for revision, text in enumerate([SECOND, THIRD], 1):
        save(app, writer, Save("guide", "Way", text, revision=revision))
    return writer


def _saved(app: AppContext, writer: Actor, found: PutBack) -> str:
    save(app, writer, Save("guide", "Way", found.text, revision=found.revision, note=found.note, merge=True))
    return texts(app)["Way"]


def test_a_whole_revision_comes_back_whatever_was_written_since(app: AppContext, writer: Actor) -> None:
    found = put_back(app, writer, "guide", "way", 1)
    assert (found.revision, found.note, found.clash) == (3, "Revision 1 put back", False)
    assert _saved(app, writer, found) == FIRST


def test_what_a_revision_changed_is_taken_back_beside_what_was_written_since(
    app: AppContext, writer: Actor
) -> None:
    found = put_back(app, writer, "guide", "way", 1, 2)
    assert found.text == FIRST.replace("See", "Now see") and found.revision == 3
    assert found.note == "What revision 2 changed taken back to revision 1"


@pytest.mark.parametrize(("nth", "put"), [(0, "First line."), (1, "Last line.")])
def test_one_passage_comes_back_and_the_rest_stays(
    app: AppContext, writer: Actor, nth: int, put: str
) -> None:
    found = put_back(app, writer, "guide", "way", 1, 2, [nth])
    assert put in found.text and "Now see" in found.text
    assert ("First line, longer." in found.text) == (nth == 1)
    assert found.note == "A passage of revision 1 put back"


def test_where_the_same_words_were_changed_since_the_save_asks(app: AppContext, writer: Actor) -> None:
    save(app, writer, Save("guide", "Way", THIRD.replace("longer", "much longer"), revision=3))
    found = put_back(app, writer, "guide", "way", 1, 2, [0])
    assert found.clash and found.revision == 2
    with pytest.raises(Clash):
        _saved(app, writer, found)
    assert "much longer" in texts(app)["Way"]


def test_names_that_pages_had_then_become_those_they_have_now(app: AppContext, writer: Actor) -> None:
    for page, title in (("pump", "Bilge pump"), ("note", "Remark")):
        doing.apply(app, writer, requests.Rename("guide", page, title), None)
    volume(app, "Annex")
    owner = person(app, "ada", guide=Role.OWNER, annex=Role.OWNER)
    doing.apply(app, owner, requests.Move(volume="guide", page="Remark", to="annex"), None)
    found = put_back(app, owner, "guide", "way", 1)
    assert "See [[Bilge pump]] and [[=/Annex/Remark]]." in found.text
    save(app, owner, Save("guide", "Way", "Only [[Pump]], which is to be written.", revision=found.revision))
    found = put_back(app, owner, "guide", "way", 1)
    assert "See [[Pump]]" in found.text, "a name that the page uses for something else now stays"


def test_names_of_pages_that_may_not_be_read_stay_as_they_were(app: AppContext, writer: Actor) -> None:
    doing.apply(app, writer, requests.Move(volume="guide", page="Pump", to="secret"), None)
    other = person(app, "piet", guide=Role.WRITER)
    assert "See [[Pump]]" in put_back(app, other, "guide", "way", 1).text
    shown = revisions.rule(app, other, "guide", "way", 1, 1).as_read
    assert shown is not None and "ecret" not in shown.rendered(app).html
    mine = revisions.rule(app, writer, "guide", "way", 1, 1).as_read
    assert mine is not None and "/secret/pump" in mine.rendered(app).html


def test_an_earlier_revision_is_read_with_what_it_refers_to_as_that_is_now(
    app: AppContext, writer: Actor
) -> None:
    doing.apply(app, writer, requests.Rename(volume="guide", page="pump", title="Bilge pump"), None)
    save(app, writer, Save("guide", "Note", "Another note.", revision=1))
    view = revisions.rule(app, NOBODY, "guide", "way", 1, 1)
    assert view.as_read is not None and view.beside == (None, 2)
    shown = view.as_read.rendered(app).html
    assert 'href="/guide/bilge-pump"' in shown and ">Pump</a>" in shown, "the words are those of then"
    assert "Another note." in shown and "First line." in shown
    assert revisions.rule(app, NOBODY, "guide", "way", 2, 2).beside == (1, 3)


def test_a_former_title_is_told_and_not_put_back_by_itself(app: AppContext, writer: Actor) -> None:
    doing.apply(app, writer, requests.Rename(volume="guide", page="way", title="Path"), None)
    found = put_back(app, writer, "guide", "path", 3)
    assert found.former_title == "Way" and found.head.title == "Path"


@pytest.mark.parametrize(
    ("older", "newer", "passages", "fault", "said"),
    [
        (3, None, None, Refused, "says that already"),
        (9, None, None, Missing, "no revision 9"),
        (1, 8, None, Missing, "no revision 8"),
        (1, 2, [2], Missing, "no passage 3 that differs: there are 2"),
    ],
)
def test_what_cannot_be_put_back_is_said(
    app: AppContext,
    writer: Actor,
    older: int,
    newer: int | None,
    passages: list[int] | None,
    fault: type[Exception],
    said: str,
) -> None:
    with pytest.raises(fault, match=said):
        put_back(app, writer, "guide", "way", older, newer, passages)


def test_only_who_may_write_puts_back(app: AppContext, writer: Actor) -> None:
    with pytest.raises(Forbidden):
        put_back(app, NOBODY, "guide", "way", 1)
    with pytest.raises(Missing):
        put_back(app, NOBODY, "secret", "way", 1)


def test_what_is_put_back_is_previewed_and_reviewed_like_anything_typed(
    app: AppContext, writer: Actor
) -> None:
    found = put_back(app, writer, "guide", "way", 1)
    assert "First line." in writing.preview(app, writer, "guide", "way", found.text).rendered(app).html


def test_the_head_of_a_page_says_the_last_note_that_says_something(app: AppContext, writer: Actor) -> None:
    def why(reader: Actor) -> str:
        view = reading.open_page(app, reader, "guide", "way")
        assert isinstance(view, reading.PageView)
        return view.why

    assert why(writer) == ""
    save(app, writer, Save("guide", "Way", FIRST, revision=3, note="shorter again"))
    wrong = save(app, writer, Save("guide", "Way", "Lost.", revision=4, note="all new"))
    assert wrong.head.revision == 5 and why(NOBODY) == "all new"
    newest = revisions.rule(app, writer, "guide", "way", 5, 5).one.change_set
    doing.apply(app, writer, requests.Undo(newest), None)
    assert texts(app)["Way"] == FIRST and why(writer) == "shorter again"
    doing.apply(app, writer, requests.Move("guide", "Way", "secret"), None)
    doing.apply(app, writer, requests.Move("secret", "Way", "guide"), None)
    assert "Secret" not in why(NOBODY)


def test_references_follow_a_section_that_comes_back(app: AppContext, writer: Actor) -> None:
    pages(
        app,
        writer,
        "guide",
        {"Limits": "# Limits\n\n## Torque\n\n12 N·m\n", "Other": "See [[Limits#Torque]]."},
    )
    doing.apply(app, writer, requests.Section("guide", "limits", section=1, words="Force"), None)
    assert texts(app)["Other"] == "See [[Limits#Force]]."
    found = put_back(app, writer, "guide", "limits", 1)
    save(app, writer, Save("guide", "Limits", found.text, revision=found.revision, note=found.note))
    assert texts(app)["Other"] == "See [[Limits#Torque]]."
