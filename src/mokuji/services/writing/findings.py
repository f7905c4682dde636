"""Findings while somebody writes: everything that is wrong or could be better in a text, each with what mends it.

From the same core as the reports: problems of the language, faults of inserts, names that are not written, sections
that are gone, addresses of this wiki, flaws of structure.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

from mokuji.core.assembly.inserts import assign
from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.base.spans import Lines, Span
from mokuji.core.language import files as named_files
from mokuji.core.language.calls import call
from mokuji.core.language.destinations import destinations
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.reference import Kind
from mokuji.core.model.policy import Actor
from mokuji.core.model.references import Resolver, lookups, name_for
from mokuji.core.refactor.plans.link import section_for
from mokuji.core.reports.own_addresses import own_addresses, own_files
from mokuji.core.reports.sections import nearest
from mokuji.core.style.flaws import SAID_BY_FLAWS, Mend, flaws
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.reading.house_styles import style_of
from mokuji.services.reading.page_style import found_in
from mokuji.services.reading.rendering import PlacedProblem
from mokuji.services.writing.sources import without_source
from mokuji.services.writing.writing import Preview
from mokuji.store import files, people
from mokuji.store import sources as stored_sources
from mokuji.store.database import Connection, reading
from mokuji.store.index import search
from mokuji.store.snapshot import StoredWiki

LOOKED_UP = 12
"""For so many unwritten names and missing sections something that looks alike is looked for."""
LIKE = 0.6
"""How alike the words of two sections must be (as ``difflib`` counts) to be offered."""
MOST_SOURCES = 5_000
"""Among so many sources one that is called nearly so is looked for."""
LONGEST_NAME = 8
"""Number of words in which a name behind an open bracket is looked for."""
UNCLOSED = "reference_unclosed"
_LINE_REST = re.compile(r"[^\r\n\[\]|#]{0,200}")
_WORD_END = re.compile(r"\w(?!\w)")
_LONE = re.compile(r"[^\r\n\[\]]{1,200}\](?!\])")


_Found = tuple[str, str, Span, tuple[Mend, ...]]


@dataclass(frozen=True, slots=True)
class Finding:
    """Something about a text: what kind (“unwritten”, “problem”, “advice” or “style”), a sentence, its place, its
    mends; ``word`` is one that no dictionary knows, for which corrections can be asked."""

    kind: str
    message: str
    span: Span
    line: int
    mends: tuple[Mend, ...] = ()
    word: str = ""


def findings(
    app: AppContext,
    actor: Actor,
    seen: Preview,
    problems: Collection[PlacedProblem],
    origins: Collection[str],
) -> list[Finding]:
    """All findings of a previewed text, in its order. ``problems`` are those that its rendering found, ``origins``
    how addresses of this wiki begin."""
    page = seen.ready.page
    lines = Lines(page.text)
    found: list[_Found] = []
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        wiki = StoredWiki(connection, context.volumes)
        found += _unwritten(context, wiki, seen)
        found += _sections(wiki, seen)
        found += _addresses(wiki, page, origins)
        found += _ambiguous(context, wiki, seen)
        found += _files(connection, page)
        found += _sources(connection, page)
        found += _people(connection, page)
        style = style_of(connection, next(v for v in context.volumes.values() if v.id == page.head.volume))
        missing = dict(_missing(wiki, page)) if any("slot" in p.problem.code for p in problems) else {}
        unclosed = dict(
            _unclosed(wiki, page, [p.problem.span for p in problems if p.problem.code == UNCLOSED])
        )
    for problem in problems:
        if problem.problem.code not in SAID_BY_FLAWS:
            by_code = {"slot_missing": missing, UNCLOSED: unclosed}.get(problem.problem.code, {})
            mends = by_code.get(problem.problem.span, ())
            found.append(("problem", problem.problem.message, problem.problem.span, mends))
    for flaw in flaws(page):
        kind = "problem" if flaw.code in SAID_BY_FLAWS else "advice"
        found.append((kind, flaw.message, flaw.span, flaw.mends))
    listed = [Finding(kind, said, span, lines.position(span.start).line, m) for kind, said, span, m in found]
    listed += [
        Finding("style", flaw.message, flaw.span, lines.position(flaw.span.start).line, flaw.mends, flaw.word)
        for flaw in found_in(page, style)
    ]
    return sorted(listed, key=lambda each: (each.span, each.kind))


def _unwritten(context: ReadContext, wiki: StoredWiki, seen: Preview) -> Iterator[_Found]:
    page = seen.ready.page
    told: set[tuple[str, str]] = set()
    by_id = {each.id: each for each in context.volumes.values()}
    home = by_id[page.head.volume]
    keys = [link.key for link in seen.links if link.state == "unwritten" and link.volume == home.key]
    keys = list(dict.fromkeys(keys))[:LOOKED_UP]
    heads = wiki.titles([(id_, key) for id_ in by_id if id_ != home.id for key in keys])
    # Of several the first volume by its name.
    there = {
        key: head for (id_, key), head in sorted(heads.items(), key=lambda each: by_id[each[0][0]].key)[::-1]
    }
    for reference, link in zip(page.content.references, seen.links, strict=True):
        if link.state != "unwritten" or (link.volume, link.key) in told:
            continue
        told.add((link.volume, link.key))
        mends: tuple[Mend, ...] = ()
        said = f"“{link.title}” is not written yet"
        elsewhere = there.get(link.key) if link.volume == home.key else None
        if elsewhere is not None:
            other = by_id[elsewhere.volume]
            said += f"; “{other.title}” has a page of this name"
            name = name_for(wiki, home, elsewhere, insert=reference.kind is Kind.INSERT)
            if name is not None:
                mends = (Mend("Refer to it", (Edit(reference.name_span, name),)),)
        volume = context.volumes.get(link.volume)
        if volume is not None and len(told) <= LOOKED_UP:
            near = _near(context.connection, link.key, volume.id)
            name = (
                name_for(wiki, home, near, insert=reference.kind is Kind.INSERT) if near is not None else None
            )
            if near is not None and name is not None:
                mends += (Mend(f"Lead to “{near.title}”", (Edit(reference.name_span, name),)),)
        yield "unwritten", said, reference.span, mends


def _near(connection: Connection, key: str, volume: int) -> PageHead | None:
    """The page of a volume whose name looks most like one that is not written."""
    for named_page in search.by_name(connection, key, [volume], most=3):
        if named_page.near or difflib.SequenceMatcher(None, named_page.key, key).ratio() >= LIKE:
            return PageHead(named_page.page, named_page.volume, named_page.key, named_page.title)
    return None


def _sections(wiki: StoredWiki, seen: Preview) -> Iterator[_Found]:
    page = seen.ready.page
    broken = [
        (reference, link)
        for reference, link in zip(page.content.references, seen.links, strict=True)
        if link.state == "broken" and reference.section_span is not None
    ]
    targets = wiki.pages({link.page for _, link in broken[:LOOKED_UP]})
    for reference, link in broken:
        target = page if reference.name is None else targets.get(link.page)
        mends: tuple[Mend, ...] = ()
        if target is not None and reference.section_span is not None:
            like = nearest(target, reference.section or "", frozenset(wiki.volumes))
            mends = tuple(
                Mend(f"Lead to “{each}”", (Edit(reference.section_span, names.escape_section(each)),))
                for each in like
            )
        yield "problem", f"“{link.title}” has no section “{reference.section}”", reference.span, mends


def _missing(wiki: StoredWiki, page: Page) -> Iterator[tuple[Span, tuple[Mend, ...]]]:
    """For inserts that lack a value: the slots that wait for one, put in."""
    home = next(volume for volume in wiki.volumes.values() if volume.id == page.head.volume)
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


def _ambiguous(context: ReadContext, wiki: StoredWiki, seen: Preview) -> Iterator[_Found]:
    """References by an alias that several pages have: the first one counts, which the writer may not know."""
    page = seen.ready.page
    home = next(volume for volume in context.volumes.values() if volume.id == page.head.volume)
    asked = [
        (reference, link, lookups(reference.name, home, wiki.volumes, insert=reference.kind is Kind.INSERT))
        for reference, link in zip(page.content.references, seen.links, strict=True)
        if reference.name is not None
        and link.page
        and link.key not in {reference.name.key, reference.name.title}
    ]
    named = wiki.aliases({place for _, _, places in asked for place in places}) if asked else {}
    told: set[Span] = set()
    for reference, link, places in asked:
        heads = next(
            (named[place] for place in places if link.page in {h.id for h in named.get(place, ())}), ()
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
        others = " and ".join(f"“{head.title}”" for head in heads if head.id != link.page)
        said = f"“{typed}” is another name of {len(heads)} pages: it leads to “{link.title}”, not to {others}"
        yield "advice", said, reference.span, tuple(mends)


def _files(connection: Connection, page: Page) -> Iterator[_Found]:
    """Files that the page names and the volume does not have, each with the one that is called nearly so."""
    named = destinations(page.text, page.content)
    known = files.called(connection, page.head.volume, {destination.key for destination in named})
    for destination in named:
        if destination.key in known:
            continue
        near = files.near(connection, page.head.volume, destination.key)
        mends: tuple[Mend, ...] = ()
        if near is not None:
            mends = (Mend(f"Name “{near.name}”", (destination.called(near.name),)),)
        yield "problem", f"There is no file “{destination.name}” in this volume", destination.span, mends


def _sources(connection: Connection, page: Page) -> Iterator[_Found]:
    """What is neither a footnote of the page nor in the list of sources, each with the source that is called nearly
    so."""
    missing = without_source(connection, page)
    known = stored_sources.keys(connection)[:MOST_SOURCES] if missing else []
    for cite in page.content.cites:
        if cite.key in missing:
            near = difflib.get_close_matches(cite.key, known, 1, LIKE)
            mends = tuple(Mend(f"Cite “{name}”", (Edit(cite.span, cite.called(name)),)) for name in near)
            said = f"“{cite.name}” is neither a footnote of this page nor in the list of sources"
            yield "problem", said, cite.span, mends


def _people(connection: Connection, page: Page) -> Iterator[_Found]:
    """Handles that are nobody's, each with the one that is called nearly so."""
    if not page.content.handles:
        return
    known = people.names_by_handle(connection)
    for each in page.content.handles:
        if each.key not in known:
            near = difflib.get_close_matches(each.key, known, 1, LIKE)
            mends = tuple(Mend(f"Name @{handle}", (Edit(each.span, f"@{handle}"),)) for handle in near)
            yield "advice", f"Nobody has the handle “{each.name}”", each.span, mends


def _unclosed(wiki: StoredWiki, page: Page, spans: Sequence[Span]) -> Iterator[tuple[Span, tuple[Mend, ...]]]:
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


def _addresses(wiki: StoredWiki, page: Page, origins: Collection[str]) -> Iterator[_Found]:
    own = list(own_addresses(page, origins, wiki.volumes))
    known = wiki.titles({address.place for address in own})
    home = next(volume for volume in wiki.volumes.values() if volume.id == page.head.volume)
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
            yield "advice", f"This address is a page of this wiki: “{head.title}”", address.span, (mend,)
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
        yield "advice", f"This address is a file of this volume: “{file}”", span, mends
