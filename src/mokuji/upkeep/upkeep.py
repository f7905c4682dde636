"""Upkeep: what there is to mend in a volume. Each report can be had a page at a time, by key.

Orphans, what is out of reach and unwritten names are kept in step with every
write (``store.index.upkeep``). The others read texts. They are made whole and kept: in
a small volume at once, when somebody of the wiki looks and something was changed
since; in a larger one by a job (``upkeep.jobs``). Who has not signed in sees
what is kept, and starts nothing.
"""

from __future__ import annotations

import hashlib
import time
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.model.policy import Actor, Permission, Role
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, check, find_volume, refresh
from mokuji.services.plain_data import structured, unstructured
from mokuji.services.reading.house_styles import style_of
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store import jobs, kept_reports
from mokuji.store.database import Connection, reading, writing
from mokuji.store.index import upkeep
from mokuji.store.index.upkeep import Counts as Counts
from mokuji.upkeep.reports.registry import REPORTS as REPORTS
from mokuji.upkeep.reports.report import Finding as Finding
from mokuji.upkeep.reports.report import ReportContext

SCREEN = 50
"""Number of findings that one page of a report holds."""
AT_ONCE_CHARACTERS = 250_000
"""A volume with so many code points of text is small: its reports are made while somebody waits."""
FEW_PAGES = 2_000
"""With more pages a volume is large, whatever they hold."""
MOST_KEPT = 5_000
"""Maximum number of findings of one report that are kept."""
SECONDS, WAITING_SECONDS = 600.0, 6.0
"""After so long a job ends with what it found; after so long one that somebody waits for."""


@dataclass(frozen=True, slots=True)
class Made:
    """When a report was made and over how many pages; whether nothing was changed since, and whether it is all there
    is."""

    at: datetime
    pages: int
    fresh: bool
    whole: bool
    number: int


@dataclass(frozen=True)
class ReportView:
    """One page of a report; ``more_after`` is where the next one begins. ``held_back`` are names too common to list."""

    place: VolumeView
    name: str
    counts: Counts
    findings: tuple[Finding, ...]
    more_after: str | None
    volumes: Mapping[int, Volume]
    held_back: Mapping[str, int]
    styled: bool = False
    """Whether the volume has a house style."""
    made: Made | None = None
    """When it was made, of one that is kept; None of one that is in step, or was not made yet."""
    being_made: bool = False

    @property
    def in_step(self) -> bool:
        """Whether it is right after every write, and need not be made."""
        return REPORTS[self.name].in_step


@dataclass(frozen=True)
class Overview:
    """How much each report holds; None where it was not made yet. ``made`` is when the oldest was that is kept."""

    place: VolumeView
    counts: Counts
    numbers: Mapping[str, int | None]
    made: datetime | None = None
    fresh: bool = True
    being_made: bool = False

    @property
    def clear(self) -> list[str]:
        """The reports that hold nothing."""
        return [name for name, number in self.numbers.items() if number == 0]

    @property
    def uncounted(self) -> bool:
        """Whether some reports were not counted."""
        return None in self.numbers.values()


def overview(app: AppContext, actor: Actor, volume_key: str, origins: tuple[str, ...] = ()) -> Overview:
    """What there is to mend in a volume, by report."""
    refresh(app)
    with reading(app.engine) as connection:
        scene, place = _scene(connection, actor, volume_key, origins)
        counts = upkeep.counts(connection, scene.volume.id, scene.seen)
        numbers: dict[str, int | None] = {}
        for name, each in REPORTS.items():
            if each.number is not None:
                numbers[name] = each.number(scene, counts)
            elif each.in_step:
                numbers[name] = len(each.findings(scene, "", MOST_KEPT)[0])
    kept = {name: _kept(app, actor, scene, name, count=True) for name in REPORTS if name not in numbers}
    made = [each.made for each in kept.values() if each.made is not None]
    numbers |= {name: each.made.number if each.made is not None else None for name, each in kept.items()}
    return Overview(
        place,
        counts,
        {name: numbers[name] for name in REPORTS},
        min((each.at for each in made), default=None),
        all(each.fresh for each in made),
        any(each.being_made for each in kept.values()),
    )


