"""Where the findings of each report are mended: what mending is called, and the address where it is planned."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from urllib.parse import urlencode

from mokuji.core.language.page import PageHead
from mokuji.upkeep import upkeep
from mokuji.upkeep.upkeep import Finding
from mokuji.web import addresses

Mend = tuple[str, str]
"""What mending is called, and the address where it is planned."""
plan = addresses.plan


@dataclass(frozen=True, slots=True)
class Place:
    """A finding where it was found; ``origins`` are the ways this site's own addresses begin."""

    view: upkeep.ReportView
    found: Finding
    origins: tuple[str, ...]

    @property
    def volume(self) -> str:
        """The key of the volume whose report it is."""
        return self.view.place.volume.key

    @property
    def page(self) -> PageHead:
        """The page that it is about."""
        assert self.found.page is not None
        return self.found.page

    def edit(self, page: PageHead, line: int) -> str:
        """The desk, at a line of a page."""
        return addresses.act("edit", self.view.volumes[page.volume].key, page.key) + f"#line-{line}"


def mends(view: upkeep.ReportView, found: Finding, origins: tuple[str, ...]) -> list[Mend]:
    """Where a finding can be mended, the likeliest first."""
    of = _OF_REPORTS.get(view.name)
    return of(Place(view, found, origins)) if of is not None else []


def _orphan(at: Place) -> list[Mend]:
    key = at.page.key
    return [
        ("Link it from…", plan("link-from", at.volume, key)),
        ("Link where it is named", plan("link", at.volume, key, which="first")),
        ("Delete", plan("delete", at.volume, key)),
    ]


def _out_of_reach(at: Place) -> list[Mend]:
    place = plan("place", at.volume, at.page.key, under="", after="last")
    return [("Put it in the contents", place), *_orphan(at)]


def _unwritten(at: Place) -> list[Mend]:
    if at.found.missing:
        there, key = at.found.spots[0], at.found.key.partition(" /")[2]
        title = at.found.missing
        return [
            ("Lead elsewhere…", plan("retarget", at.volume, key, absolute=1)),
            ("Edit there", at.edit(there.page, there.line)),
            (f"Make a volume “{title}”", addresses.at(f"/-/new-volume?{urlencode({'title': title})}")),
        ]
    key = at.found.key.partition(" ")[2]
    return [
        ("Write", addresses.act("edit", at.volume, key)),
        ("Lead elsewhere…", plan("retarget", at.volume, key)),
        ("Another name of…", plan("alias", at.volume, key)),
    ]


def _look_alikes(at: Place) -> list[Mend]:
    finding = at.found
    assert finding.pair is not None
    one, other = finding.pair.one, finding.pair.other
    if one.page and other.page and finding.page is not None and finding.other is not None:
        return [
            (
                f"Merge into “{finding.other.title}”",
                plan("merge", at.volume, finding.page.key, into=finding.other.title),
            ),
            (
                f"Merge into “{finding.page.title}”",
                plan("merge", at.volume, finding.other.key, into=finding.page.title),
            ),
        ]
    if one.page or other.page:
        page, name = (finding.page, other) if one.page else (finding.other, one)
        title = page.title if page is not None else ""
        return [
            (f"Lead to “{title}”", plan("retarget", at.volume, name.key, to=title)),
            (f"Another name of “{title}”", plan("alias", at.volume, name.key, of=title)),
        ]
    return [(f"Write “{each.title}”", addresses.act("edit", at.volume, each.key)) for each in (one, other)]


def _categories(at: Place) -> list[Mend]:
    if at.found.pair is None:
        moves = [
            (f"Move “{name}”…", plan("category-move", at.volume, key)) for key, name in at.found.turn[:4]
        ]
        return [*moves, ("All categories", addresses.categories(at.volume))]
    one, other = at.found.pair.one, at.found.pair.other
    return [
        (f"All under “{each.title}”", plan("category", at.volume, rest.key, to=each.title))
        for each, rest in ((other, one), (one, other))
    ]


def _no_file(at: Place) -> list[Mend]:
    return [*_there(at), ("Bring a file", addresses.files(at.volume))] if at.found.spots else []


def _no_source(at: Place) -> list[Mend]:
    into_list = ("Put it into the list", addresses.new_source(at.found.title))
    return [into_list, *_there(at)] if at.found.spots else []


def _there(at: Place) -> list[Mend]:
    spot = at.found.spots[0]
    return [("Edit there", at.edit(spot.page, spot.line))]


def _lone(at: Place) -> list[Mend]:
    return [("Rename, or bring together…", plan("category", at.volume, at.found.key))]


def _repeats(at: Place) -> list[Mend]:
    span, page = at.found.spots[0].span, at.page
    where = at.view.volumes[page.volume].key
    words = {"start": span.start, "end": span.end, "revision": page.revision, "stored": 1}
    return [("Extract…", plan("extract", where, page.key, **words))]


def _unused(at: Place) -> list[Mend]:
    return [("Delete", plan("delete", at.volume, at.page.key))]


def _unfiled(at: Place) -> list[Mend]:
    key = at.page.key
    return [
        ("File it…", plan("file", at.volume, key)),
        ("Edit", addresses.act("edit", at.volume, key)),
    ]


def _in_text(at: Place) -> list[Mend]:
    """Of findings in a text: another title, another section, or the line itself."""
    title = next((mend.title for mend in at.found.mends if mend.title), "")
    if title:
        return [(f"Rename to “{title}”", plan("rename", at.volume, at.page.key, title=title))]
    page, spot = at.page, at.found.spots[0] if at.found.spots else None
    volume = at.view.volumes[page.volume].key
    lead = [
        (
            f"Lead to “{each}”",
            plan(
                "lead-section", volume, page.key, reference=spot.index, section=each, revision=page.revision
            ),
        )
        for each in at.found.nearest
        if spot is not None
    ]
    return [*lead, ("Edit there", at.edit(page, spot.line if spot is not None else 1))]


def _mentions(at: Place) -> list[Mend]:
    assert at.found.target is not None
    return [("All of this name", plan("link", at.volume, at.found.target.key, which="all"))]


def _addresses(at: Place) -> list[Mend]:
    return [("Make it a reference", plan("address", at.volume, at.page.key, origin=at.origins[0]))]


def _namesakes(at: Place) -> list[Mend]:
    other = at.found.other
    assert other is not None
    into = f"{at.view.volumes[other.volume].title}/{other.title}"
    return [
        ("Merge into that one…", plan("merge", at.volume, at.page.key, into=into)),
        ("Read that one", addresses.page(at.view.volumes[other.volume].key, other.key)),
        ("Edit", addresses.act("edit", at.volume, at.page.key)),
    ]


_OF_REPORTS: Mapping[str, Callable[[Place], list[Mend]]] = {
    "orphans": _orphan,
    "out-of-reach": _out_of_reach,
    "unwritten": _unwritten,
    "look-alikes": _look_alikes,
    "categories": _categories,
    "no-file": _no_file,
    "no-source": _no_source,
    "lone": _lone,
    "repeats": _repeats,
    "namesakes": _namesakes,
    "unused": _unused,
    "unfiled": _unfiled,
    "sections": _in_text,
    "insert-faults": _in_text,
    "flaws": _in_text,
    "style": _in_text,
    "mentions": _mentions,
    "addresses": _addresses,
}
