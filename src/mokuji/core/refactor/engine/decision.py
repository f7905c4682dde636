"""What is to become of a reference: a decision, made before anything is written down.

Its ranges count from the start of the reference, so that references typed alike in one volume share one."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from mokuji.core.base.edits import Edit
from mokuji.core.base.names import Name
from mokuji.core.language.indexed_page import IndexedPage


class Note(Enum):
    """What is noted of a reference, by the name of the list that it comes into (``Followed`` says what they mean)."""

    CAPTURED = "captured"
    LOST = "lost"
    OTHER_TEXTS = "other_texts"
    RESETTLED = "resettled"
    RELEASED = "released"
    RETURNED = "returned"


@dataclass(frozen=True, slots=True)
class Decision:
    """What is to become of a reference.

    ``leads`` says whether it led to a page, ``wanted`` to which one it is to lead (None: to none). ``edits`` count from
    its start, ``name`` is what it names then, ``labelled`` whether it keeps a label of its own, ``label_added`` whether
    it gets one. ``words``: it is no reference any more. ``unsectioned``: its section is settled. ``careful``: its page
    is to be read again once it is rewritten.
    """

    leads: bool = False
    wanted: int | None = None
    edits: tuple[Edit, ...] = ()
    name: Name | None = None
    labelled: bool = False
    label_added: bool = False
    words: bool = False
    unsectioned: bool = False
    careful: bool = False
    note: Note | None = None

    @property
    def plain(self) -> bool:
        """Whether it exchanges a plain name at most: then what was read from the page stands, shifted."""
        apart = self.words or self.careful or self.unsectioned or self.label_added or self.note is not None
        return not apart and len(self.edits) <= 1


LEFT = Decision()
"""Nothing becomes of it."""


@dataclass(frozen=True, slots=True)
class Exchange:
    """A page in which plain names are exchanged and nothing else: what becomes of its references, by their index."""

    page: IndexedPage
    decisions: list[tuple[int, Decision]]
