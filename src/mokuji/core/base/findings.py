"""What is found to be wrong or worth saying: on one page, or by a plan."""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core.base.spans import Span


@dataclass(frozen=True, slots=True)
class Problem:
    """Something on a page that could not be understood as it was meant.

    ``span`` is in code points of the page's text. The page stands as it is.
    """

    code: str
    message: str
    span: Span
