"""Drafts of a person: kept while writing, listed, and dropped by a save; and who else is writing on a page."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta

from mokuji.core import names
from mokuji.core.policy import Act, Actor
from mokuji.core.text.scan import check as check_text
from mokuji.core.wiki import Volume
from mokuji.services.desk import Desk, Sight, check, find_head
from mokuji.store import drafts as stored
from mokuji.store.database import reading, writing
from mokuji.store.drafts import Draft

AT_IT = timedelta(minutes=15)
"""Whoever kept a draft that lately counts as writing."""


@dataclass(frozen=True, slots=True)
class Kept:
    """A draft of one's own as the desk offers it: its text, and the revision that it was begun with."""

    draft: Draft
    text: str


def keep(
    desk: Desk, actor: Actor, volume_key: str, page_key: str, text: str, *, title: str = "", revision: int = 0
) -> list[str]:
    """Keeps what somebody is writing; a text that is the page's own is no draft, and drops the one there was. Who
    else is writing on the page is the answer."""
    check_text(text)
    with writing(desk.engine) as connection:
        sight = Sight(connection, actor)
        volume = sight.volume(volume_key)
        check(actor, Act.WRITE, volume)
        assert actor.person is not None
        head = find_head(connection, volume, page_key)
        key = names.key(title or page_key) if head is None else head.key
        if not names.is_key(key):
            return []
        page = head.id if head is not None else None
        shown = head.title if head is not None else title.strip() or names.as_title(key)
        if not text.strip() if head is None else text == _text(sight, head.id).replace("\r\n", "\n"):
            stored.drop(connection, actor.person, volume.id, page, key)
        else:
            named = (key, shown[: names.LONGEST])
            stored.keep(connection, actor.person, volume.id, page, named, text, revision, desk.clock())
        since = desk.clock() - AT_IT
        others = stored.others(connection, page, actor.person, since) if page is not None else []
        return [name for name, _ in others]


def _text(sight: Sight, page: int) -> str:
    return sight.wiki.pages([page])[page].text


def discard(desk: Desk, actor: Actor, volume_key: str, page_key: str) -> None:
    """Drops one's draft of a page or name."""
    with writing(desk.engine) as connection:
        volume = Sight(connection, actor).volume(volume_key)
        check(actor, Act.WRITE, volume)
        assert actor.person is not None
        head = find_head(connection, volume, page_key)
        stored.drop(
            connection,
            actor.person,
            volume.id,
            head.id if head else None,
            head.key if head else names.key(page_key),
        )


def kept(desk: Desk, actor: Actor, volume_key: str, page_key: str) -> Kept | None:
    """One's draft of a page or name."""
    if actor.person is None:
        return None
    with reading(desk.engine) as connection:
        volume = Sight(connection, actor).volume(volume_key)
        head = find_head(connection, volume, page_key)
        found = stored.one(
            connection,
            actor.person,
            volume.id,
            head.id if head else None,
            head.key if head else names.key(page_key),
        )
        return Kept(*found) if found is not None else None


def mine(desk: Desk, actor: Actor) -> tuple[list[Draft], Mapping[int, Volume]]:
    """One's drafts, newest first, in volumes that one may read; and these by id."""
    if actor.person is None:
        return [], {}
    with reading(desk.engine) as connection:
        by_id = {volume.id: volume for volume in Sight(connection, actor).volumes.values()}
        return stored.of_person(connection, actor.person, list(by_id)), by_id
