"""Addresses as they stand in HTML, and where bare ones end."""

from __future__ import annotations

import html
import re
from collections.abc import Iterator
from urllib.parse import quote

_URL_SAFE = "!#$%&'()*+,-./:;=?@_~"
_BARE = re.compile(r"(?:https?://|mailto:)[^\s<>\"“”]+")


def escaped(address: str) -> str:
    """An address as the value of an attribute."""
    return html.escape(quote(address, safe=_URL_SAFE))


def bare(text: str, ends_at: re.Pattern[str] | None = None) -> Iterator[tuple[int, str]]:
    """Bare web addresses in a text, with where each begins (as in GFM's extended autolinks); ``ends_at`` finds what
    one ends before besides."""
    for match in _BARE.finditer(text):
        address = match[0]
        if ends_at is not None and (cut := ends_at.search(address)):
            address = address[: cut.start()]
        address = address[: _end(address)]
        if address.partition(":")[2].strip("/"):
            yield match.start(), address


def _end(words: str) -> int:
    """Where a bare address ends: before marks of punctuation, and before brackets that close what it does not open
    (GitHub Flavored Markdown 0.29, 6.9, extended autolinks). From its end, so that each mark is looked at once."""
    open_ = words.count("(") - words.count(")")
    end = len(words)
    while end:
        last = words[end - 1]
        if last == ";":
            at = words.rfind("&", max(0, end - 40), end)
            entity = at >= 0 and re.fullmatch(r"&[0-9A-Za-z]+;", words[at:end])
            end = at if entity else end - 1
        elif last in "?!.,:*_~'\"":
            end -= 1
        elif last == ")" and open_ < 0:
            end, open_ = end - 1, open_ + 1
        else:
            break
    return end
