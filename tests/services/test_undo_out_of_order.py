"""Acts taken back in another order than they were done: each takes back its own, and says what came since."""

from __future__ import annotations

import random

import pytest

from mokuji.acts import doing, requests, words
from mokuji.acts.assets.source_edit import save_source
from mokuji.core.base.errors import MokujiError
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.plans.undo import Since, Undone
from mokuji.services.app_context import AppContext
from mokuji.services.writing import files, sources
from mokuji.store.database import reading
from mokuji.store.snapshot import load_volumes
from tests.services.test_every_act import ACTS, OTHER_PICTURE, _again, _state
from tests.services.test_every_act import app as app
from tests.services.test_every_act import writer as writer
from tests.store.filling import check_indexes

SEEDS = range(12)


LEFT_OUT = {"delete volume"}
"""A library that was taken back while its volume lay in the trash comes back with that."""
KEPT_WHOLE = ("volumes", "pages", "files", "sources", "people")
"""What comes back exactly, in whatever order acts are taken back. Texts that several acts wrote into are brought
together, and names keep places that were given to them since, so those are compared by what they refer to."""


def _do(app: AppContext, actor: Actor, request: requests.Request) -> int | None:
    """The number of the change; None if it is refused or nothing is to be done."""
    try:
        view = doing.plan(app, _again(app, actor), request)
    except MokujiError as fault:
        assert fault.message
        return None
    if view.plan is None or not view.can_be_done:
        assert view.refusal is None or view.refusal.message
        return None
    done = doing.apply(app, _again(app, actor), request, view.digest)
    assert isinstance(done, doing.Applied)
    return done.change_set


@pytest.mark.parametrize("seed", SEEDS)
def test_random_acts_taken_back_in_random_order_leave_what_was_there(
    app: AppContext, writer: Actor, seed: int
) -> None:
    chance = random.Random(seed)
    before = _state(app, writer)
    wanted = [make() for _, make, _ in chance.sample([each for each in ACTS if each[0] not in LEFT_OUT], 5)]
    numbers = [number for request in wanted if (number := _do(app, writer, request)) is not None]
    assert numbers
    order = chance.sample(numbers, len(numbers))
    refused = [number for number in order if _do(app, writer, requests.Undo(number)) is None]
    # What could not be taken back before a later one can be now.
    for number in sorted(refused, reverse=True):
        _do(app, writer, requests.Undo(number))
    after = _state(app, _again(app, writer))
    assert {what: after[what] for what in KEPT_WHOLE} == {what: before[what] for what in KEPT_WHOLE}, (
        wanted,
        order,
    )
    check_indexes(app.engine)


def _done(app: AppContext, actor: Actor, request: requests.Request) -> int:
    number = _do(app, actor, request)
    assert number is not None
    return number


def _since(view: doing.PlanView) -> tuple[Since, ...]:
    assert view.plan is not None and isinstance(view.plan.facts, Undone)
    return view.plan.facts.since


def _volume(app: AppContext, key: str) -> Volume:
    with reading(app.engine) as connection:
        return load_volumes(connection)[key]


def test_taking_back_one_side_of_a_volume_leaves_what_was_changed_of_the_others(
    app: AppContext, writer: Actor
) -> None:
    renamed = _done(app, writer, requests.RenameVolume("data", "Sheets"))
    _done(app, writer, requests.Language("sheets", "de"))
    _done(app, writer, requests.Libraries("sheets", ("guide",)))
    _done(app, writer, requests.Undo(renamed))
    data = _volume(app, "data")
    assert (data.title, data.language, len(data.libraries)) == ("Data", "de", 1)


def test_taking_back_a_library_leaves_those_that_came_since(app: AppContext, writer: Actor) -> None:
    for title in ("Parts", "Forms"):
        _done(app, writer, requests.CreateVolume(title))
    first = _done(app, writer, requests.Libraries("data", ("guide",)))
    _done(app, writer, requests.Libraries("data", ("parts", "guide", "forms")))
    _done(app, writer, requests.Undo(first))
    assert [_volume(app, key).id for key in ("parts", "forms")] == list(_volume(app, "data").libraries)


def test_what_a_volume_is_called_since_is_said_and_can_be_taken_back_first(
    app: AppContext, writer: Actor
) -> None:
    first = _done(app, writer, requests.RenameVolume("data", "Sheets"))
    second = _done(app, writer, requests.RenameVolume("sheets", "Tables"))
    tongue = _done(app, writer, requests.Language("tables", "de"))
    other = _done(app, writer, requests.Language("tables", "en"))
    view = doing.plan(app, writer, requests.Undo(first))
    assert "“Sheets” is called “Tables” since; that name is taken back with it." in words.sentence(view)
    assert [since.change for since in _since(view)] == [second]
    view = doing.plan(app, writer, requests.Undo(tongue))
    assert "The language was changed to “en” since; that is taken back with it." in words.sentence(view)
    assert [since.change for since in _since(view)] == [other]


def test_a_file_gets_its_name_back_and_keeps_the_bytes_that_came_since(
    app: AppContext, writer: Actor
) -> None:
    renamed = _done(app, writer, requests.RenameFile("guide", "lamp.png", "beacon"))
    _done(app, writer, requests.ReplaceFile("guide", "beacon.png", OTHER_PICTURE))
    _done(app, writer, requests.Undo(renamed))
    assert files.fetch(app, writer, "guide", "lamp.png").hash.hex() == OTHER_PICTURE


def test_a_source_gets_its_name_back_and_keeps_what_is_known_of_it_since(
    app: AppContext, writer: Actor
) -> None:
    renamed = _done(app, writer, requests.RenameSource("guide", "gel", "cells"))
    save_source(app, writer, "cells", {"title": "Gel cells"}, new=False)
    _done(app, writer, requests.Undo(renamed))
    known = sources.about(app, writer, "gel").source
    assert known is not None and known.fields["title"] == "Gel cells"


def test_a_second_name_for_a_file_is_to_be_taken_back_first(app: AppContext, writer: Actor) -> None:
    first = _done(app, writer, requests.RenameFile("guide", "lamp.png", "beacon"))
    second = _done(app, writer, requests.RenameFile("guide", "beacon.png", "light"))
    view = doing.plan(app, writer, requests.Undo(first))
    assert view.refusal is not None and "changed since" in view.refusal.message
    assert view.act.instead(view, view.request) == ("Take the later change back", requests.Undo(second))
    _done(app, writer, requests.Undo(second))
    _done(app, writer, requests.Undo(first))
    assert files.fetch(app, writer, "guide", "lamp.png").name == "lamp.png"
