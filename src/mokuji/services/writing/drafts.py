"""Drafts of a person: kept while writing, listed, and dropped by a save; and who else is writing on a page."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from mokuji.core.base import names
from mokuji.core.base.errors import MokujiError
from mokuji.core.language.scan import check as check_text
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, check, find_head
from mokuji.services.writing.writing import Clash, bring_together
from mokuji.store import drafts as stored
from mokuji.store.database import reading, writing
from mokuji.store.drafts import Draft

AT_IT = timedelta(minutes=15)
"""Whoever kept a draft that lately counts as writing."""


def keep(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    page_key: str,
    text: str,
    *,
    title: str = "",
    revision: int = 0,
) -> list[str]:
    """Keeps what somebody is writing; a text that is the page's own is no draft, and drops the one there was. Who
    else is writing on the page is the answer."""
    check_text(text)
    with writing(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        check(actor, Permission.WRITE, volume)
        assert actor.person is not None
        head = find_head(connection, volume, page_key)
        # A name that is not written has its draft by the address of the desk, whatever title is typed meanwhile.
        key = names.key(page_key) if head is None else head.key
        if not names.is_key(key):
            return []
        page = head.id if head is not None else None
        shown = head.title if head is not None else title.strip() or names.as_title(key)
        if not text.strip() if head is None else text == _text(context, head.id).replace("\r\n", "\n"):
            stored.drop(connection, actor.person, volume.id, page, key)
        else:
            named = (key, shown[: names.LONGEST])
            stored.keep(connection, actor.person, volume.id, page, named, text, revision, app.clock())
        since = app.clock() - AT_IT
        others = stored.others(connection, page, actor.person, since) if page is not None else []
        return [name for name, _ in others]


def _text(context: ReadContext, page: int) -> str:
    return context.wiki.pages([page])[page].text


def discard(app: AppContext, actor: Actor, volume_key: str, page_key: str) -> None:
    """Drops one's draft of a page or name."""
    with writing(app.engine) as connection:
        volume = ReadContext(connection, actor).volume(volume_key)
        check(actor, Permission.WRITE, volume)
        assert actor.person is not None
        head = find_head(connection, volume, page_key)
        stored.drop(
            connection,
            actor.person,
            volume.id,
            head.id if head else None,
            head.key if head else names.key(page_key),
        )


@dataclass(frozen=True, slots=True)
class Opened:
    """A draft as the desk opens it. ``revision`` is the one that it will be saved upon; ``together`` says that what
    others saved since was brought in, ``clash`` (with its parts) that this cannot be done without the writer."""

    text: str
    title: str
    revision: int
    at: datetime
    together: bool = False
    clash: Clash | None = None


def opened(app: AppContext, actor: Actor, volume_key: str, page_key: str) -> Opened | None:
    """One's draft of a page or name, ready to be written on; None without one, and if it says what the page says."""
    if actor.person is None:
        return None
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        head = find_head(connection, volume, page_key)
        key = head.key if head is not None else names.key(page_key)
        found = stored.one(connection, actor.person, volume.id, head.id if head is not None else None, key)
        if found is None and head is not None:
            # It may have been begun before somebody else wrote the page.
            found = stored.one(connection, actor.person, volume.id, None, key)
        if found is None:
            return None
        draft, text = found
        if head is None:
            return Opened(text, draft.title, 0, draft.changed)
        page = context.wiki.pages([head.id])[head.id]
        if text == page.text.replace("\r\n", "\n"):
            return None
        if draft.page is not None and draft.revision == head.revision:
            return Opened(text, head.title, head.revision, draft.changed)
        begun = draft.revision if draft.page is not None else 0
        try:
            made = bring_together(connection, page, begun, text, context.reads)
        except Clash as clash:
            return Opened(text, head.title, begun, draft.changed, clash=clash)
        except MokujiError:
            # What it was begun upon is not there any more: it is opened as it is, and its save says so.
            return Opened(text, head.title, begun, draft.changed)
        return Opened(made, head.title, head.revision, draft.changed, together=True)


def settle(app: AppContext, actor: Actor, volume_key: str, key: str) -> None:
    """Drops one's draft by a name that was not written: its text was saved as a page of another name."""
    with writing(app.engine) as connection:
        volume = ReadContext(connection, actor).volume(volume_key)
        assert actor.person is not None
        stored.drop(connection, actor.person, volume.id, None, names.key(key))


def mine(app: AppContext, actor: Actor) -> tuple[list[Draft], Mapping[int, Volume]]:
    """One's drafts, newest first, in volumes that one may read; and these by id."""
    if actor.person is None:
        return [], {}
    with reading(app.engine) as connection:
        by_id = {volume.id: volume for volume in ReadContext(connection, actor).volumes.values()}
        return stored.of_person(connection, actor.person, list(by_id)), by_id
