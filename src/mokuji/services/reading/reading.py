"""Reading: the list of volumes, a volume's start, a page with its contents and margin."""

from __future__ import annotations

import html as entities
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.html.html import Head, Open, Piece, bare, words_of
from mokuji.core.language.page import PageHead
from mokuji.core.model import policy
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.wiki import Volume
from mokuji.core.syntax.headings import words as words_of_heading
from mokuji.core.syntax.reference import Kind
from mokuji.formats.contents import write_contents
from mokuji.services import audit
from mokuji.services.app_context import (
    AppContext,
    ReadContext,
    Ready,
    check,
    find_head,
    find_volume,
    need_head,
    refresh,
    visible,
)
from mokuji.services.reading.inserting import Inserted, inserted
from mokuji.services.reading.linking import Link, links
from mokuji.services.reading.memberships import OfPage, categories_of
from mokuji.services.reading.rendering import Addresses, Rendered, render_ready
from mokuji.store import pages
from mokuji.store import volumes as stored_volumes
from mokuji.store.acts import trash
from mokuji.store.asked import unheard
from mokuji.store.database import Connection, reading, writing
from mokuji.store.index import backlinks, to_mend, unwritten
from mokuji.store.index.backlinks import Backlinks, Cursor
from mokuji.store.pages import Change
from mokuji.store.places import contents, facts, placing
from mokuji.store.places.contents import Contents, ContentsEntry
from mokuji.store.snapshot import StoredWiki
from mokuji.store.volumes import VolumeRow

MANY = to_mend.MANY
"""From so many on the findings of a sort that stand beside something else are not counted."""


@dataclass(frozen=True, slots=True)
class VolumeView:
    """A volume as an actor sees it: its contents, and what may be done in it."""

    volume: Volume
    summary: str
    front: str | None
    contents: Contents
    may_write: bool
    may_manage: bool
    others: tuple[Volume, ...]
    unwritten: int
    to_mend: int = 0
    orphan_pages: int = 0
    out_of_reach: int = 0
    front_title: str = ""
    front_in_trash: int | None = None
    pages: int = 0
    """How many pages stand in the contents; in a large volume, how many there are."""
    looked_at: Contents | None = None
    """The contents around another name than the page in hand, if they were asked for."""

    @property
    def shown(self) -> Contents:
        """The contents as they are shown beside the page in hand."""
        return self.looked_at or self.contents


@dataclass(frozen=True)
class PageView:
    """A page as an actor sees it. ``why`` is the last note that says something of what it holds."""

    place: VolumeView
    head: PageHead
    change: Change
    why: str
    ready: Ready
    inserted: Inserted
    backlinks: Backlinks
    categories: tuple[OfPage, ...]
    entry: ContentsEntry | None
    path: tuple[ContentsEntry, ...]
    previous: ContentsEntry | None
    following: ContentsEntry | None

    @property
    def links(self) -> list[Link]:
        """The references of the page itself, in order."""
        return self.inserted.links[self.head.id]

    def rendered(self, app: AppContext, to: Addresses | None = None) -> Rendered:
        """The page as it is shown."""
        return render_ready(app, self.ready, self.inserted, to)


@dataclass(frozen=True, slots=True)
class UnwrittenView:
    """A name without a page, in a volume that can be read."""

    place: VolumeView
    title: str
    key: str
    led_from: tuple[PageHead, ...]
    in_trash: int | None = None


@dataclass(frozen=True, slots=True)
class Listed:
    """A volume in the list of volumes: what may be done in it, and how much there is to mend."""

    row: VolumeRow
    may_write: bool
    may_manage: bool
    to_mend: int


def start(app: AppContext, actor: Actor) -> list[Listed]:
    """The volumes that the actor may read."""
    with reading(app.engine) as connection:
        seen = [volume.id for volume in visible(connection, actor).values()]
        counts = to_mend.counts_of(connection, seen, seen, all_of_them=False)
        return [
            Listed(
                row,
                policy.may(actor, Permission.WRITE, row.id, closed=row.closed),
                policy.may(actor, Permission.MANAGE, row.id, closed=row.closed),
                counts[row.id].whole,
            )
            for row in stored_volumes.volume_rows(connection, seen)
        ]


