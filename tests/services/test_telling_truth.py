"""What a plan lists is what is done, and what an undoing lets go again is what the act took."""

from __future__ import annotations

import re
from random import Random

import pytest
from sqlalchemy import text

from mokuji.acts import doing, requests, words
from mokuji.acts.view import Applied, PlanView
from mokuji.core.base.errors import Refused
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Actor, Role
from mokuji.core.refactor.plans.undo import Undone
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import trash
from mokuji.services.reading import reading
from mokuji.store.database import Connection
from mokuji.store.database import reading as reading_transaction
from tests.services.making import pages, person, texts, volume


@pytest.fixture
def writer(app: AppContext) -> Actor:
    for title in ("Guide", "V"):
        volume(app, title)
    return person(app, "wenna", guide=Role.OWNER, v=Role.OWNER)


def _done(app: AppContext, actor: Actor, wish: requests.Request) -> int:
    view = doing.plan(app, actor, wish)
    assert view.plan is not None, view.refusal
    done = doing.apply(app, actor, wish, view.plan.digest)
    assert isinstance(done, Applied), done
    return done.change_set


def _ids(app: AppContext) -> dict[str, int]:
    with reading_transaction(app.engine) as connection:
        return {head.key: head.id for head in load_heads(connection, "guide")}


def _words(view: PlanView, what: str) -> list[str]:
    return [each.words for each in getattr(view, what)]


def test_undoing_a_volume_s_rename_rewrites_no_page_that_the_rename_did_not_touch(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"G": "[[cfg/x]] [[V/A]]"})
    pages(app, writer, "v", {"A": ""})
    wish = requests.RenameVolume("v", "cfg")
    assert _words(doing.plan(app, writer, wish), "resettled") == ["[[cfg/x]]"]
    made = _done(app, writer, wish)
    assert texts(app)["G"] == "[[cfg/x]] [[cfg/A]]"
    _done(app, writer, requests.Undo(made))
    assert texts(app)["G"] == "[[cfg/x]] [[V/A]]"


def test_what_an_undoing_lets_go_is_listed(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"A": "", "G": "[[B]] [[A]]"})
    wish = requests.Rename("guide", "a", "B")
    assert _words(doing.plan(app, writer, wish), "captured") == ["[[B]]"]
    made = _done(app, writer, wish)
    view = doing.plan(app, writer, requests.Undo(made))
    assert _words(view, "released") == ["[[B]]"]
    _done(app, writer, requests.Undo(made))
    assert texts(app)["G"] == "[[B]] [[A]]"


def test_a_split_is_undone_though_the_page_it_came_from_is_in_the_trash(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"A": "## Seat\n\ntext", "G": "[[A#Seat]]"})
    made = _done(app, writer, requests.Split("guide", "a", 0, "B"))
    _done(app, writer, requests.Delete("guide", "a"))
    assert texts(app)["G"] == "[[B]]"
    view = doing.plan(app, writer, requests.Undo(made))
    assert _words(view, "lost") == ["[[B]]"]


def test_what_fell_to_another_page_is_listed_when_it_leads_back(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"A": "a", "Other": "---\naliases: [A]\n---\no", "G": "[[A]]"})
    gone = _ids(app)
    _done(app, writer, requests.Delete("guide", "a"))
    view = doing.plan(app, writer, requests.Restore((gone["a"],)))
    assert _words(view, "returned") == ["[[A]]"]


def test_a_page_that_takes_an_alias_of_its_own_as_title_has_it_no_more(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"A": "---\naliases: [B, C]\n---\nText."})
    made = _done(app, writer, requests.Rename("guide", "a", "B"))
    assert texts(app)["B"] == "---\naliases: [C]\n---\nText."
    _done(app, writer, requests.Undo(made))
    assert texts(app)["A"] == "---\naliases: [B, C]\n---\nText."


def test_readers_of_other_text_are_told_of(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"P": "p", "Q": "q", "R": "[[=P]] [[P]]"})
    view = doing.plan(app, writer, requests.Merge("guide", "p", "q"))
    assert _words(view, "other_texts") == ["[[=P]]"]
    view = doing.plan(app, writer, requests.Delete("guide", "p", references="words"))
    assert _words(view, "other_texts") == ["[[=P]]"]


