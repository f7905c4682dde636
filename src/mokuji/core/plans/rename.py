"""Rename a page: its title changes, and every reference that led to it says the new one.

Refused if the name belongs to another page of the volume. What was unwritten
under the new name leads to the page afterwards, and is listed.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from mokuji.core import names
from mokuji.core.changes import ChangeSet, PageChange
from mokuji.core.errors import Collision, Missing
from mokuji.core.following import Captured, Following
from mokuji.core.references import volumes_by_id
from mokuji.core.wiki import Overlay, Page, PageHead, Place, Wiki


@dataclass(frozen=True, slots=True)
class RenamePlan:
    """What a rename will do.

    ``references`` are rewritten names in ``pages`` pages of ``volumes`` volumes,
    ``sections`` rewritten sections; ``labels_kept`` of the references keep
    words of their own, ``labels_added`` get the words they show now.
    """

    page: PageHead
    title: str
    present_words: bool
    change_set: ChangeSet
    captured: tuple[Captured, ...]
    references: int
    sections: int
    labels_kept: int
    labels_added: int

    @property
    def rewritten(self) -> tuple[PageChange, ...]:
        """The pages whose text changes."""
        return tuple(change for change in self.change_set.changes if change.text_changed)

    @property
    def pages(self) -> int:
        """How many pages get another text."""
        return len(self.rewritten)

    @property
    def volumes(self) -> int:
        """How many volumes these pages stand in."""
        return len({change.head.volume for change in self.rewritten})

    @property
    def nothing_to_do(self) -> bool:
        """Whether the page has exactly this title, and nothing else would change."""
        return self.title == self.page.title and not self.rewritten

    @property
    def digest(self) -> str:
        """A short name for exactly this plan; it changes if anything that it consulted changes."""
        listed = (f"{c.page.id} {c.page.revision} {c.span}" for c in self.captured)
        return self.change_set.digest(self.title, str(self.present_words), *listed)


def rename(wiki: Wiki, page_id: int, title: str, *, present_words: bool = False) -> RenamePlan:
    """The plan to give a page another title.

    With ``present_words`` readers go on seeing the words they see now: a label
    is added where there is none. Raises BadName for words that cannot be a
    title, Collision if another page has the name, Missing if the page is gone,
    Refused if a reference cannot follow.
    """
    title = names.check_title(title)
    page = wiki.pages([page_id]).get(page_id)
    if page is None:
        raise Missing("The page is not there any more.")
    head = replace(page.head, key=names.key(title), title=title)
    _check_free(wiki, page.head, head)
    heads = {page_id: head}
    after = Overlay(wiki, heads)
    following = Following(wiki, after, heads, present_words=present_words)
    following.names(_places(wiki, page, head))
    following.sections()
    followed = following.finish()
    return RenamePlan(
        page.head,
        title,
        present_words,
        ChangeSet("rename", followed.changes),
        followed.captured,
        followed.references,
        followed.sections,
        followed.labels_kept,
        followed.labels_added,
    )


def _check_free(wiki: Wiki, old: PageHead, new: PageHead) -> None:
    place = (new.volume, new.key)
    holder = wiki.titles([place]).get(place)
    if holder is not None and holder.id != old.id:
        volume = volumes_by_id(wiki)[new.volume]
        raise Collision(
            f"“{volume.title}” has a page “{holder.title}” already, and two pages of a volume cannot share a "
            "name (capitals, spaces, hyphens and underscores make no difference). Choose another title."
        )


def _places(wiki: Wiki, page: Page, head: PageHead) -> set[Place]:
    """All places at which the rename can change what a name leads to."""
    volume = head.volume
    places: set[Place] = {(volume, page.head.key), (volume, head.key)}
    shared = wiki.aliases([(volume, key) for key in page.alias_keys])
    # Of two pages with one alias the first by key counts, and the key is changing.
    places.update(place for place, holders in shared.items() if len(holders) > 1)
    return places
