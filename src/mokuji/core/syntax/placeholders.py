"""Takes references out of a text and leaves ASCII stand-ins in their places.

A stand-in is letters and digits only, so the parser treats it as a word. No
*character* would be safe: an entity can forge any. A keyed hash of the text
cannot be foreseen by its writer; the key is handed in.
"""

from __future__ import annotations

import hashlib
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from mokuji.core.base.spans import Span
from mokuji.core.syntax.reference import Reference


class Place(Protocol):
    """Something with a byte range ``[start, end)`` in a body."""

    @property
    def start(self) -> int: ...
    @property
    def end(self) -> int: ...


@dataclass(frozen=True, slots=True)
class Lifted:
    """A body without its references.

    ``places`` are the byte ranges of the stand-ins in ``text``, ``origins``
    those of the references in the body they came from; both in order.
    """

    text: str
    data: bytes
    places: tuple[tuple[int, int], ...]
    origins: tuple[tuple[int, int], ...]

    @property
    def prefix(self) -> str:
        """What all stand-ins of this text start with; empty when there are none."""
        if not self.places:
            return ""
        start, end = self.places[0]
        return self.data[start : end - 2].decode()

    def origin(self, offset: int) -> int:
        """Where a byte of the lifted text (outside stand-ins) lies in the body."""
        index = bisect_right(self.places, (offset, offset)) - 1
        if index >= 0 and offset < self.places[index][1]:
            return self.origins[index][0]
        return offset if index < 0 else offset - self.places[index][1] + self.origins[index][1]


def prefix(body: bytes, key: bytes = b"") -> str:
    """The start of all stand-ins of a body; with a secret key its writer cannot know it."""
    return "q" + hashlib.blake2b(body, key=key[:64], digest_size=10).hexdigest() + "x"


def lift(body: str, data: bytes, references: Sequence[Place], key: bytes = b"") -> Lifted:
    """The body with a stand-in in the place of each reference (disjoint, in order).

    ``data`` is the body as UTF-8, to which the byte ranges belong. Stand-in
    number *n* is ``prefix`` + *n* + ``q``.
    """
    if not references:
        return Lifted(body, data, (), ())
    start_of_all = prefix(data, key).encode()
    pieces: list[bytes] = []
    places: list[tuple[int, int]] = []
    at = length = 0
    for index, reference in enumerate(references):
        stand_in = b"%s%dq" % (start_of_all, index)
        pieces += (data[at : reference.start], stand_in)
        length += reference.start - at
        places.append((length, length + len(stand_in)))
        length += len(stand_in)
        at = reference.end
    pieces.append(data[at:])
    lifted = b"".join(pieces)
    return Lifted(lifted.decode(), lifted, tuple(places), tuple((r.start, r.end) for r in references))


def replaced(text: str, span: Span, changes: Sequence[tuple[Span, str]]) -> str:
    """A range of a text with some ranges in it replaced (code points; one inside another that is replaced is passed
    over)."""
    pieces: list[str] = []
    at = span.start
    for where, words in sorted(changes):
        if where.start >= at and where.end <= span.end:
            pieces += (text[at : where.start], words)
            at = where.end
    pieces.append(text[at : span.end])
    return "".join(pieces)


@dataclass(frozen=True, slots=True)
class _Bytes:
    start: int
    end: int


def outermost(text: str, offset: int, references: Sequence[Reference]) -> tuple[list[int], list[Place]]:
    """Indexes of the references that stand in no other, and their byte ranges in the body from ``offset`` on."""
    indexes: list[int] = []
    places: list[Place] = []
    at, length = offset, 0
    for index, reference in enumerate(references):
        span = reference.span
        if span.start < at:
            continue
        start = length + len(text[at : span.start].encode())
        length = start + len(span.of(text).encode())
        indexes.append(index)
        places.append(_Bytes(start, length))
        at = span.end
    return indexes, places
