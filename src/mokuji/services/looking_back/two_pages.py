"""Two pages compared, each in whatever revision."""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core.base.errors import BadRequest, Missing
from mokuji.core.diff.diff import LineRun, compare
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.core.syntax.reference import Reference, read
from mokuji.services.app_context import AppContext, ReadContext, need_head
from mokuji.services.looking_back.revisions import need_revision
from mokuji.services.reading.linking import resolve_names
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store.database import reading
from mokuji.store.log.history import Revision


@dataclass(frozen=True, slots=True)
class Side:
    """A page in one of its revisions."""

    volume: Volume
    head: PageHead
    revision: Revision


@dataclass(frozen=True, slots=True)
class TwoPages:
    """Two pages and what differs: what only ``one`` has is what was before, as in a comparison of revisions."""

    place: VolumeView
    one: Side
    other: Side
    passages: tuple[LineRun, ...]

    @property
    def differing(self) -> int:
        """How many passages differ."""
        return sum(passage.kind != "same" for passage in self.passages)


def compare_pages(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    page_key: str,
    other: str,
    one_number: int | None = None,
    other_number: int | None = None,
) -> TwoPages:
    """A page beside another, which is named as in a reference (``Other`` or ``Volume/Other``); each in its newest
    revision without a number. Missing if there is no such page or revision, BadRequest if the name is none."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        head = need_head(connection, volume, page_key)
        second = _named(context, volume, other)
        home = next(each for each in context.volumes.values() if each.id == second.volume)
        one, before = _side(context, volume, head, one_number)
        two, after = _side(context, home, second, other_number)
        place = volume_view(context, volume, path_to=head.key)
        return TwoPages(place, one, two, tuple(compare(before, after)))


def _named(context: ReadContext, volume: Volume, typed: str) -> PageHead:
    found = read(f"[[{typed.strip()}]]", 0)
    if not isinstance(found, Reference) or found.name is None:
        raise BadRequest(
            f"“{typed.strip()[:80]}” is no name of a page. Type a title, or a volume and a title with a slash between.",
            code="bad_name",
        )
    (resolution,) = resolve_names(context.connection, volume, context.volumes, [found.name])
    if resolution.page is None:
        raise Missing(f"There is no page “{typed.strip()}”.", code="page_missing")
    return resolution.page


def _side(context: ReadContext, volume: Volume, head: PageHead, number: int | None) -> tuple[Side, str]:
    revision, text = need_revision(context, head, head.revision if number is None else number)
    return Side(volume, head, revision), text
