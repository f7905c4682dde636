"""Flaws."""

from __future__ import annotations

from mokuji.adapters.diagrams import Drawn, draw, known
from mokuji.core.language.page import Page
from mokuji.core.style.flaws import SAID_BY_FLAWS, Flaw, flaws
from mokuji.services.reading.rendering import text_problems
from mokuji.upkeep.reports.mending import mends_in_text
from mokuji.upkeep.reports.reading import of_texts
from mokuji.upkeep.reports.report import Group, Listing, Report, ReportContext


def _flaws(scene: ReportContext, after: str, most: int) -> Listing:
    """What is wrong with a text or could be better: flaws, what the language does not understand, wrong diagrams."""

    def drawn(source: str) -> Drawn | None:
        # What is not drawn for want of time is not called sound: the report is told as one that is not whole.
        return known(source) if scene.late else draw(source)

    def wrong(page: Page) -> list[Flaw]:
        problems = text_problems(page, drawn)
        told = [Flaw(p.code, p.message, p.span) for p in problems if p.code not in SAID_BY_FLAWS]
        return sorted([*flaws(page), *told], key=lambda flaw: flaw.span)

    return of_texts(scene, after, most, wrong)


REPORT = Report(
    "flaws",
    Group.TEXT,
    "Flaws",
    "Rows, levels, pictures, code and words that a careful eye would mend.",
    "Rows with a cell too few or too many, levels that skip, pictures without a description, code "
    "left open, words said twice; formulas, diagrams and days that are not understood.",
    _flaws,
    mends=mends_in_text,
    reasons="words",
)
