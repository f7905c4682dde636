"""Pages that somebody takes away: what can be chosen, what would stay behind, and the file itself."""

from __future__ import annotations

import sys
from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import dataclass

from mokuji.adapters import pandoc
from mokuji.core.base.errors import BadRequest
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext, ReadContext, need_head
from mokuji.services.folders.exporting import note_taken, volume_to_take, write_zip
from mokuji.services.publishing import forms
from mokuji.services.publishing.chapters import Chosen, LeftBehind, Reach, chosen, led_elsewhere
from mokuji.services.publishing.forms import MOST, TYPES, WRITERS, Asked, Form, Written
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.services.spool import Outgoing, Sink, Spool
from mokuji.store import pages
from mokuji.store.database import reading
from mokuji.store.places import placing

MOST_LOOKED_AT = 300
"""Number of pages up to which it is said beforehand what stays behind."""


MOST_LED = 2_000
"""The same of a volume as a folder, of which only references are looked at."""


@dataclass(frozen=True, slots=True)
class Choice:
    """What can be taken away: how many pages there are ``below`` the page in hand in its branch, itself included, and
    in the ``volume``; and what to do before documents of word processors can be written here, empty if they can."""

    place: VolumeView
    head: PageHead | None
    below: int
    volume: int
    no_documents: str


def choice(app: AppContext, actor: Actor, volume_key: str, page_key: str = "") -> Choice:
    """What can be taken away of a volume, or from a page of it on, for who has signed in."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = volume_to_take(context, volume_key)
        head = need_head(connection, volume, page_key) if page_key else None
        below = len(placing.branch(connection, volume.id, head.key)) if head is not None else 0
        view = volume_view(context, volume, path_to=head.key if head is not None else None)
        return Choice(
            view,
            head,
            below,
            len(pages.all_ids(connection, volume.id)),
            "" if pandoc.is_there() else pandoc.HOW_TO_GET,
        )


def asked(volume_key: str, page_key: str, reach: str, form: str) -> tuple[Asked, Form]:
    """What somebody chose. BadRequest for what is no choice."""
    try:
        wanted = Reach(reach or (Reach.PAGE if page_key else Reach.VOLUME))
        as_form = Form(form)
    except ValueError:
        forms = ", ".join(Form)
        raise BadRequest(
            f"Pages are taken away as one of {forms}, and are a page, a branch or a volume.",
            code="bad_choice",
        ) from None
    if wanted is not Reach.VOLUME and not page_key:
        raise BadRequest("Say from which page on.", code="bad_choice")
    return Asked(volume_key, page_key, wanted), as_form


def left_behind(app: AppContext, actor: Actor, what: Asked, form: Form) -> LeftBehind | None:
    """What would stay behind; None if so many pages are asked for that it is only said when they are written."""
    if _chosen(app, actor, what, form, look=True) is None:
        return None
    return forms.left_behind(app, actor, what, form)


def left_of_folder(
    app: AppContext, actor: Actor, volume_key: str, *, most: int = MOST_LED
) -> LeftBehind | None:
    """What a volume as a folder that can be brought back does not hold: pages of other volumes that it needs. None if
    it has more than ``most`` pages, which are not looked through while somebody waits."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        if len(pages.all_ids(connection, volume.id)) > most:
            return None
        return LeftBehind(pages=led_elsewhere(context, volume))


def led_out_of(app: AppContext, volume_key: str) -> list[str]:
    """The same pages, by title, for who runs the wiki."""
    found = left_of_folder(app, Actor(owns_wiki=True), volume_key, most=sys.maxsize)
    return sorted(found.pages) if found is not None else []


def sent(app: AppContext, actor: Actor, what: Asked, form: Form) -> Outgoing:
    """The file on its way. What is wrong about it is said before it sets out."""
    found = _chosen(app, actor, what, form)
    assert found is not None
    ending, type_ = TYPES[form]
    if what.reach is Reach.VOLUME:
        note_taken(app, actor, f"as {form.value}", found.volume.id)

    def make(sink: Sink) -> None:
        with written(app, actor, what, form) as made:
            if form is Form.COMMONMARK:
                write_zip(made.files, sink, app.clock())
            else:
                for _, data in made.files:
                    sink.write(data)

    return Outgoing(f"{found.title}.{ending}", type_, Spool(make))


def written(
    app: AppContext, actor: Actor, what: Asked, form: Form, done: Callable[[int], None] = lambda number: None
) -> AbstractContextManager[Written]:
    """The pieces of the file; ``done`` is told how many pages are."""
    return WRITERS[form](app, actor, what, done)


def _chosen(app: AppContext, actor: Actor, what: Asked, form: Form, *, look: bool = False) -> Chosen | None:
    if form is Form.DOCX and not look:
        pandoc.need()
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        found = chosen(context, what.volume, what.page, what.reach, most=MOST[form])
        return None if look and len(found.pages) > MOST_LOOKED_AT else found
