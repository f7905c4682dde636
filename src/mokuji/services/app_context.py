"""What every service gets: the application context (database, secret key, clock, cache of compiled pages)."""

from __future__ import annotations

import functools
import sys
import threading
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property

from mokuji.core.assembly.inserts import InsertCache
from mokuji.core.base import names
from mokuji.core.base.cache import BoundedCache
from mokuji.core.base.errors import Forbidden, Missing, MokujiError, TooMany
from mokuji.core.html.html import Compiled, compile_page
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import check as check_text
from mokuji.core.language.scan import read_text
from mokuji.core.model import policy
from mokuji.core.model.policy import Actor, Permission, Role
from mokuji.core.model.references import Sections
from mokuji.core.model.wiki import Volume
from mokuji.services.notes import Reader
from mokuji.store import page_index, pages
from mokuji.store import volumes as stored_volumes
from mokuji.store.asked import Asked
from mokuji.store.database import (
    Connection,
    DatabaseDown,
    Engine,
    address_of,
    asking,
    writing,
    writing_if_free,
)
from mokuji.store.index import upkeep
from mokuji.store.snapshot import StoredWiki, load_volumes

LONGEST_NOTE = 500
"""Maximum number of code points of a note."""
CACHED_CHARACTERS = 48_000_000
"""Number of code points of page text that may stand behind the cache of compiled pages."""
KEPT_PAGES = 24_000_000
"""Number of bytes of pages that are kept as they were shown, with what was asked for them."""


LARGE = 100_000
"""Number of code points from which on a page is compiled by itself, while others wait: ``WAITING_LARGE`` at most, each
for at most ``PATIENCE`` seconds."""
WAITING_LARGE, PATIENCE = 6, 20.0
_compiling_large = threading.Lock()
_waiting_for_large = threading.BoundedSemaphore(WAITING_LARGE)


def now() -> datetime:
    """This moment, in UTC."""
    return datetime.now(UTC)


@dataclass(frozen=True)
class Ready:
    """A page compiled once per revision."""

    page: Page
    sections: Sections
    anchors: tuple[str, ...]
    compiled: Compiled


def _compiled() -> BoundedCache[Ready]:
    return BoundedCache(CACHED_CHARACTERS, lambda ready: len(ready.page.text) + 500)


@dataclass(frozen=True, slots=True)
class Shown:
    """A page as it was shown to somebody, what is new in each answer left open; what was asked to make it, and the last
    moment at which that was answered so (empty: none is known)."""

    html: bytes
    asked: Asked
    moment: str = ""


def _shown() -> BoundedCache[Shown]:
    return BoundedCache(KEPT_PAGES, lambda shown: len(shown.html) + shown.asked.size)


@contextmanager
def _large_page() -> Iterator[None]:
    """Room to compile a large page, one at a time: it holds the interpreter for a second or several. TooMany if many
    wait for that already, or the wait is long."""
    said = "Several very long pages are being read at this moment. Try again in a minute."
    if not _waiting_for_large.acquire(blocking=False):
        raise TooMany(said, 60, code="busy")
    try:
        if not _compiling_large.acquire(timeout=PATIENCE):
            raise TooMany(said, 60, code="busy")
        try:
            yield
        finally:
            _compiling_large.release()
    finally:
        _waiting_for_large.release()


@dataclass(frozen=True)
class AppContext:
    """What the application works with: database, secret key, clock, and what is kept in memory."""

    engine: Engine
    secret: bytes
    clock: Callable[[], datetime] = now
    demo: bool = False
    mails: bool = False
    """Whether there is a mail server that mail goes to."""
    compiled: BoundedCache[Ready] = field(default_factory=_compiled)
    inserts: InsertCache = field(default_factory=InsertCache)
    shown: BoundedCache[Shown] = field(default_factory=_shown)

    @property
    def url(self) -> str:
        """The address of the database, with its password: for a process that works on the same."""
        return address_of(self.engine)

    def forget(self) -> None:
        """Forgets all that was made of texts in this process: what is kept here, and what modules keep of their own."""
        self.compiled.clear()
        self.inserts.clear()
        self.shown.clear()
        for name, module in list(sys.modules.items()):
            if name.partition(".")[0] == "mokuji":
                for kept in list(vars(module).values()):
                    if isinstance(kept, BoundedCache):
                        kept.clear()
                    elif isinstance(kept, functools._lru_cache_wrapper):
                        kept.cache_clear()

    def ready(self, page: Page, volume_keys: frozenset[str]) -> Ready:
        """The page compiled, from the cache if its revision is there."""
        found = self.compiled.get(page.head.revised)
        if found is None and len(page.text) > LARGE:
            with _large_page():
                # Whoever waited for it finds what the one before has made.
                found = self.compiled.get(page.head.revised)
                return found if found is not None else self._made_ready(page, volume_keys)
        return found if found is not None else self._made_ready(page, volume_keys)

    def _made_ready(self, page: Page, volume_keys: frozenset[str]) -> Ready:
        ready = make_ready(page, volume_keys, self.secret)
        # What a heading shows of `[[Volume/Title]]` depends on the volumes its reader knows of.
        content = page.content
        named = (content.references[index].name for index in content.in_heading)
        if not any(name is not None and name.volume for name in named):
            self.compiled.put(page.head.revised, ready)
        return ready


