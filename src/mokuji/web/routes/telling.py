"""The inbox, and what people are told of."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable

from fastapi.responses import Response

from mokuji import routing
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.model.policy import Actor
from mokuji.core.telling.watching import Mail, State
from mokuji.services import site
from mokuji.services.reading import questions
from mokuji.services.telling import feeding, inbox, mailing, watching
from mokuji.services.telling.watching import KINDS, Wanted
from mokuji.telling import feeds, words
from mokuji.web import addresses
from mokuji.web.pages import Form, Visitor, Who, see
from mokuji.web.telling_places import PLACES

router = routing.router()
HOW = {"not": Mail.NOT, "at once": Mail.AT_ONCE, "daily": Mail.DAILY, "weekly": Mail.WEEKLY}
STATES = {"unread": State.UNREAD, "read": State.READ, "aside": State.ASIDE}
MOST_MARKED = 500


@router.get("/-/inbox")
def show(who: Who, state: str = "unread", before: int | None = None) -> Response:
    """What one was told: unread, read or put aside."""
    shown = state if state in STATES else "unread"
    view = inbox.inbox(who.app, who.actor, STATES[shown], before)
    return who.page("inbox.html", view=view, state=shown, words=words, lit="inbox")


def _own(word: str) -> Callable[..., str]:
    """What makes the whole addresses of somebody's own feeds."""
    return lambda volume, **query: site.absolute(addresses.own_feed(word, volume, **query))


@router.post("/-/inbox")
def mark(who: Who, form: Form) -> Response:
    """Marks some of it, or all that was seen; or hears nothing of a page any more."""
    wish, ids = form.get("wish", ""), _ids(form.get("ids", "").split())
    if wish == "all":
        inbox.mark_all(who.app, who.actor, max(ids, default=0))
    elif wish in STATES:
        inbox.mark(who.app, who.actor, ids, STATES[wish])
    elif wish == "mute":
        watching.mute(who.app, who.actor, form.get("volume", ""), form.get("page", ""), on=True)
        inbox.mark(who.app, who.actor, ids, State.READ)
    back = form.get("state", "")
    return see(addresses.inbox(back if back in STATES and back != "unread" else ""))


def _ids(typed: Iterable[str]) -> list[int]:
    return [int(each) for each in typed if each.isascii() and each.isdigit() and len(each) < 19][:MOST_MARKED]


@router.get("/-/told-of")
def told_of(who: Who) -> Response:
    """All that one is told of, and how."""
    asked = watching.asked_for(who.app, who.actor)
    kept = questions.kept(who.app, who.actor)
    taken = {each.name for each in asked.watched if each.kind == "question"}
    told = {each.volume.id for each in asked.watched if each.kind == "volume" and each.volume is not None}
    return who.page(
        "told_of.html",
        asked=asked,
        volumes=[each for each in asked.volumes if each.id not in told],
        ways=mailing.ways(who.app, who.actor),
        how=HOW,
        done=who.request.query_params.get("done", ""),
        mail_goes=who.app.mails,
        feed=_own(feeding.own_word(who.app, who.actor)),
        questions=[each for each in kept if each.kept.name not in taken],
        lit="inbox",
    )


@router.get("/-/tell/{volume}/{page:path}")
def of_page(who: Who, volume: str, page: str) -> Response:
    """How one is told of a page."""
    told = watching.of_page(who.app, who.actor, volume, page)
    word = feeding.own_word(who.app, who.actor)
    return who.page("tell.html", told=told, feed=_own(word), lit="inbox")


@router.get("/-/feed/{volume}")
def feed(who: Who, volume: str) -> Response:
    """A feed for whoever asks: nobody, or who is signed in."""
    return _feed(who, who.actor, volume)


@router.get("/-/feed-of/{word}/{volume}")
def own_feed(who: Who, word: str, volume: str) -> Response:
    """A feed of one's own: who knows the address may read it."""
    return _feed(who, feeding.whose(who.app, word), volume)


