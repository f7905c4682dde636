"""A change is looked at before it is saved: its effect on references, the text as read and as typed."""

from __future__ import annotations

import pytest

from mokuji.core.base.errors import Forbidden
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.reading.rendering import Addresses
from mokuji.services.writing import reviewing
from tests.services.making import pages, person, texts, volume

TEXT = "See [[Lamp]] and [[Lamp]].\r\n\r\n## Limits\r\n\r\nx\r\n"


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.WRITER)
    pages(app, writer, "guide", {"Lamp": "On [[Pump#Limits]].", "Pump": TEXT})
    return writer


def _review(app: AppContext, actor: Actor, text: str, page: str = "pump") -> reviewing.Review:
    return reviewing.review(app, actor, "guide", page, text, Addresses())


def test_references_that_come_and_go_are_counted_and_named(app: AppContext, writer: Actor) -> None:
    review = _review(app, writer, "See [[Lamp]], [[Valve]] and [[Secret/Plan]].\n\n## Limits\n\nx\n")
    assert review.effect.sentence == "2 new references, 2 of them unwritten, 1 reference less."
    assert [link.title for link in review.effect.came] == ["Valve", "Secret/Plan"]
    assert [link.title for link in review.effect.went] == ["Lamp"]
    assert review.rendered and "<ins>" in review.rendered and "<del>" in review.rendered
    assert review.note == "Reworded"


def test_what_a_save_would_take_from_other_pages_is_told_and_nothing_is_saved(
    app: AppContext, writer: Actor
) -> None:
    review = _review(app, writer, TEXT.replace("Limits", "Bounds").replace("\r\n", "\n"))
    assert review.effect.moves is not None
    assert [change.head.title for change in review.effect.moves.changes] == ["Lamp"]
    assert "1 reference to a section that is called otherwise now" in review.effect.sentence
    assert review.note == "“Limits” is now “Bounds”"
    assert texts(app)["Pump"] == TEXT


def test_a_text_as_it_is_stored_is_nothing_to_save_whatever_its_line_ends(
    app: AppContext, writer: Actor
) -> None:
    review = _review(app, writer, TEXT.replace("\r\n", "\n"))
    assert review.unchanged and review.rendered == "" and review.note == ""


def test_a_page_to_be_written_is_all_new(app: AppContext, writer: Actor) -> None:
    review = _review(app, writer, "See [[Pump]].", "valve")
    assert (review.note, review.effect.sentence) == ("First text", "1 new reference.")


def test_who_may_not_write_may_not_look(app: AppContext, writer: Actor) -> None:
    with pytest.raises(Forbidden):
        _review(app, NOBODY, "x")
