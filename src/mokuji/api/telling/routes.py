"""The inbox, and what people are told of, in JSON."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated

from fastapi import Path, Query

from mokuji import routing
from mokuji.api.asking import FAULTS, Changer, Reader, TheApp
from mokuji.api.telling import schemas
from mokuji.core.diff.diff import Piece
from mokuji.core.telling.watching import Mail, State, Why
from mokuji.services import site
from mokuji.services.telling import feeding, inbox, mailing, watching
from mokuji.services.telling.inbox import Changed, Entry
from mokuji.services.telling.watching import Wanted

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])
_STATES: dict[schemas.State, State] = {"unread": State.UNREAD, "read": State.READ, "aside": State.ASIDE}
_STATE_NAMES = {value: name for name, value in _STATES.items()}
_HOW: dict[schemas.How, Mail] = {
    "not": Mail.NOT,
    "at once": Mail.AT_ONCE,
    "daily": Mail.DAILY,
    "weekly": Mail.WEEKLY,
}
_WHY: dict[Why, schemas.Why] = {
    Why.GIVEN: "given",
    Why.NAMED: "named",
    Why.DUE: "due",
    Why.PAGE: "page",
    Why.OWN: "own",
    Why.BRANCH: "branch",
    Why.CATEGORY: "category",
    Why.QUESTION: "question",
    Why.VOLUME: "volume",
}
_HOW_NAMES = {value: name for name, value in _HOW.items()}
Before = Annotated[int | None, Query(ge=1, le=2**62)]


@router.get("/inbox")
def told(app: TheApp, actor: Reader, state: schemas.State = "unread", before: Before = None) -> schemas.Inbox:
    """What you were told: unread, read or put aside."""
    view = inbox.inbox(app, actor, _STATES[state], before)
    entries = sorted((each for group in view.groups for each in group.entries), key=lambda each: -each.id)
    return schemas.Inbox(told=[*map(_told, entries)], unread=view.unread, more_before=view.more_before)


@router.post("/inbox", status_code=204)
def mark(app: TheApp, actor: Changer, body: schemas.Marked) -> None:
    """Say what became of some of what you were told."""
    inbox.mark(app, actor, body.numbers, _STATES[body.state])


@router.get("/told-of")
def told_of(app: TheApp, actor: Reader) -> schemas.ToldOf:
    """All that you are told of."""
    asked = watching.asked_for(app, actor)
    return schemas.ToldOf(
        watched=[
            schemas.Watched(
                number=each.id,
                kind=each.kind,
                volume=each.volume.key if each.volume is not None else None,
                name=each.page.title if each.page is not None else each.name,
            )
            for each in asked.watched
        ],
        muted=[
            schemas.MutedPage(volume=volume.key, key=head.key, title=head.title)
            for volume, head in asked.muted
        ],
        own=asked.own,
        hidden=asked.hidden,
    )


@router.post("/told-of", status_code=201)
def watch(app: TheApp, actor: Changer, body: schemas.WatchOf) -> schemas.ToldOf:
    """Be told of something from now on; it is no fault to be told of it already."""
    watching.watch(app, actor, Wanted(body.kind, body.volume, body.name, body.question))
    return told_of(app, actor)


@router.delete("/told-of/{number}", status_code=204)
def unwatch(app: TheApp, actor: Changer, number: Annotated[int, Path(ge=1, le=2**31 - 1)]) -> None:
    """Be told no longer of something, by its number; nothing changes if it is none of yours."""
    watching.unwatch(app, actor, number)


@router.put("/told-of/own", status_code=204)
def own(app: TheApp, actor: Changer, body: schemas.Wishes) -> None:
    """Be told of pages on which you wrote, or not."""
    watching.tell_of_own(app, actor, on=body.own)


@router.put("/told-of/muted", status_code=204)
def mute(app: TheApp, actor: Changer, body: schemas.Mute) -> None:
    """Hear nothing of a page any more, unless you are named there; or hear of it again."""
    watching.mute(app, actor, body.volume, body.page, on=body.on)


@router.get("/told-of/mail")
def by_mail(app: TheApp, actor: Reader) -> schemas.ByMail:
    """How you are told by mail."""
    ways = mailing.ways(app, actor)
    return schemas.ByMail(
        address=ways.address, how=_HOW_NAMES[ways.how], confirmed=ways.confirmed, stopped=ways.stopped
    )


@router.put("/told-of/mail")
def set_mail(app: TheApp, actor: Changer, body: schemas.MailWish) -> schemas.ByMail:
    """Be told by mail. To another address than before a mail goes that asks whether it is yours."""
    mailing.set_mail(app, actor, body.address, _HOW[body.how])
    return by_mail(app, actor)


@router.get("/told-of/feeds")
def own_feeds(app: TheApp, actor: Reader) -> schemas.Feeds:
    """Where your own feeds are (Atom)."""
    return schemas.Feeds(address=site.absolute(site.link(f"/-/feed-of/{feeding.own_word(app, actor)}/")))


@router.post("/told-of/feeds", status_code=201)
def renew_feeds(app: TheApp, actor: Changer) -> schemas.Feeds:
    """Give your own feeds new addresses, and the mail another one that ends it; the old ones tell nothing any more."""
    mailing.renew(app, actor)
    return own_feeds(app, actor)


def _told(entry: Entry) -> schemas.ToldChange:
    return schemas.ToldChange(
        number=entry.id,
        at=entry.at,
        why=_WHY[entry.why],
        state=_STATE_NAMES[entry.state],
        act=entry.act.act if entry.act is not None else None,
        change=entry.act.id if entry.act is not None else None,
        by=entry.act.author if entry.act is not None else None,
        note=entry.act.note if entry.act is not None else "",
        due=entry.due,
        tasks=list(entry.tasks),
        pages=[
            schemas.ToldPage(volume=each.volume.key, key=each.key, title=each.title, gone=each.gone)
            for each in entry.pages
        ],
        more_pages=entry.more,
        lines=[*map(_line, entry.changed)],
    )


def _line(line: Changed) -> schemas.ToldLine:
    return schemas.ToldLine(
        before=_words(line.before),
        after=_words(line.after),
        taken=[each.words for each in line.before if each.marked],
        put=[each.words for each in line.after if each.marked],
    )


def _words(pieces: Iterable[Piece]) -> str:
    return "".join(each.words for each in pieces)
