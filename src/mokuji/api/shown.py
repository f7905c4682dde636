"""How pages look in HTML that programs get."""

from __future__ import annotations

from functools import partial

from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext
from mokuji.services.reading.listings import listing
from mokuji.services.reading.rendering import Addresses
from mokuji.services.writing.assets_shown import AssetsShown


def shown_in_json(app: AppContext, actor: Actor, *, may_write: bool = False) -> Addresses:
    """How references lead in HTML that programs get: as on pages, without what a browser adds to them."""
    assets_ = AssetsShown(app, actor)
    return Addresses(
        lists=partial(listing, app, actor),
        file=assets_.file,
        person=assets_.person if actor.signed_in else None,
        marks_nobody=may_write,
        source=assets_.source,
        prepare=assets_.prepare,
    )
