"""Renames in a real body of text: the public-domain Jargon File 4.4.7 (Debian's package dict-jargon).

2,300 articles that refer to each other by names in braces, written by many hands
over thirty years. The braces become double brackets, and the four spaces before
each line (which would make all of it code) go; nothing else is touched. The
format is dictd's: an index of names with offsets in base 64, and a gzip file.
"""

from __future__ import annotations

import gzip
import random
import re
from functools import cache
from pathlib import Path

import pytest

from mokuji.core import names
from mokuji.core.errors import BadName, Refused
from mokuji.core.plans.rename import rename
from mokuji.core.wiki import MemoryWiki
from tests.properties.promises import applied, check, leads
from tests.wikis import wiki_of

FOLDER = Path("/usr/share/dictd")
DIGITS = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/"


def _number(written: str) -> int:
    value = 0
    for digit in written:
        value = value * 64 + DIGITS.index(digit)
    return value


def _bracketed(found: re.Match[str]) -> str:
    return f"[[{names.escape(' '.join(found[1].split()))}]]"


@cache
def _wiki() -> MemoryWiki:
    index = FOLDER / "jargon.index"
    assert index.exists(), "Debian's package dict-jargon is missing: apt-get install dict-jargon"
    data = gzip.decompress((FOLDER / "jargon.dict.dz").read_bytes())
    pages: dict[str, str] = {}
    taken: set[str] = set()
    for line in index.read_text(encoding="utf-8").splitlines():
        title, start, length = line.split("\t")
        at = _number(start)
        article = data[at : at + _number(length)].decode("utf-8", "replace")
        # The first line is the word with its exact capitals.
        title = article.split("\n", 1)[0].strip() or title
        try:
            names.check_title(title)
        except BadName:
            continue
        if title.startswith("00-database") or names.key(title) in taken:
            continue
        taken.add(names.key(title))
        plain = re.sub(r"^ {4}", "", article, flags=re.MULTILINE)
        pages[title] = re.sub(r"\{([^{}]{1,80})\}", _bracketed, plain)
    return wiki_of({"Jargon": pages})


def test_nearly_all_references_lead_to_an_article() -> None:
    wiki = _wiki()
    found = [lead for references in leads(wiki).values() for _, lead in references]
    assert len(wiki.pages_by_id) > 2200
    assert len(found) > 5000
    assert sum(lead.page is not None for lead in found) > 0.98 * len(found)


def _typed_on(wiki: MemoryWiki, key: str) -> set[int]:
    """The pages that hold a name in brackets, found by a search in their bare text."""
    found: set[int] = set()
    for id_, page in wiki.pages_by_id.items():
        typed = re.findall(r"\[\[((?:\\.|[^\]|\\])*)", page.text)
        if any(names.key(names.unescape(each)) == key for each in typed):
            found.add(id_)
    return found


def _most_referred() -> list[int]:
    counts: dict[int, int] = {}
    for references in leads(_wiki()).values():
        for _, lead in references:
            if lead.page is not None:
                counts[lead.page] = counts.get(lead.page, 0) + 1
    return sorted(counts, key=lambda id_: -counts[id_])


@pytest.mark.parametrize("nth", range(24))
def test_a_renamed_article_is_followed_by_every_page_that_names_it(nth: int) -> None:
    wiki = _wiki()
    chance = random.Random(nth)
    ordered = _most_referred()
    page = ordered[nth // 2] if nth % 2 else chance.choice(ordered)
    old = wiki.pages_by_id[page].head
    titles = ["Entirely new words", "C# | [odd]", f"{old.title} (sense 1)", "path/like/name", "e\u0301tude"]
    title = chance.choice(titles)
    plan = rename(wiki, page, title)
    after = applied(wiki, plan)
    check(wiki, after, plan)
    assert {change.head.id for change in plan.rewritten} == _typed_on(wiki, old.key)
    assert _typed_on(after, old.key) == set() or names.key(title) == old.key


def test_a_name_that_is_taken_is_refused() -> None:
    wiki = _wiki()
    one, other = _most_referred()[:2]
    with pytest.raises(Refused):
        rename(wiki, one, wiki.pages_by_id[other].head.title.upper())
