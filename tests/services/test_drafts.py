"""Drafts: kept for each person, through a rename, until a save; nobody reads those of others, and who writes shows."""

from __future__ import annotations

from datetime import timedelta

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Forbidden, Missing
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.writing import drafts, writing
from tests.services.making import pages, person, volume


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, secret=Role.WRITER)
    pages(app, writer, "guide", {"Pump": "one\r\ntwo\r\n"})
    pages(app, writer, "secret", {"Plan": "x"})
    return writer


def _listed(app: AppContext, actor: Actor) -> list[tuple[str, int]]:
    return [(draft.title, draft.revision) for draft in drafts.mine(app, actor)[0]]


def test_a_draft_is_kept_until_its_text_is_saved_or_is_the_page_s_own(app: AppContext, writer: Actor) -> None:
    drafts.keep(app, writer, "guide", "pump", "one\ntwo\nthree", revision=1)
    drafts.keep(app, writer, "guide", "pump", "one\ntwo\nfour", revision=1)
    found = drafts.opened(app, writer, "guide", "Pump")
    assert found is not None and (found.text, found.revision, found.together) == ("one\ntwo\nfour", 1, False)
    drafts.keep(app, writer, "guide", "pump", "one\ntwo\n", revision=1)
    assert drafts.opened(app, writer, "guide", "pump") is None, "line ends of a browser are no difference"
    drafts.keep(app, writer, "guide", "pump", "more", revision=1)
    writing.save(app, writer, writing.Save("guide", "pump", "more", revision=1))
    assert _listed(app, writer) == []


def test_a_draft_goes_along_with_a_renamed_page_and_tells_of_a_newer_revision(
    app: AppContext, writer: Actor
) -> None:
    drafts.keep(app, writer, "guide", "pump", "mine", revision=1)
    doing.apply(app, writer, requests.Rename("guide", "pump", "Bilge pump"), None)
    writing.save(
        app,
        person(app, "jory", guide=Role.WRITER),
        writing.Save("guide", "bilge pump", "theirs", revision=2),
    )
    (draft,) = drafts.mine(app, writer)[0]
    assert (draft.title, draft.key, draft.revision, draft.newest) == ("Bilge pump", "bilge pump", 1, 3)
    kept = drafts.opened(app, writer, "guide", "bilge pump")
    assert kept is not None and (kept.text, kept.revision) == ("mine", 1)
    assert kept.clash is not None and kept.clash.revision == 3, "both wrote all of it"


def test_a_draft_and_what_was_saved_since_are_brought_together(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Vent": "one\n\ntwo\n\nthree\n"})
    drafts.keep(app, writer, "guide", "vent", "ONE\n\ntwo\n\nthree\n", revision=1)
    writing.save(app, writer, writing.Save("guide", "vent", "one\n\ntwo\n\nTHREE\n", revision=1, merge=True))
    drafts.keep(app, writer, "guide", "vent", "ONE\n\ntwo\n\nthree\n", revision=1)
    opened = drafts.opened(app, writer, "guide", "vent")
    assert opened is not None and opened.together and opened.clash is None
    assert (opened.text, opened.revision) == ("ONE\n\ntwo\n\nTHREE\n", 2)


def test_a_page_that_is_not_written_yet_has_a_draft_by_its_name(app: AppContext, writer: Actor) -> None:
    drafts.keep(app, writer, "guide", "sea-trial", "begun", title="Sea trial")
    drafts.keep(app, writer, "guide", "sea-trial", "begun more", title="Sea Trial")
    assert _listed(app, writer) == [("Sea Trial", 0)]
    writing.save(app, writer, writing.Save("guide", "Sea trial", "written", revision=0))
    assert _listed(app, writer) == []
    drafts.keep(app, writer, "guide", "other", "begun")
    drafts.discard(app, writer, "guide", "other")
    assert drafts.opened(app, writer, "guide", "other") is None


def test_a_save_that_is_not_done_keeps_the_draft(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Well": "[[Pump#Limits]]", "Tank": "## Limits\n"})
    writing.save(app, writer, writing.Save("guide", "pump", "## Limits\n", revision=1))
    drafts.keep(app, writer, "guide", "pump", "## Bounds\n", revision=2)
    asked = writing.save_or_tell(app, writer, writing.Save("guide", "pump", "## Bounds\n", revision=2))
    assert isinstance(asked, writing.Moves) and _listed(app, writer) == [("Pump", 2)]


def test_who_else_is_writing_shows_for_a_while_and_drafts_are_nobody_else_s(
    app: AppContext, writer: Actor
) -> None:
    other = person(app, "jory", guide=Role.WRITER)
    assert drafts.keep(app, writer, "guide", "pump", "mine", revision=1) == []
    assert drafts.keep(app, other, "guide", "pump", "theirs", revision=1) == ["Wenna"]
    assert drafts.opened(app, other, "guide", "pump").text == "theirs"  # type: ignore[union-attr]
    app.clock.now += timedelta(minutes=20)  # type: ignore[attr-defined]
    assert drafts.keep(app, other, "guide", "pump", "theirs", revision=1) == []
    drafts.keep(app, writer, "secret", "plan", "hidden", revision=1)
    assert _listed(app, other) == [("Pump", 1)]
    for act in (drafts.opened, drafts.discard):
        with pytest.raises(Missing):
            act(app, other, "secret", "plan")
    with pytest.raises(Forbidden):
        drafts.keep(app, person(app, "piet", guide=Role.READER), "guide", "pump", "x")
    with pytest.raises(Forbidden):
        drafts.keep(app, NOBODY, "guide", "pump", "x")
    assert drafts.mine(app, NOBODY) == ([], {})


def test_a_draft_of_a_page_that_went_to_a_closed_volume_says_nothing_of_it_and_is_not_lost(
    app: AppContext, writer: Actor
) -> None:
    jory = person(app, "jory", guide=Role.WRITER)
    drafts.keep(app, jory, "guide", "pump", "what jory typed", revision=1)
    doing.apply(app, writer, requests.Move("guide", "pump", "secret"), None)
    doing.apply(app, writer, requests.Rename("secret", "pump", "Heron plan"), None)
    (draft,), _ = drafts.mine(app, jory)
    assert (draft.title, draft.key, draft.newest) == ("Pump", "pump", 0)
    assert "heron" not in repr(drafts.mine(app, jory)).lower()
    opened = drafts.opened(app, jory, "guide", "pump")
    assert opened is not None and (opened.text, opened.title) == ("what jory typed", "Pump")
    drafts.discard(app, jory, "guide", "pump")
    assert _listed(app, jory) == []


def test_a_draft_of_a_page_that_went_to_an_open_volume_is_there_at_its_new_place(
    app: AppContext, writer: Actor
) -> None:
    volume(app, "Charts")
    keeper = person(app, "ada", guide=Role.OWNER, charts=Role.OWNER)
    drafts.keep(app, keeper, "guide", "pump", "typed", revision=1)
    doing.apply(app, keeper, requests.Move("guide", "pump", "charts"), None)
    opened = drafts.opened(app, keeper, "charts", "pump")
    assert opened is not None and opened.text == "typed"
