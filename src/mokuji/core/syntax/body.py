"""The body of a page, as the parser reads it: what stands behind its front matter, with stand-ins for references.

Read once for a text, and handed to everything that looks for something in it:
headings, marks, tasks, definitions, flaws. All of them find bytes of the lifted
text, and ask here where those stand in the page.
"""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core.base.spans import CodePoints, Span
from mokuji.core.syntax.parser import Event
from mokuji.core.syntax.placeholders import Lifted


@dataclass(frozen=True, slots=True)
class Body:
    """What stands in ``text`` from the code point ``offset`` on.

    ``data`` is that as UTF-8, slots masked (of the same length), of which ``points`` counts code points; ``events`` are
    those of ``lifted``.
    Stand-in number *n* stands for the reference ``outer[n]`` of the page.
    """

    text: str
    offset: int
    data: bytes
    points: CodePoints
    lifted: Lifted
    events: list[Event]
    outer: tuple[int, ...] = ()

    def at(self, byte: int) -> int:
        """Where a byte of the lifted text stands in the page, in code points."""
        return self.offset + self.points.at(self.lifted.origin(byte))

    def span(self, start: int, end: int) -> Span:
        """Where bytes of the lifted text stand in the page, in code points."""
        return Span(self.at(start), self.at(end))

    def typed(self, byte: int) -> int:
        """Where a byte of the body itself stands in the page, in code points."""
        return self.offset + self.points.at(byte)
