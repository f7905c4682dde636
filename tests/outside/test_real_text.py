"""Renames in a real body of text, the Jargon File (see ``jargon.py``)."""

from __future__ import annotations

import random
import re

import pytest

from mokuji.core.assembly.rendered_equality import Reader
from mokuji.core.base import names
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.base.spans import Span
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.plans.extract import Wanted, extract
from mokuji.core.refactor.plans.inline import inline_everywhere
from mokuji.core.refactor.plans.rename import rename
from mokuji.core.reports.repeats import repeats
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


@pytest.mark.parametrize("nth", range(40))
def test_a_paragraph_of_an_article_is_extracted_read_as_before_and_put_back(nth: int) -> None:
    """Real prose with all its odd brackets and signs: what comes back is the same to the byte."""
    wiki = jargon_wiki()
    chance = random.Random(nth)
    page, span = None, Span(0, 0)
    while page is None:
        drawn = wiki.pages_by_id[chance.choice(sorted(wiki.pages_by_id))]
        paragraphs = [Span(*found.span()) for found in re.finditer(r"(?<=\n\n)\S(?:.+\n)+(?=\n)", drawn.text)]
        if paragraphs:
            page, span = drawn, chance.choice(paragraphs)
    words = max(re.findall(r"\w+", span.of(page.text)), key=len)
    try:
        plan = extract(wiki, page.head.id, span, Wanted("Taken out", True, (("word", words),)))
    except Missing as missing:
        # A word that stands in references only is none of the text.
        assert missing.code == "slot_words"
        plan = extract(wiki, page.head.id, span, Wanted("Taken out"))
    between = applied(wiki, plan)
    assert Reader(between).read(between.pages_by_id[page.head.id]) == Reader(wiki).read(page)
    new = next(each for each in between.pages_by_id.values() if each.head.title == "Taken out")
    back = applied(between, inline_everywhere(between, new.head.id, trash=True))
    text = back.pages_by_id[page.head.id].text
    if re.match(r"\d+\. ", span.of(page.text)):
        # Lines of an item that were not indented are so afterwards.
        assert re.sub(r"\n +", "\n", text) == re.sub(r"\n +", "\n", page.text)
    else:
        assert text == page.text
    assert len(back.pages_by_id) == len(wiki.pages_by_id)


def test_the_repeats_of_the_whole_file_stand_where_they_say() -> None:
    wiki = jargon_wiki()
    found = repeats(wiki.pages_by_id.values())
    by_title = {page.head.title: page.text for page in wiki.pages_by_id.values()}
    for repeat in found:
        # A second opinion, by a search in the bare texts.
        assert all(
            " ".join(repeat.words.split()) in " ".join(by_title[p.title].split()) for p, _ in repeat.places
        )
        assert len({(page.id, span) for page, span in repeat.places}) == len(repeat.places) > 1
