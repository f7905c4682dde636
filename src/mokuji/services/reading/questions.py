"""Questions that are kept by a name: one's own, and those that are shared with all who may read a volume.

What is kept is the line alone. Whoever asks it gets the pages that they may read.
"""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.finding.question import read
from mokuji.core.language.scan import check as check_text
from mokuji.core.model.policy import Actor, Permission, Role
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.store.database import reading, writing
from mokuji.store.kept import questions as stored
from mokuji.store.kept.questions import Kept

MOST = 200
"""Maximum number of questions that one person keeps."""
LISTED = 500
"""Maximum number of questions that are shown."""


@dataclass(frozen=True, slots=True)
class KeptQuestion:
    """A question that somebody may ask: the volume that it asks (None: all), whether it is their own, and whether they
    may take it away."""

    kept: Kept
    volume: Volume | None
    own: bool
    may_forget: bool


def kept(app: AppContext, actor: Actor) -> list[KeptQuestion]:
    """The questions that an actor keeps, and those shared with them, by name."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        by_id = {volume.id: volume for volume in context.volumes.values()}
        found = stored.seen(connection, actor.person or 0, by_id, LISTED)
        return [
            KeptQuestion(
                each, by_id.get(each.volume or 0), each.person == actor.person, _may_forget(actor, each)
            )
            for each in found
            # What asks all volumes is shared among those who work on some.
            if each.person == actor.person or each.volume is not None or _works_here(actor)
        ]


def _works_here(actor: Actor) -> bool:
    return actor.owns_wiki or any(role > Role.NOBODY for role in actor.roles.values())


def _may_forget(actor: Actor, each: Kept) -> bool:
    if each.person == actor.person or actor.owns_wiki:
        return True
    return each.volume is not None and actor.role_in(each.volume) >= Role.OWNER


def keep(
    app: AppContext, actor: Actor, name: str, line: str, volume_key: str = "", *, shared: bool = False
) -> int:
    """Keeps a question, in the place of one's own of the same name; its number. Sharing takes the right to write in the
    volume, or a role in any if it asks all."""
    person = actor.person
    if person is None:
        raise Forbidden("Sign in to keep a question.", code="sign_in")
    name = names.check_title(name, what="name of the question")
    check_text(name)
    question = read(line)
    check_text(question.typed)
    if question.part is None:
        raise Refused("The question is empty: nothing would be found by it.", code="bad_question")
    if question.problem:
        raise Refused(f"This question cannot be read: {question.problem}", code="bad_question")
    with writing(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key) if volume_key else None
        if shared and volume is not None:
            context.volume(volume_key, Permission.WRITE)
        elif shared and not _works_here(actor):
            raise Forbidden("To share a question with others you need a role in some volume.")
        if stored.number_of(connection, person) >= MOST:
            raise Refused(f"You keep {MOST} questions already. Take one away first.", code="too_many")
        at = app.clock()
        id_ = volume.id if volume else None
        return stored.keep(connection, person, names.key(name), name, question.typed, id_, at, shared=shared)


def one_seen(context: ReadContext, number: int) -> Kept | None:
    """A question that an actor keeps or that is shared with them, by its number; None if it is neither."""
    found = stored.one(context.connection, number)
    if found is None or (found.volume is not None and found.volume not in context.reads):
        return None
    shared = found.shared and (found.volume is not None or _works_here(context.actor))
    return found if found.person == context.actor.person or shared else None


def forget(app: AppContext, actor: Actor, number: int) -> None:
    """Takes a question away: one's own, or one shared in a volume that one owns. Missing if none is to be seen."""
    with writing(app.engine) as connection:
        found = stored.one(connection, number)
        context = ReadContext(connection, actor)
        seen = found is not None and (
            found.person == actor.person
            or (found.shared and (found.volume is None or found.volume in context.reads))
        )
        if found is None or not seen:
            raise Missing("There is no such question, or it is not shared with you.", code="question_missing")
        if not _may_forget(actor, found):
            raise Forbidden(
                "This question is somebody else's. They, or an owner of the volume, can take it away."
            )
        stored.forget(connection, number)


def shared_as(context: ReadContext, volume: Volume, name: str) -> str | None:
    """The line of the question that is shared by a name in a volume, or in all; None if there is none."""
    found = stored.called(context.connection, names.key(name), [volume.id])
    return found.line if found is not None else None
