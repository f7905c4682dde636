"""Where a page does not keep to the house style of its volume, with the dictionaries of this machine."""

from __future__ import annotations

from mokuji.adapters import spelling
from mokuji.core.language.page import Page
from mokuji.core.style.flaws import Flaw
from mokuji.core.style.style import Style
from mokuji.core.style.style_rules import breaches


def found_in(page: Page, style: Style) -> list[Flaw]:
    """Where a page does not keep to a house style. A language without a dictionary here is not looked at."""
    return breaches(page, style, spelling.dictionary(style.spelling))
