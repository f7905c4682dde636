"""What a person may not read leaks nowhere: not into lists, counts, search, previews, plans or errors."""

from __future__ import annotations

import ast
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest

from mokuji.acts import doing, requests, words
from mokuji.acts.assets.source_edit import save_source
from mokuji.core.base import errors
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.finding.question import read as read_question
from mokuji.core.model.policy import NOBODY, Actor, Permission, Role, may
from mokuji.core.refactor.plans.inline import InlinedEverywhere
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.looking_back import history, trash
from mokuji.services.reading import finding, reading, searching
from mokuji.services.writing import writing
from mokuji.store.database import reading as database_reading
from mokuji.store.snapshot import StoredWiki, load_volumes
from mokuji.upkeep import upkeep
from tests.copies import made_once
from tests.services import making
from tests.services.making import pages, person, texts, titles_found, volume


def _filled(app: AppContext) -> Actor:
    """An open and a closed volume that refer to each other; gives the owner of both."""
    volume(app, "Guide")
    volume(app, "Notes", closed=True)
    keeper = person(app, "mirela", guide=Role.OWNER, notes=Role.OWNER)
    pages(
        app,
        keeper,
        "guide",
        {"Pump": "See [[Well]] and [[Gasket]].\n\n[[Notes/Chlorine trial]]", "Well": ""},
    )
    pages(
        app,
        keeper,
        "notes",
        {
            "Chlorine trial": "In the [[Guide/Pump]] and a [[Guide/Chlorine seal]]; also [[Guide/Gasket]].",
            "Pump": "---\naliases: [Chlorine pump]\n---\n[[Chlorine trial]]",
        },
    )
    return keeper


app, keeper = made_once(_filled)


@pytest.fixture
def outsider(app: AppContext, keeper: Actor) -> Actor:
    return person(app, "jonas", guide=Role.WRITER)


def test_the_table_of_rights() -> None:
    reader, writer = (Actor(1, roles={7: role}) for role in (Role.READER, Role.WRITER))
    assert may(NOBODY, Permission.READ, 7, closed=False) and not may(NOBODY, Permission.READ, 7, closed=True)
    assert may(reader, Permission.READ, 7, closed=True) and not may(reader, Permission.WRITE, 7, closed=False)
    assert may(writer, Permission.RENAME, 7, closed=True) and not may(
        writer, Permission.MANAGE, 7, closed=False
    )
    assert not may(writer, Permission.READ, 8, closed=True)


SEEN: list[Callable[[AppContext, Actor], object]] = [
    reading.start,
    lambda app, actor: reading.open_volume(app, actor, "guide"),
    lambda app, actor: reading.open_page(app, actor, "guide", "chlorine-seal"),
    lambda app, actor: reading.all_backlinks(app, actor, "guide", "pump"),
    lambda app, actor: reading.card(app, actor, "guide", "gasket"),
    lambda app, actor: searching.find(app, actor, "trial seal pump"),
    lambda app, actor: searching.go_box(app, actor, "pump"),
    lambda app, actor: finding.names_for(app, actor, "pump", "guide"),
    making.acts,
    lambda app, actor: history.one_act(app, actor, 1),
    lambda app, actor: writing.open_for_edit(app, actor, "guide", "gasket"),
    *(lambda app, actor, name=name: upkeep.report(app, actor, "guide", name) for name in upkeep.REPORTS),
    lambda app, actor: upkeep.overview(app, actor, "guide"),
    lambda app, actor: doing.plan(app, actor, requests.Delete("guide", "well")),
    trash.trash_view,
]


@pytest.mark.parametrize("look", SEEN)
def test_no_view_of_an_outsider_holds_a_word_of_the_closed_volume(
    app: AppContext, outsider: Actor, look: Callable[[AppContext, Actor], object]
) -> None:
    seen = look(app, outsider)
    if isinstance(seen, searching.Answer):
        seen = replace(seen, question=read_question(""))
    said = repr(seen).replace("'trial': ", "")  # what was typed is known
    for typed in ("Notes/Chlorine trial", "notes/chlorine trial", "words='Chlorine trial'"):
        said = said.replace(typed, "")  # what an open page says is open
    assert "trial" not in said
    assert "Notes" not in said and "'notes'" not in said


