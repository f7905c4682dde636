"""Upkeep: what there is to mend in a volume, and where each thing is mended."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter
from fastapi.responses import Response

from mokuji.core.spans import Span
from mokuji.services import passages, upkeep
from mokuji.services.upkeep import Finding
from mokuji.web import addresses
from mokuji.web.pages import Form, Visitor, Who, see
from mokuji.web.report_words import WORDS
from mokuji.web.tables import as_csv, as_json

router = APIRouter()

Mend = tuple[str, str]
"""What mending is called, and the address where it is planned."""


def _origins(who: Visitor) -> tuple[str, ...]:
    """This site as its own pages' addresses begin."""
    url = who.request.url
    return (f"{url.scheme}://{url.netloc}",)


@router.get("/-/upkeep/{volume}")
def overview(who: Who, volume: str) -> Response:
    """All reports of a volume with their numbers."""
    view = upkeep.overview(who.desk, who.actor, volume, _origins(who))
    return who.page(
        "upkeep.html", view=view, place=view.place, reports=upkeep.REPORTS, words=WORDS, lit="upkeep"
    )


@router.get("/-/upkeep/{volume}/{name}")
def report(who: Who, volume: str, name: str, after: str = "") -> Response:
    """One report; as CSV or JSON when its name ends so."""
    for ending, write in _WRITERS.items():
        if name.endswith(ending):
            found = upkeep.every(who.desk, who.actor, volume, name.removesuffix(ending), _origins(who))
            return write(found)
    view = upkeep.report(who.desk, who.actor, volume, name, after=after, origins=_origins(who))
    mends = (
        {each.key: _mends(view, each, _origins(who)) for each in view.findings}
        if view.place.may_write
        else {}
    )
    return who.page(
        "report.html",
        view=view,
        place=view.place,
        mends=mends,
        apart=upkeep.said_to_differ(who.desk, who.actor, volume) if view.name == "look-alikes" else (),
        group=upkeep.REPORTS[name],
        styled=view.styled,
        lit="upkeep",
    )


@router.get("/-/passage/{volume}/{page:path}")
def passage(who: Who, volume: str, page: str, start: int = -1, end: int = -1) -> Response:
    """Some lines of a page as part of another: those around a range, or its first ones."""
    marked = Span(start, end) if start >= 0 else None
    return who.page("passage.html", found=passages.passage(who.desk, who.actor, volume, page, marked))


@router.post("/-/upkeep/{volume}/differ")
def differ(who: Who, form: Form, volume: str) -> Response:
    """Remembers that two names are two things, or forgets it (``back``)."""
    one, other = form.get("one", ""), form.get("other", "")
    found = upkeep.differ(who.desk, who.actor, volume, one, other, back="back" in form)
    return see(addresses.upkeep(found.key, "look-alikes"))


