"""A page that comes to a volume with other readers: who reads what was written before, and who is told."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, requests, secrets
from mokuji.acts.readers import Passing, Readers, sentences
from mokuji.acts.view import Applied, PlanView
from mokuji.core.base.errors import MokujiError
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import history, revisions
from mokuji.services.reading import reading
from mokuji.services.writing import drafts, tasks, writing
from tests.services import making
from tests.services.making import give, pages, person, volume

WORDS = "chlorine"
OLD = [f"The {WORDS} seal leaks.\n", f"The {WORDS} seal is glued.\n", "The seal is glued.\n"]


@pytest.fixture
def keeper(app: AppContext) -> Actor:
    """Writes in a closed volume, where a page has three revisions, and in an open one."""
    volume(app, "Bench", closed=True)
    volume(app, "Guide")
    keeper = person(app, "mirela", bench=Role.OWNER, guide=Role.OWNER)
    pages(app, keeper, "bench", {"Lid": OLD[0]})
    for number, text in enumerate(OLD[1:], 1):
        writing.save(app, keeper, writing.Save("bench", "Lid", text, revision=number))
    return keeper


@pytest.fixture
def outsider(app: AppContext, keeper: Actor) -> Actor:
    """Writes in the open volume and knows nothing of the closed one."""
    return person(app, "piet", guide=Role.WRITER)


def _do(app: AppContext, actor: Actor, wish: requests.Request) -> int:
    view = doing.plan(app, actor, wish)
    assert view.plan is not None, view.refusal
    done = doing.apply(app, actor, wish, view.digest)
    assert isinstance(done, Applied)
    return done.change_set


def _numbers(app: AppContext, actor: Actor, where: str = "guide", page: str = "lid") -> list[int]:
    return [revision.number for revision in history.revisions(app, actor, where, page).revisions]


def _readers(view: PlanView) -> str:
    return " ".join(view.readers_said)


def test_the_plan_says_who_will_read_what_and_leaves_older_revisions_behind(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    wish = requests.Move("bench", "lid", "guide")
    view = doing.plan(app, keeper, wish)
    assert "Everybody else will read the page in “Guide”." in _readers(view)
    assert "The 3 revisions that were written in “Bench” stay with the page" in _readers(view)
    assert view.new_readers_of_older
    _do(app, keeper, wish)
    assert _numbers(app, keeper) == [4, 3, 2, 1]
    assert _numbers(app, outsider) == _numbers(app, NOBODY) == [4]


def test_what_was_left_behind_is_in_nothing_that_others_can_ask_for(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    edit = making.acts(app, keeper)[0][0].id
    _do(app, keeper, requests.Move("bench", "lid", "guide"))
    writing.save(app, keeper, writing.Save("guide", "Lid", "The seal is glued. Twice.\n", revision=4))
    said = repr(
        [
            history.revisions(app, outsider, "guide", "lid"),
            revisions.rule(app, outsider, "guide", "lid"),
            revisions.rule(app, outsider, "guide", "lid", 4, 5),
            reading.open_page(app, outsider, "guide", "lid"),
            making.acts(app, outsider),
        ]
    )
    assert WORDS not in said and "Bench" not in said
    for older, newer in ((1, 5), (3, 4), (1, 2)):
        with pytest.raises(MokujiError, match="has no revision"):
            revisions.rule(app, outsider, "guide", "lid", older, newer)
        with pytest.raises(MokujiError, match="has no revision"):
            history.compare_revisions(app, outsider, "guide", "lid", older, newer)
    with pytest.raises(MokujiError):
        history.one_act(app, outsider, edit)
    with pytest.raises(MokujiError):
        doing.plan(app, outsider, requests.Undo(edit))
    # A save begun on a revision that one cannot read is told apart from none by nothing.
    for begun in (1, 2, 99):
        with pytest.raises(MokujiError) as said_so:
            writing.save(app, outsider, writing.Save("guide", "Lid", "Mine.\n", revision=begun, merge=True))
        assert said_so.value.code == "edited_meanwhile" and WORDS not in repr(vars(said_so.value))
    with pytest.raises(MokujiError):
        tasks.tick(app, outsider, "guide", "lid", 0, 1, done=True)
    drafts.keep(app, outsider, "guide", "lid", "Mine.\n", title="Lid", revision=2)
    opened = writing.open_for_edit(app, outsider, "guide", "lid")
    assert WORDS not in repr(opened)


def test_older_revisions_go_along_if_that_is_asked_for_and_come_back_by_undoing(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    wish = requests.Move("bench", "lid", "guide", revisions="along")
    assert "go along: they will read that too." in _readers(doing.plan(app, keeper, wish))
    assert (
        doing.plan(app, keeper, wish).digest
        != doing.plan(app, keeper, requests.Move("bench", "lid", "guide")).digest
    )
    change = _do(app, keeper, wish)
    assert _numbers(app, outsider) == [4, 3, 2, 1]
    back = _do(app, keeper, requests.Undo(change))
    with pytest.raises(MokujiError):
        _numbers(app, outsider, "bench")
    # Once more there without them, what went along the first time is left behind.
    _do(app, keeper, requests.Move("bench", "lid", "guide"))
    assert _numbers(app, outsider) == [6, 4]
    _do(app, keeper, requests.Move("guide", "lid", "bench"))
    assert back
    assert _numbers(app, keeper, "bench") == [7, 6, 5, 4, 3, 2, 1]


def test_the_other_way_round_the_plan_says_who_loses_it(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    pages(app, keeper, "guide", {"Well": "One."})
    writing.save(app, keeper, writing.Save("guide", "Well", "Two.", revision=1))
    wish = requests.Move("guide", "well", "bench")
    view = doing.plan(app, keeper, wish)
    assert "Everybody else will no longer read the page, nor what was written there before" in _readers(view)
    assert not view.new_readers_of_older
    change = _do(app, keeper, wish)
    assert _numbers(app, keeper, "bench", "well") == [3, 2, 1]
    writing.save(app, keeper, writing.Save("bench", "Well", "Three.", revision=3))
    view = doing.plan(app, keeper, requests.Undo(change))
    assert "The 2 revisions that were written in “Bench” stay with the page" in _readers(view)
    _do(app, keeper, requests.Undo(change))
    assert _numbers(app, keeper, "guide", "well") == [5, 4, 3, 2, 1]
    assert _numbers(app, outsider, "guide", "well") == [5, 2, 1]


def test_between_closed_volumes_it_is_people_that_are_named(app: AppContext, keeper: Actor) -> None:
    volume(app, "Lab", closed=True)
    mirela = give(app, keeper, "lab", Role.WRITER)
    person(app, "jonas", lab=Role.READER)
    person(app, "wenna", bench=Role.READER)
    said = _readers(doing.plan(app, mirela, requests.Move("bench", "lid", "lab")))
    assert "Jonas will read the page in “Lab”." in said
    assert (
        "Wenna will no longer read the page, nor what was written there before: “Lab” is closed to them."
        in said
    )


def test_names_keep_their_capitals_where_they_begin_a_sentence() -> None:
    source, target = (
        Volume(n, title.lower(), title, closed=True) for n, title in enumerate(("Bench", "Lab"), 1)
    )
    passing = Passing(
        source, target, 2, Readers(names=("Ada van Oss", "Piet Aas")), Readers(), 0, along=False
    )
    assert sentences([passing], {}) == ["Ada van Oss and Piet Aas will read the 2 pages in “Lab”."]


def test_undoing_an_edit_says_that_words_come_back_to_more_readers(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    edit = making.acts(app, keeper)[0][0].id
    _do(app, keeper, requests.Move("bench", "lid", "guide"))
    said = _readers(doing.plan(app, keeper, requests.Undo(edit)))
    assert (
        "“Lid” gets words back that were written in “Bench”. It is in “Guide” now, and everybody else" in said
    )


def test_an_act_that_touched_what_was_closed_shows_only_what_may_be_read(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    """A rename elsewhere rewrote the page while it was closed; who undoes it sees nothing of the text it had."""
    pages(app, keeper, "guide", {"Pump": "", "Well": "[[Pump]]"})
    writing.save(app, keeper, writing.Save("bench", "Lid", f"The {WORDS} of [[Guide/Pump]].\n", revision=3))
    rename = _do(app, keeper, requests.Rename("guide", "pump", "Bilge pump"))
    writing.save(app, keeper, writing.Save("bench", "Lid", "Of [[Guide/Bilge pump]].\n", revision=5))
    _do(app, keeper, requests.Move("bench", "lid", "guide"))
    view = doing.plan(app, outsider, requests.Undo(rename))
    assert WORDS not in repr((view.changes, view.readers_said, view.conflicts, view.lost))
    assert view.hidden_pages == 1
    assert all(page.number != 5 for page in history.one_act(app, outsider, rename).pages)


def test_a_secret_is_taken_out_of_revisions_that_were_left_behind(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    _do(app, keeper, requests.Move("bench", "lid", "guide"))
    owner = give(app, outsider, "guide", Role.OWNER)
    assert not secrets.plan(app, owner, "guide", WORDS).found.pages, "its readers know nothing of it"
    planned = secrets.plan(app, keeper, "bench", WORDS)
    assert [(title, numbers) for _, title, _, numbers in planned.found.pages] == [("Lid", (1, 2))]
    secrets.take_out(app, keeper, "bench", WORDS, planned.digest)
    assert WORDS not in repr([history.one_revision(app, keeper, "guide", "lid", n) for n in (1, 2, 3, 4)])
