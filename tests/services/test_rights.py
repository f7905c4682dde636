"""What a person may not read leaks nowhere: not into lists, counts, search, previews, plans or errors."""

from __future__ import annotations

import ast
from collections.abc import Callable
from pathlib import Path

import pytest

from mokuji.acts import doing, requests, words
from mokuji.acts.things.source_edit import save_source
from mokuji.core.base import errors
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.model.policy import NOBODY, Actor, Permission, Role, may
from mokuji.core.refactor.plans.inline import InlinedEverywhere
from mokuji.services.desk import Desk, refresh
from mokuji.services.reading import finding, history, reading, trash
from mokuji.services.upkeep import upkeep
from mokuji.services.writing import writing
from mokuji.store.database import reading as database_reading
from mokuji.store.snapshot import StoredWiki, load_volumes
from tests.services.making import pages, person, texts, volume


@pytest.fixture
def keeper(desk: Desk) -> Actor:
    """An open and a closed volume that refer to each other; gives the owner of both."""
    volume(desk, "Guide")
    volume(desk, "Notes", closed=True)
    keeper = person(desk, "mirela", guide=Role.OWNER, notes=Role.OWNER)
    pages(
        desk,
        keeper,
        "guide",
        {"Pump": "See [[Well]] and [[Gasket]].\n\n[[Notes/Chlorine trial]]", "Well": ""},
    )
    pages(
        desk,
        keeper,
        "notes",
        {
            "Chlorine trial": "In the [[Guide/Pump]] and a [[Guide/Chlorine seal]]; also [[Guide/Gasket]].",
            "Pump": "---\naliases: [Chlorine pump]\n---\n[[Chlorine trial]]",
        },
    )
    return keeper


@pytest.fixture
def outsider(desk: Desk, keeper: Actor) -> Actor:
    return person(desk, "jonas", guide=Role.WRITER)


def test_the_table_of_rights() -> None:
    reader, writer = (Actor(1, roles={7: role}) for role in (Role.READER, Role.WRITER))
    assert may(NOBODY, Permission.READ, 7, closed=False) and not may(NOBODY, Permission.READ, 7, closed=True)
    assert may(reader, Permission.READ, 7, closed=True) and not may(reader, Permission.WRITE, 7, closed=False)
    assert may(writer, Permission.RENAME, 7, closed=True) and not may(
        writer, Permission.MANAGE, 7, closed=False
    )
    assert not may(writer, Permission.READ, 8, closed=True)


SEEN: list[Callable[[Desk, Actor], object]] = [
    reading.start,
    lambda desk, actor: reading.open_volume(desk, actor, "guide"),
    lambda desk, actor: reading.open_page(desk, actor, "guide", "chlorine-seal"),
    lambda desk, actor: reading.all_backlinks(desk, actor, "guide", "pump"),
    lambda desk, actor: reading.card(desk, actor, "guide", "gasket"),
    lambda desk, actor: finding.find(desk, actor, "trial seal pump"),
    lambda desk, actor: finding.go_box(desk, actor, "pump"),
    lambda desk, actor: finding.names_for(desk, actor, "pump", "guide"),
    history.acts,
    lambda desk, actor: history.one_act(desk, actor, 1),
    lambda desk, actor: writing.open_for_edit(desk, actor, "guide", "gasket"),
    *(lambda desk, actor, name=name: upkeep.report(desk, actor, "guide", name) for name in upkeep.REPORTS),
    lambda desk, actor: upkeep.overview(desk, actor, "guide"),
    lambda desk, actor: doing.plan(desk, actor, requests.Delete("guide", "well")),
    trash.trash_view,
]


@pytest.mark.parametrize("look", SEEN)
def test_no_view_of_an_outsider_holds_a_word_of_the_closed_volume(
    desk: Desk, outsider: Actor, look: Callable[[Desk, Actor], object]
) -> None:
    said = repr(look(desk, outsider)).replace("trial seal pump", "")
    for typed in ("Notes/Chlorine trial", "notes/chlorine trial", "words='Chlorine trial'"):
        said = said.replace(typed, "")  # what an open page says is open
    assert "trial" not in said
    assert "Notes" not in said and "'notes'" not in said


