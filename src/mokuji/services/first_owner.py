"""The first start: a wiki without people is given to whoever holds the key that its start command prints."""

from __future__ import annotations

import base64
import hashlib
import hmac

from mokuji.core.base.errors import Forbidden, Refused
from mokuji.services import audit, people
from mokuji.services.app_context import AppContext
from mokuji.services.devices import device_of
from mokuji.store import people as stored
from mokuji.store.database import reading, writing

GROUPS, LETTERS = 5, 4
"""The key is so many groups of so many letters and digits, five bits each: 100 bits."""


def wanted(app: AppContext) -> bool:
    """Whether nobody is there yet."""
    with reading(app.engine) as connection:
        return not stored.anybody(connection)


def key(app: AppContext) -> str:
    """The key of the first owner: the same at each start, of no use once somebody is there."""
    mac = hmac.new(app.secret, b"the key of the first owner", hashlib.sha256).digest()
    letters = base64.b32encode(mac).decode().lower()
    return "-".join(letters[at : at + LETTERS] for at in range(0, GROUPS * LETTERS, LETTERS))


def begin(
    app: AppContext, typed: str, handle: str, name: str, password: str, address: str = "", agent: str = ""
) -> str:
    """Makes the first person, who owns the wiki, and signs them in: the token of their session.

    Forbidden for another key, TooMany after many of them, Refused once somebody is there.
    """
    people.count_try(app, "first", address or "nowhere")
    given = "".join(typed.split()).casefold()
    if not hmac.compare_digest(given.encode("utf-8", "surrogatepass"), key(app).encode()):
        raise Forbidden(
            "This is not the key of this wiki. The command that started Mokuji has printed it; copy it from there.",
            code="first_key",
        )
    # Looked at before the lock is taken: a hash takes a while.
    hashed, device = people.checked(handle, name, password), device_of(agent)
    with writing(app.engine, alone=True) as connection:
        if stored.anybody(connection):
            raise Refused(
                "Somebody owns this wiki already. Sign in, or ask them to let you in.", code="begun"
            )
        person = people.added(connection, handle, name, hashed, owner_of_wiki=True)
        audit.record(connection, app.clock(), "first owner", person, address=address)
        return people.opened(app, connection, person, device)
