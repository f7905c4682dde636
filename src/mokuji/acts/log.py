"""The log told by its facts: what was done, for each reader anew."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any

import cattrs

from mokuji.acts import registry
from mokuji.core.base.phrases import told
from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import history
from mokuji.services.plain_data import structured


@dataclass(frozen=True, slots=True)
class ChangeView:
    """One change, and what was done in a sentence."""

    act: history.ActView
    headline: str


def one_act(app: AppContext, actor: Actor, change_set: int) -> ChangeView:
    """One change with the pages that it wrote."""
    view = history.one_act(app, actor, change_set)
    return ChangeView(view, _headline(view))


def _headline(view: history.ActView) -> str:
    if view.facts is not None and (said := _told(view.facts, view.volumes)):
        return said
    called = registry.done(view.act.act)
    return f"{called}: {view.act.page_title}" if view.act.page_title else called


def _told(data: Mapping[str, Any], readable: Collection[int]) -> str:
    """What the facts of a change say; nothing for those of a form that is not known any more."""
    act = registry.named(str(data.get("of", "")))
    if act is None or data.get("version") != act.facts.VERSION:
        return ""
    fields = {name: value for name, value in data.items() if name not in {"of", "version"}}
    try:
        facts = structured(fields, act.facts)
    except (cattrs.BaseValidationError, KeyError, TypeError, ValueError):
        return ""
    return told(act.note(facts.seen(readable)))
