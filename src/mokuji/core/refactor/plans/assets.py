"""Assets that pages name: a file, a source or a person gets another name, a file other bytes, or one goes.

Whatever names it follows. One that goes leaves what named it behind, listed as
missing, unless another takes its place.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import Collision, Refused
from mokuji.core.model.assets import Asset, AssetChange, check_name, defines_note, renaming
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make


@dataclass(frozen=True, slots=True)
class AssetChanged(Facts):
    """A file, a source or a person that has another name or content: the names, and the places that follow."""

    before: str
    after: str
    places: int
    pages: int
    content: str = ""
    """The SHA-256 of what a file became, in hexadecimal digits."""


@dataclass(frozen=True, slots=True)
class AssetRemoved(Facts):
    """A file or source that goes: what is named instead (empty: nothing) in how many places, and the places left."""

    name: str
    instead: str
    places: int
    pages: int
    left: int


def change_asset(
    wiki: Wiki,
    act: str,
    asset: Asset,
    pages: Collection[int],
    *,
    name: str | None = None,
    content: str | None = None,
    taken: Asset | None = None,
) -> Plan:
    """The plan to give a thing another name, other content, or both; ``pages`` are those that name it, ``taken`` is
    what has the new name already. BadName, Collision and Refused say why it cannot be."""
    wanted = check_name(asset.sort, asset.name if name is None else name)
    after = replace(asset, name=wanted, content=asset.content if content is None else content)
    if taken is not None and taken.id != asset.id:
        raise Collision(
            f"“{taken.name}” is there already. Choose another name.",
            code=f"{asset.sort}_name",
            named=[taken.volume] if taken.volume else [],
        )
    edits, number = _edits(wiki, asset, wanted, pages) if wanted != asset.name else ({}, 0)
    facts = AssetChanged(asset.name, wanted, number, len(edits))
    changes = [AssetChange(asset, after)] if after != asset else []
    return make(wiki, act, None, Outcome(edits=edits), asked=(after,), assets=changes, facts=facts)


def remove_asset(
    wiki: Wiki, act: str, asset: Asset, pages: Collection[int], *, instead: Asset | None = None
) -> Plan:
    """The plan to take a thing away. What names it names ``instead`` from now on; without one it is left, and listed
    as missing."""
    if instead is not None and instead.id == asset.id:
        raise Refused(
            f"“{asset.name}” cannot take its own place.",
            code="nothing_to_do",
            named=[asset.volume] if asset.volume else [],
        )
    edits, number = _edits(wiki, asset, instead.name, pages) if instead is not None else ({}, 0)
    left = 0 if instead is not None else sum(_named(wiki, asset, pages).values())
    facts = AssetRemoved(asset.name, instead.name if instead is not None else "", number, len(edits), left)
    asked = (asset, instead)
    return make(
        wiki, act, None, Outcome(edits=edits), asked=asked, assets=[AssetChange(asset, None)], facts=facts
    )


def _edits(
    wiki: Wiki, asset: Asset, name: str, pages: Collection[int]
) -> tuple[dict[int, tuple[Edit, ...]], int]:
    found: dict[int, tuple[Edit, ...]] = {}
    for id_, page in sorted(wiki.pages(pages).items()):
        edits = renaming(page, asset, name)
        if edits and asset.sort == "source" and defines_note(page, name):
            raise Refused(
                f"“{page.head.title}” has a footnote “{name}” of its own, which would stand in the place of the "
                "source. Choose another name.",
                code="source_hidden",
                named=[page.head.volume],
            )
        if edits:
            found[id_] = edits
    return found, sum(map(len, found.values()))


def _named(wiki: Wiki, asset: Asset, pages: Collection[int]) -> Mapping[int, int]:
    """How often each page names a thing."""
    # No other name is the same as one that no thing can have.
    return {id_: len(renaming(page, asset, "\0")) for id_, page in wiki.pages(pages).items()}
