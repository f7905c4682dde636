"""A real body of text as a wiki: the public-domain Jargon File 4.4.7 (Debian's package dict-jargon).

2,300 articles that refer to each other by names in braces, written by many hands
over thirty years. The braces become double brackets, and the four spaces before
each line (which would make all of it code) go; nothing else is touched. The
format is dictd's: an index of names with offsets in base 64, and a gzip file.
"""

from __future__ import annotations

import gzip
import re
from functools import cache
from pathlib import Path

from mokuji.core.base import names
from mokuji.core.base.errors import BadName
from mokuji.core.model.wiki import MemoryWiki
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
def jargon_wiki() -> MemoryWiki:
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
