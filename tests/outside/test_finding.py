"""How well pages are found: a real dictionary, asked by each of its words as it is spelt and as it is misspelt.

The answers are known: the article of a word is the page that is called so. Other names are those that the articles
give themselves, in brackets behind “alt.”, “also” or “syn.”.
"""

from __future__ import annotations

import random
import re
import string
from collections.abc import Iterator

from sqlalchemy import text

from mokuji.core.base import names
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext, catch_up
from mokuji.services.reading import searching
from tests.copies import made_once
from tests.outside.jargon import jargon_wiki
from tests.services.making import many_pages, person, volume

SEED = 20_261_201
ASKED = 110
"""Number of words that are drawn and asked for, so that it takes seconds."""
SLIPS = 220
_OTHER_NAME = re.compile(
    r"\((?:also|alt\.|var\.|syn\.)[:,]? (?:called |spelled |known as )?[‘“]?([A-Za-z][\w -]{2,30}?)(?= ?[’”,;)/])"
)


def _articles() -> tuple[dict[str, str], dict[str, str]]:
    """Texts by title, and the titles by other names that are nobody's title."""
    texts = {page.head.title: page.text for page in jargon_wiki().pages_by_id.values()}
    taken = {names.key(title) for title in texts}
    others: dict[str, str] = {}
    for title, said in list(texts.items()):
        found = [each for each in _OTHER_NAME.findall(said[:600]) if names.key(each) not in taken]
        for each in found[:1]:
            taken.add(names.key(each))
            others[each] = title
            texts[title] = f"---\naliases: [{each}]\n---\n{said}"
    return texts, others


def _fill(app: AppContext) -> tuple[Actor, dict[str, str], dict[str, str]]:
    texts, others = _articles()
    many_pages(app, volume(app, "Jargon"), texts)
    while catch_up(app, 500):
        pass
    with app.engine.begin() as connection:
        connection.execute(text("ANALYZE"))
    return person(app, "reader", jargon=Role.READER), texts, others


app, made = made_once(_fill)
Made = tuple[Actor, dict[str, str], dict[str, str]]


def _slip(word: str, draw: random.Random) -> str:
    """A word with a letter left out, put in, exchanged for another or with its neighbour: each as likely."""
    at, letter = draw.randrange(len(word)), draw.choice(string.ascii_lowercase)
    return draw.choice(
        [
            word[:at] + word[at + 1 :],
            word[:at] + letter + word[at:],
            word[:at] + letter + word[at + 1 :],
            word[:at] + word[at + 1 : at + 2] + word[at] + word[at + 2 :],
        ]
    )


def _places(app: AppContext, reader: Actor, asked: Iterator[tuple[str, str]]) -> list[int]:
    """At which place of the answer to each question the page stands that it means; -1 if it is not there."""
    places: list[int] = []
    for typed, title in asked:
        found = [each.hit.head.title for each in searching.find(app, reader, typed).found]
        places.append(found.index(title) if title in found else -1)
    return places


def _share(places: list[int], first: int) -> float:
    return sum(0 <= place < first for place in places) / len(places)


def test_each_word_of_a_dictionary_leads_to_its_article_first(app: AppContext, made: Made) -> None:
    reader, texts, others = made
    draw = random.Random(SEED)
    asked = [(title, title) for title in draw.sample(sorted(texts), ASKED)] + list(others.items())
    assert len(others) > 40
    places = _places(app, reader, iter(asked))
    assert _share(places, 1) >= 0.95
    assert _share(places, 3) >= 0.99


def test_a_word_with_a_slip_leads_to_the_article_that_was_meant(app: AppContext, made: Made) -> None:
    """Of words of any length; what came out as another word of the dictionary is no slip that could be seen."""
    reader, texts, others = made
    draw = random.Random(SEED)
    taken = {names.key(title) for title in [*texts, *others]}
    called = [(title, title) for title in sorted(texts)] + sorted(others.items())
    slips = [(_slip(typed, draw), title) for typed, title in draw.sample(called, SLIPS)]
    asked = [(typed, title) for typed, title in slips if names.key(typed) not in {"", *taken}]
    places = _places(app, reader, iter(asked))
    missed = [(each, place) for each, place in zip(asked, places, strict=True) if place]
    assert _share(places, 1) >= 0.95, missed
    assert _share(places, 3) >= 0.99, missed
