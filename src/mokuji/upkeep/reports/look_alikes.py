"""Look-alikes. Names that probably mean the same thing, the surest first."""

from __future__ import annotations

from mokuji.core.base import names
from mokuji.core.reports.look_alikes import Named, Sort, look_alikes
from mokuji.store.index import upkeep
from mokuji.upkeep.reports.report import Finding, Group, Listing, Report, ReportContext


def _look_alikes(scene: ReportContext, after: str, most: int) -> Listing:
    connection, volume = scene.connection, scene.volume.id
    heads = {head.id: head for head in upkeep.heads(connection, volume)}
    known = [Named(head.key, head.title, head.id, Sort.PAGE) for head in heads.values()]
    known += [
        Named(key, name, page, Sort.ALIAS) for page, key, name in upkeep.alias_names(connection, volume)
    ]
    known += [
        Named(key, names.as_title(key), 0, Sort.UNWRITTEN)
        for key, _ in upkeep.unwritten(connection, volume, scene.seen, most=10**9)
    ]
    pairs = look_alikes(known, upkeep.differing(connection, volume))
    start = int(after) if after.isdecimal() and len(after) < 10 else 0
    return [
        Finding(
            str(start + n),
            pair.one.title,
            heads.get(pair.one.page),
            heads.get(pair.other.page),
            reason=pair.reason,
            pair=pair,
        )
        for n, pair in enumerate(pairs[start : start + most], 1)
    ], {}


REPORT = Report(
    "look-alikes",
    Group.NAMES,
    "Look-alikes",
    "Names that probably mean the same thing.",
    "Names that probably mean the same thing, the surest first.",
    _look_alikes,
)
