"""Bare mentions. These words name a page and are not linked to it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from mokuji.acts.requests import Link, Mark
from mokuji.core.base.spans import Lines
from mokuji.core.language.page import Page
from mokuji.core.reports import bare_mentions as mentions
from mokuji.store.index import volume_pages
from mokuji.upkeep.reports.reading import collect, key_at, spot_of, text_batches
from mokuji.upkeep.reports.report import (
    Finding,
    Group,
    Listing,
    Offer,
    Place,
    Report,
    ReportContext,
    by_target,
)

SAMPLE = 500
"""Number of pages that tell which words are too common to be names."""


def _mentions(scene: ReportContext, after: str, most: int) -> Listing:
    heads = {head.id: head for head in volume_pages.heads(scene.connection, scene.volume.id)}
    known = volume_pages.page_names(scene.connection, scene.volume.id)
    held = _too_common(scene, known)
    finder = mentions.Finder({key: page for key, page in known.items() if key not in held})

    def of(batch: list[Page]) -> Iterator[Finding]:
        for page, found in finder.on_each(batch):
            lines = Lines(page.text)
            for each in found:
                spot = spot_of(page, each.span, lines=lines, words=each.span.of(page.text))
                target = heads[each.target]
                yield Finding(key_at(page, each.span), target.title, page.head, target=target, spots=(spot,))

    return collect(text_batches(scene, after), after, most, of), held


def _too_common(scene: ReportContext, known: Mapping[str, int]) -> Mapping[str, int]:
    """The names that are words of the language here, by a look at some hundred pages."""
    single = {key: page for key, page in known.items() if " " not in key}
    ids = volume_pages.sample(scene.connection, scene.volume.id, SAMPLE)
    looked = [Page(page.head, page.text) for page in scene.wiki.pages(ids).values()] if single else []
    return mentions.bare_mentions(single, looked).held_back


def _mends(place: Place, finding: Finding) -> list[Offer]:
    page, target, spot = finding.page, finding.target, finding.spots[0]
    assert page is not None and target is not None
    mark = Mark(page.id, spot.span.start, spot.span.end, target.id)
    return [
        Offer("Link it", Link(place.volume.key, only=(mark,)), many="Link them"),
        Offer("All of this name", Link(place.volume.key, target.key)),
    ]


REPORT = Report(
    "mentions",
    Group.TEXT,
    "Bare mentions",
    "Words that name a page and are not linked to it.",
    "These words name a page and are not linked to it.",
    _mentions,
    mends=_mends,
    parts=by_target("says"),
)
