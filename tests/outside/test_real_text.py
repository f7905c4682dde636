"""Renames in a real body of text, the Jargon File (see ``jargon.py``)."""

from __future__ import annotations

import random
import re

import pytest

from mokuji.core import names
from mokuji.core.errors import Refused
from mokuji.core.plans.rename import rename
from mokuji.core.wiki import MemoryWiki
from tests.outside.jargon import jargon_wiki
from tests.properties.promises import applied, check, leads


def test_nearly_all_references_lead_to_an_article() -> None:
    wiki = jargon_wiki()
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
    for references in leads(jargon_wiki()).values():
        for _, lead in references:
            if lead.page is not None:
                counts[lead.page] = counts.get(lead.page, 0) + 1
    return sorted(counts, key=lambda id_: -counts[id_])


@pytest.mark.parametrize("nth", range(24))
def test_a_renamed_article_is_followed_by_every_page_that_names_it(nth: int) -> None:
    wiki = jargon_wiki()
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
    wiki = jargon_wiki()
    one, other = _most_referred()[:2]
    with pytest.raises(Refused):
        rename(wiki, one, wiki.pages_by_id[other].head.title.upper())
