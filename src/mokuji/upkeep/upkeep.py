"""Upkeep: what there is to mend in a volume, or in all. Each report can be had a page at a time, by key.

Orphans, what is out of reach and unwritten names are kept in step with every
write (``store.index.upkeep``). The others read texts; they are made whole and kept
(``upkeep.keeping``). What somebody put aside is in none of them (``upkeep.asides``).
"""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from pydantic import ValidationError

from mokuji.acts.registry import act_of
from mokuji.acts.request import Request
from mokuji.acts.requests import Several
from mokuji.core.base.errors import BadFields, Missing, Refused
from mokuji.core.model.policy import Actor, Permission, may
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, refresh
from mokuji.services.plain_data import structured
from mokuji.services.reading.house_styles import style_of
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store.database import reading
from mokuji.store.index import to_mend
from mokuji.store.index.to_mend import Counts as Counts
from mokuji.upkeep import asides
from mokuji.upkeep.keeping import MOST_KEPT, WAITING_SECONDS, Kept, Made, fresh, kept, numbers, scenes_of
from mokuji.upkeep.listed import Listed as Listed
from mokuji.upkeep.reports.registry import REPORTS as REPORTS
from mokuji.upkeep.reports.report import Finding as Finding
from mokuji.upkeep.reports.report import Offer, Place, ReportContext

SCREEN = 50
"""Number of findings that one page of a report holds."""
ALL = "-"
"""What addresses say for all volumes that one may read: no volume has such a key."""


@dataclass(frozen=True)
class ReportView:
    """One page of a report; ``more_after`` is where the next one begins. ``held_back`` are names too common to list.
    ``place`` is None for a report over all volumes."""

    place: VolumeView | None
    name: str
    rows: tuple[Listed, ...]
    more_after: str | None
    volumes: Mapping[int, Volume]
    held_back: Mapping[str, int]
    styled: bool = False
    """Whether the volume has a house style."""
    made: Made | None = None
    """When it was made, of one that is kept; None of one that is in step, or was not made yet."""
    being_made: bool = False
    unmade: int = 0
    """In how many volumes it was not made yet."""
    asides: tuple[tuple[Volume, asides.Aside], ...] = ()

    @property
    def in_step(self) -> bool:
        """Whether it is right after every write, and need not be made."""
        return REPORTS[self.name].in_step

    @property
    def findings(self) -> tuple[Finding, ...]:
        """The findings by themselves."""
        return tuple(row.finding for row in self.rows)

    @property
    def many(self) -> list[Offer]:
        """What can be done with several of them at once, each thing once."""
        offers = {offer.many: offer for row in self.rows if row.may_write for offer in row.marked_for}
        return list(offers.values())


@dataclass(frozen=True)
class Overview:
    """How much each report holds; None where it was not made yet (in all volumes). ``made`` is when the oldest was that
    is kept; ``unmade`` are the reports that were not made yet in some volume."""

    place: VolumeView | None
    numbers: Mapping[str, int | None]
    made: datetime | None = None
    fresh: bool = True
    being_made: bool = False
    unmade: Collection[str] = ()
    by_volume: Mapping[Volume, Mapping[str, int]] = field(default_factory=dict)
    """How many findings each report has in each volume, where it has any."""

    @property
    def clear(self) -> list[str]:
        """The reports that hold nothing."""
        return [name for name, number in self.numbers.items() if number == 0 and name not in self.unmade]

    @property
    def uncounted(self) -> bool:
        """Whether some reports were not counted."""
        return bool(self.unmade)

    @property
    def to_mend(self) -> int:
        """How many findings are told beside the name of the room."""
        return sum(number or 0 for name, number in self.numbers.items() if REPORTS[name].to_mend)


def _volumes(context: ReadContext, volume_key: str) -> list[Volume]:
    """The volume of this key, or all that may be read, by title."""
    if volume_key != ALL:
        return [context.volume(volume_key)]
    return sorted(context.volumes.values(), key=lambda volume: volume.key)