def test_a_reference_into_a_closed_volume_looks_like_an_unwritten_name(desk: Desk, outsider: Actor) -> None:
    view = reading.open_page(desk, outsider, "guide", "pump")
    assert isinstance(view, reading.PageView)
    missing, closed = view.links[1], view.links[2]
    assert (closed.state, missing.state) == ("unwritten", "unwritten")
    assert closed.volume == "guide", "for who does not know of the volume it is a name of this one"


def test_backlinks_and_counts_leave_out_what_is_closed(desk: Desk, keeper: Actor, outsider: Actor) -> None:
    refresh(desk)
    for actor, pages_that_lead in ((keeper, 1), (outsider, 0), (NOBODY, 0)):
        view = reading.open_page(desk, actor, "guide", "pump")
        assert isinstance(view, reading.PageView)
        assert view.backlinks.pages == pages_that_lead
        entry = view.place.contents.of("pump")
        assert entry is not None and entry.led_to_by == pages_that_lead
        # Chlorine seal is asked for in the closed volume only.
        assert view.place.unwritten == 2, "for others the name in the closed volume is one in none"


def test_a_closed_volume_and_none_are_asked_for_alike(desk: Desk, keeper: Actor, outsider: Actor) -> None:
    for revision, volume_title in enumerate(("Notes", "Nowhere"), 1):
        text = f"[[{volume_title}/Chlorine trial]] [[/{volume_title}/Pump]] [[/{volume_title}/Rope]]"
        writing.save(desk, keeper, writing.Save("guide", "Pump", text, revision=revision))
        found = upkeep.report(desk, outsider, "guide", "unwritten").findings
        assert [(each.key, each.title, each.missing) for each in found] == [
            (f"1 /{volume_title.lower()}/pump", f"{volume_title}/Pump", volume_title),
            (f"1 /{volume_title.lower()}/rope", f"{volume_title}/Rope", volume_title),
            (f"1 {volume_title.lower()}/chlorine trial", f"{volume_title}/Chlorine trial", ""),
        ]
        assert all(each.spots for each in found)
    (own,) = [
        each.title for each in upkeep.report(desk, keeper, "guide", "unwritten").findings if each.missing
    ][:1]
    assert own == "Nowhere/Pump"


def test_leading_a_name_out_of_a_closed_volume_or_out_of_none_is_planned_alike(
    desk: Desk, keeper: Actor, outsider: Actor
) -> None:
    writing.save(desk, keeper, writing.Save("notes", "Log", "[[/Notes/Pump]] [[Chlorine trial]]", revision=0))
    planned = []
    for revision, name in enumerate(("Notes", "Nowhere"), 1):
        text = f"[[/{name}/Pump]] and [[/{name}/Rope]], then [[/{name}/Chlorine trial]]"
        writing.save(desk, keeper, writing.Save("guide", "Pump", text, revision=revision))
        for typed in ("Pump", "Rope", "Chlorine trial"):
            wish = requests.Retarget("guide", f"{name}/{typed}", "Well", absolute=True)
            view = doing.plan(desk, outsider, wish)
            assert view.plan is not None, view.refusal
            said = words.sentence(view).replace(name, "Volume")
            planned.append((said, [each.head.title for each in view.changes]))
    assert planned[:3] == planned[3:]
    assert planned[1] == ("1 reference in 1 page to “Volume/Rope” will lead to “Well”.", ["Pump"])
    doing.apply(desk, outsider, requests.Retarget("guide", "Nowhere/Rope", "Well", absolute=True), None)
    assert texts(desk)["Log"] == "[[/Notes/Pump]] [[Chlorine trial]]"


def test_search_finds_nothing_in_a_closed_volume(desk: Desk, keeper: Actor, outsider: Actor) -> None:
    assert len(finding.find(desk, keeper, "chlorine").hits) == 3
    for actor in (outsider, NOBODY):
        found = finding.find(desk, actor, "chlorine")
        assert [hit.title for hit in found.hits] == ["Pump"], "only the open page, which itself says the word"
        assert found.counts.keys() <= found.volumes.keys()
        assert finding.find(desk, actor, "chlorine", "notes").scope is None


