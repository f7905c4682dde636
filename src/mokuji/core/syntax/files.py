"""Files beside the pages of a volume: their names, as they are typed in links and pictures and as they are stored.

``![Wiring](wiring.svg)`` and ``[sheet](limits.pdf)`` are CommonMark's own
syntax: a destination that is a bare name is a file of the volume. Names make
no difference between capitals and none between ways to write one character.
"""

from __future__ import annotations

import re
import unicodedata
from urllib.parse import quote, unquote

from mokuji.core.base.errors import BadName

LONGEST = 120
"""Maximum number of code points of a file's name."""
_OUTSIDE = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*:|[/?#.]")
_NO_NAME = re.compile(r'[\x00-\x1f\x7f/\\:*?"<>|]')
_GAPS = re.compile(r"[^\w.()+-]+")
_DESTINATION = re.compile(r"\]\(<?([^()<>\s]{1,400})")
_ENDING = re.compile(r"\.([A-Za-z0-9]{1,8})\Z")


def named(destination: str) -> tuple[str, str] | None:
    """The file that the destination of a link or picture names, and the fragment behind it; None if it names none."""
    if not destination or _OUTSIDE.match(destination):
        return None
    path, mark, fragment = destination.partition("#")
    name = unquote(path)
    if _NO_NAME.search(name) or not name.strip() or len(name) > LONGEST:
        return None
    return name, mark + fragment


def key(name: str) -> str:
    """What two names of one file have in common."""
    return unicodedata.normalize("NFC", unicodedata.normalize("NFC", name.strip()).casefold())


def names_in(text: str) -> set[str]:
    """Keys of what may be files that a text names: read quickly, so that some of them may stand in code."""
    found = (named(match[1]) for match in _DESTINATION.finditer(text))
    return {key(each[0]) for each in found if each is not None}


def renamed_in(before: str, after: str) -> list[tuple[str, str]]:
    """Old and new names of files where two texts differ in them, and in nothing else that could be one."""
    old, new = ([match[1] for match in _DESTINATION.finditer(text)] for text in (before, after))
    if len(old) != len(new):
        return []
    pairs = ((named(a), named(b)) for a, b in zip(old, new, strict=True) if a != b)
    return [(a[0], b[0]) for a, b in pairs if a is not None and b is not None and key(a[0]) != key(b[0])]


def ending(name: str) -> str:
    """The ending of a name in small letters, without its dot; empty if it has none."""
    match = _ENDING.search(name)
    return match[1].lower() if match else ""


def check_name(name: str) -> str:
    """A name that a file can have, without spaces around it; BadName says why one cannot."""
    name = unicodedata.normalize("NFC", name.strip())
    if not name or len(name) > LONGEST:
        raise BadName(f"The name of a file has 1 to {LONGEST} characters.", code="bad_file_name")
    match = _NO_NAME.search(name)
    if match is not None:
        raise BadName(f"“{name}” holds “{match[0]}”, which no file can be called by.", code="bad_file_name")
    if name.startswith("."):
        raise BadName(f"“{name}” begins with a dot. Give it a name that can be seen.", code="bad_file_name")
    return name


def readable(name: str, end: str) -> str:
    """A name as it is stored, made of one as it came: small letters, hyphens for spaces, with this ending."""
    stem = re.split(r"[/\\]", name)[-1]
    if ending(stem):
        stem = stem[: stem.rindex(".")]
    stem = _GAPS.sub("-", unicodedata.normalize("NFC", stem).lower()).strip("-._ ")
    return f"{stem[: LONGEST - 20] or 'file'}{f'.{end}' if end else ''}"


def numbered(name: str, number: int) -> str:
    """The same name with a number before its ending, for one that is taken."""
    end = ending(name)
    stem = name[: -len(end) - 1] if end else name
    return f"{stem}-{number}{f'.{end}' if end else ''}"


def destination(name: str) -> str:
    """A name as it is typed between the parentheses of a link or picture."""
    return quote(name, safe="!$&'+,-.;=@_~")
