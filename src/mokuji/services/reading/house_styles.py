"""The house style of a volume: its rules, what they find, and words that it learns from its writers."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from mokuji.adapters import spelling
from mokuji.core.base.errors import Conflict, Refused
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.wiki import Volume
from mokuji.core.style.style import LONGEST_WORD, MOST_WORDS, Style, as_fields, read_style
from mokuji.core.style.style_rules import nearest
from mokuji.services.app_context import AppContext, ReadContext, check, find_volume
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store.database import Connection, reading, writing
from mokuji.store.index import search
from mokuji.store.kept import house_styles
from mokuji.store.kept.house_styles import StoredStyle

MOST_CORRECTED = 12
"""For so many words at once corrections are looked for: each takes some fifty milliseconds when it is new."""


@dataclass(frozen=True)
class StyleView:
    """A volume's house style, how it is stored, and the languages that there are dictionaries for."""

    place: VolumeView
    style: Style
    stored: StoredStyle
    languages: tuple[str, ...]


def style_of(connection: Connection, volume: Volume) -> Style:
    """The house style of a volume."""
    style, _ = read_style(house_styles.of(connection, volume.id).rules)
    return style


def open_style(app: AppContext, actor: Actor, volume_key: str) -> StyleView:
    """The house style of a volume; all who read the volume may see it."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        stored = house_styles.of(connection, volume.id)
        style, _ = read_style(stored.rules)
        return StyleView(volume_view(context, volume), style, stored, spelling.languages())


def set_style(
    app: AppContext, actor: Actor, volume_key: str, style: Style, *, revision: int | None = None
) -> None:
    """Gives a volume other rules; owners may. Conflict if they are no longer those of ``revision``."""
    _check_language(style.spelling)
    # Rules are read and written as a whole: alone, lest one of two changes be lost.
    with writing(app.engine, alone=True) as connection:
        volume = find_volume(connection, actor, volume_key)
        check(actor, Permission.MANAGE, volume)
        stored = house_styles.of(connection, volume.id)
        if revision is not None and stored.revision != revision:
            raise Conflict(
                f"{stored.name or 'Somebody'} changed the house style meanwhile, so nothing was saved. "
                "Open this page again beside it, and bring both together.",
                code="style_stale",
            )
        if read_style(stored.rules)[0] != style:
            house_styles.put(connection, volume.id, as_fields(style), actor.person, app.clock())


def _check_language(language: str) -> None:
    if language and language not in spelling.languages():
        known = ", ".join(spelling.languages()) or "none"
        raise Refused(
            f"There is no dictionary for “{language}” on this machine (there are: {known}). "
            "Install one, such as Debian's package hunspell-en-gb, and start Mokuji again.",
            code="no_dictionary",
        )


def learn(app: AppContext, actor: Actor, volume_key: str, sort: Literal["word", "name"], word: str) -> None:
    """Takes a word into the volume's own words, or a name into its proper names; writers may."""
    word = " ".join(word.split())
    if not word or len(word) > LONGEST_WORD:
        raise Refused(f"A word to learn has 1 to {LONGEST_WORD} characters.", code="no_word")
    with writing(app.engine, alone=True) as connection:
        volume = find_volume(connection, actor, volume_key)
        check(actor, Permission.WRITE, volume)
        style = style_of(connection, volume)
        new = style.learnt(sort, word)
        if len(new.words if sort == "word" else new.names) > MOST_WORDS:
            raise Refused(f"A house style holds {MOST_WORDS:,} words at most.", code="words_many")
        if new != style:
            house_styles.put(connection, volume.id, as_fields(new), actor.person, app.clock())


def corrections(app: AppContext, actor: Actor, volume_key: str, words: Iterable[str]) -> dict[str, list[str]]:
    """For words that no dictionary knows what may be meant, the likeliest first."""
    with reading(app.engine) as connection:
        volume = find_volume(connection, actor, volume_key)
        style = style_of(connection, volume)
    known = spelling.dictionary(style.spelling)
    asked = [word for word in dict.fromkeys(words) if word][:MOST_CORRECTED]
    found = {word: nearest(word, style, known.like) for word in asked} if known is not None else {}
    likely = {each.lower() for listed in found.values() for each in listed if each.isalpha()}
    with reading(app.engine) as connection:
        named = search.in_names(connection, volume.id, likely)
    # A word of a title is likelier to be meant than others.
    return {
        word: sorted(listed, key=lambda each: each.lower() not in named) for word, listed in found.items()
    }
