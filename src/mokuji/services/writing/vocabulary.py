"""Words that go on with what is being typed: those of the volume, then those of its dictionary."""

from __future__ import annotations

import re
from collections import Counter

from mokuji.adapters.spelling import dictionary
from mokuji.core.model.policy import Actor, Permission
from mokuji.services.app_context import AppContext, ReadContext, check
from mokuji.services.reading.house_styles import style_of
from mokuji.store.database import reading
from mokuji.store.index import search

MOST = 12
LOOKED_AT = 20
"""So many pages are looked at for words."""
_TYPED = re.compile(r"[^\W\d_]{2,40}")


def words_for(app: AppContext, actor: Actor, volume_key: str, typed: str) -> list[tuple[str, bool]]:
    """Words that begin as typed, those that the volume says most often first; whether each is of the volume, or else
    of its dictionary. Nothing for what is no beginning of a word."""
    if _TYPED.fullmatch(typed) is None:
        return []
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        check(actor, Permission.WRITE, volume)
        texts = search.texts_with(connection, volume.id, typed, LOOKED_AT)
        language = volume.language or style_of(connection, volume).spelling
    begun = re.compile(rf"(?<![\w@#/^-]){re.escape(typed)}[^\W\d_]+(?:-[^\W\d_]+)*", re.IGNORECASE)
    said: Counter[str] = Counter()
    for text in texts:
        said.update(found[0] for found in begun.finditer(text))
    # The same word with and without a capital is one; how it is said most often counts.
    spelt: dict[str, str] = {}
    for word, _ in said.most_common():
        spelt.setdefault(word.casefold(), word)
    found = [(word, True) for word in spelt.values()][:MOST]
    known = dictionary(language) if language else None
    for word in known.like(typed) if known is not None else ():
        if word.casefold().startswith(typed.casefold()) and word.casefold() not in {*spelt, typed.casefold()}:
            found.append((word, False))
    return found[:MOST]