def volume_rows(app: AppContext, actor: Actor) -> list[VolumeRow]:
    """The same without what there is to mend."""
    refresh(app)  # how many pages each has is counted with what upkeep counts
    with reading(app.engine) as connection:
        seen = [volume.id for volume in visible(connection, actor).values()]
        return stored_volumes.volume_rows(connection, seen)


def volume_in_hand(app: AppContext, actor: Actor, volume_key: str) -> VolumeView | None:
    """A volume that the actor came from; None if it may not be read or is not there."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volumes.get(names.key(volume_key))
        return volume_view(context, volume) if volume is not None else None


def volume_view(
    context: ReadContext,
    volume: Volume,
    path_to: str | None = None,
    look_at: str = "",
) -> VolumeView:
    """A volume with its contents: those of a large one around ``path_to``, and shown around ``look_at`` if given."""
    connection, actor = context.connection, context.actor
    seen = [each.id for each in context.volumes.values()]
    known = facts.facts(connection, volume.id, seen)
    tree = contents.contents(connection, volume.id, seen, path_to=path_to, whole=known.few_entries)
    looked_at = None
    if look_at and names.is_storable(look_at) and not tree.whole:
        looked_at = contents.contents(connection, volume.id, seen, path_to=names.key(look_at))
    return VolumeView(
        volume,
        known.summary,
        known.front,
        tree,
        policy.may(actor, Permission.WRITE, volume.id, closed=volume.closed),
        policy.may(actor, Permission.MANAGE, volume.id, closed=volume.closed),
        tuple(context.volumes.values()),
        known.counts.unwritten,
        known.counts.whole,
        known.counts.orphans,
        known.counts.out_of_reach,
        pages=sum(entry.page is not None for entry in tree.entries) if tree.whole else known.pages,
        looked_at=looked_at,
    )


def open_volume(app: AppContext, actor: Actor, volume_key: str, look_at: str = "") -> VolumeView | PageView:
    """A volume's start: its front page, or its bare contents when it has none."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        front = stored_volumes.cover(connection, volume.id).front
        opened = pages.opened(connection, volume.id, front) if front else None
        if opened is None:
            view = volume_view(context, volume, look_at=look_at)
            if front is None:
                return view
            placed = view.contents.of(front)
            page, title = trash.at_name(connection, volume.id, front) or (None, "")
            title = title or (placed.title if placed else names.as_title(front))
            return replace(view, front_title=title, front_in_trash=page)
        return _page_view(app, context, volume, opened, look_at)


def choose_front(app: AppContext, actor: Actor, volume_key: str, page_key: str) -> Volume:
    """Lets a volume open on another of its pages."""
    with writing(app.engine) as connection:
        volume = find_volume(connection, actor, volume_key)
        check(actor, Permission.MANAGE, volume)
        head = need_head(connection, volume, page_key)
        stored_volumes.set_front(connection, volume.id, head.key)
        said = f"“{head.title}”"
        audit.record(connection, app.clock(), "front page", actor, volume=volume.id, said=said)
        return volume


def contents_text(app: AppContext, actor: Actor, volume_key: str, page_key: str = "") -> str:
    """The contents of a volume, or the branch of a name, as a plain-text list."""
    with reading(app.engine) as connection:
        return contents_as_text(ReadContext(connection, actor), volume_key, page_key)


def contents_as_text(context: ReadContext, volume_key: str, page_key: str = "") -> str:
    """The same within a transaction."""
    volume = context.volume(volume_key)
    if not page_key:
        return write_contents(placing.rows(context.connection, volume.id))
    rows = placing.branch(context.connection, volume.id, names.key(page_key))
    if not rows:
        raise Missing(f"“{page_key}” has no place in the contents.", code="place_missing")
    return write_contents(rows)


def formerly(app: AppContext, actor: Actor, volume_key: str, page_key: str) -> tuple[str, str | None] | None:
    """Where the page is now that had this address once: the keys of volume and page; None if nowhere.

    A name that is used again leads to what it is used for, so this is asked last.
    """
    with reading(app.engine) as connection:
        volumes = visible(connection, actor)
        by_id = {each.id: each for each in volumes.values()}
        volume = volumes.get(names.key(volume_key))
        if volume is None and names.is_storable(volume_key):
            was = stored_volumes.former_volume(connection, names.key(volume_key))
            volume = by_id.get(was) if was is not None else None
            if volume is not None:
                return volume.key, page_key or None
        if volume is None or not names.is_storable(page_key):
            return None
        head = stored_volumes.formerly(connection, volume.id, names.key(page_key))
        if head is None or head.volume not in by_id:
            return None
        return by_id[head.volume].key, head.key


