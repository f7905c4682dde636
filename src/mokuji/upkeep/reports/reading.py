"""How reports read the texts of a volume: some at a time, by key, until there are enough findings or no time."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from mokuji.core.base import names
from mokuji.core.base.spans import Lines, Span
from mokuji.core.language.excerpt import REACH, Excerpt, excerpt
from mokuji.core.language.page import Page
from mokuji.core.style.flaws import Flaw
from mokuji.store.index import volume_pages
from mokuji.store.index.volume_pages import Holding
from mokuji.upkeep.reports.report import Finding, Listing, ReportContext, Spot

AT_ONCE = 200
"""Number of texts that are read at a time."""
BETWEEN = 10
"""After so many pages it is looked whether the time is over."""
REPEAT_SPOTS, REPEAT_WORDS = 8, 90
"""Number of places of a repeated passage that are shown, and how much of its words."""


def spot_of(
    page: Page, span: Span, index: int | None = None, lines: Lines | None = None, words: str | None = None
) -> Spot:
    """A place with its sentence; ``words`` are shown for what stands there, if it is no reference."""
    low, high = max(0, span.start - REACH), min(len(page.text), span.end + REACH)
    before, here, after = page.text[low : span.start], span.of(page.text), page.text[span.end : high]
    if words is not None:
        here = f"[[{names.escape(' '.join(words.split()))}]]"
    sentence = excerpt(before + here + after, Span(len(before), len(before) + len(here)))
    return Spot(page.head, (lines or Lines(page.text)).position(span.start).line, span, sentence, index)


def text_batches(
    scene: ReportContext, after: str, holding: Holding = Holding.ANYTHING, **values: object
) -> Iterator[list[Page]]:
    """The pages of the volume by key, some at a time, from the one on whose key ``after`` begins with."""
    key = after.partition("\t")[0]
    while not scene.late:
        ids = volume_pages.page_ids(scene.connection, scene.volume.id, key, AT_ONCE, holding, values)
        if not ids:
            return
        found = scene.wiki.pages(ids)
        ordered = sorted(found.values(), key=lambda page: page.head.key)
        # Read anew from the text: what is kept beside it does not say where plain words stand. A few at a time, so that
        # a report can end between them.
        for start in range(0, len(ordered), BETWEEN):
            if scene.late:
                return
            yield [Page(page.head, page.text) for page in ordered[start : start + BETWEEN]]
        # No key holds a control character: this is right behind the last one.
        key = ordered[-1].head.key + "\x01"


def texts_of(scene: ReportContext, volume: int) -> Iterator[list[Page]]:
    key = ""
    while not scene.late and (ids := volume_pages.page_ids(scene.connection, volume, key, AT_ONCE)):
        ordered = sorted(scene.wiki.pages(ids).values(), key=lambda page: page.head.key)
        yield ordered
        key = ordered[-1].head.key + "\x01"


def collect(
    batches: Iterator[list[Page]],
    after: str,
    most: int,
    of: Callable[[list[Page]], Iterator[Finding]],
) -> list[Finding]:
    """Findings by page and place, those behind ``after`` only, until there are enough."""
    findings: list[Finding] = []
    for batch in batches:
        for finding in of(batch):
            if not after or _behind(finding.key, after):
                findings.append(finding)
            if len(findings) >= most:
                return findings
    return findings


def _behind(key: str, after: str) -> bool:
    def order(each: str) -> tuple[str, int]:
        name, _, place = each.partition("\t")
        return name, int(place) if place.isdecimal() else 0

    return order(key) > order(after)


def key_at(page: Page, span: Span) -> str:
    return f"{page.head.key}\t{span.start}"


def first_words(words: str) -> str:
    words = " ".join(words.split())
    return words if len(words) <= REPEAT_WORDS else words[: REPEAT_WORDS - 1].rstrip() + "…"


def finding_of_flaw(page: Page, lines: Lines, flaw: Flaw) -> Finding:
    """Something that a page says badly, as reports tell it."""
    first = flaw.span.of(page.text).splitlines()[:1]
    shown = Excerpt("", first_words(first[0]) if first else "", "")
    spot = Spot(page.head, lines.position(flaw.span.start).line, flaw.span, shown)
    return Finding(
        key_at(page, flaw.span),
        page.head.title,
        page.head,
        reason=flaw.message,
        spots=(spot,),
        mends=flaw.mends,
    )


def of_texts(scene: ReportContext, after: str, most: int, look: Callable[[Page], Sequence[Flaw]]) -> Listing:
    def of(batch: list[Page]) -> Iterator[Finding]:
        for page in batch:
            lines = Lines(page.text)
            yield from (finding_of_flaw(page, lines, flaw) for flaw in look(page))

    return collect(text_batches(scene, after), after, most, of), {}
