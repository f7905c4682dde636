"""Titles, keys, addresses and anchors.

A *title* is what people read. Its *key* is what makes two titles the same
page. An *address* is a key as it stands in a web address, an *anchor* the
same for a section. Nothing here knows what pages exist.

Sources: Unicode NFKC (UAX #15), full case folding (CaseFolding.txt, statuses
C and F), both as Python's ``unicodedata`` and ``str.casefold`` carry them;
percent-encoding from RFC 3986.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple
from urllib.parse import quote

from mokuji.core.base.errors import BadName

LONGEST = 200
"""Maximum number of code points of a title, and of a key."""
SEGMENTS = 32_768
"""Number of keys whose segments of addresses are kept: a page shows some hundred, and many pages the same."""

# White space, underscores and the hyphens U+002D, U+2010, U+2011.
_SEPARATORS = re.compile(r"[\s_\-\u2010\u2011]+")
_ESCAPE = re.compile(r"\\([!-/:-@\[-`{-~])")
_UNSTORABLE = re.compile("[\\x00\\ud800-\\udfff]")
_PLAIN = re.compile(r"[^\W_]+(?: [^\W_]+)*")
# What would end or divide a reference, or start something literal, inside a target.
_MUST_ESCAPE = re.compile(r"[\\#|\[\]/$`<]")
_RESERVED_VOLUMES = frozenset({"api", "healthz", "favicon.ico", "robots.txt"})


class Name(NamedTuple):
    """What a reference says of its target, as keys; what it means is for resolution to find.

    ``[[A/B]]`` may be the page “A/B” here or “B” in volume A, so it has all of
    ``key``, ``volume`` and ``title``. ``[[A\\/B]]`` has only ``key``;
    ``[[/A/B]]`` (``absolute``) only ``volume`` and ``title``.
    """

    key: str
    volume: str | None = None
    title: str | None = None
    absolute: bool = False


@lru_cache(maxsize=65536)
def key(name: str) -> str:
    """The key of a name: NFKC, case-folded, NFKC again, separators to one space.

    May come out empty; whether that is allowed is for the caller to say.
    """
    folded = unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", name).casefold())
    return _SEPARATORS.sub(" ", folded).strip(" ")


def is_key(candidate: str) -> bool:
    """Whether a key may stand for a page: 1 to 200 code points, neither ``.`` nor ``..``."""
    return 0 < len(candidate) <= LONGEST and candidate not in {".", ".."}


def is_storable(name: str) -> bool:
    """Whether a database can be asked for it: it holds no NUL and no lone surrogate."""
    return _UNSTORABLE.search(name) is None


def check_title(title: str, *, what: str = "title") -> str:
    """The title without white space at its ends; BadName says what is wrong with it."""
    title = title.strip()
    if not title:
        raise BadName(f"The {what} is empty. Type at least one letter or digit.")
    if len(title) > LONGEST:
        raise BadName(f"The {what} has {len(title)} characters; {LONGEST} is the most. Shorten it.")
    for at, char in enumerate(title, 1):
        if unicodedata.category(char) in {"Cc", "Cs", "Zl", "Zp"}:
            raise BadName(
                f"The {what} holds a control character (U+{ord(char):04X}) as its character {at}. Remove it."
            )
    if not is_key(key(title)):
        raise BadName(
            f"“{title}” cannot be a {what}: besides spaces, hyphens and underscores it needs a letter, "
            f"digit or sign, and it cannot be “.” or “..”, nor longer than {LONGEST} characters when folded."
        )
    return title


def check_volume_title(title: str) -> str:
    """As ``check_title``, and without ``/``, and no name that the web server needs."""
    title = check_title(title, what="volume name")
    if "/" in unicodedata.normalize("NFKC", title):
        raise BadName(f"“{title}” cannot be a volume name: it holds a “/”, which parts volume and title.")
    if key(title) in _RESERVED_VOLUMES:
        raise BadName(f"“{title}” cannot be a volume name: Mokuji uses this address itself. Add a word.")
    return title


@lru_cache(maxsize=16384)
def unescape(typed: str) -> str:
    """Backslash escapes of ASCII punctuation resolved (CommonMark 0.31.2, section 2.4)."""
    return _ESCAPE.sub(r"\1", typed)


@lru_cache(maxsize=4096)
def escape(title: str) -> str:
    """A title as it is written in the target of a reference: ``unescape`` gives it back."""
    written = _MUST_ESCAPE.sub(r"\\\g<0>", title)
    # At the start, `=` would make an insert and `^` could make a footnote;
    # a lone `*` after `[[=` asks for a list.
    return "\\" + written if written[:1] in {"=", "^"} or written == "*" else written


def escape_section(section: str) -> str:
    """A section as it is written after ``#``: only what would end it is escaped."""
    return re.sub(r"[\\|\[\]$`<]", r"\\\g<0>", section)


def is_plain(name: str) -> bool:
    """Whether a name is letters, digits and single spaces only.

    Writing one such name in the place of another changes nothing that the
    scanner looks at, so a page need not be scanned again for it.
    """
    return _PLAIN.fullmatch(name) is not None


@lru_cache(maxsize=SEGMENTS)
def segment(a_key: str) -> str:
    """A key as one segment of a web address: spaces as hyphens, the rest percent-encoded."""
    return quote(a_key.replace(" ", "-"), safe="")


def address(volume_key: str, page_key: str | None = None) -> str:
    """The address of a volume, or of a page in it, from the root of the server."""
    path = "/" + segment(volume_key)
    return path if page_key is None else f"{path}/{segment(page_key)}"


def anchor(section: str) -> str:
    """The anchor of a heading: the key of its words, spaces as hyphens."""
    return key(section).replace(" ", "-")


def as_title(name: str) -> str:
    """A name as the title of a page to be written: with a capital, unless its first word has one elsewhere."""
    name = name.strip()
    if any(char.isupper() for char in name.split(" ", 1)[0][1:]):
        return name
    return name[:1].upper() + name[1:]


def like_typed(typed: str, old_title: str, new_title: str) -> str:
    """The new title as this writer would have typed it.

    Who typed the old title with a small first letter gets the new one so, too,
    unless its first word has another capital (“ROV”, “eBuoy” stay).
    """
    first_word = new_title.split(" ", 1)[0]
    lowered = (
        typed[:1] != old_title[:1]
        and typed[:1] == old_title[:1].lower()
        and not any(char.isupper() for char in first_word[1:])
    )
    if not lowered:
        return new_title
    small = new_title[:1].lower() + new_title[1:]
    return small if key(small) == key(new_title) else new_title


_LANGUAGE = re.compile(
    r"[A-Za-z]{2,3}(?:-[A-Za-z]{3}){0,3}(?:-[A-Za-z]{4})?(?:-(?:[A-Za-z]{2}|[0-9]{3}))?"
    r"(?:-(?:[A-Za-z0-9]{5,8}|[0-9][A-Za-z0-9]{3}))*"
)


def check_language(tag: str) -> str:
    """A tag of a language as RFC 5646 (2.1 and 2.1.1) has it written, without extensions; empty for none. BadName if it
    is not well formed."""
    tag = tag.strip()
    if tag and _LANGUAGE.fullmatch(tag) is None:
        raise BadName(
            f"“{tag[:40]}” is no tag of a language. Write one as de, en-GB or zh-Hant: the language, then, if need be, "
            "script and region.",
            code="bad_language",
        )
    first, *rest = tag.split("-")
    return "-".join([first.lower(), *(_CASES.get(len(each), str.lower)(each) for each in rest)])


_CASES: dict[int, Callable[[str], str]] = {2: str.upper, 4: str.title}
