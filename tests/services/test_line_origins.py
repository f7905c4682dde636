"""Who wrote each line: told with its change, through renames and moves, and nothing of what is closed."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Missing
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import line_origins
from mokuji.services.looking_back.line_origins import LinesView
from mokuji.services.writing import writing
from tests.copies import made_once
from tests.services.making import pages, person, volume

LONG = "It has two vents, and the lid is sealed by a gasket."


def _filled(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Vault", closed=True)
    wenna = person(app, "wenna", guide=Role.OWNER, vault=Role.OWNER)
    person(app, "jonas", guide=Role.WRITER)
    pages(app, wenna, "guide", {"Well": f"First.\n{LONG}\nSee [[Pump]].\n", "Pump": "x"})
    writing.save(
        app,
        wenna,
        writing.Save("guide", "well", f"First.\n{LONG}\nNew.\nSee [[Pump]].\n", revision=1, note="why"),
    )
    return wenna


app, wenna = made_once(_filled)


def _told(view: LinesView) -> list[tuple[str, int, int]]:
    """Words, the revision that wrote them, and which line they were there."""
    return [(line.words, line.revision.number, line.was) for run in view.runs for line in run.lines]


def test_each_line_is_told_with_the_revision_that_wrote_it(app: AppContext, wenna: Actor) -> None:
    view = line_origins.line_origins(app, wenna, "guide", "well")
    assert _told(view) == [("First.", 1, 1), (LONG, 1, 2), ("New.", 2, 3), ("See [[Pump]].", 1, 3)]
    (run,) = [run for run in view.runs if run.revision.number == 2]
    assert (run.revision.note, run.revision.author, run.before) == ("why", "Wenna", True)
    assert [run.age for run in view.runs] == [4, 0, 4] and not view.cut
    assert [run.before for run in view.runs] == [False, True, False]


def test_an_earlier_revision_accounts_for_itself_too(app: AppContext, wenna: Actor) -> None:
    view = line_origins.line_origins(app, wenna, "guide", "well", 1)
    assert (view.number, view.newest) == (1, 2)
    assert {revision for _, revision, _ in _told(view)} == {1}
    for number in (0, 3, 2**40):
        with pytest.raises(Missing):
            line_origins.line_origins(app, wenna, "guide", "well", number)


def test_a_line_keeps_its_age_when_it_is_moved_or_its_page_renamed(app: AppContext, wenna: Actor) -> None:
    writing.save(
        app, wenna, writing.Save("guide", "well", f"First.\nNew.\nSee [[Pump]].\n{LONG}\n", revision=2)
    )
    doing.apply(app, wenna, requests.Rename("guide", "well", "Sump"), None)
    doing.apply(app, wenna, requests.Rename("guide", "pump", "Bilge pump"), None)
    told = {
        words: revision
        for words, revision, _ in _told(line_origins.line_origins(app, wenna, "guide", "sump"))
    }
    assert told[LONG] == 1 and told["New."] == 2
    assert told["See [[Bilge pump]]."] > 3, "the rename of what it names wrote it anew"


def test_what_was_written_where_one_may_not_read_is_told_as_of_when_it_came(
    app: AppContext, wenna: Actor
) -> None:
    pages(app, wenna, "vault", {"Plan": "heron one\nsecond line\n"})
    text = "open one\nsecond line\n"
    writing.save(app, wenna, writing.Save("vault", "plan", text, revision=1, note="heron note"))
    doing.apply(app, wenna, requests.Move("vault", "plan", "guide"), None)
    own = line_origins.line_origins(app, wenna, "guide", "plan")
    assert [revision for _, revision, _ in _told(own)] == [2, 1]
    other = line_origins.line_origins(app, NOBODY, "guide", "plan")
    assert {revision for _, revision, _ in _told(other)} == {own.newest}
    assert "heron" not in repr(other.runs)


def test_it_is_not_looked_back_for_ever(
    app: AppContext, wenna: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(line_origins, "BATCH", 1)
    monkeypatch.setattr(line_origins, "MOST_READ", 10)
    writing.save(
        app, wenna, writing.Save("guide", "well", f"First.\n{LONG}\nNewer.\nSee [[Pump]].\n", revision=2)
    )
    view = line_origins.line_origins(app, wenna, "guide", "well")
    assert view.cut
    assert ("First.", 2, 1) in _told(view), "as far as was looked"


def test_an_empty_page_has_no_lines(app: AppContext, wenna: Actor) -> None:
    pages(app, wenna, "guide", {"Empty": ""})
    assert line_origins.line_origins(app, wenna, "guide", "empty").runs == ()


BLOCK = "".join(f"Step {n}: loosen bolt {n} of the lid and lay it on the tray.\n" for n in range(4))


def _sources(app: AppContext, actor: Actor, page: str) -> dict[str, tuple[str, int]]:
    view = line_origins.line_origins(app, actor, "guide", page)
    return {
        line.words: (run.revision.title, run.revision.number)
        for run in view.runs
        for line in run.lines
        if line.words
    }


def test_lines_are_followed_through_a_merge_and_a_split(app: AppContext, wenna: Actor) -> None:
    pages(
        app,
        wenna,
        "guide",
        {"Opening": BLOCK, "Lid": f"The lid.\n\n## Closing\n\n{BLOCK.replace('loosen', 'fasten')}"},
    )
    doing.apply(app, wenna, requests.Merge("guide", "opening", into="Lid"), None)
    told = _sources(app, wenna, "lid")
    assert told["Step 1: loosen bolt 1 of the lid and lay it on the tray."] == ("Opening", 1)
    assert told["The lid."] == ("Lid", 1)
    doing.apply(app, wenna, requests.Split("guide", "lid", section=0), None)
    told = _sources(app, wenna, "closing")
    assert told["Step 1: fasten bolt 1 of the lid and lay it on the tray."] == ("Lid", 1)
    view = line_origins.line_origins(app, wenna, "guide", "closing")
    assert {head.title for _, head in view.elsewhere.values()} == {"Lid"}
    writing.save(app, wenna, writing.Save("guide", "lid", "Gone.", revision=3))
    assert _sources(app, wenna, "closing") == told


def test_lines_that_came_from_a_closed_page_are_told_as_of_when_they_came(
    app: AppContext, wenna: Actor
) -> None:
    pages(app, wenna, "vault", {"Hidden": BLOCK})
    pages(app, wenna, "guide", {"Open": "Open.\n"})
    doing.apply(app, wenna, requests.Merge("vault", "hidden", into="Guide/Open"), None)
    view = line_origins.line_origins(app, NOBODY, "guide", "open")
    assert {run.revision.title for run in view.runs} == {"Open"} and "idden" not in repr(view.runs)


def test_two_ways_through_one_page_do_not_mix(app: AppContext, wenna: Actor) -> None:
    pages(app, wenna, "guide", {"Store": BLOCK, "Taken": "Begins.\n"})
    for nth in range(2):
        text = f"{BLOCK}Line {nth} that was written into the store after the first.\n"
        writing.save(app, wenna, writing.Save("guide", "store", text, revision=nth + 1))
    view = line_origins.line_origins(app, wenna, "guide", "store")
    assert [line.revision.number for run in view.runs for line in run.lines] == [1, 1, 1, 1, 3]
