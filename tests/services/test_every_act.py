"""Every act through the database: what its plan says, that it is done, and that undoing it gives all back."""

from __future__ import annotations

import hashlib
import io
import zipfile
from collections.abc import Callable
from typing import Any

import pytest
from sqlalchemy import text

from mokuji.acts import doing, log, requests, words
from mokuji.acts.assets.source_edit import save_source
from mokuji.acts.requests import Request
from mokuji.acts.view import Applied
from mokuji.api import plans
from mokuji.core.base.errors import Forbidden
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.folders import brought, exporting
from mokuji.services.reading import reading
from mokuji.services.writing import files, writing
from mokuji.store import exchanged
from mokuji.store.database import reading as reading_transaction
from mokuji.store.snapshot import load_volumes
from tests.copies import made_once
from tests.outside.test_media import picture
from tests.services import making
from tests.services.making import pages, person, texts, volume
from tests.store.filling import check_indexes

GUIDE = {
    "Pump": "---\naliases: [bilge pump]\n---\nSee [[Well#Limits]].\n\n## Limits\n\n10 bar[^1]\n\n[^1]: At 20 °C.\n",
    "Well": "The [[pump]], its [[Pump#Limits]] and [[bilge pump|it]]; a seal ring.\n\n## Limits\n\n[[Lid]]\n",
    "Seal ring": "[[Well]] [so](https://docs.example/guide/well)",
}
DATA = {
    "Sheet": "[[Guide/Pump]] | [[Guide/Lid]] | [[=Part]]",
    "Part": "one",
    "Notice": "---\nslots: {word: , who: }\n---\n${word}: ${who}",
    "Log": "---\ncategories: [Parts]\n---\n[[=Notice | word: Stop]] [[=notice]]",
    "Trial": "found #parts",
}
THINGS = {"Lamp": "![a](lamp.png) as in[^gel], ask @wenna"}
PICTURE = picture("PNG")
OTHER_PICTURE = hashlib.sha256(picture("PNG", (50, 20))).hexdigest()


def _filled(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Data")
    writer = person(app, "wenna", guide=Role.OWNER, data=Role.OWNER)
    person(app, "jonas", guide=Role.READER)
    pages(app, writer, "guide", GUIDE)
    pages(app, writer, "data", DATA)
    pages(app, writer, "data", {"Tower": "![b](lamp.png)"})
    files.bring(app, writer, "guide", "lamp.png", PICTURE)
    files.stage(app, writer, "guide", "lamp.png", picture("PNG", (50, 20)))
    save_source(app, writer, "gel", {"title": "Gel"}, new=True)
    pages(app, writer, "guide", THINGS)
    _brought(app, writer)
    return writer


def _brought(app: AppContext, writer: Actor) -> None:
    """The guide, taken away and worked on elsewhere."""
    out = exporting.zipped(app, writer, "guide")
    worked = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(b"".join(out.parts()))) as left, zipfile.ZipFile(worked, "w") as back:
        for name in left.namelist():
            data = left.read(name)
            if name == "Guide/Seal ring.md":
                continue
            if name == "Guide/Well.md":
                data += b"And [[Lid]].\n"
            back.writestr(name.replace("/Pump.md", "/Bilge pump.md").replace("lamp.png", "light.png"), data)
        back.writestr("Guide/Lid.md", "New: [[Bilge pump]].\n")
    brought.receive_zip(app, writer, "guide", "work.zip", worked)


app, writer = made_once(_filled)