def test_a_move_into_a_closed_volume_is_refused_like_one_into_none(desk: Desk, outsider: Actor) -> None:
    closed = doing.plan(desk, outsider, requests.Move("guide", "pump", "notes")).refusal
    missing = doing.plan(desk, outsider, requests.Move("guide", "pump", "nothing")).refusal
    assert closed is not None and missing is not None
    assert (closed.code, closed.message) == (missing.code, missing.message)


CLOSED: list[Callable[[Desk, Actor], object]] = [
    lambda desk, actor: reading.open_volume(desk, actor, "notes"),
    lambda desk, actor: reading.open_page(desk, actor, "notes", "chlorine-trial"),
    lambda desk, actor: reading.open_page(desk, actor, "notes", "nothing-of-the-kind"),
    lambda desk, actor: reading.all_backlinks(desk, actor, "notes", "pump"),
    lambda desk, actor: reading.card(desk, actor, "notes", "pump"),
    lambda desk, actor: history.revisions(desk, actor, "notes", "pump"),
    lambda desk, actor: history.compare_revisions(desk, actor, "notes", "pump", 1, 1),
    lambda desk, actor: writing.open_for_edit(desk, actor, "notes", "pump"),
    lambda desk, actor: writing.preview(desk, actor, "notes", "pump", "x"),
    lambda desk, actor: writing.save(desk, actor, writing.Save("notes", "Pump", "x", revision=1)),
    lambda desk, actor: writing.targets(desk, actor, "notes", ["Pump"]),
    lambda desk, actor: doing.plan(desk, actor, requests.Rename("notes", "pump", "Cell")),
    lambda desk, actor: doing.plan(desk, actor, requests.LinkFrom("notes", "pump", "seal")),
    lambda desk, actor: upkeep.overview(desk, actor, "notes"),
    lambda desk, actor: upkeep.report(desk, actor, "notes", "orphans"),
    lambda desk, actor: upkeep.differ(desk, actor, "notes", "a", "b"),
]


@pytest.mark.parametrize("act", CLOSED)
def test_a_closed_volume_and_one_that_is_not_there_look_the_same(
    desk: Desk, outsider: Actor, act: Callable[[Desk, Actor], object]
) -> None:
    with pytest.raises(Missing) as closed:
        act(desk, outsider)
    with pytest.raises(Missing) as nothing:
        reading.open_volume(desk, outsider, "no-such-volume")
    assert closed.value.message == nothing.value.message


def test_an_act_in_a_closed_volume_is_no_act_to_an_outsider(
    desk: Desk, keeper: Actor, outsider: Actor
) -> None:
    secret = max(act.id for act in history.acts(desk, keeper)[0])
    with pytest.raises(Missing) as closed:
        history.one_act(desk, outsider, secret)
    with pytest.raises(Missing) as nothing:
        history.one_act(desk, outsider, 10**9)
    assert closed.value.message == nothing.value.message


def test_a_new_page_tells_nothing_of_what_it_changed_elsewhere(
    desk: Desk, keeper: Actor, outsider: Actor
) -> None:
    pages(desk, keeper, "guide", {"Battery": "---\naliases: [Cell]\n---\n"})
    pages(desk, keeper, "notes", {"Chlorine cell": "[[Guide/Cell]]"})
    saved = writing.save(desk, outsider, writing.Save("guide", "Cell", "", revision=0))
    assert saved.kept == ()
    view = reading.open_page(desk, keeper, "notes", "chlorine-cell")
    assert isinstance(view, reading.PageView)
    assert view.ready.page.text == "[[Guide/Battery|Cell]]"


def test_a_reader_and_nobody_cannot_write(desk: Desk, keeper: Actor) -> None:
    reader = person(desk, "piet", guide=Role.READER)
    for actor in (reader, NOBODY):
        with pytest.raises(Forbidden):
            writing.save(desk, actor, writing.Save("guide", "pump", "x", revision=1))
        with pytest.raises(Forbidden):
            writing.save(desk, actor, writing.Save("guide", "New", "x", revision=0))
        with pytest.raises(Forbidden):
            writing.open_for_edit(desk, actor, "guide", "pump")
        with pytest.raises(Forbidden):
            writing.preview(desk, actor, "guide", "pump", "x")


# ---- refusals ------------------------------------------------------------------------

REFUSALS = {"Refused", "Collision", "Conflict", "Missing", "BadName"}


