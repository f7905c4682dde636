"""Findings of one page: everything in its text that is wrong or could be better, each with its place and what mends it.

The desk while somebody writes, and a check of a folder, find the same: what they find it with is a ``Wiki``, and
``Surroundings`` for what is no page.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, Protocol

from mokuji.core.assembly.inserts import assign
from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.base.findings import Problem
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Resolver, Sections, lookups, name_for, section_for, volumes_by_id
from mokuji.core.model.wiki import Volume, Wiki
from mokuji.core.reports.own_addresses import own_addresses, own_files
from mokuji.core.reports.sections import nearest
from mokuji.core.style.flaws import SAID_BY_FLAWS, Flaw, Mend, flaws
from mokuji.core.syntax import files as named_files
from mokuji.core.syntax.calls import call
from mokuji.core.syntax.reference import Kind, Reference

LOOKED_UP = 12
"""For so many unwritten names and missing sections something that looks alike is looked for."""
LONGEST_NAME = 8
"""Number of words in which a name behind an open bracket is looked for."""
UNCLOSED = "reference_unclosed"
_LINE_REST = re.compile(r"[^\r\n\[\]|#]{0,200}")
_WORD_END = re.compile(r"\w(?!\w)")
_LONE = re.compile(r"[^\r\n\[\]]{1,200}\](?!\])")

Sort = Literal["unwritten", "problem", "advice", "style"]


@dataclass(frozen=True, slots=True)
class PageFinding:
    """Something about a text: its code, what kind it is, a sentence, its place in code points, what mends it (the
    likeliest first); ``word`` is one that no dictionary knows."""

    code: str
    kind: Sort
    message: str
    span: Span
    mends: tuple[Mend, ...] = ()
    word: str = ""


@dataclass(frozen=True, slots=True)
class Led:
    """What a reference leads to: a page, a page without the section that is named, or nothing, as ``title`` says it.
    ``volume`` and ``key`` are the place of the name (0 for a volume that is not there)."""

    state: Literal["page", "section missing", "unwritten", "nowhere"]
    volume: int
    key: str
    title: str
    page: int = 0


class Surroundings(Protocol):
    """What a text names beside pages, and what is called nearly so; all keys are those of names."""

    def near_page(self, volume: int, key: str) -> PageHead | None:
        """The page of a volume whose name looks most like one that is not written."""
        ...

    def files(self, volume: int, keys: Collection[str]) -> Collection[str]:
        """Those of some keys that are files of a volume."""
        ...

    def near_file(self, volume: int, key: str) -> str | None:
        """The name of the file of a volume that is called nearly so."""
        ...

    def sources(self, keys: Collection[str]) -> Collection[str]:
        """Those of some keys that are in the list of sources."""
        ...

    def near_source(self, key: str) -> str | None:
        """The name of the source that is called nearly so."""
        ...

    def nobody(self, keys: Collection[str]) -> Mapping[str, str | None]:
        """Those of some handles that are nobody's, each with one that is called nearly so."""
        ...


def leads_of(wiki: Wiki, page: Page) -> list[Led]:
    """What each reference of a page leads to, in the order of its text. Lists lead nowhere."""
    homes = volumes_by_id(wiki)
    references = page.content.references
    resolver = Resolver.of(wiki, ((homes[page.head.volume], each) for each in references))
    found = [_led(page, reference, homes, resolver) for reference in references]
    wanted = {
        led.page for reference, led in zip(references, found, strict=True) if reference.section and led.page
    }
    keys = frozenset(wiki.volumes)
    targets = {**wiki.pages(wanted), page.head.id: page}
    sections = {id_: Sections.of(target, keys) for id_, target in targets.items() if id_ in wanted}
    for n, (reference, led) in enumerate(zip(references, found, strict=True)):
        insert = reference.kind is Kind.INSERT
        there = sections.get(led.page)
        if reference.section and there is not None and not there.holds(reference.section, insert=insert):
            found[n] = Led("section missing", led.volume, led.key, led.title, led.page)
    return found


def _led(page: Page, reference: Reference, homes: Mapping[int, Volume], resolver: Resolver) -> Led:
    if reference.kind is Kind.LISTING:
        return Led("nowhere", 0, "", "")
    if reference.name is None:
        return Led("page", page.head.volume, page.head.key, page.head.title, page.head.id)
    insert = reference.kind is Kind.INSERT
    resolution = resolver.resolve(reference.name, homes[page.head.volume], insert=insert)
    if resolution.page is not None:
        head = resolution.page
        return Led("page", head.volume, head.key, head.title, head.id)
    volume, key = resolution.place
    typed = reference.title_span if key == reference.name.title else reference.name_span
    return Led("unwritten", volume, key, names.unescape(typed.of(page.text)).strip(" /"))