def _state(app: AppContext, actor: Actor) -> dict[str, Any]:
    """Everything that an undo has to give back."""
    refresh(app)
    with reading_transaction(app.engine) as connection:
        known = load_volumes(connection)
        places = {key: reading.contents_text(app, actor, key) for key in known}
        return {
            "texts": texts(app),
            "places": places,
            "volumes": {v.title: (v.libraries, v.language, v.closed) for v in known.values()},
            "pages": sorted(map(tuple, connection.execute(text("SELECT volume, key, title FROM page")))),
            "files": sorted(
                map(tuple, connection.execute(text("SELECT id, name, hash, type, size FROM file")))
            ),
            "sources": sorted(
                map(tuple, connection.execute(text("SELECT id, name, CAST(fields AS text) FROM source")))
            ),
            "roles": sorted(
                map(
                    tuple,
                    connection.execute(
                        text(
                            "SELECT m.* FROM membership m JOIN volume v ON v.id = m.volume WHERE deleted_by IS NULL"
                        )
                    ),
                )
            ),
            "people": sorted(map(tuple, connection.execute(text("SELECT id, handle FROM person")))),
        }


LIMITS = GUIDE["Pump"].index("## Limits") + 3
"""Where the words of that heading begin."""
ACTS: list[tuple[str, Callable[[], Request], str]] = [
    (
        "create",
        lambda: requests.Create("guide", "Lid", "Of [[Pump]].\n"),
        "“Lid” will be written. 2 references that",
    ),
    (
        "edit",
        lambda: requests.Edit("guide", "pump", GUIDE["Pump"].replace("## Limits", "## Bounds")),
        "The page will have another text. 1 section reference follows.",
    ),
    (
        "rename",
        lambda: requests.Rename("guide", "pump", "Cell", keep_alias=True),
        "3 references in 2 pages of 2 volumes will say “Cell”",
    ),
    (
        "term",
        lambda: requests.ChangeTerm("guide", "pump", "Cell", ("pump = cell", "pumps = cells")),
        "“Pump” will be called “Cell”",
    ),
    (
        "replace",
        lambda: requests.Replace("guide", "pump", "cell", places=("text", "title")),
        "“pump” will become “cell” in ",
    ),
    (
        "outline",
        lambda: requests.Outline("guide", "Storing\n  Pump\n  Winter\n", "well"),
        "2 names get a place in the contents; 1 has a place already and keeps it.",
    ),
    (
        "contents",
        lambda: requests.Contents("guide", "- [[Well]]\n  - [[Pump]]\n- [[Seal ring]]\n"),
        "“Lamp” will have no place in the contents: readers come there only by references.",
    ),
    ("place", lambda: requests.Place("guide", "pump", "well", "first"), "1 name gets another place"),
    (
        "move",
        lambda: requests.Move("guide", "pump", "data"),
        "1 page will be in “Data” instead of “Guide”. 5 references in 3 pages of 2 volumes follow.",
    ),
    (
        "merge",
        lambda: requests.Merge("guide", "pump", "Well"),
        "“Pump” becomes part of “Well”: its text comes behind the other.",
    ),
    (
        "split",
        lambda: requests.Split("guide", "pump", 0, "Values"),
        "The section “Limits” becomes a page “Values”; a link to it stays in its place.",
    ),
    ("join", lambda: requests.Join("guide", "seal-ring", "Well"), "“Seal ring” becomes a section of “Well”."),
    (
        "section",
        lambda: requests.Section("guide", "pump", 0, "Highest values"),
        "The section “Limits” will be called “Highest values”. 1 section reference follows.",
    ),
    (
        "retarget",
        lambda: requests.Retarget("guide", "lid", "Seal ring"),
        "2 references in 2 pages of 2 volumes to “Lid” will lead to “Seal ring”.",
    ),
    (
        "delete",
        lambda: requests.Delete("guide", "pump", references="words"),
        "1 page goes to the trash, and can be restored for 60 days. References on 2 pages become plain words.",
    ),
    (
        "delete and leave",
        lambda: requests.Delete("guide", "pump"),
        "4 references will be left without a page",
    ),
    (
        "aliases",
        lambda: requests.Aliases("guide", "pump", ("sump",)),
        "The page will also be found as “sump”. 1 reference in 1 page follows.",
    ),
    (
        "another name",
        lambda: requests.AddAlias("guide", "lid", "Seal ring"),
        "2 references that led nowhere lead",
    ),
    ("link", lambda: requests.Link("guide", "seal-ring"), "1 mention will be linked."),
    (
        "link from",
        lambda: requests.LinkFrom("guide", "seal-ring", "Well"),
        "“Well” will refer to “Seal ring”",
    ),
    (
        "addresses",
        lambda: requests.LinkAddresses("guide", "seal-ring", ("https://docs.example",)),
        "1 address on “Seal ring” will be a reference.",
    ),
    (
        "section of a reference",
        lambda: requests.LeadToSection("guide", "well", 1, "limits"),
        "The reference on “Well” will lead to “limits” of “Pump”.",
    ),
    (
        "amend",
        lambda: requests.Amend(
            "guide",
            (
                requests.Amendment("pump", LIMITS, LIMITS + 6, "Bounds"),
                requests.Amendment("well", 0, 0, "First.\n\n"),
            ),
        ),
        "2 places on 2 pages will have other words. 1 section reference follows.",
    ),
    (
        "several",
        lambda: requests.Several(
            "guide",
            (
                requests.Retarget("guide", "lid", "Seal ring"),
                requests.Rename("guide", "seal-ring", "Gasket"),
                requests.Delete("guide", "pump", references="words"),
            ),
        ),
        "3 acts in one: ",
    ),
    (
        "bring back",
        lambda: requests.BringBack("guide", 1),
        "From “work”: 1 page is new, 1 page gets another text, 1 page gets another title, 1 page goes to the trash, "
        "1 file changes.",
    ),
    (
        "category",
        lambda: requests.RenameCategory("data", "parts", "Spares"),
        "What is filed under “Parts” will be filed under “Spares”: 2 pages, 1 mark among it.",
    ),
    (
        "category move",
        lambda: requests.MoveCategory("data", "parts", ("Spares",)),
        "“Parts” will stand below “Spares”.",
    ),
    (
        "file",
        lambda: requests.File("data", "log", "trials", "parts"),
        "The page will be filed under “trials”.",
    ),
    (
        "slot",
        lambda: requests.RenameSlot("data", "notice", "word", "signal"),
        "The slot “word” of “Notice” will be called “signal”. 1 place gives it a value, and follows.",
    ),
    (
        "slot value",
        lambda: requests.GiveValue("data", "notice", "who", "staff"),
        "2 places that give no “who” to “Notice” will give “staff”.",
    ),
    (
        "extract",
        lambda: requests.Extract("guide", "well", 0, 27, "It", rows=()),
        "The text will be the template “It”, and an insert of it will stand in its place.",
    ),
    (
        "inline",
        lambda: requests.Inline("data", "log", 0),
        "The text of “Notice” will stand in the place of the insert; readers see the same.",
    ),
    (
        "inline everywhere",
        lambda: requests.InlineEverywhere("data", "part", trash=True),
        "The text of “Part” will stand in the place of 1 insert; readers see the same. Nothing inserts the page "
        "then, and it goes to the trash.",
    ),
    (
        "file rename",
        lambda: requests.RenameFile("guide", "lamp.png", "eye"),
        "The file “lamp.png” will be called “eye.png”. 1 place on 1 page follows.",
    ),
    (
        "file replace",
        lambda: requests.ReplaceFile("guide", "lamp.png", OTHER_PICTURE),
        "“lamp.png” will be the other file; what it was is kept as a former version.",
    ),
    (
        "file delete",
        lambda: requests.DeleteFile("guide", "lamp.png"),
        "The file “lamp.png” goes. 1 place names it, and will name what is missing.",
    ),
    (
        "source rename",
        lambda: requests.RenameSource("guide", "gel", "ferrar-2018"),
        "The source “gel” will be called “ferrar-2018”. 1 place on 1 page follows.",
    ),
    (
        "source edit",
        lambda: requests.EditSource("guide", "gel", '{"title": "Other"}'),
        "The source “gel” will read otherwise wherever it is cited.",
    ),
    (
        "source delete",
        lambda: requests.DeleteSource("guide", "gel"),
        "The source “gel” goes. 1 place names it",
    ),
    (
        "person rename",
        lambda: requests.RenamePerson("guide", "wenna", "carrow"),
        "The person “wenna” will be called “carrow”. 1 place on 1 page follows.",
    ),
    ("new volume", lambda: requests.CreateVolume("Notes"), "“Notes”"),
    ("volume", lambda: requests.RenameVolume("guide", "Manual"), "will be called “Manual”. 2 references"),
    (
        "libraries",
        lambda: requests.Libraries("data", ("guide",)),
        "Inserts of “Data” will look in their own volume, then in “Guide”.",
    ),
    (
        "language",
        lambda: requests.Language("data", "DE-at"),
        "“Data” will be said to be written in “de-AT”",
    ),
    (
        "access",
        lambda: requests.Access("data", closed=True),
        "“Data” will be closed: only its people and the owners of the wiki read it.",
    ),
    (
        "role",
        lambda: requests.GiveRole("guide", "jonas", "writer"),
        "Jonas (@jonas) will be a writer of “Guide”, until now a reader: they may read it and write in it.",
    ),
    ("delete volume", lambda: requests.DeleteVolume("guide"), "goes to the trash with 4 pages."),
]


