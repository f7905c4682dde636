"""Taking a secret out of a volume. What is looked for comes in the body of a form: addresses stand in logs."""

from __future__ import annotations

from typing import Any

from fastapi.responses import Response

from mokuji import routing
from mokuji.acts import secrets
from mokuji.core.base.errors import BadName, BadText, Refused
from mokuji.web import addresses
from mokuji.web.pages import Form, Who, see

router = routing.router()


@router.get("/-/secret/{volume}")
def ask(who: Who, volume: str) -> Response:
    """What is to be taken out?"""
    place = secrets.may_ask(who.app, who.actor, volume)
    return who.page("secret.html", place=place, view=None, words="", wrong="", stale=False)


@router.post("/-/secret/{volume}")
def take_out(who: Who, form: Form, volume: str) -> Response:
    """The plan; with its digest, what it says is done."""
    words = form.get("words", "").replace("\r\n", "\n")
    try:
        if not form.get("digest"):
            view = secrets.plan(who.app, who.actor, volume, words)
            return who.page("secret.html", place=view.place, view=view, words=words, wrong="", stale=False)
        done = secrets.take_out(who.app, who.actor, volume, words, form["digest"])
    except (BadName, BadText, Refused) as fault:
        place = secrets.may_ask(who.app, who.actor, volume)
        shown: dict[str, Any] = {
            "place": place,
            "view": None,
            "words": words,
            "wrong": fault.message,
            "stale": False,
        }
        return who.page("secret.html", 422, **shown)
    if isinstance(done, int):
        return see(addresses.change(done) + "?done=1")
    return who.page("secret.html", 409, place=done.place, view=done, words=words, wrong="", stale=True)