def findings(
    wiki: Wiki,
    page: Page,
    leads: Sequence[Led],
    around: Surroundings,
    *,
    problems: Iterable[Problem] = (),
    origins: Collection[str] = (),
    style: Iterable[Flaw] = (),
) -> list[PageFinding]:
    """All findings of a page, in the order of its text (``in_wiki`` and ``in_itself``)."""
    found = [*in_wiki(wiki, page, leads, around, problems, origins), *in_itself(page, style)]
    return sorted(found, key=lambda each: (each.span, each.kind))


def in_itself(page: Page, style: Iterable[Flaw]) -> Iterator[PageFinding]:
    """What a page says badly, whatever there is beside it. ``style`` is where it does not keep to the house style."""
    for flaw in flaws(page):
        kind: Sort = "problem" if flaw.code in SAID_BY_FLAWS else "advice"
        yield PageFinding(flaw.code, kind, flaw.message, flaw.span, flaw.mends)
    for flaw in style:
        yield PageFinding(flaw.code, "style", flaw.message, flaw.span, flaw.mends, flaw.word)


def in_wiki(
    wiki: Wiki,
    page: Page,
    leads: Sequence[Led],
    around: Surroundings,
    problems: Iterable[Problem] = (),
    origins: Collection[str] = (),
) -> Iterator[PageFinding]:
    """What a page names that is not there or is another than it seems, and what could not be understood.

    ``leads`` says what its references lead to (``leads_of``). ``problems`` are those that reading and laying it out
    found; ``origins`` is how addresses of this wiki begin.
    """
    yield from _unwritten(wiki, page, leads, around)
    yield from _sections(wiki, page, leads)
    yield from _addresses(wiki, page, origins)
    yield from _ambiguous(wiki, page, leads)
    yield from _files(page, around)
    yield from _sources(page, around)
    yield from _people(page, around)
    told = [problem for problem in problems if problem.code not in SAID_BY_FLAWS]
    missing = dict(missing_values(wiki, page)) if any("slot" in problem.code for problem in told) else {}
    unclosed = dict(_unclosed(wiki, page, [problem.span for problem in told if problem.code == UNCLOSED]))
    for problem in told:
        mends = {"slot_missing": missing, UNCLOSED: unclosed}.get(problem.code, {}).get(problem.span, ())
        yield PageFinding(problem.code, "problem", problem.message, problem.span, mends)


def _pairs(page: Page, leads: Sequence[Led]) -> Iterator[tuple[Reference, Led]]:
    return zip(page.content.references, leads, strict=True)


def _unwritten(wiki: Wiki, page: Page, leads: Sequence[Led], around: Surroundings) -> Iterator[PageFinding]:
    told: set[tuple[int, str]] = set()
    by_id = volumes_by_id(wiki)
    home = by_id[page.head.volume]
    keys = [led.key for led in leads if led.state == "unwritten" and led.volume == home.id]
    keys = list(dict.fromkeys(keys))[:LOOKED_UP]
    heads = wiki.titles([(id_, key) for id_ in by_id if id_ != home.id for key in keys])
    # Of several the first volume by its name.
    there = {
        key: head for (id_, key), head in sorted(heads.items(), key=lambda each: by_id[each[0][0]].key)[::-1]
    }
    for reference, led in _pairs(page, leads):
        if led.state != "unwritten" or (led.volume, led.key) in told:
            continue
        told.add((led.volume, led.key))
        mends: tuple[Mend, ...] = ()
        said = f"“{led.title}” is not written yet"
        insert = reference.kind is Kind.INSERT
        elsewhere = there.get(led.key) if led.volume == home.id else None
        if elsewhere is not None:
            said += f"; “{by_id[elsewhere.volume].title}” has a page of this name"
            name = name_for(wiki, home, elsewhere, insert=insert)
            if name is not None:
                mends = (Mend("Refer to it", (Edit(reference.name_span, name),)),)
        if led.volume in by_id and len(told) <= LOOKED_UP:
            near = around.near_page(led.volume, led.key)
            name = name_for(wiki, home, near, insert=insert) if near is not None else None
            if near is not None and name is not None:
                mends += (Mend(f"Lead to “{near.title}”", (Edit(reference.name_span, name),)),)
        yield PageFinding("unwritten", "unwritten", said, reference.span, mends)


