"""Where a plan is made: one transaction, and who asks.  Hands out what requests name, and checks rights as it does."""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.errors import BadName, Missing, Refused
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Permission, may
from mokuji.core.model.wiki import Volume
from mokuji.services.desk import Sight, need_head
from mokuji.store.index import unwritten
from mokuji.store.snapshot import StoredWiki


@dataclass(frozen=True)
class PlanningContext(Sight):
    """What a plan may know of, for who asks."""

    shown: bool = True
    """Whether the plan is to be looked at, rather than done."""

    def volume(self, key: str, act: Permission = Permission.RENAME) -> Volume:
        return super().volume(key, act)

    def page(self, volume_key: str, page_key: str, act: Permission = Permission.RENAME) -> PageHead:
        """A page in a volume in which the actor may do this."""
        return need_head(self.connection, self.volume(volume_key, act), page_key)

    def page_named(self, typed: str, home: str, act: Permission = Permission.RENAME) -> PageHead:
        """A page as a person types it: “Title”, or “Volume/Title”."""
        title, volume = typed.strip(), home
        first, slash, rest = title.partition("/")
        if slash and names.key(first) in self.volumes:
            volume, title = names.key(first), rest.strip()
        if not title:
            raise Missing("Type the name of a page.", code="page_missing")
        return self.page(volume, title, act)

    def name_typed(self, place: tuple[int, str], otherwise: str = "") -> str:
        """A name as those type it who refer to it: an address has neither capitals nor hyphens."""
        head = self.wiki.titles([place]).get(place)
        if head is not None:
            return head.title
        wiki = StoredWiki(self.connection, self.volumes)
        typed = unwritten.typed_title(wiki, place, unwritten.led_from(wiki, place, 1))
        return typed.strip() or otherwise or place[1]

    def may_write(self, volume: int) -> bool:
        """Whether the actor may write in a volume by id."""
        found = next((each for each in self.volumes.values() if each.id == volume), None)
        return found is not None and may(self.actor, Permission.WRITE, found.id, closed=found.closed)

    @property
    def writable(self) -> list[int]:
        """The volumes in which the actor may write."""
        return [each.id for each in self.volumes.values() if self.may_write(each.id)]

    def check_not_hidden(self, title: str) -> None:
        """BadName, as of a name that is kept for something else, if a volume that is closed to the actor has it."""
        key = names.key(title)
        if key in self.wiki.volumes and key not in self.volumes:
            raise BadName(
                f"“{title.strip()}” cannot be the name of a volume: it is kept for something else. Choose another.",
                code="bad_volume_name",
            )


def check_seen(head: PageHead, revision: int) -> None:
    """Refused if the page is not the one that ranges were chosen in."""
    if revision and head.revision != revision:
        raise Refused(
            f"“{head.title}” was edited since the text was selected. Open it again and select it there.",
            code="page_edited",
        )
