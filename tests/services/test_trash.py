"""What lies in the trash can be looked at before it comes back, by whom it is not closed to."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import trash
from mokuji.services.writing.writing import Save, save
from mokuji.store.database import reading
from tests.services.making import pages, person, texts, volume


@pytest.fixture
def owner(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Notes", closed=True)
    owner = person(app, "ada", guide=Role.OWNER, notes=Role.OWNER)
    pages(
        app, owner, "guide", {"Pump": "first", "Way": "See [[Pump]].", "Lamp": "x", "Mast": "[[=Pump]] and x"}
    )
    pages(app, owner, "notes", {"Hidden": "secret"})
    save(app, owner, Save("guide", "Pump", "second *words*", revision=1, note="why"))
    return owner


def _id(app: AppContext, title: str) -> int:
    with reading(app.engine) as connection:
        found = connection.exec_driver_sql("SELECT page FROM trash WHERE title = %s", (title,)).scalar_one()
        assert isinstance(found, int)
        return found


def test_a_page_in_the_trash_shows_its_text_its_history_and_what_waits_for_it(
    app: AppContext, owner: Actor
) -> None:
    doing.apply(app, owner, requests.Delete("guide", "pump"), None)
    view = trash.page_in_trash(app, owner, _id(app, "Pump"))
    assert view.text == "second *words*" and "<em>words</em>" in view.as_read.rendered(app).html
    assert [each.note for each in view.revisions] == ["why", ""]
    assert [head.title for _, head in view.waiting] == ["Way", "Mast"] and view.restorable
    assert trash.page_in_trash(app, owner, view.row.page, 1).text == "first"
    with pytest.raises(Missing):
        trash.page_in_trash(app, owner, view.row.page, 9)


def test_what_is_closed_is_not_there(app: AppContext, owner: Actor) -> None:
    doing.apply(app, owner, requests.Delete("notes", "hidden"), None)
    reader = person(app, "bo", guide=Role.OWNER)
    for id_ in (_id(app, "Hidden"), 999, 0, -1, 2**70):
        with pytest.raises(Missing, match="no such page in the trash"):
            trash.page_in_trash(app, reader, id_)
    with pytest.raises(Forbidden):
        trash.page_in_trash(app, NOBODY, _id(app, "Hidden"))


def test_a_deleted_volume_shows_its_pages_to_who_owned_it(app: AppContext, owner: Actor) -> None:
    done = doing.apply(app, owner, requests.DeleteVolume("guide"), None)
    assert isinstance(done, doing.Applied)
    view = trash.volume_in_trash(app, owner, done.change_set)
    assert [each.title for each in view.pages] == ["Lamp", "Mast", "Pump", "Way"]
    page = trash.page_in_trash(app, owner, view.pages[2].page)
    assert page.text == "second *words*" and not page.restorable
    other = person(app, "bo", notes=Role.READER)
    for who, number in ((other, done.change_set), (owner, 1), (owner, 10**12)):
        with pytest.raises(Missing):
            trash.volume_in_trash(app, who, number)
    with pytest.raises(Missing):
        trash.page_in_trash(app, other, view.pages[0].page)


def test_several_are_deleted_moved_and_restored_in_one_plan(app: AppContext, owner: Actor) -> None:
    gone = doing.apply(app, owner, requests.Delete("guide", "pump", also=("Lamp", "pump")), None)
    assert isinstance(gone, doing.Applied) and {*texts(app)} == {"Way", "Mast", "Hidden"}
    doing.apply(app, owner, requests.Restore((_id(app, "Pump"), _id(app, "Lamp"))), None)
    assert {*texts(app)} == {"Pump", "Way", "Lamp", "Mast", "Hidden"}
    doing.apply(app, owner, requests.Move("guide", "lamp", to="notes", also=("Mast",)), None)
    assert ("See [[Pump]]." in texts(app)["Way"] and "[[=/Guide/Pump]]" in texts(app)["Mast"]) or texts(app)[
        "Mast"
    ]
    with reading(app.engine) as connection:
        home = connection.exec_driver_sql(
            "SELECT count(*) FROM page JOIN volume v ON v.id = page.volume WHERE v.key = 'notes'"
        ).scalar_one()
    assert home == 3
    for also in (("No such page",), ("Way", "")):
        with pytest.raises(Missing):
            doing.apply(app, owner, requests.Delete("guide", "pump", also=also), None)
    assert "Pump" in texts(app)


def test_the_text_of_what_is_deleted_stays_where_it_was_put_in(app: AppContext, owner: Actor) -> None:
    save(app, owner, Save("guide", "Mast", "[[=Pump]]\n\nand x\n", revision=1))
    doing.apply(app, owner, requests.InlineEverywhere("guide", "pump", trash=True), None)
    assert "second *words*" in texts(app)["Mast"] and "Pump" not in texts(app)
    with pytest.raises(Refused):
        doing.apply(app, owner, requests.InlineEverywhere("guide", "lamp", trash=True), None)