def _feed(who: Visitor, actor: Actor, volume: str) -> Response:
    query = who.request.query_params
    page, category, question = query.get("page", ""), query.get("category", ""), query.get("question", "")
    number = _ids([question])
    if question:
        wanted = Wanted("question", question=number[0] if number else 0)
    elif page:
        wanted = Wanted("branch" if query.get("below") else "page", volume, page)
    else:
        wanted = Wanted("category", volume, category) if category else Wanted("volume", volume)
    found = feeding.feed(who.app, actor, wanted)
    here = site.absolute(site.link(who.request.url.path)) + (f"?{query}" if query else "")
    about = addresses.inbox()
    if found.volume is not None:
        about = addresses.page(found.volume.key, page or None)
        about = addresses.category(found.volume.key, category) if category else about
    written = feeds.atom(found, PLACES, here, site.absolute(about))
    tag = f'"{hashlib.blake2b(written, digest_size=12).hexdigest()}"'
    headers = {"Cache-Control": "private, no-cache", "Referrer-Policy": "no-referrer", "ETag": tag}
    if who.request.headers.get("if-none-match") == tag:
        return Response(None, 304, headers)
    return Response(written, 200, headers, "application/atom+xml; charset=utf-8")


@router.post("/-/told-of/renew")
def renew(who: Who, form: Form) -> Response:
    """New private addresses: of feeds, and of ending the mail."""
    mailing.renew(who.app, who.actor)
    return see(addresses.at("/-/told-of?done=renewed#feeds"))


@router.post("/-/told-of/mail")
def by_mail(who: Who, form: Form) -> Response:
    """How one is told by mail."""
    how = HOW.get(form.get("how", ""))
    if how is None:
        raise Refused("Choose when mail is to come: not, at once, daily or weekly.", code="bad_choice")
    mailing.set_mail(who.app, who.actor, form.get("address", ""), how)
    return see(addresses.at("/-/told-of?done=mail#mail"))


@router.get("/-/mail/confirm/{word}")
def ask_to_confirm(who: Who, word: str) -> Response:
    """Where the link of a letter leads: nothing is confirmed by looking, since programs look at links."""
    address = mailing.confirm(who.app, word, only_look=True)
    return who.page("mail_link.html", what="confirm", address=address, done=False)


@router.post("/-/mail/confirm/{word}")
def confirm(who: Who, word: str, form: Form) -> Response:
    """An address is confirmed."""
    address = mailing.confirm(who.app, word)
    return who.page("mail_link.html", what="confirm", address=address, done=True)


@router.get("/-/mail/end/{word}")
def ask_to_end(who: Who, word: str) -> Response:
    """Where a mail leads whoever wants no other."""
    mailing.end(who.app, word, only_look=True)
    return who.page("mail_link.html", what="end", address="", done=False)


@router.post("/-/mail/end/{word}")
def end(who: Who, word: str) -> Response:
    """No more mail: by the button, or by the mail program itself (RFC 8058), which has no session and no token; the
    word in the address is what proves it."""
    mailing.end(who.app, word)
    return who.page("mail_link.html", what="end", address="", done=True)


@router.post("/-/told-of")
def ask(who: Who, form: Form) -> Response:
    """Tells one of something from now on, or no longer."""
    number = _ids([form.get("number", "")])
    kind = form.get("kind", "")
    if number and "stop" in form:
        watching.unwatch(who.app, who.actor, number[0])
    elif kind == "hidden":
        watching.forget_hidden(who.app, who.actor)
    elif kind == "own":
        watching.tell_of_own(who.app, who.actor, on="on" in form)
    elif kind == "mute":
        watching.mute(who.app, who.actor, form.get("volume", ""), form.get("name", ""), on="on" in form)
    else:
        for name in KINDS:
            if name == kind:
                wanted = Wanted(
                    name, form.get("volume", ""), form.get("name", ""), number[0] if number else 0
                )
                (watching.unwatch if "stop" in form else watching.watch)(who.app, who.actor, wanted)
                break
        else:
            raise Missing("There is nothing of this kind to be told of.", code="nothing_to_tell")
    back = form.get("back", "")
    return see(back if addresses.is_local(back) else addresses.at("/-/told-of"))