def test_a_reference_into_a_closed_volume_looks_like_an_unwritten_name(
    app: AppContext, outsider: Actor
) -> None:
    view = reading.open_page(app, outsider, "guide", "pump")
    assert isinstance(view, reading.PageView)
    missing, closed = view.links[1], view.links[2]
    assert (closed.state, missing.state) == ("unwritten", "unwritten")
    assert closed.volume == "guide", "for who does not know of the volume it is a name of this one"


def test_backlinks_and_counts_leave_out_what_is_closed(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    refresh(app)
    for actor, pages_that_lead in ((keeper, 1), (outsider, 0), (NOBODY, 0)):
        view = reading.open_page(app, actor, "guide", "pump")
        assert isinstance(view, reading.PageView)
        assert view.backlinks.pages == pages_that_lead
        entry = view.place.contents.of("pump")
        assert entry is not None and entry.led_to_by == pages_that_lead
        # Chlorine seal is asked for in the closed volume only.
        assert view.place.unwritten == 2, "for others the name in the closed volume is one in none"


def test_a_closed_volume_and_none_are_asked_for_alike(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    for revision, volume_title in enumerate(("Notes", "Nowhere"), 1):
        text = f"[[{volume_title}/Chlorine trial]] [[/{volume_title}/Pump]] [[/{volume_title}/Rope]]"
        writing.save(app, keeper, writing.Save("guide", "Pump", text, revision=revision))
        findings = upkeep.report(app, outsider, "guide", "unwritten").findings
        assert [(each.key, each.title, each.missing) for each in findings] == [
            (f"1 /{volume_title.lower()}/pump", f"{volume_title}/Pump", volume_title),
            (f"1 /{volume_title.lower()}/rope", f"{volume_title}/Rope", volume_title),
            (f"1 {volume_title.lower()}/chlorine trial", f"{volume_title}/Chlorine trial", ""),
        ]
        assert all(each.spots for each in findings)
    (own,) = [
        each.title for each in upkeep.report(app, keeper, "guide", "unwritten").findings if each.missing
    ][:1]
    assert own == "Nowhere/Pump"


def test_leading_a_name_out_of_a_closed_volume_or_out_of_none_is_planned_alike(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    writing.save(app, keeper, writing.Save("notes", "Log", "[[/Notes/Pump]] [[Chlorine trial]]", revision=0))
    planned = []
    for revision, name in enumerate(("Notes", "Nowhere"), 1):
        text = f"[[/{name}/Pump]] and [[/{name}/Rope]], then [[/{name}/Chlorine trial]]"
        writing.save(app, keeper, writing.Save("guide", "Pump", text, revision=revision))
        for typed in ("Pump", "Rope", "Chlorine trial"):
            wish = requests.Retarget("guide", f"{name}/{typed}", "Well", absolute=True)
            view = doing.plan(app, outsider, wish)
            assert view.plan is not None, view.refusal
            said = words.sentence(view).replace(name, "Volume")
            planned.append((said, [change.head.title for change in view.changes]))
    assert planned[:3] == planned[3:]
    assert planned[1] == ("1 reference in 1 page to “Volume/Rope” will lead to “Well”.", ["Pump"])
    doing.apply(app, outsider, requests.Retarget("guide", "Nowhere/Rope", "Well", absolute=True), None)
    assert texts(app)["Log"] == "[[/Notes/Pump]] [[Chlorine trial]]"


def test_search_finds_nothing_in_a_closed_volume(app: AppContext, keeper: Actor, outsider: Actor) -> None:
    assert len(titles_found(app, keeper, "chlorine")) == 3
    for actor in (outsider, NOBODY):
        result = searching.find(app, actor, "chlorine")
        assert [each.hit.head.title for each in result.found] == ["Pump"], (
            "only the open page, which itself says the word"
        )
        assert result.counts.volumes.keys() <= result.volumes.keys()
        assert searching.find(app, actor, "chlorine", "notes").scope is None


def test_a_move_into_a_closed_volume_is_refused_like_one_into_none(app: AppContext, outsider: Actor) -> None:
    closed = doing.plan(app, outsider, requests.Move("guide", "pump", "notes")).refusal
    missing = doing.plan(app, outsider, requests.Move("guide", "pump", "nothing")).refusal
    assert closed is not None and missing is not None
    assert (closed.code, closed.message) == (missing.code, missing.message)


CLOSED: list[Callable[[AppContext, Actor], object]] = [
    lambda app, actor: reading.open_volume(app, actor, "notes"),
    lambda app, actor: reading.open_page(app, actor, "notes", "chlorine-trial"),
    lambda app, actor: reading.open_page(app, actor, "notes", "nothing-of-the-kind"),
    lambda app, actor: reading.all_backlinks(app, actor, "notes", "pump"),
    lambda app, actor: reading.card(app, actor, "notes", "pump"),
    lambda app, actor: history.revisions(app, actor, "notes", "pump"),
    lambda app, actor: history.compare_revisions(app, actor, "notes", "pump", 1, 1),
    lambda app, actor: writing.open_for_edit(app, actor, "notes", "pump"),
    lambda app, actor: writing.preview(app, actor, "notes", "pump", "x"),
    lambda app, actor: writing.save(app, actor, writing.Save("notes", "Pump", "x", revision=1)),
    lambda app, actor: writing.targets(app, actor, "notes", ["Pump"]),
    lambda app, actor: doing.plan(app, actor, requests.Rename("notes", "pump", "Cell")),
    lambda app, actor: doing.plan(app, actor, requests.LinkFrom("notes", "pump", "seal")),
    lambda app, actor: upkeep.overview(app, actor, "notes"),
    lambda app, actor: upkeep.report(app, actor, "notes", "orphans"),
    lambda app, actor: upkeep.marked(app, actor, "notes", "orphans", ["1-a"]),
]


@pytest.mark.parametrize("act", CLOSED)
def test_a_closed_volume_and_one_that_is_not_there_look_the_same(
    app: AppContext, outsider: Actor, act: Callable[[AppContext, Actor], object]
) -> None:
    with pytest.raises(Missing) as closed:
        act(app, outsider)
    with pytest.raises(Missing) as nothing:
        reading.open_volume(app, outsider, "no-such-volume")
    assert closed.value.message == nothing.value.message


def test_an_act_in_a_closed_volume_is_no_act_to_an_outsider(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    secret = max(act.id for act in making.acts(app, keeper)[0])
    with pytest.raises(Missing) as closed:
        history.one_act(app, outsider, secret)
    with pytest.raises(Missing) as nothing:
        history.one_act(app, outsider, 10**9)
    assert closed.value.message == nothing.value.message


def test_a_new_page_tells_nothing_of_what_it_changed_elsewhere(
    app: AppContext, keeper: Actor, outsider: Actor
) -> None:
    pages(app, keeper, "guide", {"Battery": "---\naliases: [Cell]\n---\n"})
    pages(app, keeper, "notes", {"Chlorine cell": "[[Guide/Cell]]"})
    saved = writing.save(app, outsider, writing.Save("guide", "Cell", "", revision=0))
    assert saved.kept == ()
    view = reading.open_page(app, keeper, "notes", "chlorine-cell")
    assert isinstance(view, reading.PageView)
    assert view.ready.page.text == "[[Guide/Battery|Cell]]"


def test_a_reader_and_nobody_cannot_write(app: AppContext, keeper: Actor) -> None:
    reader = person(app, "piet", guide=Role.READER)
    for actor in (reader, NOBODY):
        with pytest.raises(Forbidden):
            writing.save(app, actor, writing.Save("guide", "pump", "x", revision=1))
        with pytest.raises(Forbidden):
            writing.save(app, actor, writing.Save("guide", "New", "x", revision=0))
        with pytest.raises(Forbidden):
            writing.open_for_edit(app, actor, "guide", "pump")
        with pytest.raises(Forbidden):
            writing.preview(app, actor, "guide", "pump", "x")


# ---- refusals ------------------------------------------------------------------------

REFUSALS = {"Refused", "Collision", "Conflict", "Missing", "BadName"}


@pytest.fixture
def two_volumes(app: AppContext) -> tuple[Actor, Actor]:
    """Who writes in an open and in a closed volume, and who writes in the open one alone."""
    for title, closed in (("Manual", False), ("Vault", True)):
        volume(app, title, closed=closed)
    return (
        person(app, "wenna", manual=Role.OWNER, vault=Role.OWNER),
        person(app, "piet", manual=Role.OWNER),
    )


def _refusal(app: AppContext, actor: Actor, wish: requests.Request) -> str:
    view = doing.plan(app, actor, wish)
    assert view.refusal is not None
    return view.refusal.message


def test_a_source_that_cannot_be_cited_instead_names_no_closed_page(
    app: AppContext, two_volumes: tuple[Actor, Actor]
) -> None:
    keeper, other = two_volumes
    for name in ("tide2024", "tide2025"):
        save_source(app, keeper, name, {"title": name}, new=True)
    text = "Says [^tide2024], and [^tide2025].\n\n[^tide2025]: A note of its own.\n"
    writing.save(app, keeper, writing.Save("vault", "Heron plan", text, revision=0))
    wish = requests.DeleteSource("manual", "tide2024", instead="tide2025")
    assert "“Heron plan”" in _refusal(app, keeper, wish)
    assert "Heron" not in _refusal(app, other, wish) and "closed to you" in _refusal(app, other, wish)


def test_inserts_that_stay_name_no_closed_page_among_the_reasons(
    app: AppContext, two_volumes: tuple[Actor, Actor]
) -> None:
    keeper, other = two_volumes
    writing.save(app, keeper, writing.Save("manual", "Card", "---\ngives: [Cards]\n---\nText.\n", revision=0))
    writing.save(app, keeper, writing.Save("manual", "Use", "[[=Card]]\n", revision=0))
    strange = "---\ncategories: &a [One]\nx: *a\n---\n[[=/Manual/Card]]\n"
    writing.save(app, keeper, writing.Save("vault", "Heron plan", strange, revision=0))
    view = doing.plan(app, other, requests.InlineEverywhere("manual", "card"))
    assert view.plan is not None, view.refusal
    assert isinstance(view.plan.facts, InlinedEverywhere) and view.plan.facts.left == 1, (
        "the page in the vault keeps its insert"
    )
    assert "Heron" not in words.sentence(view) and "front matter" in words.sentence(view)


def test_a_plain_save_that_is_refused_names_no_closed_page(
    app: AppContext, two_volumes: tuple[Actor, Actor], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A new page can be refused for what would happen to a reference on a closed one."""
    keeper, other = two_volumes

    def refuse(*_: object, **__: object) -> None:
        head = StoredWiki(connection).titles([(ids["vault"], "heron plan")])[ids["vault"], "heron plan"]
        raise Refused(f"“{head.title}” cannot follow.", named=[head.volume], code="unwritable")

    writing.save(app, keeper, writing.Save("vault", "Heron plan", "[[Manual/Lid]]", revision=0))
    with database_reading(app.engine) as connection:
        ids = {key: each.id for key, each in load_volumes(connection).items()}
        monkeypatch.setattr(writing, "create", refuse)
        said = []
        for actor in (keeper, other):
            with pytest.raises(Refused) as refused:
                writing.save(app, actor, writing.Save("manual", "Lid", "Text.", revision=0))
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
                    assert any(keyword.arg == "named" for keyword in node.keywords), where
    assert found > 20
