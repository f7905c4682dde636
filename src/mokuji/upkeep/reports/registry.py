"""All reports, a line each, in the order of their groups."""

from __future__ import annotations

from mokuji.upkeep.reports import (
    addresses,
    categories,
    files_in_use,
    flaws,
    insert_faults,
    lone,
    look_alikes,
    mentions,
    namesakes,
    no_file,
    no_source,
    orphans,
    out_of_reach,
    repeats,
    sections,
    style,
    unfiled,
    unused,
    unwritten,
)
from mokuji.upkeep.reports.report import Report

REPORTS: dict[str, Report] = {
    each.REPORT.name: each.REPORT
    for each in (
        orphans,
        out_of_reach,
        unwritten,
        look_alikes,
        no_file,
        no_source,
        sections,
        mentions,
        addresses,
        flaws,
        style,
        insert_faults,
        repeats,
        namesakes,
        unused,
        files_in_use,
        unfiled,
        lone,
        categories,
    )
}
"""By name, which stands in addresses."""