def _sections(wiki: Wiki, page: Page, leads: Sequence[Led]) -> Iterator[PageFinding]:
    broken = [(r, led) for r, led in _pairs(page, leads) if led.state == "section missing" and r.section_span]
    targets = wiki.pages({led.page for _, led in broken[:LOOKED_UP]})
    for reference, led in broken:
        target = page if reference.name is None else targets.get(led.page)
        mends: tuple[Mend, ...] = ()
        if target is not None and reference.section_span is not None:
            mends = tuple(
                Mend(f"Lead to “{each}”", (Edit(reference.section_span, names.escape_section(each)),))
                for each in nearest(target, reference.section or "", frozenset(wiki.volumes))
            )
        said = f"“{led.title}” has no section “{reference.section}”"
        yield PageFinding("section_missing", "problem", said, reference.span, mends)


def missing_values(wiki: Wiki, page: Page) -> Iterator[tuple[Span, tuple[Mend, ...]]]:
    """For inserts that lack a value: the slots that wait for one, put in."""
    home = volumes_by_id(wiki)[page.head.volume]
    inserts = [(n, r) for n, r in enumerate(page.content.references) if r.kind is Kind.INSERT and r.name]
    resolver = Resolver.of(wiki, ((home, reference) for _, reference in inserts))
    for index, reference in inserts:
        assert reference.name is not None
        head = resolver.resolve(reference.name, home, insert=True).page
        template = wiki.pages([head.id]).get(head.id) if head is not None else None
        if template is None or not template.content.declared.slots:
            continue
        given = call(page.text, page.content.references, index).values
        slots = template.content.declared.slots
        values, _ = assign(((v.name, v.span.of(page.text)) for v in given), slots, template.head.title)
        lack = [s.name for s in slots.values() if s.required and s.default is None and not values.get(s.name)]
        lack = [name for name in lack if name not in values]
        if lack:
            end = reference.span.end - 2
            several = "\n" in reference.span.of(page.text)
            at = end if several else len(page.text[:end].rstrip())
            words = (
                "".join(f"| {name}: \n" for name in lack) if several else "".join(f" | {n}: " for n in lack)
            )
            said = "Put in " + ", ".join(f"“{name}”" for name in lack)
            yield reference.span, (Mend(said, (Edit(Span(at, at), words),)),)


def _ambiguous(wiki: Wiki, page: Page, leads: Sequence[Led]) -> Iterator[PageFinding]:
    """References by an alias that several pages have: the first one counts, which the writer may not know."""
    home = volumes_by_id(wiki)[page.head.volume]
    asked = [
        (reference, led, lookups(reference.name, home, wiki.volumes, insert=reference.kind is Kind.INSERT))
        for reference, led in _pairs(page, leads)
        if reference.name is not None
        and led.page
        and led.key not in {reference.name.key, reference.name.title}
    ]
    named = wiki.aliases({place for _, _, places in asked for place in places}) if asked else {}
    told: set[Span] = set()
    for reference, led, places in asked:
        heads = next(
            (named[place] for place in places if led.page in {h.id for h in named.get(place, ())}), ()
        )
        if len(heads) < 2 or reference.name_span in told:
            continue
        told.add(reference.name_span)
        typed = names.unescape(reference.name_span.of(page.text)).strip()
        mends = []
        for head in heads[:3]:
            name = name_for(wiki, home, head, insert=reference.kind is Kind.INSERT)
            if name is not None:
                mends.append(Mend(f"Lead to “{head.title}”", (Edit(reference.name_span, name),)))
        others = " and ".join(f"“{head.title}”" for head in heads if head.id != led.page)
        said = f"“{typed}” is another name of {len(heads)} pages: it leads to “{led.title}”, not to {others}"
        yield PageFinding("ambiguous", "advice", said, reference.span, tuple(mends))


def _files(page: Page, around: Surroundings) -> Iterator[PageFinding]:
    """Files that the page names and the volume does not have, each with the one that is called nearly so."""
    named = page.content.destinations
    known = around.files(page.head.volume, {destination.key for destination in named}) if named else ()
    for destination in named:
        if destination.key in known:
            continue
        near = around.near_file(page.head.volume, destination.key)
        mends = (Mend(f"Name “{near}”", (destination.called(near),)),) if near is not None else ()
        said = f"There is no file “{destination.name}” in this volume"
        yield PageFinding("file_missing", "problem", said, destination.span, mends)


