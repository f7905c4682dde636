"""House style."""

from __future__ import annotations

from mokuji.core.language.page import Page
from mokuji.core.style.flaws import Flaw
from mokuji.services.reading.house_styles import style_of
from mokuji.services.reading.page_style import found_in
from mokuji.upkeep.reports.mending import mends_in_text
from mokuji.upkeep.reports.reading import of_texts
from mokuji.upkeep.reports.report import Group, Listing, Report, ReportContext


def _style(scene: ReportContext, after: str, most: int) -> Listing:
    """Where pages do not keep to the house style; a word that is not in the dictionary once for each page."""
    style = style_of(scene.connection, scene.volume)
    if not style.rules:
        return [], {}

    def once(page: Page) -> list[Flaw]:
        told: set[str] = set()
        found: list[Flaw] = []
        for flaw in found_in(page, style):
            if flaw.word not in told:
                found.append(flaw)
                told |= {flaw.word} - {""}
        return found

    return of_texts(scene, after, most, once)


REPORT = Report(
    "style",
    Group.TEXT,
    "House style",
    "Capitals, long sentences, words and spelling that the volume's rules have otherwise.",
    "Where pages do not keep to the rules of this volume. A word that is not in the dictionary "
    "stands once for each page.",
    _style,
    mends=mends_in_text,
    reasons="words",
)