def overview(app: AppContext, actor: Actor, volume_key: str = ALL, origins: tuple[str, ...] = ()) -> Overview:
    """What there is to mend in a volume, or in all, by report."""
    refresh(app)
    by_volume: dict[Volume, dict[str, int]] = {}
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        scenes = scenes_of(context, _volumes(context, volume_key), origins)
        place = volume_view(context, scenes[0].volume) if volume_key != ALL else None
        seen = [volume.id for volume in context.volumes.values()]
        counted = to_mend.counts_of(connection, [scene.volume.id for scene in scenes], seen)
        for scene in scenes:
            counts = counted[scene.volume.id]
            by_volume[scene.volume] = {
                name: report.number(scene, counts)
                if report.number is not None
                else len(_in_step(scene, name, "", MOST_KEPT)[0])
                for name, report in REPORTS.items()
                if report.in_step
            }
    made: list[Made] = []
    being_made, unmade = False, set()
    names = [name for name, report in REPORTS.items() if not report.in_step]
    known = numbers(app, actor, scenes, names, time.monotonic() + WAITING_SECONDS)
    for scene in scenes:
        for name in names:
            one = known[scene.volume.id, name]
            being_made |= one.being_made
            if one.made is None:
                unmade.add(name)
            else:
                made.append(one.made)
                by_volume[scene.volume][name] = one.made.number
    counted_in_all = {
        name: sum(counted.get(name, 0) for counted in by_volume.values())
        if any(name in counted for counted in by_volume.values()) or not by_volume
        else None
        for name in REPORTS
    }
    return Overview(
        place,
        counted_in_all,
        min((each.at for each in made), default=None),
        all(each.fresh for each in made),
        being_made,
        unmade,
        by_volume,
    )


def _in_step(
    scene: ReportContext, name: str, after: str, most: int
) -> tuple[list[Finding], Mapping[str, int]]:
    """The findings behind a key that nobody put aside, at most so many."""
    report, aside = REPORTS[name], scene.aside(name)
    findings: list[Finding] = []
    while True:
        found, held = report.findings(scene, after, most)
        findings += [finding for finding in found if report.what(finding) not in aside]
        if len(found) < most or len(findings) >= most:
            return findings[:most], held
        after = found[-1].key


def report(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    name: str,
    *,
    after: str = "",
    most: int = SCREEN,
    origins: tuple[str, ...] = (),
) -> ReportView:
    """One page of a report of a volume, or of all, from ``after`` on (as the page before gave it); Missing if there is
    no such report."""
    if name not in REPORTS:
        raise Missing("There is no such report.", code="report_missing")
    refresh(app)
    pieces: list[_Piece] = []
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volumes = _volumes(context, volume_key)
        place = volume_view(context, volumes[0]) if volume_key != ALL else None
        styled = name == "style" and any(style_of(connection, volume).rules for volume in volumes)
        seen = [volume.id for volume in context.volumes.values()]
        aside = tuple(asides.of_report(connection, volumes, seen, name))
        volumes, first = _from(volumes, after) if volume_key == ALL else (volumes, after)
        scenes = scenes_of(context, volumes, origins)
        known = fresh(connection, scenes) if actor.signed_in else {}
        if REPORTS[name].in_step:
            pieces = _pieces(
                scenes,
                first,
                most + 1,
                lambda scene, key: _Piece(scene, *_in_step(scene, name, key, most + 1)),
            )
    if not REPORTS[name].in_step:
        pieces = _kept_pieces(app, actor, scenes, name, known, first, most + 1)
    found = [(piece.scene, finding) for piece in pieces for finding in piece.findings]
    held_back = {name: pages for piece in pieces for name, pages in piece.held_back.items()}
    more = None
    if len(found) > most:
        scene, last = found[most - 1]
        more = last.key if volume_key != ALL else f"{scene.volume.key}/{last.key}"
    made = [piece.made for piece in pieces if piece.made is not None]
    return ReportView(
        place,
        name,
        tuple(_listed(actor, scene, name, finding) for scene, finding in found[:most]),
        more,
        {volume.id: volume for volume in context.volumes.values()},
        held_back,
        styled,
        _together(made),
        any(piece.being_made for piece in pieces),
        0 if REPORTS[name].in_step else len(pieces) - len(made),
        aside,
    )


def _from(volumes: list[Volume], after: str) -> tuple[list[Volume], str]:
    """The volumes in which a page of a report over all begins and goes on, and the key in the first of them."""
    # No key of a volume holds a “/”.
    begun, _, first = after.partition("/")
    left = [volume for volume in volumes if volume.key >= begun]
    return left, first if left and left[0].key == begun else ""


@dataclass(frozen=True)
class _Piece:
    """What a page of a report has of one volume."""

    scene: ReportContext
    findings: Sequence[Finding]
    held_back: Mapping[str, int]
    made: Made | None = None
    being_made: bool = False


