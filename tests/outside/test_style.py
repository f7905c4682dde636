"""Sentences and spelling against what others publish: a reference library, word lists, a list of misspellings."""

from __future__ import annotations

import random
from pathlib import Path

import codespell_lib
import pytest
from uniseg.sentencebreak import sentences as reference_sentences  # type: ignore[import-untyped]

from mokuji.adapters.spelling import Dictionary, dictionary, languages
from mokuji.core.language.page import Page, PageHead
from mokuji.core.style.prose import passages
from mokuji.core.style.sentences import sentences
from mokuji.core.style.style import Style
from mokuji.core.style.style_rules import breaches
from tests.outside.jargon import jargon_wiki

SAMPLE = 400


def _dictionary(language: str) -> Dictionary:
    found = dictionary(language)
    assert found is not None, (
        "Debian's packages hunspell-en-us, hunspell-en-gb and libenchant-2-2 are missing"
    )
    return found


def test_sentences_of_real_articles_end_where_the_unicode_standard_ends_them() -> None:
    """Unicode Standard Annex #29 as the library uniseg has it, over the Jargon File (Debian's package dict-jargon).
    We differ on purpose behind abbreviations such as “e.g.”, and at dots that stand inside of a line of dots."""
    pages = random.Random(7).sample(list(jargon_wiki().pages_by_id.values()), 60)
    same = other = 0
    for page in pages:
        for passage in passages(page):
            ours = {end for _, end in sentences(passage.words)}
            at = 0
            theirs = set()
            for sentence in reference_sentences(passage.words):
                at += len(sentence)
                theirs.add(len(passage.words[:at].rstrip()))
            same += len(ours & theirs)
            other += len(ours ^ theirs)
    assert same > 300
    assert other / (same + other) < 0.05, (same, other)


def test_the_words_of_the_list_that_a_dictionary_was_made_from_are_known() -> None:
    """wamerican (SCOWL), from which the dictionary of Hunspell is made, too; it holds rarer spellings besides."""
    listed = Path("/usr/share/dict/american-english").read_text().split()
    words = random.Random(7).sample([each for each in listed if each.islower()], 4_000)
    known = _dictionary("en-US")
    unknown = [word for word in words if not known.knows(word)]
    assert len(unknown) / len(words) < 0.04, unknown[:20]


def test_every_word_that_the_dictionary_itself_lists_is_known() -> None:
    """The stems of Hunspell's en_US.dic, those in small letters."""
    lines = Path("/usr/share/hunspell/en_US.dic").read_text(encoding="utf-8").splitlines()[1:]
    stems = [stem for stem in (line.partition("/")[0] for line in lines) if stem.isalpha() and stem.islower()]
    known = _dictionary("en-US")
    assert len(stems) > 30_000
    assert [stem for stem in random.Random(7).sample(stems, 4_000) if not known.knows(stem)] == []


@pytest.fixture(scope="module")
def misspelt() -> list[tuple[str, str]]:
    """Misspellings that people made, with the word that was meant: the list of codespell, those of one meaning."""
    listed = Path(codespell_lib.__file__).with_name("data") / "dictionary.txt"
    pairs = [line.split("->") for line in listed.read_text().splitlines()]
    known = _dictionary("en-US")
    meant = [
        (wrong, right) for wrong, right in pairs if right.isalpha() and wrong.isalpha() and known.knows(right)
    ]
    return random.Random(7).sample(meant, SAMPLE)


def test_misspellings_that_people_made_are_found_in_a_text(misspelt: list[tuple[str, str]]) -> None:
    text = "\n\n".join(f"Look at the {wrong} here." for wrong, _ in misspelt)
    page = Page(PageHead(1, 1, "p", "P"), text)
    found = {flaw.word for flaw in breaches(page, Style(spelling="en-US"), _dictionary("en-US"))}
    missed = [wrong for wrong, _ in misspelt if wrong not in found]
    assert len(missed) / len(misspelt) < 0.02, missed


def test_the_word_that_was_meant_is_among_the_first_corrections(misspelt: list[tuple[str, str]]) -> None:
    known = _dictionary("en-US")
    wrong = [(typed, meant) for typed, meant in misspelt[:60] if not known.knows(typed)]
    first = sum(known.like(typed)[:1] == (meant,) for typed, meant in wrong)
    near = sum(meant in known.like(typed)[:5] for typed, meant in wrong)
    assert first / len(wrong) > 0.75
    assert near / len(wrong) > 0.9


def test_each_language_has_words_of_its_own() -> None:
    assert {"en-GB", "en-US"} <= set(languages())
    assert _dictionary("en-GB").knows("colour")
    assert not _dictionary("en-US").knows("colour")
    assert dictionary("xx") is None
