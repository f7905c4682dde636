"""Every screen, light and dark, held to axe-core (Deque's published rules for WCAG): no serious fault."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page

from tests.end_to_end.conftest import Open
from tests.end_to_end.typing import drawn
from tests.outside.packages import npm_file

AXE = npm_file("axe-core", "4.14.1", "axe.min.js").read_text("utf-8")
MANUAL = "/tern-4-service-manual"
WELL = f"{MANUAL}/battery-well"
SCREENS = [
    "/",
    MANUAL,
    WELL,
    "/parts-and-data/safety-notice",
    f"/-/edit{WELL}",
    f"/-/edit{MANUAL}/Not%20there%20yet",
    f"/-/backlinks{WELL}",
    f"/-/revisions{WELL}",
    f"/-/revisions{WELL}?from=1&to=1",
    f"/-/volume/language{MANUAL}",
    f"/-/plan/rename{WELL}?title=Cell+well",
    f"/-/plan/extract{MANUAL}/change-the-anodes?start=0&end=300&title=X",
    f"/-/volume/contents{MANUAL}",
    f"/-/volume/outline{MANUAL}",
    f"/-/files{MANUAL}",
    f"/-/take-away{WELL}?reach=branch&form=commonmark&stays=1",
    f"/-/about-file{MANUAL}/battery-well.svg",
    f"{MANUAL}/power",
    f"{MANUAL}/charge-regulator",
    "/parts-and-data/service-port-commands",
    "/-/sources",
    "/-/source/quist-2021",
    "/-/new-source",
    "/-/tasks",
    "/bench-notes/returns",
    f"/-/fields{MANUAL}?show=owner",
    f"/-/upkeep{MANUAL}",
    f"/-/upkeep{MANUAL}/mentions",
    f"/-/upkeep{MANUAL}/repeats",
    "/-/upkeep/-",
    "/-/upkeep/-/mentions",
    f"/-/upkeep{MANUAL}/style",
    f"/-/style{MANUAL}",
    f"/-/secret{MANUAL}",
    f"/-/materials{MANUAL}",
    f"/-/categories{MANUAL}",
    f"/-/category{MANUAL}/sensors",
    "/-/uses/parts-and-data/safety-notice",
    "/-/find?words=well",
    "/-/changes",
    "/-/inbox",
    "/-/told-of",
    f"/-/tell{WELL}",
    "/-/trash",
    f"/-/lines{MANUAL}/solar-collar",
    f"/-/revisions{MANUAL}/solar-collar?from=2&to=2",
    f"/-/put-back{MANUAL}/solar-collar?from=2",
    f"/-/beside{MANUAL}/power?other=Sensors",
    f"/-/became{MANUAL}?since=2026-05-01",
    f"/-/stood{MANUAL}?at=2026-06-01",
    f"/-/several{MANUAL}",
    f"/-/bring{MANUAL}",
    "/-/drafts",
    "/-/sign-in",
]


def _faults(page: Page, only: list[str]) -> list[str]:
    found = page.evaluate(
        """only => axe.run(document, {resultTypes: ['violations'], ...(only.length && {runOnly: only})}).then(
            done => done.violations
            .filter(each => ['serious', 'critical'].includes(each.impact))
            .map(each => `${each.id}: ${each.nodes.slice(0, 3).map(node => node.html.slice(0, 140)).join(' | ')}`))""",
        only,
    )
    return [str(each) for each in found]


PARTS = 8


@pytest.mark.parametrize("part", range(PARTS))
def test_no_screen_has_a_serious_fault_of_access(open_page: Open, part: int) -> None:
    page = open_page("/", who="Wenna")
    faults = []
    for address in SCREENS[part::PARTS]:
        page.emulate_media(color_scheme="light")
        page.goto(address)
        drawn(page)
        page.evaluate(AXE)
        faults += [f"{address}: {fault}" for fault in _faults(page, [])]
        page.emulate_media(color_scheme="dark")
        drawn(page)
        # In the dark nothing differs but colours.
        faults += [
            f"{address}, dark: {fault}" for fault in _faults(page, ["color-contrast", "link-in-text-block"])
        ]
    assert faults == [], "\n".join(faults)
