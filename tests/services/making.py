"""Small wikis in the database, with people."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from sqlalchemy import event

from mokuji.core.base import names
from mokuji.core.language.scan import read_text
from mokuji.core.model.policy import Actor, Role
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import changes
from mokuji.services.looking_back.history import LoggedAct
from mokuji.services.reading import searching
from mokuji.services.writing import writing
from mokuji.store import people, volumes
from mokuji.store.database import reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.log import change_sets
from mokuji.store.log.change_sets import Signature
from mokuji.store.snapshot import StoredWiki, load_volumes
from mokuji.store.writing import NewPage, create_pages


def volume(app: AppContext, title: str, *, closed: bool = False) -> int:
    """A new volume."""
    with writing_transaction(app.engine) as connection:
        return volumes.add_volume(connection, title, closed=closed)


def person(app: AppContext, handle: str, **roles: Role) -> Actor:
    """Somebody new, with roles by volume key (hyphens for spaces)."""
    with writing_transaction(app.engine) as connection:
        id_ = people.add_person(connection, handle, handle.title(), "", "no password")
        known = load_volumes(connection)
        for key, role in roles.items():
            people.set_role(connection, id_, known[names.key(key)].id, role)
        return people.actor_by_id(connection, id_)


def give(app: AppContext, actor: Actor, volume_key: str, role: Role) -> Actor:
    """Another role for somebody who is there."""
    assert actor.person is not None
    with writing_transaction(app.engine) as connection:
        people.set_role(connection, actor.person, load_volumes(connection)[names.key(volume_key)].id, role)
        return people.actor_by_id(connection, actor.person)


def pages(app: AppContext, actor: Actor, volume_key: str, texts: Mapping[str, str]) -> None:
    """New pages of a volume."""
    for title, text in texts.items():
        writing.save(app, actor, writing.Save(volume_key, title, text, revision=0))


def edit(app: AppContext, actor: Actor, volume_key: str, title: str, text: str, note: str = "") -> None:
    """Another text for a page that is there."""
    with reading(app.engine) as connection:
        wiki = StoredWiki(connection)
        place = (load_volumes(connection)[names.key(volume_key)].id, names.key(title))
        revision = wiki.titles([place])[place].revision
    writing.save(app, actor, writing.Save(volume_key, title, text, revision=revision, note=note))


def many_pages(app: AppContext, volume_id: int, texts: Mapping[str, str]) -> None:
    """New pages of a volume, brought in at once."""
    with writing_transaction(app.engine) as connection:
        by = Signature(None, app.clock(), "")
        change_set = change_sets.open_change_set(connection, "import", volume_id, None, by)
        new = [NewPage(title, text, read_text(text)) for title, text in texts.items()]
        create_pages(connection, volume_id, new, change_set, by)


def acts(app: AppContext, actor: Actor, volume_key: str = "") -> tuple[list[LoggedAct], Mapping[int, Volume]]:
    """The newest acts that somebody may know of, with the volumes."""
    view = changes.changes(app, actor, changes.Asked(volume=volume_key), folded=False)
    return [row.act for row in view.rows], view.volumes


def titles_found(app: AppContext, actor: Actor, typed: str, volume_key: str = "") -> list[str]:
    """The titles of the pages that answer a question, best first."""
    return [each.hit.head.title for each in searching.find(app, actor, typed, volume_key).found]


def texts(app: AppContext) -> dict[str, str]:
    """All texts by title."""
    with reading(app.engine) as connection:
        from sqlalchemy import text

        ids = connection.execute(text("SELECT id FROM page")).scalars().all()
        return {page.head.title: page.text for page in StoredWiki(connection).pages(ids).values()}


def statements(app: AppContext, act: Callable[[], object]) -> list[str]:
    """What an act asks of the database, one by one."""
    asked: list[str] = []

    def note(_: object, __: object, statement: str, *___: object) -> None:
        asked.append(statement)

    event.listen(app.engine, "before_cursor_execute", note)
    try:
        act()
    finally:
        event.remove(app.engine, "before_cursor_execute", note)
    return asked