def test_a_merge_into_a_circle_is_refused_without_naming_pages_between(
    app: AppContext, writer: Actor
) -> None:
    volume(app, "Closed", closed=True)
    owner = person(app, "mirela", closed=Role.OWNER, guide=Role.OWNER)
    pages(app, owner, "closed", {"Hidden": "[[=Guide/Q]]"})
    pages(app, owner, "guide", {"P": "[[=Closed/Hidden]]", "Q": "q"})
    view = doing.plan(app, writer, requests.Merge("guide", "p", "q"))
    assert isinstance(view.refusal, Refused) and view.refusal.code == "insert_loop"
    assert "Hidden" not in view.refusal.message


def test_another_name_is_offered_only_where_it_is_found(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "v", {"Well": ""})
    pages(app, writer, "guide", {"G": "[[Wel]] [[V/Wel]]"})
    view = doing.plan(app, writer, requests.AddAlias("guide", "wel", "V/Well"))
    assert isinstance(view.refusal, Refused) and view.refusal.code == "alias_elsewhere"
    assert "Lead those to it instead" in view.refusal.message
    _done(app, writer, requests.AddAlias("v", "wel", "Well"))
    assert texts(app)["Well"].startswith("---\naliases: [Wel]")


def test_an_alias_that_is_a_title_is_said_to_lead_elsewhere(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"A": "", "B": ""})
    view = doing.plan(app, writer, requests.Aliases("guide", "a", ("B", "C", "a")))
    said = words.sentence(view)
    assert "also be found as “C”." in said and "“B”, “a” are titles of pages of this volume" in said


def load_heads(connection: Connection, volume_key: str) -> list[PageHead]:
    rows = connection.execute(
        text(
            "SELECT p.id, p.volume, p.key, p.title FROM page p JOIN volume v ON v.id = p.volume WHERE v.key = :key"
        ),
        {"key": volume_key},
    )
    return [PageHead(*row) for row in rows]


def _order(app: AppContext, actor: Actor) -> list[str]:
    return reading.contents_text(app, actor, "guide").splitlines()


def _in_order(app: AppContext, actor: Actor, *titles: str) -> None:
    pages(app, actor, "guide", dict.fromkeys(titles, ""))


@pytest.mark.parametrize("together", [True, False], ids=["in one plan", "one by one"])
@pytest.mark.parametrize("again", [["a", "b", "c"], ["c", "b", "a"], ["b", "a", "c"]])
def test_pages_deleted_one_by_one_come_back_in_their_order(
    app: AppContext, writer: Actor, together: bool, again: list[str]
) -> None:
    _in_order(app, writer, "A", "B", "C", "D")
    before = _order(app, writer)
    ids = _ids(app)
    for key in ("a", "b", "c"):
        _done(app, writer, requests.Delete("guide", key))
    groups = [again] if together else [[key] for key in again]
    for group in groups:
        _done(app, writer, requests.Restore(tuple(ids[key] for key in group)))
    assert _order(app, writer) == before


def test_a_branch_whose_root_has_another_name_now_comes_back_below_its_root(
    app: AppContext, writer: Actor
) -> None:
    _in_order(app, writer, "Root", "One", "Two", "Other")
    _done(app, writer, requests.Contents("guide", "- [[Root]]\n  - [[One]]\n  - [[Two]]\n- [[Other]]\n"))
    with reading_transaction(app.engine) as connection:
        ids = {head.key: head.id for head in load_heads(connection, "guide")}
    _done(app, writer, requests.Delete("guide", "root", branch=True))
    pages(app, writer, "guide", {"Root": "A new one."})
    gone = (ids["root"], ids["one"], ids["two"])
    wish = requests.Restore(gone, {ids["root"]: "Old root"})
    _done(app, writer, wish)
    assert _order(app, writer) == [
        "- [[Old root]]", "  - [[One]]", "  - [[Two]]", "- [[Other]]", "- [[Root]]"
    ]  # fmt: skip