def _mends(view: upkeep.Report, found: Finding, origins: tuple[str, ...]) -> list[Mend]:
    """Where a finding can be mended, the likeliest first."""
    volume = view.place.volume.key
    plan = addresses.plan
    if view.name in {"orphans", "out-of-reach"} and found.page is not None:
        key = found.page.key
        mends = [
            ("Link it from…", plan("link-from", volume, key)),
            ("Link where it is named", plan("link", volume, key, which="first")),
            ("Delete", plan("delete", volume, key)),
        ]
        if view.name == "out-of-reach":
            mends.insert(0, ("Put it in the contents", plan("place", volume, key, under="", after="last")))
        return mends
    if view.name == "unwritten" and found.missing:
        there = found.spots[0]
        page = view.volumes[there.page.volume].key
        key = found.key.partition(" /")[2]
        return [
            ("Lead elsewhere…", plan("retarget", volume, key, absolute=1)),
            ("Edit there", addresses.act("edit", page, there.page.key) + f"#line-{there.line}"),
            (f"Make a volume “{found.missing}”", f"/-/new-volume?{urlencode({'title': found.missing})}"),
        ]
    if view.name == "unwritten":
        key = found.key.partition(" ")[2]
        return [
            ("Write", addresses.act("edit", volume, key)),
            ("Lead elsewhere…", plan("retarget", volume, key)),
            ("Another name of…", plan("alias", volume, key)),
        ]
    if view.name == "look-alikes" and found.pair is not None:
        return _of_pair(volume, found)
    if view.name == "categories":
        return _of_categories(volume, found)
    if view.name in {"no-file", "no-source"} and found.spots:
        there = found.spots[0]
        edit = (
            addresses.act("edit", view.volumes[there.page.volume].key, there.page.key) + f"#line-{there.line}"
        )
        if view.name == "no-source":
            return [("Put it into the list", addresses.new_source(found.title)), ("Edit there", edit)]
        return [("Edit there", edit), ("Bring a file", addresses.files(volume))]
    if view.name == "lone":
        return [("Rename, or bring together…", plan("category", volume, found.key))]
    if view.name == "repeats" and found.page is not None:
        where = view.volumes[found.page.volume].key
        span = found.spots[0].span
        address = plan(
            "extract",
            where,
            found.page.key,
            start=span.start,
            end=span.end,
            revision=found.page.revision,
            stored=1,
        )
        return [("Extract…", address)]
    if view.name == "unused" and found.page is not None:
        return [("Delete", plan("delete", volume, found.page.key))]
    if view.name == "unfiled" and found.page is not None:
        return [
            ("File it…", plan("file", volume, found.page.key)),
            ("Edit", addresses.act("edit", volume, found.page.key)),
        ]
    if view.name in {"sections", "insert-faults", "flaws", "style"} and found.page is not None:
        title = next((mend.title for mend in found.mends if mend.title), "")
        if title:
            return [(f"Rename to “{title}”", plan("rename", volume, found.page.key, title=title))]
        line = found.spots[0].line if found.spots else 1
        page = view.volumes[found.page.volume].key
        lead = [
            (
                f"Lead to “{each}”",
                addresses.plan(
                    "lead-section",
                    page,
                    found.page.key,
                    reference=found.spots[0].index,
                    section=each,
                    revision=found.page.revision,
                ),
            )
            for each in found.nearest
            if found.spots
        ]
        return [*lead, ("Edit there", addresses.act("edit", page, found.page.key) + f"#line-{line}")]
    if view.name == "mentions" and found.target is not None:
        return [("All of this name", plan("link", volume, found.target.key, which="all"))]
    if view.name == "addresses" and found.page is not None:
        return [("Make it a reference", plan("address", volume, found.page.key, origin=origins[0]))]
    return []


def _of_categories(volume: str, found: Finding) -> list[Mend]:
    if found.pair is None:
        moves = [
            (f"Move “{name}”…", addresses.plan("category-move", volume, key)) for key, name in found.turn[:4]
        ]
        return [*moves, ("All categories", addresses.categories(volume))]
    one, other = found.pair.one, found.pair.other
    return [
        (f"All under “{each.title}”", addresses.plan("category", volume, rest.key, to=each.title))
        for each, rest in ((other, one), (one, other))
    ]


def _of_pair(volume: str, found: Finding) -> list[Mend]:
    assert found.pair is not None
    one, other = found.pair.one, found.pair.other
    if one.page and other.page and found.page is not None and found.other is not None:
        return [
            (
                f"Merge into “{found.other.title}”",
                addresses.plan("merge", volume, found.page.key, into=found.other.title),
            ),
            (
                f"Merge into “{found.page.title}”",
                addresses.plan("merge", volume, found.other.key, into=found.page.title),
            ),
        ]
    if one.page or other.page:
        page, name = (found.page, other) if one.page else (found.other, one)
        title = page.title if page is not None else ""
        return [
            (f"Lead to “{title}”", addresses.plan("retarget", volume, name.key, to=title)),
            (f"Another name of “{title}”", addresses.plan("alias", volume, name.key, of=title)),
        ]
    return [
        (f"Write “{one.title}”", addresses.act("edit", volume, one.key)),
        (f"Write “{other.title}”", addresses.act("edit", volume, other.key)),
    ]


# ---- in other forms ---------------------------------------------------------------


def _rows(found: Iterable[Finding]) -> Iterable[dict[str, Any]]:
    """A finding as plain values: the same in CSV and in JSON."""
    for each in found:
        spot = each.spots[0] if each.spots else None
        page = each.page or (spot.page if spot else None)
        yield {
            "name": each.title,
            "page": page.title if page else "",
            "line": spot.line if spot else None,
            "sentence": (spot.sentence.before + spot.sentence.words + spot.sentence.after) if spot else "",
            "other": each.pair.other.title if each.pair else (each.target.title if each.target else ""),
            "reason": each.reason,
            "pages": each.number or None,
        }


_HEAD = ["name", "page", "line", "sentence", "other", "reason", "pages"]
_WRITERS: dict[str, Callable[[Iterable[Finding]], Response]] = {
    ".csv": lambda found: as_csv(_HEAD, _rows(found)),
    ".json": lambda found: as_json(_rows(found)),
}
