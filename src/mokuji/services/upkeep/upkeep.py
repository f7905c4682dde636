"""Upkeep: what there is to mend in a volume. Each report can be had a page at a time, by key.

Orphans, what is out of reach and unwritten names are kept in step with every
write (``store.index.upkeep``). The others read texts. They are made whole and kept: in
a small volume at once, when somebody of the wiki looks and something was changed
since; in a larger one by a job (``services.upkeep.jobs``). Who has not signed in sees
what is kept, and starts nothing.
"""

from __future__ import annotations

import hashlib
import time
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from mokuji.adapters.diagrams import Drawn, draw, known
from mokuji.core.assembly.inserts import select
from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.base.spans import Lines, Span
from mokuji.core.language.destinations import destinations
from mokuji.core.language.excerpt import REACH, Excerpt, excerpt
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.reference import Reference
from mokuji.core.model.assets import Asset
from mokuji.core.model.assets import Sort as AssetSort
from mokuji.core.model.categories import tree
from mokuji.core.model.policy import Actor, Permission, Role
from mokuji.core.model.wiki import Place, Volume
from mokuji.core.reports import bare_mentions as mentions
from mokuji.core.reports import own_addresses as addresses
from mokuji.core.reports.files import files_used
from mokuji.core.reports.insert_faults import faulty_inserts
from mokuji.core.reports.look_alikes import Named, Pair, Sort, look_alikes
from mokuji.core.reports.repeats import Repeat, repeats
from mokuji.core.reports.sections import broken_sections, nearest
from mokuji.core.style.flaws import SAID_BY_FLAWS, Flaw, Mend, flaws
from mokuji.services.app_context import AppContext, ReadContext, check, find_volume, refresh
from mokuji.services.plain_data import structured, unstructured
from mokuji.services.reading.categories import VolumeCategories
from mokuji.services.reading.house_styles import style_of
from mokuji.services.reading.page_style import found_in
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.services.reading.rendering import LONGEST_DRAWING, diagram_problems
from mokuji.services.reading.templates import templates_of
from mokuji.store import files, jobs, kept_reports, pages, sources
from mokuji.store.database import Connection, reading, writing
from mokuji.store.index import assets, memberships, unwritten, upkeep
from mokuji.store.index.upkeep import Counts as Counts
from mokuji.store.index.uses import uses as stored_uses
from mokuji.store.snapshot import StoredWiki

SCREEN = 50
"""Number of findings that one page of a report holds."""
AT_ONCE = 200
"""Number of texts that are read at a time."""
BETWEEN = 10
"""After so many pages it is looked whether the time is over."""
AT_ONCE_CHARACTERS = 250_000
"""A volume with so many code points of text is small: its reports are made while somebody waits."""
FEW_PAGES = 2_000
"""With more pages a volume is large, whatever they hold."""
MOST_KEPT = 5_000
"""Maximum number of findings of one report that are kept."""
SECONDS, WAITING_SECONDS = 600.0, 6.0
"""After so long a job ends with what it found; after so long one that somebody waits for."""
REPEAT_SPOTS, REPEAT_WORDS = 8, 90
"""Number of places of a repeated passage that are shown, and how much of its words."""
MOST_LOST = 1_000
"""Maximum number of missing files, and pages that cite missing sources, that are looked at."""
FILE_SPOTS = 8
"""Number of places of a file that are shown."""
FEW_USERS = 5
"""Of a template with more users than that it is not asked whether these are notes only."""
SAMPLE = 500
"""Number of pages that tell which words are too common to be names."""
REPORTS = {
    "orphans": "reach",
    "out-of-reach": "reach",
    "unwritten": "names",
    "look-alikes": "names",
    "no-file": "names",
    "no-source": "names",
    "sections": "text",
    "mentions": "text",
    "addresses": "text",
    "flaws": "text",
    "style": "text",
    "insert-faults": "materials",
    "repeats": "materials",
    "unused": "materials",
    "files": "materials",
    "unfiled": "materials",
    "lone": "materials",
    "categories": "materials",
}
"""All reports, with the group they stand in."""
IN_STEP = frozenset({"orphans", "out-of-reach", "unwritten", "no-file", "no-source", "unfiled", "lone"})
"""Reports that an index answers, a screen at a time; all others read texts or compare all names."""


