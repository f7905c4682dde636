"""Formulas of a page whose LaTeX is not understood."""

from __future__ import annotations

from collections.abc import Iterator

from mokuji.core.base.findings import Problem
from mokuji.core.formulas.formulas import formula
from mokuji.core.language.scan import PageText


def formula_problems(content: PageText) -> Iterator[Problem]:
    """What is said of each, at its place."""
    for latex in content.formulas:
        fault = formula(latex.source, display=latex.display).fault
        if fault:
            yield Problem("formula", f"This formula is not understood. {fault}", latex.span)
