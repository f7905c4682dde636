"""Names to refer to, by a part of them or a near spelling; and what is known before anything is looked for."""

from __future__ import annotations

import re
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.phrases import counted
from mokuji.core.model import policy
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, catch_up, find_head, refresh
from mokuji.store.database import reading
from mokuji.store.index import search
from mokuji.store.index.search import Named
from mokuji.store.index.unwritten import Wanted, wanted_like
from mokuji.store.snapshot import StoredWiki

AT_ONCE = 50
"""Number of pages saved just now that are read before a search: more come from an act on many pages, which is not
waited for."""


def know_the_newest(app: AppContext) -> None:
    """What was saved is found at once."""
    with reading(app.engine) as connection:
        waiting = search.waiting(connection)
    if waiting:
        catch_up(app, AT_ONCE)


def writable_as(context: ReadContext, scope: Volume | None, key: str) -> Volume | None:
    """Where a page of this key could be written: in a volume, or in the first that may be written; None if nowhere, or
    if it is there."""
    if not names.is_key(key) or not names.is_storable(key):
        return None
    for volume in [scope] if scope else list(context.volumes.values()):
        may = policy.may(context.actor, Permission.WRITE, volume.id, closed=volume.closed)
        if may and find_head(context.connection, volume, key) is None:
            return volume
    return None


@dataclass(frozen=True, slots=True)
class NameFor:
    """A name to refer to; ``insert`` is its target as it is typed in the volume in hand, ``place`` says where it is,
    ``about`` what; one that is not ``written`` has no page yet, of one that is ``near`` only the spelling is."""

    title: str
    place: str
    insert: str
    volume: str = ""
    key: str = ""
    about: str = ""
    written: bool = True
    near: bool = False


HERE = 6
"""Of the volume in hand at most so many rows stand before those of others, if there are any."""
_SLASH = re.compile(r"((?:\\.|[^\\/])+)/(.*)", re.DOTALL)


def names_for(app: AppContext, actor: Actor, typed: str, volume_key: str, *, most: int = 8) -> list[NameFor]:
    """Names to refer to that match what is typed in a volume: its own first, also those that are not written but asked
    for, or planned in the contents; then those of others. Behind the name of a volume and “/” those of that one."""
    typed = " ".join(typed.replace("\x00", "").split())[:200]
    know_the_newest(app)
    refresh(app)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        home = context.volumes.get(names.key(volume_key))
        if home is None:
            return []
        absolute = typed.startswith("/")
        inside = _SLASH.fullmatch(typed.removeprefix("/"))
        other = context.volumes.get(names.key(names.unescape(inside[1]))) if inside is not None else None
        rows = [] if absolute else _names(context, home, home, names.unescape(typed), most)
        if inside is not None and other is not None:
            rows += _names(context, home, other, names.unescape(inside[2]), most, absolute=absolute)
        elif not absolute:
            others = _elsewhere(context, home, names.unescape(typed), most)
            near = [row for _, is_near, row in others if is_near]
            sure = [(exact, False, row) for exact, is_near, row in others if not is_near]
            rows = [*rows[: HERE if sure else most], *sure, *rows[HERE if sure else most :]]
            rows += [(False, True, row) for row in near]
    rows.sort(key=lambda each: (not each[0], each[1]))
    return [row for _, _, row in rows[:most]]


_Row = tuple[bool, bool, NameFor]
"""Whether it is just what is typed, whether only the spelling is near, and the name."""


def _names(
    context: ReadContext, home: Volume, volume: Volume, typed: str, most: int, *, absolute: bool = False
) -> list[_Row]:
    """The names of one volume, written and unwritten, to be typed in another or the same."""
    key = names.key(typed)
    if not key and volume.id == home.id:
        return []
    named_pages = search.by_name(context.connection, key, [volume.id], most=most)
    rows = [_row(home, volume, named_page, key, absolute=absolute) for named_page in named_pages]
    wiki = StoredWiki(context.connection, context.volumes)
    readable = [each.id for each in context.volumes.values()]
    wanted = wanted_like(wiki, volume.id, key, readable, max(2, most // 2)) if key else []
    sure = [row for row in rows if not row[1]]
    planned = [_wanted(home, volume, each, key, absolute=absolute) for each in wanted]
    # Neither takes all the room.
    return [*sure[: most - len(planned)], *planned, *(row for row in rows if row[1])]


def _row(home: Volume, volume: Volume, each: Named, key: str, *, absolute: bool = False) -> _Row:
    called = f"also “{each.alias}”" if each.alias else ("near spelling" if each.near else "")
    place = called if volume.id == home.id else " · ".join(filter(None, (volume.title, called)))
    insert = _target(home, volume, each.title, absolute=absolute)
    exact = key in {each.key, names.key(each.alias)}
    return (
        exact,
        each.near,
        NameFor(each.title, place, insert, volume.key, each.key, each.summary, near=each.near),
    )


def _wanted(home: Volume, volume: Volume, each: Wanted, key: str, *, absolute: bool = False) -> _Row:
    asked = f"{counted(each.pages, 'page')} ask{'s' if each.pages == 1 else ''} for it"
    why = "planned in the contents" if each.placed else asked
    place = " · ".join([*([volume.title] if volume.id != home.id else []), "not written", why])
    insert = _target(home, volume, each.title, absolute=absolute)
    return each.key == key, False, NameFor(each.title, place, insert, volume.key, each.key, written=False)


def _target(home: Volume, volume: Volume, title: str, *, absolute: bool) -> str:
    lead = "" if volume.id == home.id and not absolute else f"{names.escape(volume.title)}/"
    return f"{'/' if absolute else ''}{lead}{names.escape(title)}"


def _elsewhere(context: ReadContext, home: Volume, typed: str, most: int) -> list[_Row]:
    key = names.key(typed)
    by_id = {volume.id: volume for volume in context.volumes.values() if volume.id != home.id}
    if not key or not by_id:
        return []
    named_pages = search.by_name(context.connection, key, list(by_id), most=most)
    return [_row(home, by_id[named_page.volume], named_page, key) for named_page in named_pages]
