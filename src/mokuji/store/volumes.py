"""Volumes: what is known of each, and the writing of a new one."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from sqlalchemy import Connection, func, insert, select, update
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.core.base import names
from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import Place, Volume
from mokuji.store.pages import HEAD_COLUMNS
from mokuji.store.statements import among, fixed, numbers, texts, value
from mokuji.store.tables import change_set, former, page, unsearched, volume, volume_size
from mokuji.store.tables import former_volume as former_volumes

_IS = volume.c.id == value("volume")
_FRONT = update(volume).where(_IS).values(front=value("new_front"))
_renamed = (
    func.unnest(numbers("volumes"), texts("old"), texts("new"))
    .table_valued("volume", "old", "new")
    .render_derived("renamed")
)
# All at once: of two pages that exchange their names, the one that was the front page still is.
_FRONTS_RENAMED = (
    update(volume)
    .where(volume.c.id == _renamed.c.volume, volume.c.front == _renamed.c.old)
    .values(front=_renamed.c.new)
)
_CHANGE = (
    update(volume)
    .where(_IS)
    .values(
        key=value("new_key"),
        title=value("new_title"),
        closed=value("is_closed"),
        libraries=value("looks_in"),
        language=value("written_in"),
        deleted_by=None,
    )
)
_DELETE = update(volume).where(_IS).values(deleted_by=value("act"))
VOLUME_COLUMNS = (
    volume.c.id,
    volume.c.key,
    volume.c.title,
    volume.c.closed,
    volume.c.libraries,
    volume.c.language,
)
"""What ``volume_of`` makes a ``Volume`` of."""
DELETED = select(*VOLUME_COLUMNS).where(volume.c.deleted_by.is_not(None))
DELETED_OF = DELETED.where(among(volume.c.id, "volumes"))
THROWN_AWAY = (
    select(
        volume.c.title,
        volume.c.deleted_by,
        select(change_set.c.at).where(change_set.c.id == volume.c.deleted_by).scalar_subquery(),
        volume.c.id,
    )
    .where(volume.c.deleted_by.is_not(None))
    .order_by(volume.c.deleted_by.desc())
    .limit(value("most"))
)
THROWN_AWAY_OF = THROWN_AWAY.where(among(volume.c.id, "volumes"))
_given = (
    func.unnest(numbers("volumes"), texts("keys"), numbers("pages"))
    .table_valued("volume", "key", "page")
    .render_derived("given")
)
_REMEMBER = insert_or_else(former).from_select(
    ["volume", "key", "page"], select(_given.c.volume, _given.c.key, _given.c.page)
)
_REMEMBER = _REMEMBER.on_conflict_do_update(
    index_elements=["volume", "key"], set_={"page": _REMEMBER.excluded.page}
)
_heirs = (
    func.unnest(numbers("pages"), numbers("successors")).table_valued("page", "successor").render_derived()
)
_PASS_ON = update(former).where(former.c.page == _heirs.c.page).values(page=_heirs.c.successor)
FORMER = select(*HEAD_COLUMNS).where(
    page.c.id == former.c.page, former.c.volume == value("volume"), former.c.key == value("key")
)
_asked_for = func.unnest(numbers("volumes"), texts("keys")).table_valued("volume", "key").render_derived("w")
FORMERS = select(former.c.volume, former.c.key, *HEAD_COLUMNS).where(
    page.c.id == former.c.page, former.c.volume == _asked_for.c.volume, former.c.key == _asked_for.c.key
)
_REMEMBER_VOLUME = insert_or_else(former_volumes)
_REMEMBER_VOLUME = _REMEMBER_VOLUME.on_conflict_do_update(
    index_elements=["key"], set_={"volume": _REMEMBER_VOLUME.excluded.volume}
)
FORMER_VOLUME = select(volume.c.id).where(
    volume.c.id == former_volumes.c.volume,
    former_volumes.c.key == value("key"),
    volume.c.deleted_by.is_(None),
)
ROWS = (
    select(
        volume.c.id,
        volume.c.key,
        volume.c.title,
        volume.c.summary,
        volume.c.closed,
        volume.c.front,
        volume.c.language,
        # To count them all takes longer the more there are.
        func.coalesce(volume_size.c.pages, fixed(0)),
        select(change_set.c.at)
        .where(change_set.c.volume == volume.c.id)
        .order_by(change_set.c.id.desc())
        .limit(1)
        .scalar_subquery(),
    )
    .select_from(volume.outerjoin(volume_size, volume_size.c.volume == volume.c.id))
    .where(among(volume.c.id, "visible"))
    .order_by(volume.c.id)
)
COVER = select(volume.c.summary, volume.c.front).where(_IS)
_ADD = insert(volume).returning(volume.c.id)
_LANGUAGE = update(volume).where(_IS).values(language=value("written_in"))
# The stems of words depend on it.
_FIND_ANEW = (
    insert_or_else(unsearched)
    .from_select(["page"], select(page.c.id).where(page.c.volume == value("volume")))
    .on_conflict_do_nothing()
)
_LIBRARIES = update(volume).where(_IS).values(libraries=value("looks_in"))


def volume_of(
    id_: int, key: str, title: str, closed: bool, libraries: Sequence[int], language: str
) -> Volume:
    """A volume from its columns."""
    return Volume(id_, key, title, closed, tuple(libraries), language)


def rename_fronts(connection: Connection, renamed: Sequence[tuple[int, str, str]]) -> None:
    """A volume's front page stays its front page under another name; ``renamed`` are volume, key before and after."""
    if renamed:
        values = {
            "volumes": [volume for volume, _, _ in renamed],
            "old": [old for _, old, _ in renamed],
            "new": [new for _, _, new in renamed],
        }
        connection.execute(_FRONTS_RENAMED, values)


