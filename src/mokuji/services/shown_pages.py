"""Pages as they were shown, kept with what was asked to make them.

One is shown again if nothing was written since (the database shows the same moment), or else if all that was asked for
it is answered as it was: that is one way to the server and back, and nothing is laid out.
"""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import replace

from mokuji.services.app_context import AppContext, Shown
from mokuji.store.asked import Notes, same_again
from mokuji.store.asked import noting as noting


def find(app: AppContext, key: Hashable, moment: str) -> bytes | None:
    """What was shown, if it would be made the same at this moment (``people.arrive``); ``key`` is all that it depends
    on beside the answers of the database."""
    shown = app.shown.get(key)
    if shown is None:
        return None
    if moment and shown.moment == moment:
        return shown.html
    now = same_again(app.engine, shown.asked)
    if now is None:
        return None
    app.shown.put(key, replace(shown, moment=now))
    return shown.html


def keep(app: AppContext, key: Hashable, html: bytes, notes: Notes) -> None:
    """Keeps what is shown, if what was asked for it can be asked again."""
    asked = notes.asked()
    if asked is not None:
        app.shown.put(key, Shown(html, asked))