def _pieces(
    scenes: Sequence[ReportContext], first: str, most: int, piece: Callable[[ReportContext, str], _Piece]
) -> list[_Piece]:
    """What volumes have, the first one behind a key, until there are enough findings."""
    pieces: list[_Piece] = []
    number = 0
    for scene in scenes:
        pieces.append(piece(scene, "" if pieces else first))
        number += len(pieces[-1].findings)
        if number >= most:
            break
    return pieces


def _kept_pieces(
    app: AppContext,
    actor: Actor,
    scenes: Sequence[ReportContext],
    name: str,
    known: Mapping[tuple[int, str], Kept],
    first: str,
    most: int,
) -> list[_Piece]:
    """What volumes have of a report that is kept: each is looked for, and made, in transactions of its own. For who has
    not signed in none is made, so what is ``known`` of all is asked at once."""
    waits_until = time.monotonic() + WAITING_SECONDS
    if not actor.signed_in:
        known = numbers(app, actor, scenes, [name], waits_until)
    return _pieces(
        scenes,
        first,
        most,
        lambda scene, key: (
            _empty(scene, known.get((scene.volume.id, name)))
            or _kept(app, actor, scene, name, key, most, waits_until)
        ),
    )


def _kept(
    app: AppContext,
    actor: Actor,
    scene: ReportContext,
    name: str,
    after: str,
    most: int,
    waits_until: float,
) -> _Piece:
    one = kept(app, actor, scene, name, waits_until)
    start = next((n for n, each in enumerate(one.findings, 1) if each["key"] == after), 0) if after else 0
    shown = [structured(finding, Finding) for finding in one.findings[start : start + most]]
    return _Piece(scene, shown, one.held_back, one.made, one.being_made)


def _empty(scene: ReportContext, known: Kept | None) -> _Piece | None:
    """A report that is known to hold nothing, or not to be made, of a volume; None of any other."""
    if known is None or (known.made is not None and (known.made.number or known.held_back)):
        return None
    return _Piece(scene, (), {}, known.made, known.being_made)


def _together(made: Sequence[Made]) -> Made | None:
    if not made:
        return None
    return Made(
        min(each.at for each in made),
        sum(each.pages for each in made),
        all(each.fresh for each in made),
        all(each.whole for each in made),
        sum(each.number for each in made),
    )


def _listed(actor: Actor, scene: ReportContext, name: str, finding: Finding) -> Listed:
    volume = scene.volume
    writes = may(actor, Permission.WRITE, volume.id, closed=volume.closed)
    place = Place(volume, scene.visible, scene.origins)
    offers = tuple(REPORTS[name].mends(place, finding)) if writes else ()
    return Listed(volume, finding, offers, REPORTS[name].what(finding), writes)


def every(
    app: AppContext, actor: Actor, volume_key: str, name: str, origins: tuple[str, ...] = ()
) -> Iterator[Listed]:
    """All findings of a report, read a page at a time."""
    after: str | None = ""
    while after is not None:
        page = report(app, actor, volume_key, name, after=after, most=500, origins=origins)
        yield from page.rows
        after = page.more_after


def marked(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    name: str,
    marks: Collection[str],
    origins: tuple[str, ...] = (),
) -> list[Listed]:
    """The findings that were marked, as they are now. Refused if none of them is listed any more."""
    wanted = set(marks)
    found: list[Listed] = []
    for row in every(app, actor, volume_key, name, origins) if wanted else ():
        if row.mark in wanted:
            wanted.remove(row.mark)
            found.append(row)
            if not wanted:
                break
    if not found:
        raise Refused(
            "None of the marked findings is listed any more."
            if marks
            else "Mark what is to be mended first.",
            code="nothing_to_do",
        )
    return found


def mend_together(rows: Sequence[Listed], many: str, given: str = "") -> Request:
    """The request of all that mends some findings in this way; ``given`` is what is asked for all of them. Refused if
    none of them can be mended so, BadFields for what cannot be given."""
    offers = [(row, offer) for row in rows for offer in row.marked_for if offer.many == many]
    acts: list[Request] = []
    for _, offer in offers:
        assert offer.act is not None
        changed = {offer.asks[0]: given} if offer.asks is not None and given else {}
        try:
            acts.append(replace(offer.act, **changed))  # type: ignore[type-var]
        except ValidationError:
            raise BadFields({"given": "That cannot be given here."}) from None
    if not acts:
        raise Refused("None of the marked findings is mended in this way.", code="nothing_to_do")
    together = act_of(acts[0]).together
    if together is not None and len({type(each) for each in acts}) == 1:
        acts = list(together(acts))
    return acts[0] if len(acts) == 1 else Several(offers[0][0].volume.key, tuple(acts))