@dataclass(frozen=True, slots=True)
class Spot:
    """A place on a page: its line from 1, its range in code points, its sentence."""

    page: PageHead
    line: int
    span: Span
    sentence: Excerpt
    index: int | None = None


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing to mend.

    ``title`` is the name in question, ``page`` its page if it has one, ``other`` a second one. ``number`` is how
    many pages ask for it; ``reason`` says why it is listed. ``spots`` are where it shows. ``missing`` is the name
    of a volume that is not there.
    """

    key: str
    title: str
    page: PageHead | None = None
    other: PageHead | None = None
    number: int = 0
    reason: str = ""
    spots: tuple[Spot, ...] = ()
    pair: Pair | None = None
    target: PageHead | None = None
    missing: str = ""
    turn: tuple[tuple[str, str], ...] = ()
    """Of categories that are broader than each other the keys and names."""
    mends: tuple[Mend, ...] = ()
    """What would put a flaw right."""
    nearest: tuple[str, ...] = ()
    """Of a section that is not there those that are called most like it."""


@dataclass(frozen=True, slots=True)
class Made:
    """When a report was made and over how many pages; whether nothing was changed since, and whether it is all there
    is."""

    at: datetime
    pages: int
    fresh: bool
    whole: bool
    number: int


@dataclass(frozen=True)
class Report:
    """One page of a report; ``more_after`` is where the next one begins. ``held_back`` are names too common to list."""

    place: VolumeView
    name: str
    counts: Counts
    findings: tuple[Finding, ...]
    more_after: str | None
    volumes: Mapping[int, Volume]
    held_back: Mapping[str, int]
    styled: bool = False
    """Whether the volume has a house style."""
    made: Made | None = None
    """When it was made, of one that is kept; None of one that is in step, or was not made yet."""
    being_made: bool = False

    @property
    def in_step(self) -> bool:
        """Whether it is right after every write, and need not be made."""
        return self.name in IN_STEP


@dataclass(frozen=True)
class Overview:
    """How much each report holds; None where it was not made yet. ``made`` is when the oldest was that is kept."""

    place: VolumeView
    counts: Counts
    numbers: Mapping[str, int | None]
    made: datetime | None = None
    fresh: bool = True
    being_made: bool = False

    @property
    def clear(self) -> list[str]:
        """The reports that hold nothing."""
        return [name for name, number in self.numbers.items() if number == 0]

    @property
    def uncounted(self) -> bool:
        """Whether some reports were not counted."""
        return None in self.numbers.values()


@dataclass(frozen=True)
class _ReportContext:
    connection: Connection
    volume: Volume
    visible: Mapping[int, Volume]
    origins: tuple[str, ...]
    context: ReadContext
    until: float = float("inf")
    """Until when (of a clock that only goes on) texts are read; after that a report ends with what it has."""

    @property
    def late(self) -> bool:
        """Whether the time is over."""
        return time.monotonic() > self.until

    @property
    def seen(self) -> list[int]:
        return list(self.visible)

    @property
    def wiki(self) -> StoredWiki:
        """The wiki as the reader may see it."""
        return StoredWiki(self.connection, {volume.key: volume for volume in self.visible.values()})


def overview(app: AppContext, actor: Actor, volume_key: str, origins: tuple[str, ...] = ()) -> Overview:
    """What there is to mend in a volume, by report."""
    refresh(app)
    with reading(app.engine) as connection:
        scene, place = _scene(connection, actor, volume_key, origins)
        counts = upkeep.counts(connection, scene.volume.id, scene.seen)
        numbers: dict[str, int | None] = {
            "orphans": counts.orphans,
            "out-of-reach": counts.out_of_reach,
            "unwritten": counts.unwritten,
            "no-file": len(files.missing(connection, scene.volume.id, MOST_LOST)),
            "no-source": len({key for key, _ in sources.missing(connection, [scene.volume.id], MOST_LOST)}),
        }
        for name in IN_STEP - numbers.keys():
            numbers[name] = len(_LISTS[name](scene, "", MOST_KEPT)[0])
    kept = {name: _kept(app, actor, scene, name, count=True) for name in REPORTS if name not in numbers}
    made = [each.made for each in kept.values() if each.made is not None]
    numbers |= {name: each.made.number if each.made is not None else None for name, each in kept.items()}
    return Overview(
        place,
        counts,
        {name: numbers[name] for name in REPORTS},
        min((each.at for each in made), default=None),
        all(each.fresh for each in made),
        any(each.being_made for each in kept.values()),
    )


def _scene(
    connection: Connection, actor: Actor, volume_key: str, origins: tuple[str, ...]
) -> tuple[_ReportContext, VolumeView]:
    context = ReadContext(connection, actor)
    volumes, volume = context.volumes, context.volume(volume_key)
    by_id = {each.id: each for each in volumes.values()}
    return _ReportContext(connection, volume, by_id, origins, context), volume_view(context, volume)


def report(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    name: str,
    *,
    after: str = "",
    most: int = SCREEN,
    origins: tuple[str, ...] = (),
) -> Report:
    """One page of a report, from ``after`` on (as the page before gave it); Missing if there is no such report."""
    if name not in REPORTS:
        raise Missing("There is no such report.", code="report_missing")
    refresh(app)
    with reading(app.engine) as connection:
        scene, place = _scene(connection, actor, volume_key, origins)
        counts = upkeep.counts(connection, scene.volume.id, scene.seen)
        styled = name == "style" and bool(style_of(connection, scene.volume).rules)
        if name in IN_STEP:
            findings, held = _LISTS[name](scene, after, most + 1)
            more = findings[most - 1].key if len(findings) > most else None
            return Report(place, name, counts, tuple(findings[:most]), more, scene.visible, held, styled)
    kept = _kept(app, actor, scene, name)
    start = next((n for n, each in enumerate(kept.findings, 1) if each["key"] == after), 0) if after else 0
    shown = tuple(structured(finding, Finding) for finding in kept.findings[start : start + most])
    more = shown[-1].key if start + most < len(kept.findings) else None
    held = kept.held_back
    return Report(place, name, counts, shown, more, scene.visible, held, styled, kept.made, kept.being_made)


def every(
    app: AppContext, actor: Actor, volume_key: str, name: str, origins: tuple[str, ...] = ()
) -> Iterator[Finding]:
    """All findings of a report, read a page at a time."""
    after: str | None = ""
    while after is not None:
        page = report(app, actor, volume_key, name, after=after, most=500, origins=origins)
        yield from page.findings
        after = page.more_after


# ---- what is kept --------------------------------------------------------------------


@dataclass(frozen=True)
class _Kept:
    """``findings`` are plain data: only those of one screen are made values again."""

    findings: Sequence[Any] = ()
    held_back: Mapping[str, int] = field(default_factory=dict)
    made: Made | None = None
    being_made: bool = False


def _kept(app: AppContext, actor: Actor, scene: _ReportContext, name: str, *, count: bool = False) -> _Kept:
    """A report as it is kept; made anew first if something was changed and the volume is small, by a job if it is
    large, and neither for who has not signed in. With ``count`` its findings are left where they are."""
    volume, seen = scene.volume, _seen(scene.visible, scene.origins)
    with reading(app.engine) as connection:
        stamp = kept_reports.stamp(connection, volume.id)
        if count:
            found = kept_reports.numbers(connection, volume.id, seen).get(name)
        else:
            found = kept_reports.one(connection, volume.id, seen, name)
        if found is not None and found.stamp == stamp:
            return _as_kept(found, stamp)
        wanted = jobs.is_wanted(connection, _lock(volume.id, seen, name))
        if not actor.signed_in:
            return _as_kept(found, stamp, wanted)
        small = upkeep.number_of_pages(connection, volume.id) <= FEW_PAGES
        small = small and kept_reports.size(connection, volume.id) <= AT_ONCE_CHARACTERS
    closed = [id_ for id_, each in scene.visible.items() if each.closed]
    if small:
        if closed and not volume.closed:
            # Who looks sees more than others may: for those it is made by a job.
            want(app, volume, name, (), scene.origins)
        return _as_kept(make(app, volume.id, name, closed, scene.origins, WAITING_SECONDS), stamp)
    want(app, volume, name, closed, scene.origins)
    return _as_kept(found, stamp, True)


def _as_kept(found: kept_reports.Kept | None, stamp: str, wanted: bool = False) -> _Kept:
    if found is None:
        return _Kept(being_made=wanted)
    made = Made(found.at, found.pages, found.stamp == stamp, found.whole, found.number)
    return _Kept(found.findings, found.held_back or {}, made, wanted)


def _seen(visible: Mapping[int, Volume], origins: tuple[str, ...]) -> str:
    """What stands for the volumes that a reader may read, and for the addresses that are this wiki's own."""
    said = f"{sorted(visible)} {sorted(origins)}"
    return hashlib.sha256(said.encode()).hexdigest()


