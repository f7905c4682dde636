"""Sources: what is known of each, how it reads in a list, and which are nearly the same.

A source is a CSL-JSON item (Citation Style Language, “CSL-JSON”, schema 1.0.2
from memory): ``author`` is a list of names, ``issued`` and ``accessed`` are
dates in parts, the rest is words. What is not known here stays as it came.
"""

from __future__ import annotations

import hashlib
import html
import ipaddress
import json
import math
import re
import unicodedata
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit

from rapidfuzz import fuzz

Item = Mapping[str, Any]
FIELDS = (
    "type",
    "author",
    "title",
    "container-title",
    "publisher",
    "issued",
    "URL",
    "accessed",
    "identifier",
)
"""What the form of a source asks for, in this order; ``identifier`` is a DOI, an ISBN, or a number of its own."""
TYPES = {
    "article-journal": "Article",
    "book": "Book",
    "chapter": "Chapter of a book",
    "report": "Report",
    "standard": "Standard",
    "webpage": "Page on the web",
    "paper-conference": "Paper at a conference",
    "thesis": "Thesis",
    "legislation": "Law",
    "personal_communication": "Letter or talk",
    "document": "Other",
}
"""Types of CSL that the form offers, in words."""
LONGEST = 20_000
"""Maximum number of characters of one source as JSON."""
LONGEST_ADDRESS = 2_000
DEEPEST = 12
"""Lists in lists, deeper than CSL-JSON ever has them."""
MOST_NUMBER = 10**15
ALIKE = 92
"""From this likeness on (rapidfuzz’s ratio of their sorted words, of 100) two titles of a year are nearly the same."""
NEIGHBOURS = 40
"""With so many titles that come next by their words one is compared."""
_UNSTORABLE = re.compile("[\x00\ud800-\udfff]")
_MONTHS = "Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec".split()
_DOI = re.compile(r"(?:https?://(?:dx\.)?doi\.org/|doi:\s*)?(10\.\d{4,9}/\S+)\Z", re.IGNORECASE)
_ISBN = re.compile(r"(?:ISBN:?\s*)?((?:97[89][- ]?)?(?:\d[- ]?){9}[\dXx])\Z")
_DATE = re.compile(r"(\d{1,4})(?:-(\d{1,2})(?:-(\d{1,2}))?)?\Z")


@dataclass(frozen=True, slots=True)
class Near:
    """Two sources that may be one: their keys, and why."""

    one: str
    other: str
    reason: str


def words_of(item: Item, field: str) -> str:
    """A field as words, as the form shows it: authors one a line, dates as 2026-11-24."""
    value = item.get(field)
    if field == "identifier":
        return str(item.get("DOI") or item.get("ISBN") or item.get("number") or "")
    if field == "author":
        return "\n".join(_in_order(name) for name in _names(item))
    if field in {"issued", "accessed"}:
        parts = _date_parts(value)
        return "-".join(f"{part:02d}" if n else str(part) for n, part in enumerate(parts)) or _literal(value)
    return "" if value is None else str(value)


def with_words(item: Item, fields: Mapping[str, str]) -> tuple[dict[str, Any], dict[str, str]]:
    """A source as the form has it, what is not asked for left as it was; and what is wrong, by field."""
    made = dict(item)
    wrong: dict[str, str] = {}
    for field, typed in fields.items():
        words = unicodedata.normalize("NFC", typed.strip())
        if words == words_of(item, field):
            continue
        if field == "identifier":
            for each in ("DOI", "ISBN", "number"):
                made.pop(each, None)
            made |= _identifier(words)
        elif not words:
            made.pop(field, None)
        elif field == "author":
            made[field] = [name_of(line) for line in words.splitlines() if line.strip()]
        elif field in {"issued", "accessed"}:
            parts = _read_date(words)
            if parts is None:
                wrong[field] = (
                    f"“{words}” is no date. Write the year, or year and month, or the day: 2026-11-24."
                )
            else:
                made[field] = {"date-parts": [parts]}
        elif field == "URL" and not is_web_address(words):
            wrong[field] = f"“{words}” is no address of the web, such as https://docs.example/page."
        else:
            made[field] = words
    if not made.get("title") and "title" in fields:
        wrong["title"] = "A source needs a title."
    return made, wrong


def name_of(typed: str) -> dict[str, str]:
    """A name as CSL has it: “Family, Given”; without a comma it is one of an institution, or a single name."""
    family, comma, given = typed.strip().partition(",")
    if comma and given.strip():
        return {"family": family.strip(), "given": given.strip()}
    return {"literal": typed.strip().rstrip(",").strip()}


def _identifier(words: str) -> dict[str, str]:
    doi, isbn = _DOI.match(words), _ISBN.match(words)
    if doi is not None:
        return {"DOI": doi[1]}
    if isbn is not None:
        return {"ISBN": isbn[1]}
    return {"number": words} if words else {}


