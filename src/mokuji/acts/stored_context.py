"""Where a plan is made on the database: one transaction, and who asks.  Hands out what requests name, and checks rights
as it does."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from mokuji.acts.readership import beyond
from mokuji.core.base import names
from mokuji.core.base.errors import BadName, Missing, Refused
from mokuji.core.language.page import PageHead
from mokuji.core.model.assets import Asset, Sort
from mokuji.core.model.contents import Row
from mokuji.core.model.policy import Permission, may
from mokuji.core.model.wiki import Place, Volume
from mokuji.services.app_context import ReadContext, find_head, need_head
from mokuji.services.reading.categories import categories_in
from mokuji.services.reading.searching import answering
from mokuji.store import page_words
from mokuji.store.index import asked_for, assets, memberships, near_words, search, unwritten
from mokuji.store.places import placing
from mokuji.store.snapshot import StoredWiki


@dataclass(frozen=True)
class StoredContext(ReadContext):
    """What a plan may know of, for who asks (a ``PlanningContext``)."""

    shown: bool = True

    @cached_property
    def kept(self) -> dict[object, object]:
        """What takes long to find, for those who ask for it again in this transaction."""
        return {}

    @cached_property
    def readable_wiki(self) -> StoredWiki:
        return StoredWiki(self.connection, self.volumes)

    def volume(self, key: str, act: Permission = Permission.RENAME) -> Volume:
        return super().volume(key, act)

    def page(self, volume_key: str, page_key: str, act: Permission = Permission.RENAME) -> PageHead:
        return need_head(self.connection, self.volume(volume_key, act), page_key)

    def page_named(self, typed: str, home: str, act: Permission = Permission.RENAME) -> PageHead:
        title, volume = typed.strip(), home
        first, slash, rest = title.partition("/")
        if slash and names.key(first) in self.volumes:
            volume, title = names.key(first), rest.strip()
        if not title:
            raise Missing("Type the name of a page.", code="page_missing")
        return self.page(volume, title, act)

    def find(self, volume: Volume, page_key: str) -> PageHead | None:
        return find_head(self.connection, volume, page_key)

    def name_typed(self, place: Place, otherwise: str = "") -> str:
        head = self.wiki.titles([place]).get(place)
        if head is not None:
            return head.title
        wiki = self.readable_wiki
        typed = unwritten.typed_title(wiki, place, unwritten.led_from(wiki, place, 1))
        return typed.strip() or otherwise or place[1]

    def contents(self, volume: Volume) -> Sequence[Row]:
        return placing.rows(self.connection, volume.id)

    def branch(self, volume: int, key: str, most: int = 20_000) -> Sequence[Row]:
        return placing.branch(self.connection, volume, key, most)

    def saying(self, words: str) -> Sequence[int]:
        return search.saying(self.connection, words, self.writable)

    def pages_with(self, volume: int | None, words: str | None, most: int) -> Sequence[int]:
        volumes = self.writable if volume is None else [volume]
        return search.holding(self.connection, words, volumes, most)

    def forms_of(self, volume: Volume, term: str) -> tuple[list[str], Mapping[str, str]]:
        """The words of a volume that begin as the last word of a term does, and their stems with its own."""
        last = term.split(" ")[-1].lower()
        begun = last[: max(3, len(last) - 3)]
        words = [
            each for each in near_words.holding(self.connection, begun, [volume.id]) if each.startswith(begun)
        ]
        return words, page_words.stems(self.connection, volume.language, [*words, last])

    def answering(self, volume: Volume, line: str, *, everywhere: bool = False) -> Sequence[int]:
        return answering(self, None if everywhere else volume, line, asked_for.RANKED)

    def categories(self, volume: Volume) -> Mapping[str, str]:
        return {category.key: category.name for category in categories_in(self, volume)}

    def naming_category(self, volume: Volume, key: str) -> Sequence[int]:
        return memberships.naming(self.connection, volume.id, key)

    def asset(self, sort: Sort, key: str, volume: int = 0) -> Asset | None:
        return assets.called(self.connection, sort, key, volume)

    def naming(self, asset: Asset) -> Sequence[int]:
        if memberships.any_unfiled(self.connection):
            raise Refused(
                "After an upgrade the wiki is still reading what its pages name. Try again in a minute.",
                code="reading",
            )
        return assets.naming(self.connection, asset)

    def files(self, volume: int, keys: Collection[str]) -> Mapping[str, Asset]:
        return {asset.key: asset for asset in assets.files_called(self.connection, volume, keys)}

    def gains_readers(self, target: Volume, source: Volume) -> bool:
        return bool(beyond(self.connection, target, source))

    def may_write(self, volume: int) -> bool:
        """Whether the actor may write in a volume by id."""
        found = next((each for each in self.volumes.values() if each.id == volume), None)
        return found is not None and may(self.actor, Permission.WRITE, found.id, closed=found.closed)

    @property
    def writable(self) -> list[int]:
        """The volumes in which the actor may write."""
        return [volume.id for volume in self.volumes.values() if self.may_write(volume.id)]

    def check_not_hidden(self, title: str) -> None:
        """BadName, as of a name that is kept for something else, if a volume that is closed to the actor has it."""
        key = names.key(title)
        if key in self.wiki.volumes and key not in self.volumes:
            raise BadName(
                f"“{title.strip()}” cannot be the name of a volume: it is kept for something else. Choose another.",
                code="bad_volume_name",
            )
