"""Keys of names against the published data of the Unicode Consortium (Debian's package unicode-data).

``CaseFolding.txt`` (full folding: statuses C and F), ``NormalizationTest.txt`` and ``DerivedAge.txt``.
Python 3.11 carries Unicode 14.0, the package 15.0: characters that are newer than Python's are left out.
"""

from __future__ import annotations

import bz2
import re
import unicodedata
from collections.abc import Iterator
from pathlib import Path

from mokuji.core.base import names

DATA = Path("/usr/share/unicode")
KNOWN = float(".".join(unicodedata.unidata_version.split(".")[:2]))


def _lines(name: str) -> Iterator[list[str]]:
    assert DATA.exists(), "Debian's package unicode-data is missing: apt-get install unicode-data"
    packed = DATA / f"{name}.bz2"
    data_bytes = bz2.decompress(packed.read_bytes()) if packed.exists() else (DATA / name).read_bytes()
    for line in data_bytes.decode("utf-8").splitlines():
        data = line.split("#")[0].strip()
        if data and not data.startswith("@"):
            yield [part.strip() for part in data.split(";")]


def _newer() -> set[int]:
    found: set[int] = set()
    for span, age in _lines("DerivedAge.txt"):
        if float(age) > KNOWN:
            first, _, last = span.partition("..")
            found.update(range(int(first, 16), int(last or first, 16) + 1))
    return found


def _word(points: str) -> str:
    return "".join(chr(int(point, 16)) for point in points.split())


def _folding() -> dict[str, str]:
    return {_word(row[0]): _word(row[2]) for row in _lines("CaseFolding.txt") if row[1] in {"C", "F"}}


def _nfkc(word: str) -> str:
    return unicodedata.normalize("NFKC", word)


def test_the_key_is_nfkc_then_full_case_folding_then_nfkc() -> None:
    """The rule is written out here with the published folding; the key must agree for every character."""
    newer, folding = _newer(), _folding()
    wrong = []
    for point in range(0x110000):
        char = chr(point)
        if point in newer or unicodedata.category(char) in {"Cs", "Cc", "Zs", "Zl", "Zp", "Pd", "Cn", "Pc"}:
            continue
        folded = "".join(folding.get(each, each) for each in _nfkc(char))
        expected = re.sub(r"[\s_\-\u2010\u2011]+", " ", _nfkc(folded)).strip(" ")
        if names.key(char) != expected:
            wrong.append(f"U+{point:04X}")
    assert wrong == []


def test_all_published_forms_of_a_string_have_one_key() -> None:
    """In each row of NormalizationTest.txt the five columns are one string in five forms, equal under NFKC."""
    newer = _newer()
    count = 0
    for row in _lines("NormalizationTest.txt"):
        forms = [_word(column) for column in row[:5]]
        if any(ord(char) in newer for form in forms for char in form):
            continue
        assert len({names.key(form) for form in forms}) == 1, row[0]
        count += 1
    assert count > 18_000