def _lock(volume: int, seen: str, name: str) -> str:
    return f"report {volume} {name} {seen}"


def want(app: AppContext, volume: Volume, name: str, closed: Sequence[int], origins: tuple[str, ...]) -> None:
    """Has a report made by a job: for who may read these ``closed`` volumes, and for everybody if all may read its
    own."""
    with writing(app.engine) as connection:
        for readable in {tuple(sorted(closed)), *([()] if not volume.closed else [])}:
            context = ReadContext(connection, _reader(readable))
            seen = _seen({each.id: each for each in context.volumes.values()}, origins)
            arguments = {
                "volume": volume.id,
                "name": name,
                "closed": list(readable),
                "origins": list(origins),
            }
            jobs.defer(connection, "make_report", arguments, _lock(volume.id, seen, name))


def _reader(closed: Sequence[int]) -> Actor:
    """Somebody who may read all open volumes and these closed ones."""
    return Actor(roles=dict.fromkeys(closed, Role.READER))


def make(
    app: AppContext,
    volume_id: int,
    name: str,
    closed: Sequence[int],
    origins: tuple[str, ...],
    seconds: float = SECONDS,
) -> kept_reports.Kept | None:
    """Makes a report and keeps it; the same again gives the same. None if the volume is not there any more, or not for
    these readers."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, _reader(closed))
        by_id = {each.id: each for each in context.volumes.values()}
        volume = by_id.get(volume_id)
        if volume is None:
            return None
        stamp = kept_reports.stamp(connection, volume_id)
        scene = _ReportContext(connection, volume, by_id, origins, context, time.monotonic() + seconds)
        findings, held = _LISTS[name](scene, "", MOST_KEPT + 1)
        kept = kept_reports.Kept(
            name,
            app.clock(),
            stamp,
            upkeep.number_of_pages(connection, volume_id),
            not scene.late and len(findings) <= MOST_KEPT,
            len(findings[:MOST_KEPT]),
            [unstructured(finding) for finding in findings[:MOST_KEPT]],
            held,
        )
    with writing(app.engine) as connection:
        kept_reports.keep(connection, volume_id, _seen(by_id, origins), kept)
    return kept


# ---- the reports -------------------------------------------------------------------

Listing = tuple[list[Finding], Mapping[str, int]]


def _orphans(scene: _ReportContext, after: str, most: int) -> Listing:
    heads = upkeep.orphans(scene.connection, scene.volume.id, scene.seen, after=after, most=most)
    summaries = pages.summaries(scene.connection, [head.id for head in heads])
    return [Finding(h.key, h.title, h, reason=summaries.get(h.id, "")) for h in heads], {}


def _out_of_reach(scene: _ReportContext, after: str, most: int) -> Listing:
    heads = upkeep.out_of_reach(scene.connection, scene.volume.id, after=after, most=most)
    summaries = pages.summaries(scene.connection, [head.id for head in heads])
    return [Finding(h.key, h.title, h, reason=summaries.get(h.id, "")) for h in heads], {}


def _unwritten(scene: _ReportContext, after: str, most: int) -> Listing:
    number, _, key = after.partition(" ")
    start = (int(number), key) if number.isdecimal() and key else None
    rows = upkeep.unwritten(scene.connection, scene.volume.id, scene.seen, after=start, most=most)
    findings = []
    for key, asking in rows:
        spots, title, missing = _asking(scene, key)
        words = title or names.as_title(key)
        findings.append(Finding(f"{asking} {key}", words, number=asking, spots=spots, missing=missing))
    return findings, {}


def _asking(scene: _ReportContext, key: str) -> tuple[tuple[Spot, ...], str, str]:
    """Where pages ask for a name, how it is typed, and the name of its volume if that is not there."""
    wiki = scene.wiki
    place, typed_key = (scene.volume.id, key), key
    heads = unwritten.led_from(wiki, place, 3)
    if not heads and key.startswith("/"):
        place, typed_key = (0, key[1:]), key[1:].partition("/")[2]
        heads = [head for head in unwritten.led_from(wiki, place) if head.volume == scene.volume.id][:3]
    wiki.meaning([place])
    spots: list[Spot] = []
    title = missing = ""
    for _, page in sorted(wiki.pages([head.id for head in heads]).items()):
        use = next((u for u in page.uses({typed_key}) if place[0] or _is_at(u.reference, place)), None)
        if use is None:
            continue
        reference = use.reference
        whole = reference.name is not None and reference.name.key == key
        if place[0]:
            typed = names.unescape((reference.name_span if whole else reference.title_span).of(page.text))
            title = title or names.as_title(typed.strip())
        elif not missing:
            missing = names.unescape(
                Span(reference.name_span.start, reference.title_span.start).of(page.text)
            ).strip(" /")
            title = f"{missing}/{names.unescape(reference.title_span.of(page.text)).strip()}"
        spots.append(_spot(page, reference.span, use.index))
    return tuple(spots), title, missing


def _is_at(reference: Reference, place: Place) -> bool:
    name = reference.name
    return name is not None and name.absolute and f"{name.volume}/{name.title}" == place[1]


def _spot(
    page: Page, span: Span, index: int | None = None, lines: Lines | None = None, words: str | None = None
) -> Spot:
    """A place with its sentence; ``words`` are shown for what stands there, if it is no reference."""
    low, high = max(0, span.start - REACH), min(len(page.text), span.end + REACH)
    before, here, after = page.text[low : span.start], span.of(page.text), page.text[span.end : high]
    if words is not None:
        here = f"[[{names.escape(' '.join(words.split()))}]]"
    sentence = excerpt(before + here + after, Span(len(before), len(before) + len(here)))
    return Spot(page.head, (lines or Lines(page.text)).position(span.start).line, span, sentence, index)


def _look_alikes(scene: _ReportContext, after: str, most: int) -> Listing:
    connection, volume = scene.connection, scene.volume.id
    heads = {head.id: head for head in upkeep.heads(connection, volume)}
    known = [Named(head.key, head.title, head.id, Sort.PAGE) for head in heads.values()]
    known += [
        Named(key, name, page, Sort.ALIAS) for page, key, name in upkeep.alias_names(connection, volume)
    ]
    known += [
        Named(key, names.as_title(key), 0, Sort.UNWRITTEN)
        for key, _ in upkeep.unwritten(connection, volume, scene.seen, most=10**9)
    ]
    pairs = look_alikes(known, upkeep.differing(connection, volume))
    start = int(after) if after.isdecimal() and len(after) < 10 else 0
    return [
        Finding(
            str(start + n),
            pair.one.title,
            heads.get(pair.one.page),
            heads.get(pair.other.page),
            reason=pair.reason,
            pair=pair,
        )
        for n, pair in enumerate(pairs[start : start + most], 1)
    ], {}


def _pages(
    scene: _ReportContext, after: str, condition: str = "true", **values: object
) -> Iterator[list[Page]]:
    """The pages of the volume by key, some at a time, from the one on whose key ``after`` begins with."""
    key = after.partition("\t")[0]
    while not scene.late:
        ids = upkeep.page_ids(scene.connection, scene.volume.id, key, AT_ONCE, condition, values)
        if not ids:
            return
        found = scene.wiki.pages(ids)
        ordered = sorted(found.values(), key=lambda page: page.head.key)
        # Read anew from the text: what is kept beside it does not say where plain words stand. A few at a time, so that
        # a report can end between them.
        for start in range(0, len(ordered), BETWEEN):
            if scene.late:
                return
            yield [Page(page.head, page.text) for page in ordered[start : start + BETWEEN]]
        # No key holds a control character: this is right behind the last one.
        key = ordered[-1].head.key + "\x01"


def _collect(
    batches: Iterator[list[Page]],
    after: str,
    most: int,
    of: Callable[[list[Page]], Iterator[Finding]],
) -> list[Finding]:
    """Findings by page and place, those behind ``after`` only, until there are enough."""
    findings: list[Finding] = []
    for batch in batches:
        for finding in of(batch):
            if not after or _behind(finding.key, after):
                findings.append(finding)
            if len(findings) >= most:
                return findings
    return findings


def _behind(key: str, after: str) -> bool:
    def order(each: str) -> tuple[str, int]:
        name, _, place = each.partition("\t")
        return name, int(place) if place.isdecimal() else 0

    return order(key) > order(after)


def _at(page: Page, span: Span) -> str:
    return f"{page.head.key}\t{span.start}"


def _sections(scene: _ReportContext, after: str, most: int) -> Listing:
    wiki = scene.wiki

    def of(batch: list[Page]) -> Iterator[Finding]:
        by_id = {page.head.id: page for page in batch}
        brokens = list(broken_sections(wiki, batch))
        targets = wiki.pages({broken.target.id for broken in brokens})
        for broken in brokens:
            page, span = by_id[broken.page.id], broken.reference.span
            near = nearest(targets[broken.target.id], broken.reference.section or "", frozenset(wiki.volumes))
            spot = _spot(page, span, broken.index)
            title = f"{broken.target.title} § {broken.reference.section}"
            yield Finding(
                _at(page, span),
                title,
                page.head,
                target=broken.target,
                reason=f"like it: {', '.join(f'“{each}”' for each in near)}" if near else "",
                spots=(spot,),
                nearest=tuple(near),
            )

    return _collect(_pages(scene, after, upkeep.WITH_SECTIONS), after, most, of), {}


def _mentions(scene: _ReportContext, after: str, most: int) -> Listing:
    heads = {head.id: head for head in upkeep.heads(scene.connection, scene.volume.id)}
    known = upkeep.page_names(scene.connection, scene.volume.id)
    held = _too_common(scene, known)
    finder = mentions.Finder({key: page for key, page in known.items() if key not in held})

    def of(batch: list[Page]) -> Iterator[Finding]:
        for page in batch:
            lines = Lines(page.text)
            for each in finder.on(page):
                spot = _spot(page, each.span, lines=lines, words=each.span.of(page.text))
                target = heads[each.target]
                yield Finding(_at(page, each.span), target.title, page.head, target=target, spots=(spot,))

    return _collect(_pages(scene, after), after, most, of), held


def _too_common(scene: _ReportContext, known: Mapping[str, int]) -> Mapping[str, int]:
    """The names that are words of the language here, by a look at some hundred pages."""
    single = {key: page for key, page in known.items() if " " not in key}
    ids = upkeep.sample(scene.connection, scene.volume.id, SAMPLE)
    looked = [Page(page.head, page.text) for page in scene.wiki.pages(ids).values()] if single else []
    return mentions.bare_mentions(single, looked).held_back


def _addresses(scene: _ReportContext, after: str, most: int) -> Listing:
    wiki = scene.wiki

    def of(batch: list[Page]) -> Iterator[Finding]:
        found = [
            (page, address)
            for page in batch
            for address in addresses.own_addresses(page, scene.origins, wiki.volumes)
        ]
        known = wiki.titles({each.place for _, each in found})
        for page, each in found:
            target = known.get(each.place)
            if target is not None:
                spot = _spot(page, each.span, words=each.words or each.span.of(page.text))
                yield Finding(_at(page, each.span), target.title, page.head, target=target, spots=(spot,))

    batches = _pages(scene, after, upkeep.WITH_LINKS, origins=[f"%{origin}/%" for origin in scene.origins])
    return _collect(batches, after, most, of), {}


def _flaws(scene: _ReportContext, after: str, most: int) -> Listing:
    """What is wrong with a text or could be better: flaws, what the language does not understand, wrong diagrams."""
    begun = time.monotonic()

    def drawn(source: str) -> Drawn | None:
        return draw(source) if time.monotonic() - begun < LONGEST_DRAWING else known(source)

    def wrong(page: Page) -> list[Flaw]:
        problems = [*page.content.problems, *diagram_problems(page, drawn)]
        told = [Flaw(p.code, p.message, p.span) for p in problems if p.code not in SAID_BY_FLAWS]
        return sorted([*flaws(page), *told], key=lambda flaw: flaw.span)

    return _of_texts(scene, after, most, wrong)


def _lost_files(scene: _ReportContext, after: str, most: int) -> Listing:
    """Files that pages name and the volume does not have, each with its first places."""
    found = files.missing(scene.connection, scene.volume.id, MOST_LOST)
    return _lost(scene, "file", [(key, number) for key, number in found if key > after][:most])


def _lost_sources(scene: _ReportContext, after: str, most: int) -> Listing:
    """What pages cite that is neither a footnote of theirs nor a source of the wiki, with its first places."""
    counts: Counter[str] = Counter()
    for key, _ in sources.missing(scene.connection, [scene.volume.id], MOST_LOST):
        counts[key] += 1
    return _lost(scene, "source", [(key, counts[key]) for key in sorted(counts) if key > after][:most])


def _lost(scene: _ReportContext, sort: AssetSort, keys: Sequence[tuple[str, int]]) -> Listing:
    findings: list[Finding] = []
    for key, number in keys:
        ids = assets.naming(scene.connection, Asset(sort, 0, scene.volume.id, key))
        named = scene.wiki.pages(sorted(ids)[:FILE_SPOTS]).values()
        spots: list[Spot] = []
        title = key
        for page in sorted((p for p in named if p.head.volume == scene.volume.id), key=lambda p: p.head.key):
            places = (
                [
                    (destination.key, destination.name, destination.span)
                    for destination in destinations(page.text, page.content)
                ]
                if sort == "file"
                else [(cite.key, cite.name, cite.span) for cite in page.content.cites]
            )
            for other, name, span in places:
                if other == key:
                    title = name
                    spots.append(_spot(page, span, words=name))
        findings.append(Finding(key, title, number=number, spots=tuple(spots[:FILE_SPOTS])))
    return findings, {}


def _style(scene: _ReportContext, after: str, most: int) -> Listing:
    """Where pages do not keep to the house style; a word that is not in the dictionary once for each page."""
    style = style_of(scene.connection, scene.volume)
    if not style.rules:
        return [], {}

    def once(page: Page) -> list[Flaw]:
        told: set[str] = set()
        found: list[Flaw] = []
        for flaw in found_in(page, style):
            if flaw.word not in told:
                found.append(flaw)
                told |= {flaw.word} - {""}
        return found

    return _of_texts(scene, after, most, once)


def _of_texts(
    scene: _ReportContext, after: str, most: int, look: Callable[[Page], Sequence[Flaw]]
) -> Listing:
    def of(batch: list[Page]) -> Iterator[Finding]:
        for page in batch:
            lines = Lines(page.text)
            for flaw in look(page):
                first = flaw.span.of(page.text).splitlines()[:1]
                shown = Excerpt("", _first_words(first[0]) if first else "", "")
                spot = Spot(page.head, lines.position(flaw.span.start).line, flaw.span, shown)
                yield Finding(
                    _at(page, flaw.span),
                    page.head.title,
                    page.head,
                    reason=flaw.message,
                    spots=(spot,),
                    mends=flaw.mends,
                )

    return _collect(_pages(scene, after), after, most, of), {}


# ---- of materials ------------------------------------------------------------------


def _insert_faults(scene: _ReportContext, after: str, most: int) -> Listing:
    wiki = scene.wiki

    def of(batch: list[Page]) -> Iterator[Finding]:
        by_id = {page.head.id: page for page in batch}
        for insert in faulty_inserts(wiki, batch):
            page, span = by_id[insert.page.id], insert.reference.span
            spot = _spot(page, span, insert.index)
            said = " ".join(fault.message for fault in insert.faults)
            yield Finding(
                _at(page, span),
                insert.target.title,
                page.head,
                reason=said,
                target=insert.target,
                spots=(spot,),
            )

    return _collect(_pages(scene, after, upkeep.WITH_INSERTS), after, most, of), {}


def _repeats(scene: _ReportContext, after: str, most: int) -> Listing:
    """Passages that stand in several places of the volume and its libraries; at least once in the volume itself."""
    areas = [scene.volume.id, *(id_ for id_ in scene.volume.libraries if id_ in scene.visible)]
    texts = (page for area in areas for batch in _texts(scene, area) for page in batch)
    start = int(after) if after.isdecimal() and len(after) < 10 else 0
    found = [
        repeat for repeat in repeats(texts) if any(p.volume == scene.volume.id for p, _ in repeat.places)
    ]
    return [_repeat(scene, str(start + n), each) for n, each in enumerate(found[start : start + most], 1)], {}


def _repeat(scene: _ReportContext, key: str, each: Repeat) -> Finding:
    places = sorted(each.places, key=lambda place: (place[0].volume != scene.volume.id, place[0].key))
    shown = scene.wiki.pages({page.id for page, _ in places[:REPEAT_SPOTS]})
    spots = tuple(
        Spot(
            page,
            Lines(shown[page.id].text).position(span.start).line,
            span,
            Excerpt("", _first_words(each.words), ""),
        )
        for page, span in places[:REPEAT_SPOTS]
    )
    lines = "a line" if each.lines == 1 else f"{each.lines} lines"
    reason = f"{lines} in {len(places)} places: {each.saved} fewer if said once"
    return Finding(
        key, _first_words(each.words), places[0][0], number=len(places), reason=reason, spots=spots
    )


def _first_words(words: str) -> str:
    words = " ".join(words.split())
    return words if len(words) <= REPEAT_WORDS else words[: REPEAT_WORDS - 1].rstrip() + "…"


def _texts(scene: _ReportContext, volume: int) -> Iterator[list[Page]]:
    key = ""
    while not scene.late and (ids := upkeep.page_ids(scene.connection, volume, key, AT_ONCE, "true", {})):
        ordered = sorted(scene.wiki.pages(ids).values(), key=lambda page: page.head.key)
        yield ordered
        key = ordered[-1].head.key + "\x01"


def _unused(scene: _ReportContext, after: str, most: int) -> Listing:
    """Templates that are put in nowhere, or only in notes of other templates, which no reader comes to."""
    findings: list[Finding] = []
    for template in templates_of(scene.context, scene.volume):
        if template.head.key <= after or template.pages > FEW_USERS or len(findings) >= most:
            continue
        notes = _only_in_notes(scene, template.head) if template.pages else []
        if not template.pages:
            findings.append(
                Finding(template.head.key, template.head.title, template.head, reason=template.summary)
            )
        elif notes:
            said = "put in only in notes for writers: " + ", ".join(f"“{page.title}”" for page in notes)
            findings.append(Finding(template.head.key, template.head.title, template.head, reason=said))
    return findings, {}


def _only_in_notes(scene: _ReportContext, head: PageHead) -> list[PageHead]:
    """The pages that put a template in, if all of them are templates that do so outside of what they give."""
    uses = stored_uses(scene.context.wiki, head, scene.seen)
    users = scene.wiki.pages({use.page.id for use in uses})
    for use in uses:
        user = users.get(use.page.id)
        if user is None or not user.content.declared.template:
            return []
        given = select(user, None)
        if given is None or any(span.start <= use.start < span.end for span in given):
            return []
    return [page.head for page in users.values()]


def _files(scene: _ReportContext, after: str, most: int) -> Listing:
    batches = _pages(scene, "", upkeep.WITH_DESTINATIONS)
    used = files_used(page for batch in batches for page in batch)
    names_ = [name for name in used if (name.casefold(), name) > (after.casefold(), after)][:most]
    shown = scene.wiki.pages({use.page.id for name in names_ for use in used[name][:FILE_SPOTS]})
    return [
        Finding(
            name,
            name,
            number=len({use.page.id for use in used[name]}),
            spots=tuple(_spot(shown[use.page.id], use.span, words=name) for use in used[name][:FILE_SPOTS]),
        )
        for name in names_
    ], {}


def _unfiled(scene: _ReportContext, after: str, most: int) -> Listing:
    """Pages without any category, in a volume that has categories."""
    scene_of = VolumeCategories(scene.context, scene.volume)
    if not scene_of.categories():
        return [], {}
    given = {page for pages_ in scene_of.given.values() for page in pages_}
    findings: list[Finding] = []
    while len(findings) < most:
        heads = memberships.unfiled(scene.connection, scene.volume.id, after=after, most=AT_ONCE)
        findings += [Finding(head.key, head.title, head) for head in heads if head.id not in given]
        if len(heads) < AT_ONCE:
            break
        after = heads[-1].key
    summaries = pages.summaries(
        scene.connection, [finding.page.id for finding in findings[:most] if finding.page]
    )
    return [
        replace(finding, reason=summaries.get(finding.page.id, "")) if finding.page else finding
        for finding in findings[:most]
    ], {}


def _lone(scene: _ReportContext, after: str, most: int) -> Listing:
    """Categories with one page."""
    scene_of = VolumeCategories(scene.context, scene.volume)
    known = scene_of.categories()
    lone = [key for key, each in sorted(known.items()) if each.pages == 1 and key > after][:most]
    heads = {
        head.id: head
        for head, _ in memberships.heads_after(
            scene.connection, [page for key in lone for page in scene_of.ids(key)], "", 10**6
        )
    }
    return [
        Finding(key, known[key].name, next((heads[p] for p in scene_of.ids(key) if p in heads), None))
        for key in lone
    ], {}


def _categories(scene: _ReportContext, after: str, most: int) -> Listing:
    """Categories that look alike, and cycles of broader ones."""
    scene_of = VolumeCategories(scene.context, scene.volume)
    known = scene_of.categories()
    named = [Named(key, each.name, 0, Sort.UNWRITTEN) for key, each in known.items()]
    told = upkeep.differing(scene.connection, scene.volume.id)
    _, cycles = tree(known, scene_of.broader)
    findings = [
        Finding(
            f"{n:06}",
            " → ".join(known[key].name if key in known else key for key in cycle),
            reason="cycle",
            turn=tuple((key, known[key].name if key in known else key) for key in cycle),
        )
        for n, cycle in enumerate(cycles, 1)
    ]
    findings += [
        Finding(f"{n:06}", pair.one.title, reason=pair.reason, pair=pair)
        for n, pair in enumerate(look_alikes(named, told), len(findings) + 1)
    ]
    return [finding for finding in findings if finding.key > after][:most], {}


_LISTS: Mapping[str, Callable[[_ReportContext, str, int], Listing]] = {
    "orphans": _orphans,
    "out-of-reach": _out_of_reach,
    "unwritten": _unwritten,
    "look-alikes": _look_alikes,
    "sections": _sections,
    "mentions": _mentions,
    "addresses": _addresses,
    "no-file": _lost_files,
    "no-source": _lost_sources,
    "flaws": _flaws,
    "style": _style,
    "insert-faults": _insert_faults,
    "repeats": _repeats,
    "unused": _unused,
    "files": _files,
    "unfiled": _unfiled,
    "lone": _lone,
    "categories": _categories,
}


def said_to_differ(app: AppContext, actor: Actor, volume_key: str) -> list[tuple[str, str]]:
    """The pairs of names of a volume that look alike and were said to be two things."""
    with reading(app.engine) as connection:
        return sorted(upkeep.differing(connection, find_volume(connection, actor, volume_key).id))


def differ(
    app: AppContext, actor: Actor, volume_key: str, one: str, other: str, *, back: bool = False
) -> Volume:
    """Remembers that two names that look alike are two things; with ``back`` forgets it."""
    with writing(app.engine) as connection:
        volume = find_volume(connection, actor, volume_key)
        check(actor, Permission.WRITE, volume)
        low, high = sorted((names.key(one), names.key(other)))
        if back:
            upkeep.drop_differing(connection, volume.id, low, high)
            kept_reports.drop(connection, volume.id, "look-alikes")
        else:
            upkeep.set_differing(connection, volume.id, low, high, actor.person)
        return volume
