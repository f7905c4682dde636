"""Reports that read texts: made whole and kept, in a small volume while somebody waits, in a large one by a job.

They are made when somebody of the wiki looks and something was changed since. Who has not signed in sees what is kept,
and starts nothing.
"""

from __future__ import annotations

import hashlib
import time
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from mokuji.core.model.policy import Actor, Role
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.plain_data import structured, unstructured
from mokuji.store import jobs
from mokuji.store.database import Connection, reading, writing
from mokuji.store.index import volume_pages
from mokuji.store.kept import put_aside
from mokuji.store.kept import reports as kept_reports
from mokuji.upkeep.reports.registry import REPORTS
from mokuji.upkeep.reports.report import Finding, ReportContext

AT_ONCE_CHARACTERS = 250_000
"""A volume with so many code points of text is small: its reports are made while somebody waits."""
FEW_PAGES = 2_000
"""With more pages a volume is large, whatever they hold."""
MOST_KEPT = 5_000
"""Maximum number of findings of one report that are kept."""
SECONDS, WAITING_SECONDS = 600.0, 6.0
"""After so long a job ends with what it found; after so long all that somebody waits for."""


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
class Kept:
    """``findings`` are plain data: only those of one screen are made values again."""

    findings: Sequence[Any] = ()
    held_back: Mapping[str, int] = field(default_factory=dict)
    made: Made | None = None
    being_made: bool = False


def scene_of(
    context: ReadContext, volume: Volume, origins: tuple[str, ...], until: float = float("inf")
) -> ReportContext:
    """A volume as reports see it."""
    return scenes_of(context, [volume], origins, until)[0]


def scenes_of(
    context: ReadContext, volumes: Sequence[Volume], origins: tuple[str, ...], until: float = float("inf")
) -> list[ReportContext]:
    """Several volumes as reports see them."""
    by_id = {each.id: each for each in context.volumes.values()}
    aside = put_aside.known(context.connection, [volume.id for volume in volumes])
    return [
        ReportContext(context.connection, volume, by_id, origins, context, aside[volume.id], until)
        for volume in volumes
    ]


def kept(app: AppContext, actor: Actor, scene: ReportContext, name: str, waits_until: float) -> Kept:
    """A report as it is kept; made anew first if something was changed and the volume is small (and there is time left
    for who waits), by a job otherwise, and neither for who has not signed in."""
    volume, seen = scene.volume, _seen(scene.visible, scene.origins)
    with reading(app.engine) as connection:
        stamp = kept_reports.stamp(connection, volume.id)
        found = kept_reports.one(connection, volume.id, seen, name)
        if found is not None and found.stamp == stamp:
            return _as_kept(found, stamp)
        if not actor.signed_in:
            wanted = jobs.wanted(connection, [_lock(volume.id, seen, name)])
            return _as_kept(found, stamp, bool(wanted))
        small = _is_small(connection, volume.id)
    left = waits_until - time.monotonic()
    if small and left > 0:
        want(app, _besides(scene, [name]))
        return _as_kept(make(app, volume.id, name, _closed(scene), scene.origins, left), stamp)
    want(app, [Wanted(volume, name, _closed(scene), scene.origins)])
    return _as_kept(found, stamp, True)


def numbers(
    app: AppContext, actor: Actor, scenes: Sequence[ReportContext], names: Sequence[str], waits_until: float
) -> dict[tuple[int, str], Kept]:
    """Some reports of volumes, as one reader sees them, by volume and name, as ``kept`` gives them but without their
    findings. Where nothing was changed that takes as many questions as for one."""
    if not scenes:
        return {}
    seen = _seen(scenes[0].visible, scenes[0].origins)
    with reading(app.engine) as connection:
        found, stamps = _known(connection, scenes)
        wanted: set[str] = set()
        if not actor.signed_in:
            wanted = jobs.wanted(
                connection, [_lock(s.volume.id, seen, name) for s in scenes for name in names]
            )
    told: dict[tuple[int, str], Kept] = {}
    later: list[Wanted] = []
    for scene in scenes:
        id_ = scene.volume.id
        stale = [
            name for name in names if (one := found.get((id_, name))) is None or one.stamp != stamps[id_]
        ]
        made: set[str] = set()
        if stale and actor.signed_in and time.monotonic() < waits_until:
            made = _made_now(app, scene, stale, found, waits_until)
            later += _besides(scene, made)
        for name in names:
            waits = name in stale and name not in made
            told[id_, name] = _as_kept(
                found.get((id_, name)),
                stamps[id_],
                waits and (actor.signed_in or _lock(id_, seen, name) in wanted),
            )
            if waits and actor.signed_in:
                later.append(Wanted(scene.volume, name, _closed(scene), scene.origins))
    want(app, later)
    return told


def _made_now(
    app: AppContext,
    scene: ReportContext,
    names: Sequence[str],
    found: dict[tuple[int, str], kept_reports.Kept],
    waits_until: float,
) -> set[str]:
    """Makes reports of a small volume while somebody waits, and puts them in what was found; those it came to."""
    with reading(app.engine) as connection:
        if not _is_small(connection, scene.volume.id):
            return set()
    made: set[str] = set()
    for name in names:
        left = waits_until - time.monotonic()
        one = make(app, scene.volume.id, name, _closed(scene), scene.origins, left) if left > 0 else None
        if one is not None:
            found[scene.volume.id, name] = one
            made.add(name)
    return made


def _is_small(connection: Connection, volume: int) -> bool:
    few = volume_pages.number_of_pages(connection, volume) <= FEW_PAGES
    return few and kept_reports.size(connection, volume) <= AT_ONCE_CHARACTERS