def _scene(
    connection: Connection, actor: Actor, volume_key: str, origins: tuple[str, ...]
) -> tuple[ReportContext, VolumeView]:
    context = ReadContext(connection, actor)
    volumes, volume = context.volumes, context.volume(volume_key)
    by_id = {each.id: each for each in volumes.values()}
    return ReportContext(connection, volume, by_id, origins, context), volume_view(context, volume)


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
    """One page of a report, from ``after`` on (as the page before gave it); Missing if there is no such report."""
    if name not in REPORTS:
        raise Missing("There is no such report.", code="report_missing")
    refresh(app)
    with reading(app.engine) as connection:
        scene, place = _scene(connection, actor, volume_key, origins)
        counts = upkeep.counts(connection, scene.volume.id, scene.seen)
        styled = name == "style" and bool(style_of(connection, scene.volume).rules)
        if REPORTS[name].in_step:
            findings, held = REPORTS[name].findings(scene, after, most + 1)
            more = findings[most - 1].key if len(findings) > most else None
            return ReportView(place, name, counts, tuple(findings[:most]), more, scene.visible, held, styled)
    kept = _kept(app, actor, scene, name)
    start = next((n for n, each in enumerate(kept.findings, 1) if each["key"] == after), 0) if after else 0
    shown = tuple(structured(finding, Finding) for finding in kept.findings[start : start + most])
    more = shown[-1].key if start + most < len(kept.findings) else None
    held = kept.held_back
    return ReportView(
        place, name, counts, shown, more, scene.visible, held, styled, kept.made, kept.being_made
    )


def every(
    app: AppContext, actor: Actor, volume_key: str, name: str, origins: tuple[str, ...] = ()
) -> Iterator[Finding]:
    """All findings of a report, read a page at a time."""
    after: str | None = ""
    while after is not None:
        page = report(app, actor, volume_key, name, after=after, most=500, origins=origins)
        yield from page.findings
        after = page.more_after


# ---- what is kept --------------------------------------------------------------------


@dataclass(frozen=True)
class _Kept:
    """``findings`` are plain data: only those of one screen are made values again."""

    findings: Sequence[Any] = ()
    held_back: Mapping[str, int] = field(default_factory=dict)
    made: Made | None = None
    being_made: bool = False


def _kept(app: AppContext, actor: Actor, scene: ReportContext, name: str, *, count: bool = False) -> _Kept:
    """A report as it is kept; made anew first if something was changed and the volume is small, by a job if it is
    large, and neither for who has not signed in. With ``count`` its findings are left where they are."""
    volume, seen = scene.volume, _seen(scene.visible, scene.origins)
    with reading(app.engine) as connection:
        stamp = kept_reports.stamp(connection, volume.id)
        if count:
            found = kept_reports.numbers(connection, volume.id, seen).get(name)
        else:
            found = kept_reports.one(connection, volume.id, seen, name)
        if found is not None and found.stamp == stamp:
            return _as_kept(found, stamp)
        wanted = jobs.is_wanted(connection, _lock(volume.id, seen, name))
        if not actor.signed_in:
            return _as_kept(found, stamp, wanted)
        small = upkeep.number_of_pages(connection, volume.id) <= FEW_PAGES
        small = small and kept_reports.size(connection, volume.id) <= AT_ONCE_CHARACTERS
    closed = [id_ for id_, each in scene.visible.items() if each.closed]
    if small:
        if closed and not volume.closed:
            # Who looks sees more than others may: for those it is made by a job.
            want(app, volume, name, (), scene.origins)
        return _as_kept(make(app, volume.id, name, closed, scene.origins, WAITING_SECONDS), stamp)
    want(app, volume, name, closed, scene.origins)
    return _as_kept(found, stamp, True)


