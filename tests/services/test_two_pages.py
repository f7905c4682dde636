"""A page beside another, wherever that is and in whatever revision."""

from __future__ import annotations

import pytest

from mokuji.core.base.errors import BadRequest, Missing
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back.two_pages import compare_pages
from mokuji.services.writing.writing import Save, save
from tests.services.making import pages, person, volume


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Notes", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, notes=Role.OWNER)
    pages(app, writer, "guide", {"One": "same\n\nhere\n", "Two": "same\n\nthere\n"})
    pages(app, writer, "notes", {"Two": "hidden\n"})
    save(app, writer, Save("guide", "Two", "same\n\nhere\n", revision=1))
    return writer


def test_two_pages_are_compared_in_the_revisions_that_are_asked_for(app: AppContext, writer: Actor) -> None:
    assert compare_pages(app, NOBODY, "guide", "one", "Two").differing == 0
    view = compare_pages(app, NOBODY, "guide", "one", "two", None, 1)
    assert view.differing == 1 and (view.one.revision.number, view.other.revision.number) == (1, 1)
    assert compare_pages(app, writer, "guide", "one", "Notes/Two").other.volume.title == "Notes"


@pytest.mark.parametrize(
    ("other", "number", "fault"),
    [
        ("Notes/Two", None, Missing),
        ("Three", None, Missing),
        ("", None, BadRequest),
        ("Two", 9, Missing),
    ],
)
def test_what_is_not_there_or_closed_is_said_alike(
    app: AppContext, writer: Actor, other: str, number: int | None, fault: type[Exception]
) -> None:
    with pytest.raises(fault):
        compare_pages(app, NOBODY, "guide", "one", other, None, number)