def make_ready(page: Page, volume_keys: frozenset[str], secret: bytes) -> Ready:
    """Compiles a page."""
    sections = Sections.of(page, volume_keys)
    return Ready(page, sections, sections.anchors(), compile_page(page, secret))


def refresh(app: AppContext) -> None:
    """Looks again at what writes have touched since the last time, so that numbers are right; quick if nothing was."""
    with asking(app.engine) as connection:
        stale = upkeep.is_stale(connection)
    if stale:
        # Who reads does not depend on it: on a full disk, say, numbers are those of before.
        # Nor does it wait for an act that is being done: who reads next looks again.
        with suppress(DatabaseDown), writing_if_free(app.engine) as connection:
            if connection is not None:
                upkeep.fold(connection)


def catch_up(app: AppContext, most: int = 100) -> int:
    """Makes the search words of some pages that were left for later; how many those were."""
    with writing(app.engine) as connection:
        return page_index.catch_up(connection, read_text, most)


def clean_note(note: str) -> str:
    """A note as it is kept: one line, cut at ``LONGEST_NOTE``; BadText if it cannot be stored."""
    kept = " ".join(note.split())[:LONGEST_NOTE]
    check_text(kept)
    return kept


def visible(
    connection: Connection, actor: Actor, every: Mapping[str, Volume] | None = None
) -> dict[str, Volume]:
    """The volumes that the actor may read, by key; ``every`` are all of them if they were loaded already."""
    return {
        key: volume
        for key, volume in (load_volumes(connection) if every is None else every).items()
        if policy.may(actor, Permission.READ, volume.id, closed=volume.closed)
    }


@dataclass(frozen=True)
class ReadContext:
    """What one transaction reads for an actor: the volumes are loaded once."""

    connection: Connection
    actor: Actor

    @cached_property
    def wiki(self) -> StoredWiki:
        """The whole wiki, closed volumes included: to count and to follow, never to show."""
        return StoredWiki(self.connection)

    @cached_property
    def volumes(self) -> dict[str, Volume]:
        """The volumes that the actor may read, by key."""
        return visible(self.connection, self.actor, self.wiki.volumes)

    @cached_property
    def reads(self) -> frozenset[int]:
        """The ids of the volumes that the actor may read."""
        return frozenset(volume.id for volume in self.volumes.values())

    @cached_property
    def reader(self) -> Reader:
        """Whom notes of the log are told to."""
        return Reader(self.reads, self.actor.owns_wiki, self.actor.belongs_in)

    def volume(self, key: str, act: Permission = Permission.READ) -> Volume:
        """A volume in which the actor may do this; Missing or Forbidden otherwise."""
        volume = find_volume(self.connection, self.actor, key, self.wiki.volumes)
        check(self.actor, act, volume)
        return volume


@contextmanager
def told_to(connection: Connection, actor: Actor) -> Iterator[None]:
    """Lets what goes wrong in it name only what the actor may read: the one way out for refusals of plans."""
    try:
        yield
    except MokujiError as fault:
        if not fault.named:
            raise
        known = {volume.id for volume in visible(connection, actor).values()}
        known |= stored_volumes.deleted_volumes(connection, owned(actor)).keys()
        raise fault.readable(known) from None


def owned(actor: Actor) -> list[int] | None:
    """The volumes that an actor owns, deleted ones included; None if it is all of them."""
    if actor.owns_wiki:
        return None
    return [id_ for id_, role in actor.roles.items() if role >= Role.OWNER]


def find_volume(
    connection: Connection, actor: Actor, key: str, every: Mapping[str, Volume] | None = None
) -> Volume:
    """A volume by the key in an address; Missing says the same of a closed one as of none."""
    volume = visible(connection, actor, every).get(names.key(key))
    if volume is None:
        raise Missing(
            "There is no volume at this address, or it is closed to you. Look in the list of volumes, or sign in.",
            code="volume_missing",
        )
    return volume


def check(actor: Actor, act: Permission, volume: Volume) -> None:
    """Forbidden, with what to do, unless the actor may do this in a volume that can be read."""
    if policy.may(actor, act, volume.id, closed=volume.closed):
        return
    if not actor.signed_in:
        raise Forbidden(f"Sign in to change something in “{volume.title}”.", code="sign_in")
    raise Forbidden(
        f"You may read “{volume.title}”, but not change it. An owner of the volume can make you a writer.",
    )


def find_head(connection: Connection, volume: Volume, page_key: str) -> PageHead | None:
    """A page by the key in an address (hyphens or spaces), without its text."""
    key = names.key(page_key)
    return pages.find_head(connection, volume.id, key) if names.is_storable(key) else None


def page_at(wiki: StoredWiki, volume: Volume, page_key: str) -> Page | None:
    """As ``find_head``, with its text."""
    key = names.key(page_key)
    return wiki.page_at((volume.id, key)) if names.is_storable(key) else None


def need_head(connection: Connection, volume: Volume, page_key: str) -> PageHead:
    """As ``find_head``; Missing if there is no page."""
    head = find_head(connection, volume, page_key)
    if head is None:
        raise Missing(f"“{volume.title}” has no page of this name.", code="page_missing")
    return head
