"""Patterns that new pages of a volume can begin with: ours, those of the volume, and those of its libraries."""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.model.patterns import BUILT_IN, FIELD, begun_from
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, check
from mokuji.store.database import reading
from mokuji.store.index import memberships

MOST = 20
"""Maximum number of patterns of one volume that are offered."""


@dataclass(frozen=True, slots=True)
class Pattern:
    """A pattern: the name by which it is asked for, its words, and what it is for."""

    name: str
    words: str
    about: str


def patterns_of(context: ReadContext, volume: Volume) -> list[Pattern]:
    """What can be chosen from: the volume's own first, then those of its libraries, then ours."""
    by_id = {each.id: each for each in context.volumes.values()}
    patterns: list[Pattern] = []
    for area in (volume, *(by_id[id_] for id_ in volume.libraries if id_ in by_id)):
        ids = memberships.with_field(context.connection, area.id, FIELD, MOST)
        for head, summary, _ in sorted(
            memberships.listed(context.connection, ids), key=lambda row: row[0].key
        ):
            patterns.append(Pattern(f"{area.key}/{head.key}", head.title, summary))
    return [*patterns, *(Pattern(name, names.as_title(name), "") for name in BUILT_IN)]


def pattern_text(app: AppContext, actor: Actor, volume_key: str, name: str) -> str:
    """The text of a pattern by its name, with ``#{…}`` where something is to be filled in (in ours only); Missing if
    there is none, or it is closed to the actor."""
    if name in BUILT_IN:
        return BUILT_IN[name]
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        check(actor, Permission.WRITE, context.volume(volume_key))
        volume_name, _, key = name.partition("/")
        area = context.volumes.get(volume_name)
        heads = context.wiki.titles([(area.id, key)]) if area is not None else {}
        page = next(iter(context.wiki.pages([head.id for head in heads.values()]).values()), None)
        if page is None or FIELD not in page.content.front_matter.fields:
            raise Missing("There is no such pattern.", code="pattern_missing")
        return begun_from(page)