@pytest.fixture
def two_volumes(desk: Desk) -> tuple[Actor, Actor]:
    """Who writes in an open and in a closed volume, and who writes in the open one alone."""
    for title, closed in (("Manual", False), ("Vault", True)):
        volume(desk, title, closed=closed)
    return (
        person(desk, "mirela", manual=Role.OWNER, vault=Role.OWNER),
        person(desk, "piet", manual=Role.OWNER),
    )


def _refusal(desk: Desk, actor: Actor, wish: requests.Request) -> str:
    view = doing.plan(desk, actor, wish)
    assert view.refusal is not None
    return view.refusal.message


def test_a_source_that_cannot_be_cited_instead_names_no_closed_page(
    desk: Desk, two_volumes: tuple[Actor, Actor]
) -> None:
    keeper, other = two_volumes
    for name in ("tide2024", "tide2025"):
        save_source(desk, keeper, name, {"title": name}, new=True)
    text = "Says [^tide2024], and [^tide2025].\n\n[^tide2025]: A note of its own.\n"
    writing.save(desk, keeper, writing.Save("vault", "Heron plan", text, revision=0))
    wish = requests.DeleteSource("manual", "tide2024", instead="tide2025")
    assert "“Heron plan”" in _refusal(desk, keeper, wish)
    assert "Heron" not in _refusal(desk, other, wish) and "closed to you" in _refusal(desk, other, wish)


def test_inserts_that_stay_name_no_closed_page_among_the_reasons(
    desk: Desk, two_volumes: tuple[Actor, Actor]
) -> None:
    keeper, other = two_volumes
    writing.save(
        desk, keeper, writing.Save("manual", "Card", "---\ngives: [Cards]\n---\nText.\n", revision=0)
    )
    writing.save(desk, keeper, writing.Save("manual", "Use", "[[=Card]]\n", revision=0))
    strange = "---\ncategories: &a [One]\nx: *a\n---\n[[=/Manual/Card]]\n"
    writing.save(desk, keeper, writing.Save("vault", "Heron plan", strange, revision=0))
    view = doing.plan(desk, other, requests.InlineEverywhere("manual", "card"))
    assert view.plan is not None, view.refusal
    assert isinstance(view.plan.facts, InlinedEverywhere) and view.plan.facts.left == 1, (
        "the page in the vault keeps its insert"
    )
    assert "Heron" not in words.sentence(view) and "front matter" in words.sentence(view)


def test_a_plain_save_that_is_refused_names_no_closed_page(
    desk: Desk, two_volumes: tuple[Actor, Actor], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A new page can be refused for what would happen to a reference on a closed one."""
    keeper, other = two_volumes

    def refuse(*_: object, **__: object) -> None:
        head = StoredWiki(connection).titles([(ids["vault"], "heron plan")])[ids["vault"], "heron plan"]
        raise Refused(f"“{head.title}” cannot follow.", named=[head.volume], code="unwritable")

    writing.save(desk, keeper, writing.Save("vault", "Heron plan", "[[Manual/Lid]]", revision=0))
    with database_reading(desk.engine) as connection:
        ids = {key: each.id for key, each in load_volumes(connection).items()}
        monkeypatch.setattr(writing, "create", refuse)
        said = []
        for actor in (keeper, other):
            with pytest.raises(Refused) as refused:
                writing.save(desk, actor, writing.Save("manual", "Lid", "Text.", revision=0))
            said.append(refused.value.message)
            assert refused.value.code == "unwritable" and refused.value.__cause__ is None
    assert "Heron" in said[0] and "Heron" not in said[1] and "closed to you" in said[1]


def test_every_refusal_of_a_plan_says_whose_names_are_in_its_sentence() -> None:
    """So that it can be told to who may read them, and to nobody else."""
    core = Path(errors.__file__).parents[1]
    found = 0
    for path in sorted(core.rglob("*.py")):
        if path.parent.name == "text":
            continue  # reads texts, and knows of no other page
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in REFUSALS:
                said = ast.unparse(node.args[0])
                if ".title}" in said:
                    found += 1
                    where = f"{path.name}:{node.lineno}"
                    assert any(each.arg == "named" for each in node.keywords), where
    assert found > 20
