"""A wiki as the core asks for it (``core.model.wiki.Wiki``), answered by queries of one transaction.

Pages come with the ranges of their references, so that a plan reads only the
few that matter instead of scanning whole texts.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from functools import cached_property

from sqlalchemy import Connection, text

from mokuji.core.base.names import Name
from mokuji.core.language.indexed_page import IndexedPage, KnownNames
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.wiki import Place, Volume


def array(numbers: Iterable[int]) -> str:
    """Numbers as PostgreSQL writes an array of them: the driver takes long over lists."""
    return f"{{{','.join(map(str, numbers))}}}"


def text_array(texts: Iterable[str]) -> str:
    """Texts as PostgreSQL writes an array of them."""
    quoted = (each.replace("\\", "\\\\").replace('"', '\\"') for each in texts)
    return "{" + ",".join(f'"{each}"' for each in quoted) + "}"


def stored_key(name: Name) -> str:
    """The key column of ``name``: absolute names get one of their own, to be found by it."""
    return f"/{name.volume}/{name.title}" if name.absolute else name.key


def name_of(key: str, vkey: str | None, tkey: str | None, absolute: bool) -> Name:
    """A name from its columns."""
    return Name("" if absolute else key, vkey, tkey, absolute)


_HEAD = "p.id, p.volume, p.key, p.title, p.revision"
TITLES = text(
    f"""SELECT {_HEAD} FROM unnest(CAST(:volumes AS int[]), CAST(:keys AS text[])) AS w(volume, key)
    JOIN page p ON p.volume = w.volume AND p.key = w.key COLLATE "C" """  # noqa: S608
)
ALIASES = text(
    f"""SELECT a.volume AS at_volume, a.key AS at_key, {_HEAD}
    FROM unnest(CAST(:volumes AS int[]), CAST(:keys AS text[])) AS w(volume, key)
    JOIN alias a ON a.volume = w.volume AND a.key = w.key COLLATE "C"
    JOIN page p ON p.id = a.page ORDER BY p.key"""  # noqa: S608
)
HEADS = text(f"SELECT {_HEAD} FROM page p WHERE p.id = ANY(:ids)")  # noqa: S608
PAGES = text(
    f"""SELECT {_HEAD}, r.text, x.starts, x.ends, x.names, x.flags FROM page p
    JOIN revision r ON r.page = p.id AND r.number = p.revision
    JOIN page_refs x ON x.page = p.id WHERE p.id = ANY(:ids)"""  # noqa: S608
)
NAMES_MEANING = text(
    """SELECT n.id, n.home, n.key, n.vkey, n.tkey, n.absolute
    FROM unnest(CAST(:homes AS int[]), CAST(:keys AS text[])) AS w(home, key)
    JOIN name n ON n.home = w.home AND n.key = w.key COLLATE "C" AND NOT n.absolute
    UNION SELECT n.id, n.home, n.key, n.vkey, n.tkey, n.absolute
    FROM unnest(CAST(:vkeys AS text[]), CAST(:tkeys AS text[])) AS w(vkey, tkey)
    JOIN name n ON n.vkey = w.vkey COLLATE "C" AND n.tkey = w.tkey COLLATE "C" AND n.vkey IS NOT NULL"""
)
NAMING = text("SELECT DISTINCT page FROM page_name WHERE name = ANY(:names)")
NAMING_SECTIONS = text("SELECT DISTINCT page FROM section_ref WHERE name = ANY(:names)")
NAMING_VOLUME = text(
    """SELECT DISTINCT pn.page FROM name n JOIN page_name pn ON pn.name = n.id
    WHERE n.vkey = :key COLLATE "C" AND n.vkey IS NOT NULL"""
)
INSERTING = text(
    """SELECT DISTINCT pn.page FROM name n JOIN page_name pn ON pn.name = n.id AND pn.kind = 1
    WHERE n.home = :volume"""
)
STANDING_IN = text("SELECT id FROM page WHERE volume = :volume")
_VOLUMES = text(
    "SELECT id, key, title, closed, libraries, language FROM volume WHERE deleted_by IS NULL ORDER BY id"
)


def load_volumes(connection: Connection) -> dict[str, Volume]:
    """All volumes by key; they are few."""
    rows = connection.execute(_VOLUMES).all()
    return {r.key: Volume(r.id, r.key, r.title, r.closed, tuple(r.libraries), r.language) for r in rows}


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

    def _places(self, places: Collection[Place]) -> dict[str, str]:
        shown = [p for p in places if self._visible is None or p[0] in self._visible]
        return {
            "volumes": array(volume for volume, _ in shown),
            "keys": text_array(key for _, key in shown),
        }

    def titles(self, places: Collection[Place]) -> Mapping[Place, PageHead]:
        if not places:
            return {}
        rows = self.connection.execute(TITLES, self._places(places)).all()
        return {(row.volume, row.key): PageHead(*row) for row in rows}

    def aliases(self, places: Collection[Place]) -> Mapping[Place, Sequence[PageHead]]:
        if not places:
            return {}
        found: dict[Place, list[PageHead]] = {}
        for row in self.connection.execute(ALIASES, self._places(places)).all():
            found.setdefault((row.at_volume, row.at_key), []).append(PageHead(*row[2:]))
        return found

    def heads(self, ids: Collection[int]) -> list[PageHead]:
        """Pages without their texts."""
        rows = self.connection.execute(HEADS, {"ids": array(ids)}).all()
        return [PageHead(*row) for row in rows]

    def pages(self, ids: Collection[int]) -> Mapping[int, Page]:
        rows = self.connection.execute(PAGES, {"ids": array(ids)}).all()
        return {
            row.id: IndexedPage(
                PageHead(*row[:5]), row.text, row.starts, row.ends, row.names, row.flags, self._names
            )
            for row in rows
        }

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
            "homes": array(home for home, _ in typed),
            "keys": text_array(key for _, key in typed),
            "vkeys": text_array(volume for volume, _ in qualified),
            "tkeys": text_array(key for _, key in qualified),
        }
        rows = self.connection.execute(NAMES_MEANING, values).all()
        # Names typed in a volume that was deleted wait for it to come back.
        found = {r.id: (r.home, name_of(r.key, r.vkey, r.tkey, r.absolute)) for r in rows if r.home in by_id}
        self._names.update({id_: name for id_, (_, name) in found.items()})
        return found

    @cached_property
    def _library_users(self) -> Mapping[int, Sequence[int]]:
        """Volume → the volumes whose inserts look there after their own."""
        users: dict[int, list[int]] = {}
        for volume in self.volumes.values():
            for library in volume.libraries:
                users.setdefault(library, []).append(volume.id)
        return users

    def naming(self, place: Place) -> Collection[int]:
        names = list(self.meaning([place]))
        return self.connection.execute(NAMING, {"names": array(names)}).scalars().all() if names else ()

    def naming_sections(self, place: Place) -> Collection[int]:
        names = list(self.meaning([place]))
        return (
            self.connection.execute(NAMING_SECTIONS, {"names": array(names)}).scalars().all() if names else ()
        )

    def naming_volume(self, key: str) -> Collection[int]:
        return self.connection.execute(NAMING_VOLUME, {"key": key}).scalars().all()

    def standing_in(self, volume: int) -> Collection[int]:
        return self.connection.execute(STANDING_IN, {"volume": volume}).scalars().all()

    def inserting(self, volume: int) -> Collection[int]:
        return self.connection.execute(INSERTING, {"volume": volume}).scalars().all()
