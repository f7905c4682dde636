"""Say which language a volume is written in."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.volumes import LanguageChanged, set_language


@request
class Language:
    """Say which language a volume is written in."""

    volume: str
    language: Annotated[str, Field(description="A tag of BCP 47, such as en-GB; empty for none")]
    act: Literal["language"] = Field(default="language", kw_only=True)


def plan(context: PlanningContext, request: Language) -> Plan:
    volume = context.volume(request.volume, Permission.MANAGE)
    return set_language(context.wiki, volume.id, request.language)


def sentence(_: PlanView, __: Language, facts: LanguageChanged) -> str:
    if not facts.language:
        return f"It is not said any more which language “{facts.title}” is written in."
    return (
        f"“{facts.title}” will be said to be written in “{facts.language}”: browsers and screen readers are told so, "
        "and its signal words begin notices."
    )


def note(facts: LanguageChanged) -> Phrase:
    return f"Language of “{facts.title}” changed"


ACT = Act(
    Language,
    LanguageChanged,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="Language of this volume",
    done="Language changed",
    button="Change the language",
    menu="Language",
    permission=Permission.MANAGE,
    address="language",
    asked="language",
    question="language.html",
    hint="A tag of the language, and of the region if need be: de, en-GB, pt-BR. Empty says none.",
)
