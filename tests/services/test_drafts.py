"""Drafts: kept for each person, through a rename, until a save; nobody reads those of others, and who writes shows."""

from __future__ import annotations

from datetime import timedelta

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Forbidden, Missing
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.desk import Desk
from mokuji.services.writing import drafts, writing
from tests.services.making import pages, person, volume


@pytest.fixture
def writer(desk: Desk) -> Actor:
    volume(desk, "Guide")
    volume(desk, "Secret", closed=True)
    writer = person(desk, "wenna", guide=Role.OWNER, secret=Role.WRITER)
    pages(desk, writer, "guide", {"Pump": "one\r\ntwo\r\n"})
    pages(desk, writer, "secret", {"Plan": "x"})
    return writer


def _listed(desk: Desk, actor: Actor) -> list[tuple[str, int]]:
    return [(each.title, each.revision) for each in drafts.mine(desk, actor)[0]]


def test_a_draft_is_kept_until_its_text_is_saved_or_is_the_page_s_own(desk: Desk, writer: Actor) -> None:
    drafts.keep(desk, writer, "guide", "pump", "one\ntwo\nthree", revision=1)
    drafts.keep(desk, writer, "guide", "pump", "one\ntwo\nfour", revision=1)
    found = drafts.opened(desk, writer, "guide", "Pump")
    assert found is not None and (found.text, found.revision, found.together) == ("one\ntwo\nfour", 1, False)
    drafts.keep(desk, writer, "guide", "pump", "one\ntwo\n", revision=1)
    assert drafts.opened(desk, writer, "guide", "pump") is None, "line ends of a browser are no difference"
    drafts.keep(desk, writer, "guide", "pump", "more", revision=1)
    writing.save(desk, writer, writing.Save("guide", "pump", "more", revision=1))
    assert _listed(desk, writer) == []


def test_a_draft_goes_along_with_a_renamed_page_and_tells_of_a_newer_revision(
    desk: Desk, writer: Actor
) -> None:
    drafts.keep(desk, writer, "guide", "pump", "mine", revision=1)
    doing.apply(desk, writer, requests.Rename("guide", "pump", "Bilge pump"), None)
    writing.save(
        desk,
        person(desk, "jory", guide=Role.WRITER),
        writing.Save("guide", "bilge pump", "theirs", revision=2),
    )
    (found,) = drafts.mine(desk, writer)[0]
    assert (found.title, found.key, found.revision, found.newest) == ("Bilge pump", "bilge pump", 1, 3)
    kept = drafts.opened(desk, writer, "guide", "bilge pump")
    assert kept is not None and (kept.text, kept.revision) == ("mine", 1)
    assert kept.clash is not None and kept.clash.revision == 3, "both wrote all of it"


def test_a_draft_and_what_was_saved_since_are_brought_together(desk: Desk, writer: Actor) -> None:
    pages(desk, writer, "guide", {"Vent": "one\n\ntwo\n\nthree\n"})
    drafts.keep(desk, writer, "guide", "vent", "ONE\n\ntwo\n\nthree\n", revision=1)
    writing.save(desk, writer, writing.Save("guide", "vent", "one\n\ntwo\n\nTHREE\n", revision=1, merge=True))
    drafts.keep(desk, writer, "guide", "vent", "ONE\n\ntwo\n\nthree\n", revision=1)
    opened = drafts.opened(desk, writer, "guide", "vent")
    assert opened is not None and opened.together and opened.clash is None
    assert (opened.text, opened.revision) == ("ONE\n\ntwo\n\nTHREE\n", 2)


def test_a_page_that_is_not_written_yet_has_a_draft_by_its_name(desk: Desk, writer: Actor) -> None:
    drafts.keep(desk, writer, "guide", "sea-trial", "begun", title="Sea trial")
    drafts.keep(desk, writer, "guide", "sea-trial", "begun more", title="Sea Trial")
    assert _listed(desk, writer) == [("Sea Trial", 0)]
    writing.save(desk, writer, writing.Save("guide", "Sea trial", "written", revision=0))
    assert _listed(desk, writer) == []
    drafts.keep(desk, writer, "guide", "other", "begun")
    drafts.discard(desk, writer, "guide", "other")
    assert drafts.opened(desk, writer, "guide", "other") is None


def test_a_save_that_is_not_done_keeps_the_draft(desk: Desk, writer: Actor) -> None:
    pages(desk, writer, "guide", {"Well": "[[Pump#Limits]]", "Tank": "## Limits\n"})
    writing.save(desk, writer, writing.Save("guide", "pump", "## Limits\n", revision=1))
    drafts.keep(desk, writer, "guide", "pump", "## Bounds\n", revision=2)
    asked = writing.save_or_tell(desk, writer, writing.Save("guide", "pump", "## Bounds\n", revision=2))
    assert isinstance(asked, writing.Moves) and _listed(desk, writer) == [("Pump", 2)]


def test_who_else_is_writing_shows_for_a_while_and_drafts_are_nobody_else_s(
    desk: Desk, writer: Actor
) -> None:
    other = person(desk, "jory", guide=Role.WRITER)
    assert drafts.keep(desk, writer, "guide", "pump", "mine", revision=1) == []
    assert drafts.keep(desk, other, "guide", "pump", "theirs", revision=1) == ["Wenna"]
    assert drafts.opened(desk, other, "guide", "pump").text == "theirs"  # type: ignore[union-attr]
    desk.clock.now += timedelta(minutes=20)  # type: ignore[attr-defined]
    assert drafts.keep(desk, other, "guide", "pump", "theirs", revision=1) == []
    drafts.keep(desk, writer, "secret", "plan", "hidden", revision=1)
    assert _listed(desk, other) == [("Pump", 1)]
    for act in (drafts.opened, drafts.discard):
        with pytest.raises(Missing):
            act(desk, other, "secret", "plan")
    with pytest.raises(Forbidden):
        drafts.keep(desk, person(desk, "piet", guide=Role.READER), "guide", "pump", "x")
    with pytest.raises(Forbidden):
        drafts.keep(desk, NOBODY, "guide", "pump", "x")
    assert drafts.mine(desk, NOBODY) == ([], {})
