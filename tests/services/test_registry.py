"""The registry of acts is whole: what is known of an act anywhere is known from its module, and every act is tried."""

from __future__ import annotations

import importlib
import pkgutil
from pathlib import Path

import pytest
from pydantic import TypeAdapter

import mokuji.acts
import mokuji.web
from mokuji.acts import registry
from mokuji.acts.act import About, Act
from mokuji.acts.request import Request, as_fields, from_fields
from mokuji.api.plan_schemas import ActRequest
from mokuji.core.model.policy import needed_for
from tests.services.test_every_act import ACTS

TEMPLATES = Path(mokuji.web.__file__).parent / "templates" / "acts"
CASES = [case() for _, case, _ in ACTS]
IDS = [name for name, _, _ in ACTS]


def test_each_module_of_an_act_is_in_the_registry_once() -> None:
    found: list[object] = []
    for package in pkgutil.walk_packages(mokuji.acts.__path__, "mokuji.acts."):
        act = getattr(importlib.import_module(package.name), "ACT", None)
        if isinstance(act, Act):
            found.append(act)
    assert len(found) == len(registry.ACTS) == len(set(map(id, found)))
    assert set(map(id, found)) == set(map(id, registry.ACTS))


def test_no_two_acts_share_a_name_or_an_address() -> None:
    names = [act.name for act in registry.ACTS]
    assert len(names) == len(set(names))
    for acts in (registry.on_pages(), registry.on_volumes()):
        addresses = [act.address for act in acts]
        assert len(addresses) == len(set(addresses))


def test_every_act_is_planned_done_and_undone_in_a_case() -> None:
    tried = {type(case) for case in CASES}
    # What is undone there needs an act before it; so does what comes back from the trash (test_acts).
    besides = {About.CHANGE, About.TRASH}
    missing = {act.name for act in registry.ACTS if act.request not in tried and act.about not in besides}
    assert missing == set(), "add a case to tests/services/test_every_act.py"


def test_every_template_of_an_act_is_there_and_none_is_left_over() -> None:
    named = {each for act in registry.ACTS for each in (act.question, act.after, act.refused) if each}
    assert named | {"fields.html"} == {path.name for path in TEMPLATES.iterdir()}


@pytest.mark.parametrize("act", registry.ACTS, ids=lambda act: act.name)
def test_an_act_that_asks_says_by_which_field_it_was_answered(act: Act[Request, object]) -> None:  # type: ignore[type-var]
    assert act.asked or not act.question
    assert act.heading and act.done and act.button and act.hint


@pytest.mark.parametrize("case", CASES, ids=IDS)
def test_a_request_is_the_same_in_json(case: Request) -> None:
    if not registry.act_of(case).in_json:
        return
    form: TypeAdapter[object] = TypeAdapter(ActRequest)
    assert form.validate_json(form.dump_json(case)) == case


@pytest.mark.parametrize("case", CASES, ids=IDS)
def test_a_request_is_the_same_in_an_address(case: Request) -> None:
    act = registry.act_of(case)
    named = {About.PAGE: "page", About.NAME: "page", About.CATEGORY: "page"} | {
        about: about.value for about in (About.FILE, About.SOURCE, About.PERSON)
    }
    subject = [case.volume, getattr(case, named[act.about])] if act.about in named else []
    if act.about is About.VOLUME:
        subject = [case.volume]
    again = from_fields(type(case), as_fields(case, len(subject)), *subject)
    # What was selected in a browser counts line ends as a browser does, whatever asks.
    form = {"from_form": True} if hasattr(case, "from_form") else {}
    assert vars(again) == {**vars(case), **form}


@pytest.mark.parametrize("act", registry.VOLUME_MENU, ids=lambda act: act.name)
def test_undoing_an_act_on_a_volume_asks_for_what_doing_it_asks_for(act: Act[Request, object]) -> None:  # type: ignore[type-var]
    assert needed_for(act.change) is act.permission
