"""The registry of reports is whole: each module is in it once, and each report has its words."""

from __future__ import annotations

import importlib
import pkgutil

import pytest

from mokuji.upkeep import reports
from mokuji.upkeep.reports.registry import REPORTS
from mokuji.upkeep.reports.report import Group, Report


def test_each_module_of_a_report_is_in_the_registry_once() -> None:
    modules = (
        importlib.import_module(each.name)
        for each in pkgutil.iter_modules(reports.__path__, f"{reports.__name__}.")
    )
    found = [module.REPORT for module in modules if isinstance(getattr(module, "REPORT", None), Report)]
    assert len(found) == len(REPORTS)
    assert {report.name for report in found} == REPORTS.keys()


@pytest.mark.parametrize("report", REPORTS.values(), ids=lambda report: report.name)
def test_a_report_says_what_it_is_in_sentences(report: Report) -> None:
    assert report.heading[0].isupper() and not report.heading.endswith(".")
    assert report.sentence.endswith(".") and report.about.endswith(".")
    assert report.number is None or report.in_step, "what is made whole is counted when it is made"


def test_reports_stand_by_their_groups() -> None:
    order = [report.group for report in REPORTS.values()]
    assert order == sorted(order, key=list(Group).index) and set(order) == set(Group)
