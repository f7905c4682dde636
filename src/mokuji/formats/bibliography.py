"""Lists of sources as files: CSL-JSON and BibTeX, in and out.

CSL-JSON goes through as it is (fields that Mokuji does not know are kept).
BibTeX is read and written by pybtex; its types and fields are matched with
those of CSL as is common practice.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import pybtex.errors
from pybtex.database import BibliographyData, Entry, Person
from pybtex.database.input.bibtex import Parser
from pybtex.database.output.bibtex import Writer
from pybtex.exceptions import PybtexError
from pybtex.richtext import Text

from mokuji.core.base.errors import BadFile
from mokuji.core.model.sources import LONGEST, Item, fault_of, is_web_address, presentable
from mokuji.formats import apart

MOST_BYTES = 5_000_000
SECONDS = 30.0
"""So long reading may take."""
MOST = 20_000
"""Maximum number of sources of one file."""
_TYPES = {
    "article": "article-journal",
    "book": "book",
    "booklet": "book",
    "inbook": "chapter",
    "incollection": "chapter",
    "inproceedings": "paper-conference",
    "conference": "paper-conference",
    "manual": "document",
    "mastersthesis": "thesis",
    "phdthesis": "thesis",
    "thesis": "thesis",
    "techreport": "report",
    "report": "report",
    "standard": "standard",
    "online": "webpage",
    "electronic": "webpage",
    "unpublished": "document",
    "misc": "document",
}
_BACK = {
    "article-journal": "article",
    "book": "book",
    "chapter": "incollection",
    "paper-conference": "inproceedings",
    "thesis": "phdthesis",
    "report": "techreport",
}
_FIELDS = {
    "title": "title",
    "journal": "container-title",
    "booktitle": "container-title",
    "publisher": "publisher",
    "institution": "publisher",
    "school": "publisher",
    "organization": "publisher",
    "address": "publisher-place",
    "volume": "volume",
    "number": "issue",
    "pages": "page",
    "edition": "edition",
    "doi": "DOI",
    "isbn": "ISBN",
    "issn": "ISSN",
    "url": "URL",
    "note": "note",
    "abstract": "abstract",
}
_AS_TYPED = {"url", "doi", "isbn", "issn"}
_MONTHS = "january february march april may june july august september october november december".split()
_ENTRY = re.compile(r"^[^\S\n]*@[^\S\n]*\w+[^\S\n]*[{(]", re.MULTILINE)
_URL = re.compile(r"\\url\{([^{}]*)\}")
_SPECIAL = re.compile(r"[&%$#_]")
_NAMED = {"\\": "\\textbackslash ", "~": "\\textasciitilde ", "^": "\\textasciicircum "}
_NAMED |= {"{": "\\textbraceleft ", "}": "\\textbraceright "}
_LEFT = re.compile(
    r"\\(\$|(?:textbackslash|textasciitilde|textasciicircum|textbraceleft|textbraceright)(?![A-Za-z]) ?)"
)
_MEANT = {each[1:]: character for character, each in _NAMED.items()}
_MEANT |= {each.rstrip(): character for each, character in _MEANT.items()} | {"$": "$"}


@dataclass(frozen=True)
class Read:
    """What a file holds: sources by the names that they have there (empty: none), in order; and what could not be read,
    each a sentence."""

    items: tuple[tuple[str, dict[str, Any]], ...]
    problems: tuple[str, ...]


def read(data: bytes) -> Read:
    """A file of sources, whichever of the two it is, read by a process of its own. BadFile if it is neither, or too
    large; OverTime if it takes too long. Sources that cannot be kept are among the problems, one by one."""
    if len(data) > MOST_BYTES:
        raise BadFile(f"The file has more than {MOST_BYTES / 1e6:.0f} MB. Part it.", code="bad_sources")
    _, out = apart.do("bibliography", {}, data, seconds=SECONDS)
    items, problems = json.loads(out)
    kept: list[tuple[str, dict[str, Any]]] = []
    for name, item in items:
        wrong = fault_of(item) or fault_of(name)
        if wrong:
            problems.append(f"“{presentable(name) or item.get('title')}” was left out: {wrong}")
            continue
        address = item.get("URL")
        if address and not is_web_address(str(address)):
            problems.append(
                f"“{name or item['title']}” came without its address: “{address}” is none of the web."
            )
            del item["URL"]
        kept.append((name, item))
    return Read(tuple(kept), tuple(map(presentable, problems)))


def read_here(data: bytes) -> Read:
    """As ``read``, in this very process and without looking at each source: for ``apart`` only."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    if text.lstrip()[:1] in {"[", "{"}:
        return _read_json(text)
    if _ENTRY.search(text):
        return _read_bibtex(text)
    raise BadFile(
        "The file is neither CSL-JSON (a list of items in brackets) nor BibTeX (entries that begin with “@”).",
        code="bad_sources",
    )


def _read_json(text: str) -> Read:
    try:
        told = json.loads(text)
    except (ValueError, RecursionError) as fault:
        raise BadFile(f"The file cannot be read as JSON: {fault}.", code="bad_sources") from fault
    if isinstance(told, dict):
        told = told.get("items", [told])
    if not isinstance(told, list):
        raise BadFile("The file holds no list of sources.", code="bad_sources")
    items: list[tuple[str, dict[str, Any]]] = []
    problems: list[str] = []
    for n, each in enumerate(told, 1):
        if not isinstance(each, dict) or not each.get("title"):
            problems.append(f"Number {n} of the list is no source with a title.")
        elif len(json.dumps(each)) > LONGEST:
            problems.append(f"Number {n} of the list is larger than {LONGEST:,} characters.")
        else:
            name = str(each.get("citation-key") or each.get("id") or "")
            items.append(
                (name, {key: value for key, value in each.items() if key not in {"id", "citation-key"}})
            )
    return _bounded(items, problems)


def _bounded(items: list[tuple[str, dict[str, Any]]], problems: list[str]) -> Read:
    if len(items) > MOST:
        raise BadFile(f"The file has {len(items):,} sources; {MOST:,} is the most.", code="bad_sources")
    return Read(tuple(items), tuple(problems))


def _read_bibtex(text: str) -> Read:
    problems: list[str] = []
    with pybtex.errors.capture() as faults:
        try:
            found = Parser(encoding="utf-8").parse_string(text)
        except PybtexError as fault:
            raise BadFile(f"The file cannot be read as BibTeX: {fault}.", code="bad_sources") from fault
    problems += [f"{str(fault)[:1].upper()}{str(fault)[1:]}." for fault in faults]
    items: list[tuple[str, dict[str, Any]]] = []
    for name, entry in found.entries.items():
        item = _item(entry)
        if item.get("title"):
            items.append((name, item))
        else:
            problems.append(f"“{name}” has no title.")
    return _bounded(items, problems)


def _item(entry: Entry) -> dict[str, Any]:
    item: dict[str, Any] = {"type": _TYPES.get(entry.type.lower(), "document")}
    for role in ("author", "editor"):
        people = [_name(person) for person in entry.persons.get(role, ())]
        if people:
            item[role] = people
    fields = {key.lower(): value for key, value in entry.fields.items()}
    for field, csl in _FIELDS.items():
        if field in fields and csl not in item:
            value = fields[field] if field in _AS_TYPED else _plain(fields[field])
            item[csl] = re.sub("--?|–", "-", value) if field == "pages" else value
    if item["type"] == "report" and "issue" in item:
        item["number"] = item.pop("issue")
    link = _URL.search(fields.get("howpublished", ""))
    if link is not None and "URL" not in item:
        item["URL"] = link[1]
    issued = _date(fields.get("date", ""), fields.get("year", ""), fields.get("month", ""))
    if issued:
        item["issued"] = {"date-parts": [issued]}
    elif fields.get("year"):
        item["issued"] = {"literal": _plain(fields["year"])}
    accessed = _date(fields.get("urldate", ""), "", "")
    if accessed:
        item["accessed"] = {"date-parts": [accessed]}
    return item


def _plain(latex: str) -> str:
    """LaTeX as plain words."""
    latex = _URL.sub(r"\1", latex)
    try:
        words = str(Text.from_latex(latex))
        # What the decoder leaves as it is.
        words = _LEFT.sub(lambda found: _MEANT[found[1]], words)
        return " ".join(words.split())
    except (PybtexError, ValueError, TypeError):
        return " ".join(latex.replace("{", "").replace("}", "").split())


def _name(person: Person) -> dict[str, str]:
    family = _plain(" ".join(person.last_names))
    given = _plain(" ".join([*person.first_names, *person.middle_names]))
    if not given and not person.prelast_names:
        return {"literal": family}
    told = {"family": family, "given": given}
    if person.prelast_names:
        told["non-dropping-particle"] = _plain(" ".join(person.prelast_names))
    if person.lineage_names:
        told["suffix"] = _plain(" ".join(person.lineage_names))
    return {key: value for key, value in told.items() if value}


def _date(date: str, year: str, month: str) -> list[int]:
    match = re.match(r"(\d{4})(?:-(\d{2}))?(?:-(\d{2}))?", date.strip())
    if match is not None:
        return [int(part) for part in match.groups() if part]
    if not year.strip().isdecimal():
        return []
    parts = [int(year)]
    word = month.strip().lower()
    number = next((n for n, name in enumerate(_MONTHS, 1) if len(word) > 2 and name.startswith(word[:3])), 0)
    if word.isdecimal() and 1 <= int(word) <= 12:
        number = int(word)
    return [*parts, number] if number else parts


def write_json(sources: Iterable[tuple[str, Item]]) -> str:
    """Sources as CSL-JSON, each with its name as ``id``."""
    told = [{"id": name, **item} for name, item in sources]
    return json.dumps(told, ensure_ascii=False, indent=2) + "\n"


def write_bibtex(sources: Iterable[tuple[str, Item]]) -> str:
    """Sources as BibTeX in UTF-8, each with its name as key."""
    entries = {_key(name): _entry(item) for name, item in sources}
    return str(_AsTold(encoding="utf-8").to_string(BibliographyData(entries=entries)))


class _AsTold(Writer):  # type: ignore[misc]
    """What is written was made LaTeX here already; addresses and identifiers are none."""

    def _encode(self, text: str) -> str:
        return text


def _key(name: str) -> str:
    """A name as a key of BibTeX, which holds no commas, braces, quotes and the like."""
    return re.sub(r"[{},\"#%~\\'()=]", "-", name)


def _entry(item: Item) -> Entry:
    kind = _BACK.get(str(item.get("type")), "misc")
    fields: dict[str, str] = {}
    for field, csl in _FIELDS.items():
        value = item.get(csl)
        if isinstance(value, str | int) and str(value) and csl not in {_FIELDS[each] for each in fields}:
            name = field
            if csl == "container-title":
                name = "journal" if kind in {"article", "misc"} else "booktitle"
            if csl == "publisher":
                name = {"techreport": "institution", "phdthesis": "school"}.get(kind, "publisher")
            bare = str(value).replace("{", "%7B").replace("}", "%7D")
            fields[name] = bare if name in _AS_TYPED else _escaped(str(value))
    if "title" in fields:
        fields["title"] = f"{{{fields['title']}}}"  # capitals stay
    if item.get("number") and "number" not in fields:
        fields["number"] = _escaped(str(item["number"]))
    if "pages" in fields:
        fields["pages"] = fields["pages"].replace("–", "--").replace("-", "--").replace("----", "--")
    for csl, field in (("issued", "date"), ("accessed", "urldate")):
        parts = _parts(item.get(csl))
        if parts:
            fields[field] = "-".join(f"{part:02d}" if n else f"{part:04d}" for n, part in enumerate(parts))
        if parts and csl == "issued":
            fields["year"] = str(parts[0])
    people = {
        role: [_person(each) for each in item.get(role, ()) if isinstance(each, Mapping)]
        for role in ("author", "editor")
        if isinstance(item.get(role), list)
    }
    return Entry(kind, fields=fields, persons=people)


def _parts(value: object) -> list[int]:
    parts = value.get("date-parts") if isinstance(value, Mapping) else None
    first = parts[0] if isinstance(parts, list) and parts and isinstance(parts[0], list) else []
    return [int(part) for part in first if str(part).isdecimal()][:3]


def _person(name: Mapping[str, Any]) -> Person:
    if not name.get("family"):
        return Person(last=f"{{{_escaped(str(name.get('literal') or name.get('given') or ''))}}}")
    particle = name.get("non-dropping-particle") or name.get("dropping-particle") or ""
    return Person(
        first=_escaped(str(name.get("given") or "")),
        prelast=_escaped(str(particle)),
        last="".join(_whole(str(name["family"]))),
        lineage=_escaped(str(name.get("suffix") or "")),
    )


def _whole(family: str) -> Iterator[str]:
    """A family name of several words stays one."""
    yield f"{{{_escaped(family)}}}" if " " in family else _escaped(family)


def _escaped(words: str) -> str:
    """Words as LaTeX: its special characters written so that they mean themselves."""
    return "".join(_NAMED.get(word) or _SPECIAL.sub(r"\\\g<0>", word) for word in words)
