"""Finds files, sources and people that a request names, and the pages that name those."""

from __future__ import annotations

from mokuji.acts.context import PlanningContext
from mokuji.core.base.errors import Missing
from mokuji.core.base.phrases import counted
from mokuji.core.model.assets import Asset
from mokuji.core.model.policy import Permission
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.plans.assets import AssetChanged, AssetRemoved
from mokuji.core.syntax import files as naming
from mokuji.core.syntax.pointers import source_key


def file(context: PlanningContext, volume_key: str, name: str) -> tuple[Volume, Asset]:
    """A file of a volume that the actor may change."""
    volume = context.volume(volume_key)
    asset = context.asset("file", naming.key(name), volume.id)
    if asset is None:
        raise Missing(f"“{volume.title}” has no file “{name}”.", code="file_missing")
    return volume, asset


def source(context: PlanningContext, volume_key: str, name: str) -> Asset:
    """A source. Who may write in a volume may change the list that all share."""
    context.volume(volume_key, Permission.WRITE)
    asset = context.asset("source", source_key(name))
    if asset is None:
        raise Missing(f"There is no source “{name}”.", code="source_missing")
    return asset


def renamed(what: str, facts: AssetChanged) -> str:
    """The sentence of a thing that has another name; ``what`` is “The file” and the like."""
    places = facts.places
    follows = (
        f" {counted(places, 'place')} on {counted(facts.pages, 'page')} {'follows' if places == 1 else 'follow'}."
        if places
        else " Nothing names it yet."
    )
    return f"{what} “{facts.before}” will be called “{facts.after}”.{follows}"


def removed(what: str, facts: AssetRemoved) -> str:
    """The sentence of a thing that goes."""
    said = f"{what} “{facts.name}” goes."
    if facts.instead:
        return f"{said} {counted(facts.places, 'place')} will name “{facts.instead}” instead."
    if facts.left:
        name = "names" if facts.left == 1 else "name"
        return f"{said} {counted(facts.left, 'place')} {name} it, and will name what is missing."
    return f"{said} Nothing names it."
