"""Write a page that was not there: what led elsewhere by its name still leads there.

``[[X]]`` may have led to a page with the alias X, or to page B of volume A
when X is “A/B”. Once there is a page X it would lead to that one, so such
references are rewritten to the title of what they mean, with the words that
readers see kept as label.
"""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core import names
from mokuji.core.changes import ChangeSet
from mokuji.core.errors import Collision
from mokuji.core.following import Captured, Following
from mokuji.core.references import volumes_by_id
from mokuji.core.wiki import Overlay, PageHead, Wiki

NEW = 0
"""The id of the page that is still to be written."""


@dataclass(frozen=True, slots=True)
class CreatePlan:
    """Pages whose references are kept where they lead, and the references that now find the page."""

    page: PageHead
    change_set: ChangeSet
    captured: tuple[Captured, ...]


def create(wiki: Wiki, volume: int, title: str) -> CreatePlan:
    """The plan to write a page of this title. BadName, Collision or Refused if that cannot be."""
    title = names.check_title(title)
    head = PageHead(NEW, volume, names.key(title), title)
    place = (volume, head.key)
    holder = wiki.titles([place]).get(place)
    if holder is not None:
        raise Collision(
            f"“{volumes_by_id(wiki)[volume].title}” has a page “{holder.title}” already. Edit that one, or choose "
            "another title."
        )
    heads = {NEW: head}
    following = Following(wiki, Overlay(wiki, heads), heads)
    following.names({place})
    following.sections()
    followed = following.finish()
    return CreatePlan(head, ChangeSet("create", followed.changes), followed.captured)