@pytest.mark.parametrize("many", [50, 1], ids=["few uses", "many uses"])
@pytest.mark.parametrize(("name", "wish", "said"), ACTS, ids=[act[0] for act in ACTS])
def test_an_act_says_what_it_will_do_does_it_and_can_be_taken_back(
    app: AppContext,
    writer: Actor,
    monkeypatch: pytest.MonkeyPatch,
    name: str,
    wish: Callable[[], Request],
    said: str,
    many: int,
) -> None:
    # From so many uses on a name's own row is changed, instead of those of the pages that use it.
    monkeypatch.setattr(exchanged, "MANY_USES", many)
    before = _state(app, writer)
    view = doing.plan(app, writer, wish())
    assert said in " ".join(words.sentence(view).split())
    assert words.button(view)
    done = doing.apply(app, writer, wish(), view.digest)
    assert isinstance(done, Applied)
    writer = _again(app, writer)
    headline = log.one_act(app, writer, done.change_set).headline
    assert headline == (view.note or headline), "the log tells it by its facts"
    assert headline
    assert _state(app, writer) != before, name
    check_indexes(app.engine)
    undone = doing.apply(app, writer, requests.Undo(done.change_set), None)
    assert isinstance(undone, Applied)
    assert _state(app, _again(app, writer)) == before
    check_indexes(app.engine)