def test_a_page_whose_parent_stays_away_does_not_come_back_below_a_stranger(
    app: AppContext, writer: Actor
) -> None:
    _in_order(app, writer, "Root", "One", "Other")
    _done(app, writer, requests.Contents("guide", "- [[Root]]\n  - [[One]]\n- [[Other]]\n"))
    with reading_transaction(app.engine) as connection:
        ids = {head.key: head.id for head in load_heads(connection, "guide")}
    _done(app, writer, requests.Delete("guide", "root", branch=True))
    pages(app, writer, "guide", {"Root": "A new one."})
    _done(app, writer, requests.Restore((ids["one"],)))
    assert "  - [[One]]" not in _order(app, writer) and "- [[One]]" in _order(app, writer)


def test_undoing_an_earlier_rename_says_what_came_since_and_keeps_the_place(
    app: AppContext, writer: Actor
) -> None:
    _in_order(app, writer, "A", "One", "B")
    first = _done(app, writer, requests.Rename("guide", "one", "Two"))
    second = _done(app, writer, requests.Rename("guide", "two", "Three"))
    view = doing.plan(app, writer, requests.Undo(first))
    assert "“Two” is called “Three” since; that name is taken back with it." in words.sentence(view)
    assert view.plan is not None and isinstance(view.plan.facts, Undone)
    assert [(since.then, since.now, since.change) for since in view.plan.facts.since] == [
        ("Two", "Three", second)
    ]
    _done(app, writer, requests.Undo(first))
    assert _order(app, writer) == ["- [[A]]", "- [[One]]", "- [[B]]"]


@pytest.mark.parametrize("seed", range(12))
def test_places_follow_their_pages_whatever_is_undone_in_whatever_order(
    app: AppContext, writer: Actor, seed: int
) -> None:
    chance = Random(seed)
    _in_order(app, writer, "A", "B", "C")
    pages(app, writer, "v", {"D": "[[Guide/A]]", "E": ""})
    done: list[int] = []
    for step in range(14):
        with reading_transaction(app.engine) as connection:
            heads = {key: load_heads(connection, key) for key in ("guide", "v")}
        home = chance.choice([key for key in heads if heads[key]])
        head = chance.choice(heads[home])
        wish: requests.Request = requests.Rename(home, head.key, f"{chance.choice('ABCDEFG')}{step}")
        if chance.random() < 0.3:
            wish = requests.Move(home, head.key, "v" if home == "guide" else "guide")
        elif done and chance.random() < 0.5:
            wish = requests.Undo(done.pop(chance.randrange(len(done))))
        view = doing.plan(app, writer, wish)
        if view.can_be_done and view.plan is not None:
            applied = doing.apply(app, writer, wish, view.plan.digest)
            assert isinstance(applied, Applied)
            done.append(applied.change_set)
        with reading_transaction(app.engine) as connection:
            for key in heads:
                there = sorted(each.title for each in load_heads(connection, key))
                placed = re.findall(r"\[\[(.+?)\]\]", reading.contents_text(app, writer, key))
                assert sorted(placed) == there, f"step {step}: {wish}"


def test_a_deleted_volume_lies_in_the_trash_of_its_owners_and_comes_back(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "v", {"A": "Text."})
    reader = person(app, "piet", v=Role.READER)
    made = _done(app, writer, requests.DeleteVolume("v"))
    (gone,) = trash.trash_view(app, writer).gone
    assert (gone.title, gone.change_set) == ("V", made)
    assert trash.trash_view(app, reader).gone == ()
    _done(app, writer, requests.Undo(gone.change_set))
    assert trash.trash_view(app, writer).gone == () and texts(app)["A"] == "Text."


def test_a_title_with_a_volume_s_name_before_the_slash_is_shown_as_typed(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"V/x": "", "G": "[[V/x]] and [[V/y]]"})
    pages(app, writer, "v", {"y": ""})
    view = reading.open_page(app, writer, "guide", "g")
    assert isinstance(view, reading.PageView)
    assert [link.words for link in view.links] == ["V/x", "y"]
