"""Finding: pages by words, by part of a name, by a near spelling."""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core import names, policy
from mokuji.core.policy import Act, Actor
from mokuji.core.wiki import Volume
from mokuji.services.desk import Desk, catch_up, visible
from mokuji.store import search
from mokuji.store.database import reading
from mokuji.store.search import Hit, Named

PAGE = 20


@dataclass(frozen=True, slots=True)
class Found:
    """What was found: by name first, then by words; counts by volume; ``writable`` is where a
    page of the words as name could be written (None if nowhere, or if it is there)."""

    words: str
    named: tuple[Named, ...]
    hits: tuple[Hit, ...]
    counts: dict[int, int]
    volumes: dict[int, Volume]
    scope: Volume | None
    writable: Volume | None
    more: bool


def find(desk: Desk, actor: Actor, words: str, volume_key: str = "", page: int = 0) -> Found:
    """Pages by their words, in one volume or in all that the actor may read."""
    words = " ".join(words.replace("\x00", "").split())[:300]
    _know_the_newest(desk)
    with reading(desk.engine) as connection:
        volumes = visible(connection, actor)
        by_id = {volume.id: volume for volume in volumes.values()}
        scope = volumes.get(names.key(volume_key)) if volume_key else None
        seen = [scope.id] if scope else list(by_id)
        if not words:
            return Found("", (), (), {}, by_id, scope, None, False)
        hits = search.find(connection, words, seen, most=PAGE + 1, skip=page * PAGE)
        counts = search.count(connection, words, list(by_id))
        key = names.key(words)
        named = search.by_name(connection, key, seen, most=5) if page == 0 and key else []
        writable = _writable(actor, scope, volumes, named, key)
        return Found(
            words, tuple(named), tuple(hits[:PAGE]), counts, by_id, scope, writable, len(hits) > PAGE
        )


AT_ONCE = 20
"""How many pages saved just now are read before a search: more come from an act on many pages, which is not
waited for."""


def _know_the_newest(desk: Desk) -> None:
    """What was saved is found at once."""
    with reading(desk.engine) as connection:
        waiting = search.waiting(connection)
    if waiting:
        catch_up(desk, AT_ONCE)


def _writable(
    actor: Actor, scope: Volume | None, volumes: dict[str, Volume], named: list[Named], key: str
) -> Volume | None:
    if not names.is_key(key):
        return None
    for volume in [scope] if scope else list(volumes.values()):
        there = any(each.key == key and each.volume == volume.id for each in named)
        if policy.may(actor, Act.WRITE, volume.id, closed=volume.closed) and not there:
            return volume
    return None


def go_box(desk: Desk, actor: Actor, typed: str, volume_key: str = "", *, most: int = 8) -> Found:
    """What the go box shows: names first, then pages that hold the words."""
    typed = " ".join(typed.replace("\x00", "").split())[:200]
    _know_the_newest(desk)
    with reading(desk.engine) as connection:
        volumes = visible(connection, actor)
        by_id = {volume.id: volume for volume in volumes.values()}
        scope = volumes.get(names.key(volume_key)) if volume_key else None
        seen = [scope.id] if scope else list(by_id)
        key = names.key(typed)
        if not key:
            return Found("", (), (), {}, by_id, scope, None, False)
        named = search.by_name(connection, key, seen, most=most)
        known = {each.page for each in named}
        hits = [hit for hit in search.find(connection, typed, seen, most=4) if hit.page not in known][:3]
        return Found(
            typed,
            tuple(named),
            tuple(hits),
            {},
            by_id,
            scope,
            _writable(actor, scope, volumes, named, key),
            False,
        )


@dataclass(frozen=True, slots=True)
class NameFor:
    """A page to refer to; ``insert`` is its target as it is typed in the volume in hand, ``about`` says what it is."""

    title: str
    place: str
    insert: str
    volume: str = ""
    key: str = ""
    about: str = ""


def names_for(desk: Desk, actor: Actor, typed: str, volume_key: str, *, most: int = 8) -> list[NameFor]:
    """Pages whose name matches what is typed, those of the volume in hand first."""
    found = go_box(desk, actor, typed, most=3 * most)
    ordered = sorted(found.named, key=lambda each: found.volumes[each.volume].key != names.key(volume_key))
    rows = []
    for each in ordered[:most]:
        volume = found.volumes[each.volume]
        here = volume.key == names.key(volume_key)
        written = names.escape(each.title)
        insert = written if here else f"{names.escape(volume.title)}/{written}"
        place = f"also “{each.alias}”" if each.alias else ("near spelling" if each.near else "")
        rows.append(
            NameFor(each.title, place if here else volume.title, insert, volume.key, each.key, each.summary)
        )
    return rows
