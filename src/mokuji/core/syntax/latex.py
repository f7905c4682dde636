"""Formulas where they stand in a text, not typeset: that is done when a page is laid out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from mokuji.core.base.spans import Span
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.slots import unmasked


@dataclass(frozen=True, slots=True)
class Latex:
    """A formula: its LaTeX, whether it stands by itself, and where it stands with its signs."""

    source: str
    display: bool
    span: Span


def formulas(body: Body) -> Iterator[Latex]:
    """The formulas of a page, in order. Those that hold a slot or a reference are left out: what they say is not known
    yet."""
    if "$" not in body.text:
        return
    prefix = body.lifted.prefix
    for kind, latex, start, end in body.events:
        if kind not in {"InlineMath", "DisplayMath"} or unmasked(latex) != latex:
            continue
        if not prefix or prefix not in latex:
            yield Latex(latex, kind == "DisplayMath", body.span(start, end))