def _sources(page: Page, around: Surroundings) -> Iterator[PageFinding]:
    """What is neither a footnote of the page nor in the list of sources, each with the source that is called nearly
    so."""
    cites = page.content.cites
    known = around.sources({cite.key for cite in cites}) if cites else ()
    for cite in cites:
        if cite.key not in known:
            near = around.near_source(cite.key)
            mends = (
                (Mend(f"Cite “{near}”", (Edit(cite.span, cite.called(near)),)),) if near is not None else ()
            )
            said = f"“{cite.name}” is neither a footnote of this page nor in the list of sources"
            yield PageFinding("source_missing", "problem", said, cite.span, mends)


def _people(page: Page, around: Surroundings) -> Iterator[PageFinding]:
    """Handles that are nobody's, each with the one that is called nearly so."""
    handles = page.content.handles
    nobody = around.nobody({each.key for each in handles}) if handles else {}
    for each in handles:
        if each.key in nobody:
            near = nobody[each.key]
            mends = (Mend(f"Name @{near}", (Edit(each.span, f"@{near}"),)),) if near is not None else ()
            yield PageFinding(
                "nobody", "advice", f"Nobody here has the handle “{each.name}”", each.span, mends
            )


def _unclosed(wiki: Wiki, page: Page, spans: Sequence[Span]) -> Iterator[tuple[Span, tuple[Mend, ...]]]:
    """Brackets that are not closed: behind the longest run of words that names a page, or at a lone bracket; or else
    they are meant as text."""
    text, volume = page.text, page.head.volume
    runs: dict[Span, list[tuple[int, str]]] = {}
    for span in spans[:LOOKED_UP]:
        line = _LINE_REST.match(text, span.end)
        rest = line[0] if line is not None else ""
        ends = [found.end() for found in _WORD_END.finditer(rest)][:LONGEST_NAME]
        runs[span] = [(span.end + end, names.key(rest[:end].lstrip("="))) for end in reversed(ends)]
    places = {(volume, key) for listed in runs.values() for _, key in listed}
    known = {**wiki.titles(places), **wiki.aliases(places)} if places else {}
    for span, listed in runs.items():
        mends = [Mend("Make them plain brackets", (Edit(span, "\\[\\["),))]
        lone = _LONE.match(text, span.end)
        close = next((end for end, key in listed if (volume, key) in known), None)
        if lone is not None:
            mends.insert(0, Mend("Close it", (Edit(Span(lone.end(), lone.end()), "]"),)))
        elif close is not None:
            words = text[span.end : close].lstrip("=")
            mends.insert(0, Mend(f"Close it behind “{words}”", (Edit(Span(close, close), "]]"),)))
        yield span, tuple(mends)


def _addresses(wiki: Wiki, page: Page, origins: Collection[str]) -> Iterator[PageFinding]:
    if not origins:
        return
    own = list(own_addresses(page, origins, wiki.volumes))
    known = wiki.titles({address.place for address in own})
    home = volumes_by_id(wiki)[page.head.volume]
    for address in own:
        head = known.get(address.place)
        name = name_for(wiki, home, head) if head is not None else None
        if head is not None and name is not None:
            label = f"|{address.words}" if address.words and names.key(address.words) != head.key else ""
            section = (
                section_for(wiki, wiki.pages([head.id])[head.id], address.section) if address.section else ""
            )
            leads = f"{name}#{section}" if section else name
            mend = Mend("Make it a reference", (Edit(address.span, f"[[{leads}{label}]]"),))
            said = f"This address is a page of this wiki: “{head.title}”"
            yield PageFinding("own_address", "advice", said, address.span, (mend,))
    for named in own_files(page, origins, wiki.volumes):
        file, span = named.name, named.span
        to = named_files.destination(file)
        if named.picture:
            # Only the address is exchanged: description, title and width stay.
            at = span.of(page.text).rfind(named.picture)
            where = Span(span.start + at, span.start + at + len(named.picture))
            edits = (Edit(where, to),) if at >= 0 else ()
        else:
            shown = re.sub(r"[\[\]\n]", " ", named.words) if named.words.strip() else file
            edits = (Edit(span, f"[{shown}]({to})"),)
        mends = (Mend("Name the file", edits),) if edits else ()
        yield PageFinding(
            "own_file", "advice", f"This address is a file of this volume: “{file}”", span, mends
        )