def _read_date(words: str) -> list[int] | None:
    match = _DATE.match(words)
    if match is None:
        return None
    parts = [int(part) for part in match.groups() if part is not None]
    if len(parts) > 1 and not 1 <= parts[1] <= 12:
        return None
    return None if len(parts) > 2 and not 1 <= parts[2] <= _days(parts[0], parts[1]) else parts


def _days(year: int, month: int) -> int:
    leap = year % 4 == 0 and (year % 100 != 0 or year % 400 == 0)
    return 28 + leap if month == 2 else 30 + (month + month // 8) % 2


def _date_parts(value: object) -> list[int]:
    """The first date of a field; none if it has none that can be read."""
    parts = value.get("date-parts") if isinstance(value, Mapping) else None
    first = parts[0] if isinstance(parts, Sequence) and parts else ()
    found: list[int] = []
    for part in first if isinstance(first, Sequence) else ():
        if isinstance(part, bool) or not re.fullmatch(r"-?[0-9]{1,6}", str(part)):
            break
        found.append(int(part))
    return found[:3]


def _literal(value: object) -> str:
    if isinstance(value, Mapping):
        return str(value.get("literal") or value.get("raw") or "")
    return "" if value is None else str(value)


def _names(item: Item) -> list[Mapping[str, Any]]:
    found = item.get("author") or item.get("editor") or ()
    return [each for each in found if isinstance(each, Mapping)] if isinstance(found, Sequence) else []


def _in_order(name: Mapping[str, Any]) -> str:
    if name.get("family"):
        particle = str(name.get("non-dropping-particle") or name.get("dropping-particle") or "")
        family = f"{particle} {name['family']}".strip()
        given = f"{name.get('given') or ''} {name.get('suffix') or ''}".strip()
        return f"{family}, {given}" if given else family
    return str(name.get("literal") or name.get("given") or "")


def authors(item: Item) -> str:
    """Who wrote it, in one line: up to three names, of more the first."""
    names = [each for each in map(_in_order, _names(item)) if each]
    return f"{names[0]} and others" if len(names) > 3 else "; ".join(names)


def year(item: Item) -> str:
    """The year it came out, or what stands there instead."""
    parts = _date_parts(item.get("issued"))
    return str(parts[0]) if parts else _literal(item.get("issued"))


def day(value: object) -> str:
    """A date as people say it: 24 Nov 2026, Nov 2026, 2026."""
    parts = _date_parts(value)
    if len(parts) > 1 and not 1 <= parts[1] <= 12:
        parts = parts[:1]
    said = [str(part) if n != 1 else _MONTHS[part - 1] for n, part in enumerate(parts)]
    return " ".join(reversed(said)) or _literal(value)


def formatted(item: Item) -> str:
    """A source as it reads at the end of a page, as HTML: who, what, in what, by whom and when, where. One that is not
    as it should be (what came in is checked, but not always was) reads as its title, and spoils no other."""
    try:
        return presentable(_formatted(item))
    except (ValueError, TypeError, KeyError, IndexError, AttributeError, OverflowError):
        title = presentable(str(item.get("title") or "")) if isinstance(item, Mapping) else ""
        return f"<cite>{html.escape(title) or 'A source without a title'}</cite>."


def _formatted(item: Item) -> str:
    who, what = authors(item), str(item.get("title") or "")
    whole = item.get("container-title")
    title = f"“{html.escape(what)}”" if whole else f"<cite>{html.escape(what)}</cite>"
    lead = f"{html.escape(who)}: {title}" if who else title
    said = [lead]
    if whole:
        where = [f"<cite>{html.escape(str(whole))}</cite>", *(html.escape(each) for each in _within(item))]
        said.append("In: " + ", ".join(where) if item.get("type") == "chapter" else ", ".join(where))
    out = [str(item.get(each)) for each in ("publisher", "publisher-place") if item.get(each)]
    out += [when] if (when := day(item.get("issued"))) else []
    if out:
        said.append(html.escape(", ".join(out)))
    said += _places(item)
    return ". ".join(said) + "."


def _within(item: Item) -> Iterator[str]:
    volume, issue = item.get("volume"), item.get("issue")
    if volume or issue:
        yield f"{volume or ''}{f'({issue})' if issue else ''}"
    if item.get("page"):
        yield f"p. {item['page']}".replace("-", "–")


def _places(item: Item) -> Iterator[str]:
    doi, url = str(item.get("DOI") or ""), str(item.get("URL") or "")
    if doi:
        href = html.escape("https://doi.org/" + doi)
        yield f'doi: <a href="{href}">{html.escape(doi)}</a>'
    if item.get("ISBN"):
        yield f"ISBN {html.escape(str(item['ISBN']))}"
    if item.get("number"):
        yield html.escape(str(item["number"]))
    if is_web_address(url):
        read = day(item.get("accessed"))
        seen = f" (read {html.escape(read)})" if read else ""
        yield f'<a href="{html.escape(url)}">{html.escape(url)}</a>{seen}'


def as_text(item: Item) -> str:
    """The same as plain words."""
    return html.unescape(re.sub(r"<[^<>]*+>", "", formatted(item)))


def near(items: Mapping[str, Item]) -> list[Near]:
    """Pairs of sources that may be one: the same identifier or address, or nearly the same title in one year.

    Titles are compared within a year, each with those that come next to it by the words that it has (sorted
    neighbourhood, common practice), so that this stays linear."""
    nears: dict[tuple[str, str], Near] = {}

    def pair(keys: Iterable[str], reason: str) -> None:
        first, *others = sorted(keys)
        for other in others:
            nears.setdefault((first, other), Near(first, other, reason))

    for field, said in (("DOI", "the same DOI"), ("ISBN", "the same ISBN"), ("URL", "the same address")):
        groups: dict[str, list[str]] = {}
        for key, item in items.items():
            told = str(item.get(field) or "")
            value = (re.sub(r"[\s-]", "", told) if field == "ISBN" else told.rstrip("/")).casefold()
            if value:
                groups.setdefault(value, []).append(key)
        for keys in groups.values():
            if len(keys) > 1:
                pair(keys, said)
    years: dict[str, list[tuple[str, str]]] = {}
    for key, item in sorted(items.items()):
        title = " ".join(sorted(re.findall(r"\w+", str(item.get("title") or "").casefold())))
        if len(title) > 5:
            years.setdefault(year(item), []).append((title, key))
    for listed in years.values():
        listed.sort()
        for n, (title, key) in enumerate(listed):
            for other_title, other in listed[n + 1 : n + 1 + NEIGHBOURS]:
                if fuzz.ratio(title, other_title, score_cutoff=ALIKE):
                    pair((key, other), "nearly the same title in the same year")
    return sorted(nears.values(), key=lambda each: (each.one, each.other))


def free_name(item: Item, taken: Iterable[str]) -> str:
    """A name for a source that has none: first author and year, or the first word of the title."""
    names = _names(item)
    first = str(names[0].get("family") or names[0].get("literal") or "") if names else ""
    word = first or next(iter(re.findall(r"\w{4,}", str(item.get("title") or ""))), "source")
    plain = unicodedata.normalize("NFKD", word).encode("ascii", "ignore").decode() or "source"
    stem = "-".join(filter(None, (re.sub(r"[^a-z0-9]+", "-", plain.lower()).strip("-")[:60], year(item)[:8])))
    used = {each.casefold() for each in taken}
    stem = re.sub(r"[\s\[\]^]+", "-", stem) or "source"
    if stem not in used:
        return stem
    return next(f"{stem}-{n}" for n in range(2, len(used) + 3) if f"{stem}-{n}" not in used)


def is_web_address(words: str) -> bool:
    """Whether this is an address of the web (RFC 3986) that a link can lead to."""
    if (
        not re.fullmatch(r"https?://[^\s\x00-\x1f\x7f<>\"{}|\\^`]+", words, re.IGNORECASE)
        or len(words) > LONGEST_ADDRESS
    ):
        return False
    try:
        parts = urlsplit(words)
        host = parts.hostname or ""
        if "[" in parts.netloc or "]" in parts.netloc:
            ipaddress.IPv6Address(host)
        return bool(host) and (parts.port is None or parts.port > 0)
    except ValueError:
        return False


def presentable(words: str) -> str:
    """Words without what cannot be shown, sent or stored."""
    return _UNSTORABLE.sub("\ufffd", words)


def fault_of(value: object) -> str:
    """Why plain data cannot be kept as a source, or as part of one; empty if it can."""
    waiting: list[tuple[object, int]] = [(value, 0)]
    while waiting:
        each, depth = waiting.pop()
        if depth > DEEPEST:
            return f"it has lists in lists more than {DEEPEST} deep."
        if isinstance(each, str):
            if _UNSTORABLE.search(each):
                return "it holds a NUL character, or half of a character."
        elif isinstance(each, float):
            if not math.isfinite(each):
                return "it holds a number without end."
        elif isinstance(each, int):
            if abs(each) > MOST_NUMBER:
                return "it holds a number of more than 15 digits."
        elif isinstance(each, Mapping):
            waiting += [(key, depth + 1) for key in each] + [(inner, depth + 1) for inner in each.values()]
        elif isinstance(each, Sequence):
            waiting += [(inner, depth + 1) for inner in each]
    return ""


def as_json(item: Item) -> str:
    """A source as it is kept."""
    return json.dumps(dict(item), ensure_ascii=False)


def revision_of(item: Item) -> str:
    """A short name for exactly these fields, by which it is known whether somebody changed them meanwhile."""
    return hashlib.sha256(as_json(item).encode()).hexdigest()[:16]
