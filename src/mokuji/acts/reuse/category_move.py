"""Put a category below others, or at the top."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.request import lines, request
from mokuji.acts.reuse.known_categories import choices, missing
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.phrases import Phrase
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.category import CategoryMoved, move_category
from mokuji.services.reading.categories import VolumeCategories


@request
class MoveCategory:
    """Put a category of a volume below others; none puts it at the top."""

    volume: str
    page: Annotated[str, Field(description="Name of the category")]
    under: Annotated[
        tuple[str, ...], Field(description="Names of categories", max_length=40), lines("under")
    ] = ()
    act: Literal["category move"] = Field(default="category move", kw_only=True)


def plan(context: StoredContext, request: MoveCategory) -> Plan:
    volume = context.volume(request.volume)
    of = VolumeCategories(context, volume)
    known = {key: each.name for key, each in of.categories().items()}
    key = names.key(request.page)
    if key not in known:
        raise missing(volume, request.page)
    under = [each.strip() for each in request.under if each.strip()]
    under = [known.get(names.key(each), each) for each in under]
    return move_category(context.wiki, volume.id, known[key], under, of.broader)


def sentence(_: PlanView, __: MoveCategory, facts: CategoryMoved) -> str:
    under = " and ".join(f"“{each}”" for each in facts.under)
    return f"“{facts.name}” will stand {f'below {under}' if under else 'at the top'}."


def note(facts: CategoryMoved) -> Phrase:
    under = ", ".join(f"“{each}”" for each in facts.under)
    return f"Category “{facts.name}” stands {f'below {under}' if under else 'at the top'}"


ACT = Act(
    MoveCategory,
    CategoryMoved,
    About.CATEGORY,
    plan,
    sentence,
    note,
    heading="Move a category",
    done="Category moved",
    button="Move the category",
    address="category-move",
    asked="under",
    question="category_move.html",
    choices=choices,
)