def _again(app: AppContext, actor: Actor) -> Actor:
    """The same person with the rights of now: who makes a volume owns it."""
    from mokuji.store import people

    with reading_transaction(app.engine) as connection:
        return people.actor_by_id(connection, actor.person or 0)


def test_a_save_of_a_heading_with_other_words_is_one_act_with_what_follows(
    app: AppContext, writer: Actor
) -> None:
    body = GUIDE["Pump"].replace("## Limits", "## Highest values")
    asked = writing.save_or_tell(app, writer, writing.Save("guide", "Pump", body, revision=1))
    assert isinstance(asked, writing.Moves) and asked.sections == 1
    writing.save(app, writer, writing.Save("guide", "Pump", body, revision=1, follow=True))
    assert "[[Pump#Highest values]]" in texts(app)["Well"]
    check_indexes(app.engine)


# ---- what is closed -------------------------------------------------------------------

SECRET = "heron"
"""It stands in closed texts and titles only."""
VAULT = {
    "Heron plan": (
        "---\naliases: [heron alias]\ncategories: [Heron, Parts]\n---\n"
        "[[Guide/Pump|the heron pump]] [[Guide/Pump#Limits]] [[Guide/Well]] [[Guide/Seal ring]] [[Guide/Lid]] "
        "[[Data/Sheet]] [[Data/Trial]] [heron](https://docs.example/guide/well) as in[^gel] and ask @wenna #parts\n"
    ),
    "Heron use": (
        "[[=Data/Part]] heron\n\n[[=Data/Notice | word: heron]]\n\n[[=Guide/Pump#Limits]]\n\n"
        "The [[pump]], its [[Pump#Limits]] and heron; a seal ring.\n\n[[Guide/Pump#heron]]\n"
    ),
    "Heron circle": "[[=Heron circle]] [[=Guide/Lamp]] heron\n",
    "Heron note": "As in[^gel], and[^gelb].\n\n[^gelb]: heron\n",
    "Heron template": "---\nslots: {word: heron}\ngives: [Heron]\n---\n${word} [[Guide/Well]]",
}


