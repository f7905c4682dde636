"""Lists of pages that a page shows: ``[[=* | category: Sensors | status: draft | show: owner | sort: title]]``.

``category`` and any field of the front matter choose pages, ``show`` names
the columns of a table, ``sort`` a field or ``title``, ``changed`` or ``number``,
``limit`` how many, ``as`` table or list, ``volume`` another volume.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from mokuji.core.assembly.inserts import Fault
from mokuji.core.base import names
from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import Volume
from mokuji.core.syntax.front_matter import FrontMatter

MOST = 500
"""Maximum number of pages of a list."""
USUAL = 100
"""Number of pages that are shown if nothing is said."""
KNOWN = ("category", "find", "question", "show", "sort", "limit", "as", "volume")
NOT_FIELDS = {"aliases", "categories", "slots", "template", "gives", "broader", "contents", "terms"}
"""Front matter that says what a page is, rather than a field of it."""
LONGEST = 300
"""Maximum number of code points of a field's value that are kept for lists."""


@dataclass(frozen=True, slots=True)
class Query:
    """What a list is of. ``filters`` are keys of values by field; ``sort`` begins with “-” for the other way round,
    “found” is the order in which a question finds pages. ``find`` is a question, ``question`` the name of one that is
    kept."""

    categories: tuple[str, ...] = ()
    filters: Mapping[str, str] = field(default_factory=dict)
    show: tuple[str, ...] = ()
    sort: str = "title"
    limit: int = USUAL
    table: bool = False
    volume: str = ""
    find: str = ""
    question: str = ""

    @property
    def asks(self) -> bool:
        """Whether a question chooses the pages."""
        return bool(self.find or self.question)


def read(values: Iterable[tuple[str | None, str]]) -> tuple[Query, list[Fault]]:
    """The query that a listing's values make, and what of it is not understood."""
    faults: list[Fault] = []
    categories: list[str] = []
    filters: dict[str, str] = {}
    told: dict[str, str] = {}

    def say(message: str) -> None:
        faults.append(Fault("listing", message))

    for name, value in values:
        words = " ".join(value.split())
        if name is None:
            if words:
                say(f"A list does not know what “{words}” is: write “category: {words}”.")
        elif name == "category":
            categories += [key for each in words.split(",") if (key := names.key(each))]
        elif name in KNOWN:
            told[name] = words
        else:
            filters[name] = names.key(words)
    limit = told.get("limit", str(USUAL))
    if not limit.isdecimal() or not 0 < int(limit[:6]) <= MOST:
        say(f"“limit” is a number from 1 to {MOST}, not “{limit}”.")
        limit = str(USUAL)
    shape = told.get("as", "table" if told.get("show") else "list")
    if shape not in {"table", "list"}:
        say(f"A list is shown as “table” or as “list”, not as “{shape}”.")
    find, question = told.get("find", ""), told.get("question", "")
    if not (categories or filters or find or question):
        say("A list needs a category, a field or a question to choose pages by.")
    if find and question:
        say("A list is of one question: “find” gives it, or “question” names one that is kept.")
    show = tuple(each.strip() for each in told.get("show", "").split(",") if each.strip())
    query = Query(
        tuple(categories),
        filters,
        show,
        told.get("sort", "found" if find or question else "title"),
        int(limit),
        shape == "table",
        told.get("volume", ""),
        find,
        question,
    )
    return query, faults


@dataclass(frozen=True, slots=True)
class ListedPage:
    """A page that is listed: its head, its summary, its fields, and the day of its last change if that is shown."""

    head: PageHead
    summary: str
    fields: Mapping[str, str]
    changed: str = ""


@dataclass(frozen=True)
class Listing:
    """A list as it is shown: what it is of, its rows, the volume that they stand in, and what is wrong about it."""

    query: Query
    volume: Volume
    rows: tuple[ListedPage, ...]
    faults: tuple[Fault, ...]


def arrange(rows: Sequence[ListedPage], query: Query) -> tuple[list[ListedPage], list[Fault]]:
    """The rows in the order that is asked for, no more than the limit, and what of the query none of them has."""
    faults: list[Fault] = []
    known = {name for row in rows for name in row.fields}
    for name in query.show:
        if rows and name not in known and name not in {"title", "summary", "changed"}:
            faults.append(Fault("listing", f"None of these pages has a field “{name}”."))
    sort = query.sort.removeprefix("-").strip()
    if sort == "found" and query.asks:
        return list(rows)[: query.limit], faults
    if rows and sort not in {"title", "changed"} and sort not in known:
        faults.append(Fault("listing", f"None of these pages has a field “{sort}” to be sorted by."))

    def of(row: ListedPage) -> tuple[bool, str, str]:
        value = {"title": row.head.title, "changed": row.changed}.get(sort, row.fields.get(sort, ""))
        return (not value, names.key(value), row.head.key)

    listed = sorted(rows, key=of)
    if query.sort.startswith("-"):
        listed = [r for r in reversed(listed) if not of(r)[0]] + [r for r in listed if of(r)[0]]
    return listed[: query.limit], faults


def fields(front: FrontMatter) -> dict[str, list[str]]:
    """The fields of a page: every value of each, as typed; what only says how a page is made is left out."""
    found: dict[str, list[str]] = {}
    for name, value in front.fields.items():
        if name in NOT_FIELDS or not names.is_storable(name) or len(name) > 100:
            continue
        values: list[Any] = value if isinstance(value, list) else [value]
        said = [
            each.strip()
            for each in values
            if isinstance(each, str) and each.strip() and names.is_storable(each)
        ]
        if said:
            found[name] = [each[:LONGEST] for each in said[:50]]
    return found