def _closed(scene: ReportContext) -> tuple[int, ...]:
    """The closed volumes that who looks may read."""
    return tuple(sorted(id_ for id_, each in scene.visible.items() if each.closed))


def _known(
    connection: Connection, scenes: Sequence[ReportContext]
) -> tuple[dict[tuple[int, str], kept_reports.Kept], dict[int, str]]:
    """What is kept of some volumes, as one reader sees them, and the stamps of these."""
    volumes = [scene.volume.id for scene in scenes]
    seen = _seen(scenes[0].visible, scenes[0].origins)
    return kept_reports.numbers_of(connection, volumes, seen), kept_reports.stamps(connection, volumes)


def fresh(connection: Connection, scenes: Sequence[ReportContext]) -> dict[tuple[int, str], Kept]:
    """Which reports of some volumes, as one reader sees them, are kept and nothing was changed since, by volume and
    name; without their findings. In as few questions as for one volume."""
    if not scenes:
        return {}
    found, stamps = _known(connection, scenes)
    return {
        (volume, name): _as_kept(one, stamps[volume])
        for (volume, name), one in found.items()
        if one.stamp == stamps[volume]
    }


def _as_kept(found: kept_reports.Kept | None, stamp: str, wanted: bool = False) -> Kept:
    if found is None:
        return Kept(being_made=wanted)
    made = Made(found.at, found.pages, found.stamp == stamp, found.whole, found.number)
    return Kept(found.findings, found.held_back or {}, made, wanted)


def _seen(visible: Mapping[int, Volume], origins: tuple[str, ...]) -> str:
    """What stands for the volumes that a reader may read, and for the addresses that are this wiki's own."""
    said = f"{sorted(visible)} {sorted(origins)}"
    return hashlib.sha256(said.encode()).hexdigest()


def _lock(volume: int, seen: str, name: str) -> str:
    return f"report {volume} {name} {seen}"


@dataclass(frozen=True, slots=True)
class Wanted:
    """A report that a job is to make: of a volume, for who may read these ``closed`` ones."""

    volume: Volume
    name: str
    closed: tuple[int, ...]
    origins: tuple[str, ...]


AT_ONCE = 200
"""So many jobs are put in by one transaction: each holds a lock."""


def _besides(scene: ReportContext, names: Collection[str]) -> list[Wanted]:
    """What is made for others by jobs, where who looks sees more than they may."""
    if not _closed(scene) or scene.volume.closed:
        return []
    return [Wanted(scene.volume, name, (), scene.origins) for name in names]


def want(app: AppContext, wanted: Sequence[Wanted]) -> None:
    """Has reports made by jobs: for who may read the closed volumes that each names, and for everybody if all may read
    its own."""
    for start in range(0, len(wanted), AT_ONCE):
        with writing(app.engine) as connection:
            seen: dict[tuple[tuple[int, ...], tuple[str, ...]], str] = {}
            deferred: dict[str, dict[str, Any]] = {}
            for one in wanted[start : start + AT_ONCE]:
                for readable in {one.closed, *([()] if not one.volume.closed else [])}:
                    for_whom = (readable, one.origins)
                    if for_whom not in seen:
                        context = ReadContext(connection, _reader(readable))
                        seen[for_whom] = _seen(
                            {each.id: each for each in context.volumes.values()}, one.origins
                        )
                    deferred[_lock(one.volume.id, seen[for_whom], one.name)] = {
                        "volume": one.volume.id,
                        "name": one.name,
                        "closed": list(readable),
                        "origins": list(one.origins),
                    }
            jobs.defer(connection, "make_report", deferred)


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
    report = REPORTS[name]
    with reading(app.engine) as connection:
        context = ReadContext(connection, _reader(closed))
        volume = next((each for each in context.volumes.values() if each.id == volume_id), None)
        if volume is None:
            return None
        stamp = kept_reports.stamp(connection, volume_id)
        scene = scene_of(context, volume, origins, time.monotonic() + seconds)
        aside = scene.aside(name)
        # So many more than are kept: those that were put aside are among them.
        findings, held = report.findings(scene, "", MOST_KEPT + len(aside) + 1)
        findings = [finding for finding in findings if report.what(finding) not in aside]
        result = kept_reports.Kept(
            name,
            app.clock(),
            stamp,
            volume_pages.number_of_pages(connection, volume_id),
            not scene.late and len(findings) <= MOST_KEPT,
            len(findings[:MOST_KEPT]),
            [unstructured(finding) for finding in findings[:MOST_KEPT]],
            held,
        )
    with writing(app.engine) as connection:
        now = put_aside.known(connection, [volume_id])[volume_id].get(name, set())
        if now != aside:
            # Something was put aside or taken back while it was made: it is made anew when somebody looks.
            left = [each for each in findings[:MOST_KEPT] if report.what(each) not in now]
            result = replace(
                result, stamp="", number=len(left), findings=[unstructured(each) for each in left]
            )
        kept_reports.keep(connection, volume_id, _seen(scene.visible, origins), result)
    return result


def leave_out(connection: Connection, volume: int, name: str, what: Collection[str]) -> None:
    """Takes findings out of a report as it is kept, for whomever it was made: it need not be made anew for them."""
    for seen, made in kept_reports.all_made(connection, volume, name).items():
        left = [each for each in made.findings if REPORTS[name].what(structured(each, Finding)) not in what]
        if len(left) < len(made.findings):
            kept_reports.keep(connection, volume, seen, replace(made, findings=left, number=len(left)))
