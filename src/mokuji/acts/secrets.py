"""A secret that got into a page is taken out of all that a volume keeps: planned, then done for good.

No other act takes anything out of history, and this one cannot be undone: that is
what it is for. A mask of the same length stands in the place of the words, so that
whatever counts places goes on fitting. The log tells that it was done, and not what.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from mokuji.core.base.errors import BadName, Refused
from mokuji.core.base.phrases import counted
from mokuji.core.language.page import Page
from mokuji.core.language.scan import check as check_text
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store import writing
from mokuji.store.acts import secrets as stored
from mokuji.store.acts.secrets import Occurrences
from mokuji.store.database import Connection, reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.log import change_sets
from mokuji.store.log.change_sets import Signature

SHORTEST, LONGEST = 4, 500
"""Code points of what can be taken out: shorter words stand in too much that is no secret."""
MASK = "█"
ACT = "secret"


@dataclass(frozen=True)
class SecretPlan:
    """Where the words stand; ``digest`` is what doing it must be given."""

    place: VolumeView
    found: Occurrences
    digest: str

    @property
    def revisions(self) -> int:
        """How many revisions hold them."""
        return sum(len(numbers) for *_, numbers in self.found.pages)

    @property
    def anything(self) -> bool:
        """Whether there is something to take out."""
        occurrences = self.found
        return bool(
            occurrences.pages
            or occurrences.drafts
            or occurrences.brought
            or occurrences.acts
            or occurrences.names
            or occurrences.style
        )


def plan(app: AppContext, actor: Actor, volume_key: str, words: str) -> SecretPlan:
    """Where words stand in a volume of one's own; Forbidden for who does not own it."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key, Permission.MANAGE)
        _check(words)
        occurrences = stored.find(connection, volume.id, words, context.reads)
        return SecretPlan(volume_view(context, volume), occurrences, _digest(app, volume, words, occurrences))


def may_ask(app: AppContext, actor: Actor, volume_key: str) -> VolumeView:
    """The volume, for who may take something out of it."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        return volume_view(context, context.volume(volume_key, Permission.MANAGE))


def take_out(app: AppContext, actor: Actor, volume_key: str, words: str, seen: str) -> int | SecretPlan:
    """Takes words out for good; the number of the change set. The fresh plan, if it is another one than was seen."""
    with writing_transaction(app.engine, alone=True) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key, Permission.MANAGE)
        _check(words)
        occurrences = stored.find(connection, volume.id, words, context.reads)
        digest = _digest(app, volume, words, occurrences)
        if digest != seen:
            return SecretPlan(volume_view(context, volume), occurrences, digest)
        if occurrences.titles:
            raise Refused(
                "A title holds these words. Rename what is called so first, so that its references follow; what it was "
                "called is taken out of history then.",
                code="secret_in_title",
            )
        number = _do(connection, app, actor, volume, words, occurrences)
    # Nothing that was made of the texts is kept in this process either.
    app.forget()
    return number


def _do(
    connection: Connection, app: AppContext, actor: Actor, volume: Volume, words: str, found: Occurrences
) -> int:
    mask = MASK * len(words)
    by = Signature(actor.person, app.clock(), "")
    facts = {"pages": len(found.pages), "revisions": sum(len(each[3]) for each in found.pages)}
    number = change_sets.open_change_set(connection, ACT, volume.id, None, by, facts, proposed=[_said(facts)])
    wiki = ReadContext(connection, actor).wiki
    for id_ in found.current:
        page = wiki.pages([id_])[id_]
        body = page.text.replace(words, mask)
        writing.save_page(connection, page.head, Page(page.head, body).content, body, number, by)
    stored.take_out(connection, volume.id, words, mask, found)
    return number


def _said(facts: dict[str, int]) -> str:
    pages, revisions = counted(facts["pages"], "page"), counted(facts["revisions"], "revision")
    return f"Something that should not be read was taken out of {pages} ({revisions}), for good"


def _check(words: str) -> None:
    check_text(words)
    if not SHORTEST <= len(words) <= LONGEST or not words.strip():
        raise BadName(
            f"Give the words as they were typed, {SHORTEST} to {LONGEST} characters: shorter ones stand in too much "
            "that is no secret.",
            code="bad_secret",
        )


def _digest(app: AppContext, volume: Volume, words: str, found: Occurrences) -> str:
    """Keyed, so that it tells nobody what was looked for."""
    said = repr((volume.id, words, found)).encode()
    return hashlib.blake2b(said, key=app.secret[:64], digest_size=16).hexdigest()
