"""The list of sources that all volumes share: who cites them, what is missing, in and out as files.

Who has a role in some volume sees the list; others see only the sources that
are cited on the pages that they read. Changes of a source are acts, so they can
be undone; who may write in some volume may do them.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from mokuji.core.base.errors import BadFields, BadFile, BadName, Forbidden, Missing
from mokuji.core.base.spans import Lines
from mokuji.core.language.excerpt import REACH, Excerpt, excerpt
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.assets import check_name
from mokuji.core.model.policy import Actor, Permission, may
from mokuji.core.model.sources import (
    FIELDS,
    LONGEST,
    Near,
    as_json,
    fault_of,
    free_name,
    near,
    with_words,
)
from mokuji.core.model.wiki import Volume
from mokuji.core.syntax.pointers import source_key
from mokuji.formats import bibliography
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.store import sources as stored
from mokuji.store.database import Connection, reading, writing
from mokuji.store.sources import StoredSource as StoredSource

SCREEN = 60
"""Sources on one screen of the list, and places that are told of one."""
OFFERED = 20
"""Sources that are offered for a name in the making."""
MOST_MISSING = 300

Which = Literal["all", "unused", "missing", "alike"]


@dataclass(frozen=True, slots=True)
class Cited:
    """A name that is cited and is no source, with pages that do."""

    name: str
    pages: tuple[PageHead, ...]


@dataclass(frozen=True)
class SourcesView:
    """Sources, a screen at a time: all, those that are not cited, names that are no source, or pairs that may be one.
    ``cited`` says by key on how many pages one is cited, and in how many places. ``home`` is the volume in whose
    history changes stand; None for who may not change anything."""

    sources: tuple[StoredSource, ...]
    cited: Mapping[str, tuple[int, int]]
    volumes: Mapping[int, Volume]
    home: Volume | None
    which: Which = "all"
    more_after: str | None = None
    missing: tuple[Cited, ...] = ()
    alike: tuple[Near, ...] = ()


@dataclass(frozen=True, slots=True)
class Citing:
    """A place that cites a source: the page, its line, and the sentence around it."""

    page: PageHead
    line: int
    sentence: Excerpt


@dataclass(frozen=True)
class SourceView:
    """A source and who cites it; None for one that is to be made."""

    name: str
    source: StoredSource | None
    citing: tuple[Citing, ...]
    pages: int
    volumes: Mapping[int, Volume]
    home: Volume | None


@dataclass(frozen=True)
class Imported:
    """What became of a file of sources: names that are new, that were there with the very same fields, that were there
    with others and stayed as they were; and what could not be read."""

    new: tuple[str, ...] = ()
    same: tuple[str, ...] = ()
    other: tuple[str, ...] = ()
    problems: tuple[str, ...] = field(default=())


def _context(connection: Connection, actor: Actor) -> ReadContext:
    context = ReadContext(connection, actor)
    if not actor.belongs:
        raise Forbidden(
            "The list of sources is for the people of the wiki. Sign in to see it.",
            code="sign_in" if not actor.signed_in else "forbidden",
        )
    return context


def _home(context: ReadContext) -> Volume | None:
    """The first volume in which the actor may write."""
    volumes = sorted(context.volumes.values(), key=lambda each: each.id)
    return next((v for v in volumes if may(context.actor, Permission.WRITE, v.id, closed=v.closed)), None)


def _by_id(context: ReadContext) -> dict[int, Volume]:
    return {volume.id: volume for volume in context.volumes.values()}


def listing(
    app: AppContext, actor: Actor, *, after: str = "", which: Which = "all", typed: str = ""
) -> SourcesView:
    """The list of sources, or what is to be mended in it."""
    with reading(app.engine) as connection:
        context = _context(connection, actor)
        by_id, home = _by_id(context), _home(context)
        cited = stored.cited(connection, list(by_id))
        if which == "missing":
            return SourcesView((), cited, by_id, home, which, missing=tuple(_missing(context)))
        if which == "alike":
            every = {source.key: source for source in stored.listed(connection, most=bibliography.MOST)}
            pairs = near({key: each.fields for key, each in every.items()})[:SCREEN]
            shown = tuple(every[key] for key in sorted({k for pair in pairs for k in (pair.one, pair.other)}))
            return SourcesView(shown, cited, by_id, home, which, alike=tuple(pairs))
        if which == "unused":
            # Who cites in volumes that are closed to the actor counts, too: such a source is not unused.
            anywhere = stored.cited_anywhere(connection)
            every_ = stored.listed(connection, after=after, most=bibliography.MOST)
            sources = [source for source in every_ if source.key not in anywhere][: SCREEN + 1]
        elif typed.strip():
            sources = stored.like(connection, typed.strip().lower(), SCREEN)
        else:
            sources = stored.listed(connection, after=after, most=SCREEN + 1)
        more = sources[SCREEN - 1].key if len(sources) > SCREEN else None
        return SourcesView(tuple(sources[:SCREEN]), cited, by_id, home, which, more)


def _missing(context: ReadContext) -> Iterator[Cited]:
    rows = stored.missing(context.connection, list(_by_id(context)), MOST_MISSING)
    pages = context.wiki.pages({page for _, page in rows})
    names: dict[str, list[PageHead]] = {}
    for key, page in rows:
        names.setdefault(key, []).append(pages[page].head)
    for key, heads in names.items():
        typed = next((c.name for c in pages[heads[0].id].content.cites if c.key == key), key)
        yield Cited(typed, tuple(heads))


def about(app: AppContext, actor: Actor, name: str) -> SourceView:
    """A source with the places that cite it; of a name that is no source, the places that name it."""
    with reading(app.engine) as connection:
        context = _context(connection, actor)
        by_id, key = _by_id(context), source_key(name)
        source = stored.called(connection, [key]).get(key)
        ids = stored.citing(connection, key, list(by_id), SCREEN)
        pages = context.wiki.pages(ids)
        places = [place for id_ in ids for place in _places(pages[id_], key)]
        number = stored.cited(connection, list(by_id)).get(key, (0, 0))[0]
        return SourceView(
            source.name if source else name.strip(),
            source,
            tuple(places[:SCREEN]),
            number,
            by_id,
            _home(context),
        )


def _places(page: Page, key: str) -> Iterator[Citing]:
    lines = Lines(page.text)
    for cite in page.content.cites:
        if cite.key == key:
            start = max(0, cite.span.start - REACH)
            window = page.text[start : cite.span.end + REACH]
            sentence = excerpt(window, cite.span.moved(-start), f"[^{cite.name}]")
            yield Citing(page.head, lines.position(cite.span.start).line, sentence)


@dataclass(frozen=True, slots=True)
class Checked:
    """A source as a form says it, without fault: ``known`` is the one that it changes, None for a new one."""

    home: Volume
    known: StoredSource | None
    fields: Mapping[str, Any]


def check(app: AppContext, actor: Actor, name: str, fields: Mapping[str, str], *, new: bool) -> Checked:
    """Reads the form of a source; BadName and BadFields say what is wrong with it."""
    with reading(app.engine) as connection:
        context = _context(connection, actor)
        home = _need_home(context)
        typed = name.strip()
        known = stored.called(connection, [source_key(typed)]).get(source_key(typed)) if typed else None
    if new and known is not None:
        raise BadFields({"name": f"There is a source “{known.name}” already. Choose another name."})
    if not new and known is None:
        raise Missing(f"There is no source “{name}”.", code="source_missing")
    told, wrong = with_words(known.fields if known else {}, {f: fields.get(f, "") for f in FIELDS})
    if len(as_json(told)) > LONGEST:
        wrong["title"] = f"A source has {LONGEST:,} characters at most."
    if fault := fault_of(told):
        wrong["title"] = f"The source cannot be kept: {fault}"
    if wrong:
        raise BadFields(wrong)
    return Checked(home, known, told)


def add(app: AppContext, actor: Actor, name: str, fields: Mapping[str, Any]) -> str:
    """Puts a source into the list, under a free name if none is typed; the name that it has."""
    typed = name.strip()
    with writing(app.engine) as connection:
        taken = stored.keys(connection) if not typed else ()
        wanted = check_name("source", typed) if typed else free_name(fields, taken)
        return stored.add(connection, source_key(wanted), wanted, fields, actor.person, app.clock()).name


def _need_home(context: ReadContext) -> Volume:
    home = _home(context)
    if home is None:
        raise Forbidden("Who may write in a volume may change the list of sources.")
    return home


def bring(app: AppContext, actor: Actor, data: bytes) -> Imported:
    """Takes in a file of sources. Those whose name is there already stay as they are; BadFile if it cannot be read."""
    with reading(app.engine) as connection:
        _need_home(_context(connection, actor))
    read = bibliography.read(data)
    problems = list(read.problems)
    with writing(app.engine) as connection:
        known = {source.key: source for source in stored.listed(connection, most=2 * bibliography.MOST)}
        if len(known) + len(read.items) > bibliography.MOST:
            raise BadFile(f"The list would have more than {bibliography.MOST:,} sources.", code="bad_sources")
        keys = set(known)
        new: list[str] = []
        same: list[str] = []
        other: list[str] = []
        for typed, item in read.items:
            name = "-".join(typed.split())[:200]
            try:
                name = check_name("source", name) if name else free_name(item, keys)
            except BadName:
                name = free_name(item, keys)
            key = source_key(name)
            if key in known:
                (same if as_json(known[key].fields) == as_json(item) else other).append(known[key].name)
            elif key in keys:
                problems.append(f"“{name}” stands in the file twice; the first one was taken.")
            else:
                stored.add(connection, key, name, item, actor.person, app.clock())
                keys.add(key)
                new.append(name)
    return Imported(tuple(new), tuple(same), tuple(other), tuple(problems))


def take(app: AppContext, actor: Actor, form: Literal["json", "bibtex"]) -> str:
    """The whole list as a file."""
    with reading(app.engine) as connection:
        _context(connection, actor)
        every = [(source.name, source.fields) for source in stored.listed(connection, most=bibliography.MOST)]
    return bibliography.write_json(every) if form == "json" else bibliography.write_bibtex(every)


def names_like(app: AppContext, actor: Actor, typed: str) -> list[StoredSource]:
    """Sources to choose from while a name is typed."""
    with reading(app.engine) as connection:
        _context(connection, actor)
        return stored.like(connection, typed.strip().lower(), OFFERED)


def put_all(
    connection: Connection, items: Iterable[tuple[str, Mapping[str, Any]]], person: int | None, at: Any
) -> None:
    """Puts sources into a list that has none of these names, as a folder brings them."""
    known = set(stored.keys(connection))
    for name, item in items:
        if source_key(name) not in known:
            stored.add(connection, source_key(name), name, item, person, at)
            known.add(source_key(name))
