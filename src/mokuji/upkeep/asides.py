"""Findings that are put aside for good, with a reason; listed beside their report, and taken back."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from mokuji.core.base.errors import BadFields
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, check, clean_note
from mokuji.store.database import Connection, writing
from mokuji.store.kept import put_aside
from mokuji.store.kept import reports as kept_reports
from mokuji.store.kept.put_aside import Aside as Aside
from mokuji.upkeep import keeping
from mokuji.upkeep.listed import Listed, mark_of
from mokuji.upkeep.reports.registry import REPORTS
from mokuji.upkeep.reports.report import Finding

LONGEST_TITLE = 200
"""Maximum number of code points by which a finding is told that was put aside."""


def put(app: AppContext, actor: Actor, name: str, rows: Sequence[Listed], reason: str) -> int:
    """Puts findings of a report aside, and says how many. BadFields without a reason, Forbidden where the actor may not
    write."""
    why = clean_note(reason)
    if not why:
        raise BadFields({"reason": "Say in a few words why it need not be mended."})
    # Alone: a report that is being made meanwhile is kept before or behind this, never with half of it.
    with writing(app.engine, alone=True) as connection:
        by_volume: dict[int, list[Listed]] = {}
        for row in rows:
            check(actor, Permission.WRITE, row.volume)
            by_volume.setdefault(row.volume.id, []).append(row)
        for volume, found in by_volume.items():
            asides = [
                Aside(
                    row.what,
                    _page(row.finding),
                    _involved(row),
                    _title(name, row.finding),
                    why,
                    "",
                    app.clock(),
                )
                for row in found
            ]
            put_aside.put(connection, volume, name, asides, actor.person)
            keeping.leave_out(connection, volume, name, {row.what for row in found})
    return len(rows)


def _page(finding: Finding) -> int | None:
    return finding.page.id if finding.page is not None else None


def _involved(row: Listed) -> set[int]:
    finding = row.finding
    pages = [finding.page, finding.other, finding.target, *(spot.page for spot in finding.spots)]
    return {row.volume.id, *(page.volume for page in pages if page is not None)}


def _title(name: str, finding: Finding) -> str:
    said = " ".join(part.words for part in REPORTS[name].parts(finding))
    if REPORTS[name].reasons != "beside" and finding.reason:
        said += f": {finding.reason}"
    return said if len(said) <= LONGEST_TITLE else said[: LONGEST_TITLE - 1] + "…"


def of_report(
    connection: Connection, volumes: Sequence[Volume], seen: Collection[int], name: str
) -> list[tuple[Volume, Aside]]:
    """What was put aside in a report of some volumes, as far as all that it speaks of may be read."""
    found = put_aside.of_report(connection, [volume.id for volume in volumes], name)
    return [
        (volume, aside) for volume in volumes for aside in found[volume.id] if set(aside.volumes) <= set(seen)
    ]


def take_back(app: AppContext, actor: Actor, name: str, marks: Collection[str]) -> int:
    """Lets findings of a report be listed again, and says how many."""
    with writing(app.engine, alone=True) as connection:
        context = ReadContext(connection, actor)
        volumes = list(context.volumes.values())
        found = of_report(connection, volumes, [volume.id for volume in volumes], name)
        back: dict[Volume, list[str]] = {}
        for volume, aside in found:
            if mark_of(volume, aside.what) in marks:
                back.setdefault(volume, []).append(aside.what)
        for volume, what in back.items():
            check(actor, Permission.WRITE, volume)
            put_aside.take_back(connection, volume.id, name, what)
            kept_reports.make_stale(connection, volume.id, name)
        return sum(map(len, back.values()))
