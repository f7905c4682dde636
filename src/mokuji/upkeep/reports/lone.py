"""Lone categories. One page only is filed under each of these."""

from __future__ import annotations

from mokuji.acts.requests import RenameCategory
from mokuji.store.index import memberships
from mokuji.upkeep.reports.report import (
    Finding,
    Group,
    Listing,
    Offer,
    Part,
    Place,
    Report,
    ReportContext,
    by_key,
)


def _lone(scene: ReportContext, after: str, most: int) -> Listing:
    """Categories with one page."""
    known = scene.filed.categories()
    lone = [key for key, each in sorted(known.items()) if each.pages == 1 and key > after][:most]
    pages = [page for key in lone for page in scene.filed.ids(key)]
    found = memberships.heads_after(scene.connection, pages, "", 10**6) if pages else []
    heads = {head.id: head for head, _ in found}
    return [
        Finding(key, known[key].name, next((heads[p] for p in scene.filed.ids(key) if p in heads), None))
        for key in lone
    ], {}


def _parts(finding: Finding) -> tuple[Part, ...]:
    page = (Part("·", quiet=True), Part(finding.page.title, finding.page)) if finding.page is not None else ()
    return (Part(finding.title, category=finding.key), *page)


def _mends(place: Place, finding: Finding) -> list[Offer]:
    rename = RenameCategory(place.volume.key, finding.key, "")
    return [
        Offer("Rename, or bring together…", rename, open=True, many="File all under", asks=("to", "Category"))
    ]


REPORT = Report(
    "lone",
    Group.MATERIALS,
    "Lone categories",
    "One page only is filed under each.",
    "One page only is filed under each of these.",
    _lone,
    mends=_mends,
    parts=_parts,
    what=by_key,
    in_step=True,
)