def _as_kept(found: kept_reports.Kept | None, stamp: str, wanted: bool = False) -> _Kept:
    if found is None:
        return _Kept(being_made=wanted)
    made = Made(found.at, found.pages, found.stamp == stamp, found.whole, found.number)
    return _Kept(found.findings, found.held_back or {}, made, wanted)


def _seen(visible: Mapping[int, Volume], origins: tuple[str, ...]) -> str:
    """What stands for the volumes that a reader may read, and for the addresses that are this wiki's own."""
    said = f"{sorted(visible)} {sorted(origins)}"
    return hashlib.sha256(said.encode()).hexdigest()


def _lock(volume: int, seen: str, name: str) -> str:
    return f"report {volume} {name} {seen}"


def want(app: AppContext, volume: Volume, name: str, closed: Sequence[int], origins: tuple[str, ...]) -> None:
    """Has a report made by a job: for who may read these ``closed`` volumes, and for everybody if all may read its
    own."""
    with writing(app.engine) as connection:
        for readable in {tuple(sorted(closed)), *([()] if not volume.closed else [])}:
            context = ReadContext(connection, _reader(readable))
            seen = _seen({each.id: each for each in context.volumes.values()}, origins)
            arguments = {
                "volume": volume.id,
                "name": name,
                "closed": list(readable),
                "origins": list(origins),
            }
            jobs.defer(connection, "make_report", arguments, _lock(volume.id, seen, name))


def _reader(closed: Sequence[int]) -> Actor:
    """Somebody who may read all open volumes and these closed ones."""
    return Actor(roles=dict.fromkeys(closed, Role.READER))


def make(
    app: AppContext,
    volume_id: int,
    name: str,
    closed: Sequence[int],
    origins: tuple[str, ...],
    seconds: float = SECONDS,
) -> kept_reports.Kept | None:
    """Makes a report and keeps it; the same again gives the same. None if the volume is not there any more, or not for
    these readers."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, _reader(closed))
        by_id = {each.id: each for each in context.volumes.values()}
        volume = by_id.get(volume_id)
        if volume is None:
            return None
        stamp = kept_reports.stamp(connection, volume_id)
        scene = ReportContext(connection, volume, by_id, origins, context, time.monotonic() + seconds)
        findings, held = REPORTS[name].findings(scene, "", MOST_KEPT + 1)
        kept = kept_reports.Kept(
            name,
            app.clock(),
            stamp,
            upkeep.number_of_pages(connection, volume_id),
            not scene.late and len(findings) <= MOST_KEPT,
            len(findings[:MOST_KEPT]),
            [unstructured(finding) for finding in findings[:MOST_KEPT]],
            held,
        )
    with writing(app.engine) as connection:
        kept_reports.keep(connection, volume_id, _seen(by_id, origins), kept)
    return kept


# ---- the reports -------------------------------------------------------------------


# ---- of materials ------------------------------------------------------------------


def said_to_differ(app: AppContext, actor: Actor, volume_key: str) -> list[tuple[str, str]]:
    """The pairs of names of a volume that look alike and were said to be two things."""
    with reading(app.engine) as connection:
        return sorted(upkeep.differing(connection, find_volume(connection, actor, volume_key).id))


def differ(
    app: AppContext, actor: Actor, volume_key: str, one: str, other: str, *, back: bool = False
) -> Volume:
    """Remembers that two names that look alike are two things; with ``back`` forgets it."""
    with writing(app.engine) as connection:
        volume = find_volume(connection, actor, volume_key)
        check(actor, Permission.WRITE, volume)
        low, high = sorted((names.key(one), names.key(other)))
        if back:
            upkeep.drop_differing(connection, volume.id, low, high)
            kept_reports.drop(connection, volume.id, "look-alikes")
        else:
            upkeep.set_differing(connection, volume.id, low, high, actor.person)
        return volume