def _told(view: doing.PlanView) -> str:
    """All that pages, JSON and words are made of."""
    said = [repr(view), *view.readers_said]
    if view.plan is not None:
        said += [words.sentence(view), words.button(view), *words.placings(view)]
        said.append(plans.plan(view).model_dump_json())
    return " ".join(said)


@pytest.mark.parametrize(("name", "wish", "_"), ACTS, ids=[act[0] for act in ACTS])
def test_the_plan_of_an_act_says_nothing_of_a_closed_volume_that_refers_to_all(
    app: AppContext, writer: Actor, name: str, wish: Callable[[], Request], _: str
) -> None:
    volume(app, "Vault", closed=True)
    keeper = person(app, "mirela", vault=Role.OWNER)
    pages(app, keeper, "vault", VAULT)
    refresh(app)
    view = doing.plan(app, writer, wish())
    assert view.plan is not None, view.refusal
    assert SECRET not in _told(view).lower()
    done = doing.apply(app, writer, wish(), view.digest)
    assert isinstance(done, Applied), getattr(done, "refusal", None)
    # What was done, and what undoing it would do, are told as little.
    writer = _again(app, writer)
    told = []
    try:
        told.append(_told(doing.plan(app, writer, requests.Undo(done.change_set))))
    except Forbidden as fault:
        # On closed pages it changed more than references.
        told.append(repr(vars(fault)))
    told.append(repr(log.one_act(app, writer, done.change_set)))
    told.append(repr(making.acts(app, writer)))
    assert SECRET not in " ".join(told).lower()


REFUSED: list[tuple[str, Callable[[], Request]]] = [
    (
        "a source by another that a closed page has as a note",
        lambda: requests.DeleteSource("guide", "gel", "gelb"),
    ),
    ("a source called so", lambda: requests.RenameSource("guide", "gel", "gelb")),
    ("a name that closed references cannot say", lambda: requests.Rename("guide", "pump", "a]]b")),
    ("into the closed volume", lambda: requests.Move("guide", "pump", "vault")),
    ("into a closed page", lambda: requests.Merge("guide", "pump", "Vault/Plan")),
    ("the closed volume's name", lambda: requests.CreateVolume("Vault")),
    ("to the closed volume's name", lambda: requests.RenameVolume("guide", "Vault")),
]


@pytest.mark.parametrize(("name", "wish"), REFUSED, ids=[each[0] for each in REFUSED])
def test_a_refusal_says_nothing_of_a_closed_volume(
    app: AppContext, writer: Actor, name: str, wish: Callable[[], Request]
) -> None:
    volume(app, "Vault", closed=True)
    keeper = person(app, "mirela", vault=Role.OWNER, guide=Role.WRITER)
    pages(app, keeper, "vault", VAULT)
    save_source(app, keeper, "gelb", {"title": "Other"}, new=True)
    view = doing.plan(app, writer, wish())
    assert SECRET not in _told(view).lower()