def open_page(
    app: AppContext, actor: Actor, volume_key: str, page_key: str, look_at: str = ""
) -> PageView | UnwrittenView:
    """A page at its address; a name without a page gives what is known of it."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        key = names.key(page_key)
        opened = pages.opened(connection, volume.id, key) if names.is_storable(key) else None
        if opened is None:
            return unwritten_view(context, volume, page_key, look_at)
        return _page_view(app, context, volume, opened, look_at)


def unwritten_view(context: ReadContext, volume: Volume, name: str, look_at: str = "") -> UnwrittenView:
    """What is known of a name that has no page: how it is typed elsewhere, and by whom."""
    key = names.key(name)
    view = volume_view(context, volume, path_to=key if names.is_storable(name) else None, look_at=look_at)
    placed = view.contents.of(key)
    wiki = StoredWiki(context.connection, context.volumes)
    led_from = unwritten.led_from(wiki, (volume.id, key))
    title = placed.title if placed else unwritten.typed_title(wiki, (volume.id, key), led_from)
    thrown = trash.at_name(context.connection, volume.id, key) if names.is_storable(name) else None
    page, title = thrown if thrown and not title else (thrown[0] if thrown else None, title)
    return UnwrittenView(view, names.as_title(title or name.replace("-", " ")), key, tuple(led_from), page)


def _told_change(context: ReadContext, change: Change) -> Change:
    """The last change of a page with its note as the reader may read it."""
    note = context.reader.told(change.note, change.act, change.home, change.proposed)
    return replace(change, note=note, proposed=None)


def _page_view(
    app: AppContext,
    context: ReadContext,
    volume: Volume,
    opened: pages.Opened,
    look_at: str = "",
) -> PageView:
    connection, volumes, head = context.connection, context.volumes, opened.head
    ready = load_ready(app, connection, head, volumes)
    place = volume_view(context, volume, path_to=head.key, look_at=look_at)
    entries = place.contents.entries
    at = next((n for n, entry in enumerate(entries) if entry.key == head.key), None)
    needs = inserted(StoredWiki(connection, volumes), volume, ready.page, app)
    direct = {link.page for link in needs.links[head.id] if link.kind is Kind.INSERT}
    templates = [page.head for id_, page in needs.pages.items() if id_ in direct]
    return PageView(
        place,
        head,
        _told_change(context, opened.change),
        context.reader.told(*opened.why) if opened.why is not None else "",
        ready,
        needs,
        backlinks.backlinks(context.wiki, head, context.reads, aliases=ready.page.alias_keys, most=6),
        tuple(categories_of(connection, opened.filed, templates)),
        entries[at] if at is not None else None,
        _path(entries, at),
        _beside(entries, at, -1),
        _beside(entries, at, +1),
    )


def load_ready(app: AppContext, connection: Connection, head: PageHead, volumes: dict[str, Volume]) -> Ready:
    """The compiled page; its text is only read when its revision is not in the cache."""
    ready = app.compiled.get(head.revised)
    if ready is not None:
        return ready
    with unheard():  # what stands in a revision
        page = StoredWiki(connection).pages([head.id])[head.id]
    return app.ready(page, frozenset(volumes))


def _path(entries: tuple[ContentsEntry, ...], at: int | None) -> tuple[ContentsEntry, ...]:
    if at is None:
        return ()
    by_id = {entry.id: entry for entry in entries}
    path: list[ContentsEntry] = []
    parent = entries[at].parent
    while parent is not None and parent in by_id:
        path.append(by_id[parent])
        parent = by_id[parent].parent
    return tuple(reversed(path))


def _beside(entries: tuple[ContentsEntry, ...], at: int | None, step: int) -> ContentsEntry | None:
    if at is None:
        return None
    at += step
    while 0 <= at < len(entries):
        if entries[at].page is not None:
            return entries[at]
        at += step
    return None


def _cursor(written: str) -> Cursor:
    """A place in a list of backlinks as it stands in an address: ``0-123`` or ``1-123``."""
    elsewhere, _, page = written.partition("-")
    if elsewhere in {"0", "1"} and page.isdecimal() and len(page) < 19:
        return Cursor(elsewhere == "1", int(page))
    return backlinks.START


def all_backlinks(
    app: AppContext, actor: Actor, volume_key: str, page_key: str, after: str = ""
) -> tuple[VolumeView, PageHead, Backlinks, dict[int, Volume]]:
    """The whole list of pages that lead to one, a screen at a time."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volumes, volume = context.volumes, context.volume(volume_key)
        head = need_head(connection, volume, page_key)
        view = volume_view(context, volume, path_to=head.key)
        seen = [each.id for each in volumes.values()]
        start = _cursor(after)
        found = backlinks.backlinks(context.wiki, head, seen, after=start, most=40, sentences=12)
        return view, head, found, {each.id: each for each in volumes.values()}