def change_volume(connection: Connection, volume: Volume) -> None:
    """Writes down what a volume is called now and where its inserts look; one that was deleted is back."""
    connection.execute(
        _CHANGE,
        {
            "volume": volume.id,
            "new_key": volume.key,
            "new_title": volume.title,
            "is_closed": volume.closed,
            "looks_in": list(volume.libraries),
            "written_in": volume.language,
        },
    )


def delete_volume(connection: Connection, volume: int, change_set: int) -> None:
    """A volume is no more, but can come back."""
    connection.execute(_DELETE, {"act": change_set, "volume": volume})


def deleted_volumes(connection: Connection, volumes: Collection[int] | None) -> dict[int, Volume]:
    """Those of these volumes (None: of all) that were deleted, by id."""
    every = volumes is None
    rows = connection.execute(DELETED if every else DELETED_OF, {} if every else {"volumes": volumes})
    return {row[0]: volume_of(*row) for row in rows}


@dataclass(frozen=True, slots=True)
class Deleted:
    """A volume that was deleted, and by which act."""

    title: str
    change_set: int
    at: datetime
    volume: int


def thrown_away(connection: Connection, volumes: Collection[int] | None, most: int = 100) -> list[Deleted]:
    """Those of these volumes (None: of all) that were deleted, newest first."""
    if volumes is None:
        rows = connection.execute(THROWN_AWAY, {"most": most})
    else:
        rows = connection.execute(THROWN_AWAY_OF, {"volumes": volumes, "most": most})
    return [Deleted(title, act, at, id_) for title, act, at, id_ in rows if act is not None]


def remember_addresses(connection: Connection, heads: Sequence[PageHead]) -> None:
    """The names that pages had lead to them."""
    connection.execute(
        _REMEMBER,
        {
            "volumes": [head.volume for head in heads],
            "keys": [head.key for head in heads],
            "pages": [head.id for head in heads],
        },
    )


def pass_on_addresses(
    connection: Connection, removed: Sequence[PageHead], successors: Mapping[int, int]
) -> None:
    """The names that pages had lead to those that took their references."""
    remember_addresses(connection, [replace(h, id=successors[h.id]) for h in removed if h.id in successors])
    connection.execute(_PASS_ON, {"pages": successors.keys(), "successors": successors.values()})


def formerly(connection: Connection, volume: int, key: str) -> PageHead | None:
    """The page that had this name once, if it is there."""
    row = connection.execute(FORMER, {"volume": volume, "key": key}).first()
    return PageHead(*row) if row else None


def formers(connection: Connection, places: Collection[Place]) -> dict[Place, PageHead]:
    """The pages that had these names once, by place, of those that are there."""
    if not places:
        return {}
    values = {"volumes": [id_ for id_, _ in places], "keys": [key for _, key in places]}
    return {(row[0], row[1]): PageHead(*row[2:]) for row in connection.execute(FORMERS, values)}


def remember_volume(connection: Connection, key: str, volume: int) -> None:
    """The name that a volume had leads to it."""
    connection.execute(_REMEMBER_VOLUME, {"key": key, "volume": volume})


def former_volume(connection: Connection, key: str) -> int | None:
    """The volume that had this name once."""
    return connection.execute(FORMER_VOLUME, {"key": key}).scalar()


def set_front(connection: Connection, volume: int, key: str | None) -> None:
    """Which page a volume opens on."""
    connection.execute(_FRONT, {"new_front": key, "volume": volume})


@dataclass(frozen=True, slots=True)
class VolumeRow:
    """A volume in the list of volumes."""

    id: int
    key: str
    title: str
    summary: str
    closed: bool
    front: str | None
    language: str
    pages: int
    changed: datetime | None


def volume_rows(connection: Connection, visible: Collection[int]) -> list[VolumeRow]:
    """The volumes an actor may read, each with its pages and last change."""
    return [VolumeRow(*row) for row in connection.execute(ROWS, {"visible": visible})]


@dataclass(frozen=True, slots=True)
class Cover:
    """What stands on the cover of a volume: one sentence, and the key of its front page."""

    summary: str
    front: str | None


def cover(connection: Connection, volume: int) -> Cover:
    """The cover of a volume that is there."""
    return Cover(*connection.execute(COVER, {"volume": volume}).one())


def add_volume(
    connection: Connection, title: str, *, summary: str = "", closed: bool = False, front: str | None = None
) -> int:
    """A new volume; ``front`` is the key of its front page. Conflict (from the unique key) if the name is taken."""
    values = {"key": names.key(title), "title": title, "summary": summary, "closed": closed, "front": front}
    return connection.execute(_ADD, values).scalar_one()


def set_language(connection: Connection, volume: int, language: str) -> None:
    """Says which language a volume is written in."""
    connection.execute(_LANGUAGE, {"written_in": language, "volume": volume})
    connection.execute(_FIND_ANEW, {"volume": volume})


def set_libraries(connection: Connection, volume: int, libraries: Sequence[int]) -> None:
    """In which volumes the inserts of this one look after its own, in order."""
    connection.execute(_LIBRARIES, {"looks_in": list(libraries), "volume": volume})
