"""A look at a change before it is saved: what it does to references, what readers will see, the text by its words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from mokuji.core.base.phrases import counted
from mokuji.core.diff.diff import LineRun, compare
from mokuji.core.html.html_diff import rendered_diff
from mokuji.core.language.page import Page
from mokuji.core.model.policy import Actor
from mokuji.core.refactor.proposal import proposed_note
from mokuji.core.syntax.reference import Kind
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.reading.linking import Link
from mokuji.services.reading.reading import VolumeView
from mokuji.services.reading.rendering import Addresses
from mokuji.services.writing import writing
from mokuji.services.writing.writing import Moves
from mokuji.store.database import reading


@dataclass(frozen=True)
class Effect:
    """What a change does to the references of the page, and to those that lead to it.

    ``came`` and ``went`` are its own references; ``moves`` tells what a save would take from references elsewhere.
    """

    came: tuple[Link, ...]
    went: tuple[Link, ...]
    moves: Moves | None

    @property
    def unwritten(self) -> tuple[Link, ...]:
        """Those of its new references that have no page yet."""
        return tuple(link for link in self.came if link.state == "unwritten")

    @property
    def sentence(self) -> str:
        """All of it in one sentence."""
        said = []
        if self.came:
            said.append(counted(len(self.came), "new reference"))
        if self.unwritten:
            said.append(f"{len(self.unwritten)} of them unwritten")
        if self.went:
            said.append(f"{counted(len(self.went), 'reference')} less")
        words = ", ".join(said) or "No reference comes or goes"
        return f"{words}." + (f" {self.moves.sentence}" if self.moves is not None else "")


@dataclass(frozen=True)
class Review:
    """A change to look at. ``rendered`` is what readers will see with the change marked in it: empty if they see the
    same, None if it cannot be compared; ``passages`` are the text, ``note`` is a proposal."""

    place: VolumeView
    page: Page
    effect: Effect
    rendered: str | None
    passages: tuple[LineRun, ...]
    note: str

    @property
    def unchanged(self) -> bool:
        """Whether there is nothing to save."""
        return all(passage.kind == "same" for passage in self.passages)


def review(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    page_key: str,
    text: str,
    to: Addresses,
    *,
    title: str = "",
) -> Review:
    """A text against the page as it is stored now. Only who may write the page may ask; nothing is kept."""
    view = writing.open_for_edit(app, actor, volume_key, page_key)
    new = writing.preview(app, actor, volume_key, page_key, text, title=title)
    old = writing.preview(app, actor, volume_key, page_key, view.text.replace("\r\n", "\n"), title=title)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        keys = frozenset(context.volumes)
    before, after = old.ready.page, new.ready.page
    moves = writing.moves_of(app, actor, volume_key, page_key, text) if view.revision else None
    return Review(
        view.place,
        after,
        Effect(_more(new.links, old.links), _more(old.links, new.links), moves),
        rendered_diff(old.rendered(app, to).html, new.rendered(app, to).html),
        tuple(compare(before.text, after.text)),
        proposed_note(before, after, keys),
    )


def _more(links: Sequence[Link], others: Sequence[Link]) -> tuple[Link, ...]:
    """The references of one text that the other does not have, or has less often."""

    def place(link: Link) -> tuple[Kind, str, str, str]:
        return (link.kind, link.volume, link.key, link.anchor)

    left = Counter(map(place, others))
    found: list[Link] = []
    for link in links:
        if left[place(link)]:
            left[place(link)] -= 1
        else:
            found.append(link)
    return tuple(found)
