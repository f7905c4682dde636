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
from mokuji.store import jobs, kept_reports, put_aside
from mokuji.store.database import Connection, reading, writing
from mokuji.store.index import volume_pages
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
    by_id = {each.id: each for each in context.volumes.values()}
    aside = put_aside.known(context.connection, volume.id)
    return ReportContext(context.connection, volume, by_id, origins, context, aside, until)


def kept(
    app: AppContext, actor: Actor, scene: ReportContext, name: str, waits_until: float, *, count: bool = False
) -> Kept:
    """A report as it is kept; made anew first if something was changed and the volume is small (and there is time left
    for who waits), by a job otherwise, and neither for who has not signed in. With ``count`` its findings are left
    where they are."""
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
        small = volume_pages.number_of_pages(connection, volume.id) <= FEW_PAGES
        small = small and kept_reports.size(connection, volume.id) <= AT_ONCE_CHARACTERS
    closed = [id_ for id_, each in scene.visible.items() if each.closed]
    left = waits_until - time.monotonic()
    if small and left > 0:
        if closed and not volume.closed:
            # Who looks sees more than others may: for those it is made by a job.
            want(app, volume, name, (), scene.origins)
        return _as_kept(make(app, volume.id, name, closed, scene.origins, left), stamp)
    want(app, volume, name, closed, scene.origins)
    return _as_kept(found, stamp, True)


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
        now = put_aside.known(connection, volume_id).get(name, set())
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
