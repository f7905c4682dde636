"""What an act makes of the wiki before references follow it, and what came of following them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from mokuji.core.base.edits import Edit
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.changes import Fate, PageChange
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.engine.composing import Composition

At = tuple[int, Span]
"""A reference: the id of the text it is typed in, and its range there."""


@dataclass(frozen=True, slots=True)
class AffectedReference:
    """A reference that leads elsewhere afterwards: from an unwritten name to a page (captured), or from
    a page or section to none (lost)."""

    page: PageHead
    span: Span


@dataclass(frozen=True, slots=True)
class Successor:
    """Where references to a whole page lead that went: into a section of another, if one is named."""

    page: int
    section: str = ""


@dataclass(frozen=True)
class Outcome:
    """What an act makes of the wiki, before references follow it.

    ``heads`` are the pages that have another head afterwards, new ones (with
    ids of their own below 1) and restored ones included; ``gone`` go. Where
    references to a gone page lead, ``successors`` says; without one they are
    left unwritten. ``texts`` are what texts consist of that are put together
    anew; ``sources`` texts that parts may be carried from beside those of the
    wiki, of which ``copies`` are of pages; ``edits`` what the act changes in a text
    by itself. ``became`` says of
    headings (by page and index) that they became a page. ``aims`` are
    references that are given another target, ``plain`` such as become plain
    words; ``plain_targets`` are pages whose references all do. ``fates`` are
    those of pages that are not simply kept.
    """

    heads: Mapping[int, PageHead] = field(default_factory=dict)
    gone: frozenset[int] = frozenset()
    successors: Mapping[int, Successor] = field(default_factory=dict)
    texts: Mapping[int, Composition] = field(default_factory=dict)
    sources: Mapping[int, Page] = field(default_factory=dict)
    copies: Mapping[int, int] = field(default_factory=dict)
    edits: Mapping[int, tuple[Edit, ...]] = field(default_factory=dict)
    became: Mapping[tuple[int, int], int] = field(default_factory=dict)
    aims: Mapping[At, int] = field(default_factory=dict)
    plain: frozenset[At] = frozenset()
    plain_targets: frozenset[int] = frozenset()
    volumes: Mapping[str, Volume] | None = None
    fates: Mapping[int, Fate] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Followed:
    """The changed pages in the order of volume and key, and what was found on the way.

    ``landed`` says where captured references stand afterwards: page → its
    revision then, and their ranges; an undo releases them again. ``other_texts``
    are inserts that put in another page's text than before, or become words.
    ``resettled`` are unwritten names that would be written in another volume
    than before; ``released`` what an act captured and its undoing lets go;
    ``returned`` what fell to another page when one went, and leads to that again.
    """

    changes: tuple[PageChange, ...]
    captured: tuple[AffectedReference, ...] = ()
    lost: tuple[AffectedReference, ...] = ()
    lost_sections: tuple[AffectedReference, ...] = ()
    other_texts: tuple[AffectedReference, ...] = ()
    resettled: tuple[AffectedReference, ...] = ()
    released: tuple[AffectedReference, ...] = ()
    returned: tuple[AffectedReference, ...] = ()
    landed: Mapping[int, tuple[int, frozenset[Span]]] = field(default_factory=dict)
    references: int = 0
    sections: int = 0
    labels_kept: int = 0
    labels_added: int = 0
