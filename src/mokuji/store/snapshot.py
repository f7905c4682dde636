"""A wiki as the core asks for it (``core.model.wiki.Wiki``), answered by queries of one transaction.

Pages come with the ranges of their references, so that a plan reads only the
few that matter instead of scanning whole texts.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from functools import cached_property

from sqlalchemy import Connection, Integer, func, literal_column, select, union, union_all

from mokuji.core.base.names import Name
from mokuji.core.language.indexed_page import IndexedPage, KnownNames
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.wiki import Named, Place, Volume
from mokuji.store.pages import HEAD_COLUMNS
from mokuji.store.statements import among, as_sent, fixed, numbers, texts, value
from mokuji.store.tables import alias, name, page, page_name, page_refs, revision, section_ref, volume
from mokuji.store.volumes import VOLUME_COLUMNS, volume_of


def stored_key(name: Name) -> str:
    """The key column of ``name``: absolute names get one of their own, to be found by it."""
    return f"/{name.volume}/{name.title}" if name.absolute else name.key


def name_of(key: str, vkey: str | None, tkey: str | None, absolute: bool) -> Name:
    """A name from its columns."""
    return Name("" if absolute else key, vkey, tkey, absolute)


_places = func.unnest(numbers("volumes"), texts("keys")).table_valued("volume", "key").render_derived("w")
TITLES = select(*HEAD_COLUMNS).where(page.c.volume == _places.c.volume, page.c.key == _places.c.key)
ALIASES = (
    select(alias.c.volume, alias.c.key, *HEAD_COLUMNS)
    .where(alias.c.volume == _places.c.volume, alias.c.key == _places.c.key, page.c.id == alias.c.page)
    .order_by(page.c.key)
)
TITLES_AND_ALIASES = union_all(
    TITLES.add_columns(literal_column("0", Integer()), page.c.key),
    select(*HEAD_COLUMNS, alias.c.volume, alias.c.key).where(
        alias.c.volume == _places.c.volume, alias.c.key == _places.c.key, page.c.id == alias.c.page
    ),
)
"""Pages by their titles (volume 0), and by their aliases (volume and key of these)."""
HEADS = select(*HEAD_COLUMNS).where(among(page.c.id, "ids"))
_written = select(
    *HEAD_COLUMNS,
    revision.c.text,
    *map(as_sent, (page_refs.c.starts, page_refs.c.ends, page_refs.c.names, page_refs.c.flags)),
).where(
    revision.c.page == page.c.id,
    revision.c.number == page.c.revision,
    page_refs.c.page == page.c.id,
)
PAGES = _written.where(among(page.c.id, "ids"))
PAGE_AT = _written.where(page.c.volume == value("volume"), page.c.key == value("key"))
_NAME_COLUMNS = (name.c.id, name.c.home, name.c.key, name.c.vkey, name.c.tkey, name.c.absolute)
_typed = func.unnest(numbers("homes"), texts("keys")).table_valued("home", "key").render_derived("w")
_qualified = func.unnest(texts("vkeys"), texts("tkeys")).table_valued("vkey", "tkey").render_derived("q")
NAMES_MEANING = union(
    select(*_NAME_COLUMNS).where(name.c.home == _typed.c.home, name.c.key == _typed.c.key, ~name.c.absolute),
    select(*_NAME_COLUMNS).where(
        name.c.vkey == _qualified.c.vkey, name.c.tkey == _qualified.c.tkey, name.c.vkey.is_not(None)
    ),
)
NAMING = select(page_name.c.page).where(among(page_name.c.name, "names")).distinct()
NAMING_SECTIONS = select(section_ref.c.page).where(among(section_ref.c.name, "names")).distinct()
NAMING_VOLUME = (
    select(page_name.c.page)
    .where(page_name.c.name == name.c.id, name.c.vkey == value("key"), name.c.vkey.is_not(None))
    .distinct()
)
INSERTING = (
    select(page_name.c.page)
    .where(page_name.c.name == name.c.id, page_name.c.kind == fixed(1), name.c.home == value("volume"))
    .distinct()
)
STANDING_IN = select(page.c.id).where(page.c.volume == value("volume"))
_VOLUMES = select(*VOLUME_COLUMNS).where(volume.c.deleted_by.is_(None)).order_by(volume.c.id)


def load_volumes(connection: Connection) -> dict[str, Volume]:
    """All volumes by key; they are few."""
    return {row[1]: volume_of(*row) for row in connection.execute(_VOLUMES)}


class StoredWiki:
    """The whole wiki, or only some volumes of it (what an actor may see) for showing pages."""

    def __init__(
        self,
        connection: Connection,
        only: Mapping[str, Volume] | None = None,
        *,
        every: Mapping[str, Volume] | None = None,
    ) -> None:
        """``every`` are all volumes, where they were loaded in this transaction already."""
        self.connection = connection
        self._only = only
        self._every = every
        self._visible = None if only is None else frozenset(volume.id for volume in only.values())
        self._names = KnownNames()

    @cached_property
    def volumes(self) -> Mapping[str, Volume]:
        if self._only is not None:
            return self._only
        return load_volumes(self.connection) if self._every is None else self._every

    def _places(self, places: Collection[Place]) -> dict[str, list[int] | list[str]]:
        shown = [p for p in places if self._visible is None or p[0] in self._visible]
        return {"volumes": [volume for volume, _ in shown], "keys": [key for _, key in shown]}

    def titles(self, places: Collection[Place]) -> Mapping[Place, PageHead]:
        if not places:
            return {}
        heads = [PageHead(*row) for row in self.connection.execute(TITLES, self._places(places))]
        return {(head.volume, head.key): head for head in heads}

    def aliases(self, places: Collection[Place]) -> Mapping[Place, Sequence[PageHead]]:
        if not places:
            return {}
        found: dict[Place, list[PageHead]] = {}
        for row in self.connection.execute(ALIASES, self._places(places)):
            found.setdefault((row[0], row[1]), []).append(PageHead(*row[2:]))
        return found

    def titles_and_aliases(self, places: Collection[Place]) -> Named:
        """Both in one question."""
        titles: dict[Place, PageHead] = {}
        aliases: dict[Place, list[PageHead]] = {}
        values = self._places(places)
        for *columns, home, key in self.connection.execute(TITLES_AND_ALIASES, values) if places else ():
            head = PageHead(*columns)
            if home:
                aliases.setdefault((home, key), []).append(head)
            else:
                titles[head.volume, head.key] = head
        for holders in aliases.values():
            holders.sort(key=lambda head: head.key)
        return titles, aliases

    def heads(self, ids: Collection[int]) -> list[PageHead]:
        """Pages without their texts."""
        return [PageHead(*row) for row in self.connection.execute(HEADS, {"ids": ids})]

    def pages(self, ids: Collection[int]) -> Mapping[int, Page]:
        # All at once: one by one the driver takes twice as long, and they are thousands.
        rows = self.connection.execute(PAGES, {"ids": ids}).all()
        return {row[0]: IndexedPage(PageHead(*row[:5]), *row[5:10], self._names) for row in rows}

    def page_at(self, place: Place) -> Page | None:
        """The page of this title."""
        row = self.connection.execute(PAGE_AT, {"volume": place[0], "key": place[1]}).first()
        return None if row is None else IndexedPage(PageHead(*row[:5]), *row[5:10], self._names)

    def meaning(self, places: Collection[Place]) -> dict[int, tuple[int, Name]]:
        """The names in use that could mean one of these places: id → volume where it is typed, and name.

        Typed in that volume (or, for an insert, in one that has it as a library), or anywhere with the
        volume before it.
        """
        by_id = {volume.id: volume for volume in self.volumes.values()}
        typed = [
            (home, key) for volume, key in places for home in (volume, *self._library_users.get(volume, ()))
        ]
        qualified = [(by_id[volume].key, key) for volume, key in places if volume in by_id]
        # A place in volume 0 is “volume/page” where there is no such volume.
        qualified += [(key.partition("/")[0], key.partition("/")[2]) for volume, key in places if not volume]
        values = {
            "homes": [home for home, _ in typed],
            "keys": [key for _, key in typed],
            "vkeys": [volume for volume, _ in qualified],
            "tkeys": [key for _, key in qualified],
        }
        rows = self.connection.execute(NAMES_MEANING, values)
        # Names typed in a volume that was deleted wait for it to come back.
        found = {row[0]: (row[1], name_of(*row[2:])) for row in rows if row[1] in by_id}
        self._names.update({id_: name for id_, (_, name) in found.items()})
        return found

    @cached_property
    def _library_users(self) -> Mapping[int, Sequence[int]]:
        """Volume → the volumes whose inserts look there after their own."""
        users: dict[int, list[int]] = {}
        for each in self.volumes.values():
            for library in each.libraries:
                users.setdefault(library, []).append(each.id)
        return users

    def naming(self, places: Collection[Place]) -> Collection[int]:
        names = list(self.meaning(places)) if places else []
        return self.connection.execute(NAMING, {"names": names}).scalars().all() if names else ()

    def naming_sections(self, places: Collection[Place]) -> Collection[int]:
        names = list(self.meaning(places)) if places else []
        return self.connection.execute(NAMING_SECTIONS, {"names": names}).scalars().all() if names else ()

    def naming_volume(self, key: str) -> Collection[int]:
        return self.connection.execute(NAMING_VOLUME, {"key": key}).scalars().all()

    def standing_in(self, volume: int) -> Collection[int]:
        return self.connection.execute(STANDING_IN, {"volume": volume}).scalars().all()

    def inserting(self, volume: int) -> Collection[int]:
        return self.connection.execute(INSERTING, {"volume": volume}).scalars().all()