def need_volume(app: AppContext, actor: Actor, volume_key: str) -> Volume:
    """A volume by the key in an address; Missing if it may not be read or is not there."""
    with reading(app.engine) as connection:
        return find_volume(connection, actor, volume_key)


def head_of(app: AppContext, actor: Actor, volume_key: str, page_key: str) -> PageHead | None:
    """A page by its address, without its text; None if it is not written."""
    with reading(app.engine) as connection:
        return find_head(connection, find_volume(connection, actor, volume_key), page_key)


@dataclass(frozen=True, slots=True)
class Card:
    """What the card of a reference says: the first words of a page or of one of its sections, or who refers to a name
    that is not written."""

    volume: Volume
    head: PageHead | None
    section: str = ""
    words: str = ""
    led_from: tuple[PageHead, ...] = ()


def card(app: AppContext, actor: Actor, volume_key: str, page_key: str, anchor: str = "") -> Card:
    """The card of a reference to a page, or to the section at an anchor of it; of the page if it has none."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volumes, volume = context.volumes, context.volume(volume_key)
        head = find_head(connection, volume, page_key)
        if head is None:
            wiki = StoredWiki(connection, volumes)
            asking = unwritten.led_from(wiki, (volume.id, names.key(page_key)), 5)
            return Card(volume, None, led_from=tuple(asking))
        ready = load_ready(app, connection, head, volumes)
        found = links(connection, app, volume, ready.page, volumes)
        section = ""
        pieces: Sequence[Piece] = ready.compiled.pieces
        if anchor in ready.anchors:
            index = ready.anchors.index(anchor)
            page = ready.page
            section = words_of_heading(
                page.content.headings[index], page.text, page.content.references, frozenset(volumes)
            )
            pieces = _section(pieces, index)
        return Card(volume, head, section, first_words(_plain(pieces, found)))


def _section(pieces: Sequence[Piece], index: int) -> Sequence[Piece]:
    """The pieces of the section under a heading; all of them if it is not laid out."""
    heads = [(n, p) for n, p in enumerate(pieces) if isinstance(p, Head)]
    at = next((n for n, (_, p) in enumerate(heads) if p.heading == index), None)
    if at is None:
        return pieces
    start, level = heads[at][0], heads[at][1].level
    return pieces[start : next((n for n, p in heads[at + 1 :] if p.level <= level), len(pieces))]


def first_words_of(app: AppContext, context: ReadContext, head: PageHead) -> str:
    """The first words of a page that the actor may read."""
    volume = next(each for each in context.volumes.values() if each.id == head.volume)
    ready = load_ready(app, context.connection, head, context.volumes)
    return first_words(
        _plain(ready.compiled.pieces, links(context.connection, app, volume, ready.page, context.volumes))
    )


def _plain(pieces: Sequence[Piece], found: list[Link]) -> str:
    """A text with the words of its references, for its first words."""
    shown = (
        found[piece.index].label or found[piece.index].words if isinstance(piece, Open) else bare(piece)
        for piece in pieces
    )
    return "".join(shown)


def first_words(html: str, most: int = 240) -> str:
    """The first words of a page, as plain text."""
    head = re.sub(r"<(h[2-6])\b[^>]*>.*?</\1>", " ", html[:20_000], flags=re.DOTALL)
    words = " ".join(entities.unescape(words_of(head)).split())
    words = re.sub(r"\s+([.,;:!?)])", r"\1", words)
    return words if len(words) <= most else words[:most].rpartition(" ")[0] + " …"
