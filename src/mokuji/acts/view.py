"""A plan as its actor may see it, with all that its page, its JSON and its words need."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from mokuji.acts import readers
from mokuji.acts.act import NO_CHOICES, Choices
from mokuji.acts.readers import Passing, Seen
from mokuji.acts.visible import VisiblePlan
from mokuji.core.base.errors import MokujiError
from mokuji.core.language.page import PageHead
from mokuji.core.model.changes import PageChange, Removed
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.plan import OptionalChange

if TYPE_CHECKING:
    from mokuji.acts.act import Act
    from mokuji.acts.crossing import Crossing
    from mokuji.acts.request import Request
    from mokuji.services.looking_back.history import LoggedAct
    from mokuji.services.reading.reading import VolumeView
    from mokuji.services.reading.reference_lists import Listed


@dataclass(frozen=True)
class PlanView:
    """A plan as its actor may see it.

    Pages that are closed to the actor follow too; only their numbers are told
    (``hidden_pages``, ``hidden_references``). ``place`` and ``head`` are the
    volume and page in hand, where there are any; ``taken_back`` is the act that an undoing is about.
    """

    act: Act[Any, Any]
    request: Request
    place: VolumeView | None
    head: PageHead | None
    volumes: Mapping[int, Volume]
    plan: VisiblePlan | None = None
    refusal: MokujiError | None = None
    changes: tuple[PageChange, ...] = ()
    removed: tuple[Removed, ...] = ()
    captured: tuple[Listed, ...] = ()
    lost: tuple[Listed, ...] = ()
    lost_sections: tuple[Listed, ...] = ()
    other_texts: tuple[Listed, ...] = ()
    resettled: tuple[Listed, ...] = ()
    released: tuple[Listed, ...] = ()
    returned: tuple[Listed, ...] = ()
    hidden_pages: int = 0
    hidden_references: int = 0
    note: str = ""
    taken_back: LoggedAct | None = None
    readers: tuple[Seen, ...] = ()
    crossing: Crossing | None = None
    choices: Choices = NO_CHOICES

    @property
    def conflicts(self) -> tuple[PageHead, ...]:
        """Pages whose text could not be brought together."""
        return self.plan.conflicts if self.plan else ()

    @property
    def rows(self) -> tuple[OptionalChange, ...]:
        """What can be chosen from."""
        return self.plan.rows if self.plan else ()

    @property
    def digest(self) -> str:
        """What doing it must be given, so that what is done is what was seen."""
        return self.plan.digest if self.plan else ""

    @property
    def followed(self) -> tuple[PageChange, ...]:
        """The changed pages in which only references follow."""
        return tuple(change for change in self.changes if not change.own)

    @property
    def readers_said(self) -> list[str]:
        """Who will read more by it, and who less, in sentences."""
        return readers.sentences(self.readers, self.volumes)

    @property
    def new_readers_of_older(self) -> bool:
        """Whether there are older revisions that new readers could be given."""
        return any(isinstance(reader, Passing) and reader.gained and reader.older for reader in self.readers)

    @property
    def references(self) -> int:
        """How many references on pages that may be seen are written otherwise."""
        return sum(len(change.renamed) for change in self.changes)

    @property
    def labels(self) -> int:
        """How many of these keep a label of their own."""
        return sum(len(change.labelled) for change in self.changes)

    @property
    def opens(self) -> bool:
        """Whether a volume opens by it, so that more people read what leads into it."""
        return any(type(reader) is readers.Opening and not reader.volume.closed for reader in self.readers)

    @property
    def can_be_done(self) -> bool:
        """Whether there is something to do and nothing in the way."""
        return self.plan is not None and not self.plan.nothing_to_do and not self.plan.in_the_way


@dataclass(frozen=True, slots=True)
class Applied:
    """An act that was done; ``head`` is the page to go on with, if there is one."""

    change_set: int
    volume: Volume | None
    head: PageHead | None
