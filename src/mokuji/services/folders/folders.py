"""Work on a plain folder of pages, without a database: check it, and do acts on it with the same plans."""

from __future__ import annotations

import mimetypes
import os
import secrets
import stat
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import Any
from urllib.parse import quote

from mokuji.adapters.diagrams import draw
from mokuji.adapters.spelling import dictionary
from mokuji.core.assembly.inserts import Fault
from mokuji.core.assembly.listing import ListedPage, Listing, arrange, fields
from mokuji.core.assembly.listing import read as read_listing
from mokuji.core.base import names
from mokuji.core.base.errors import Missing, MokujiError, Refused
from mokuji.core.base.names import Name
from mokuji.core.base.spans import Lines
from mokuji.core.html.html import compile_page
from mokuji.core.language import files as file_names
from mokuji.core.language.destinations import destinations
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.pointers import source_key
from mokuji.core.language.reference import Kind
from mokuji.core.model import graph
from mokuji.core.model.categories import Filing, filed
from mokuji.core.model.references import Resolution, Resolver, Sections, inserts_of, volumes_by_id
from mokuji.core.model.sources import formatted
from mokuji.core.model.wiki import MemoryWiki, Place, Volume
from mokuji.core.reports import reach
from mokuji.core.reports.uses import use
from mokuji.core.style.style import Style
from mokuji.formats import bibliography
from mokuji.formats.check import Checked, CheckedPage, CheckedReference, UnwrittenName
from mokuji.formats.folder import FolderProblem
from mokuji.formats.folder import read as read_files
from mokuji.formats.folder_wiki import FolderIndex, index
from mokuji.services.reading import rendering
from mokuji.services.reading.inserting import inserted
from mokuji.services.reading.linking import Link
from mokuji.services.reading.page_style import found_in

SOURCE_FILES = ("sources.json", "sources.bib")
"""The list of sources lies at the top of a folder, in CSL-JSON or BibTeX."""
MOST_BYTES = 8_000_000
"""A larger file is not opened: no page can be that long."""
POOL_FROM = 2_000_000
"""Number of code points from which on texts that are read by several processes."""


def page_files(folder: Path, problems: list[FolderProblem] | None = None) -> Iterator[tuple[str, bytes]]:
    """The files of a folder that are pages or about them, with their paths in it; links out are not followed.

    Such as cannot be opened are left out, and said in ``problems``.
    """
    root = folder.resolve()
    for path in _walk(folder):
        inside = path.relative_to(folder).as_posix()
        if not names.is_storable(inside):
            shown = inside.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
            said = "The name of the file is no UTF-8, so no page can have it. Rename it."
            _say(problems, shown, "file_name", said)
            continue
        if not path.resolve().is_relative_to(root):
            continue
        try:
            state = path.stat()
            if not stat.S_ISREG(state.st_mode):
                # To open a pipe would wait for somebody to write into it.
                _say(
                    problems,
                    inside,
                    "not_readable",
                    "This is no file, but a pipe, device or the like. Take it away.",
                )
            elif state.st_size > MOST_BYTES:
                _say(problems, inside, "text_large", "The file is larger than any page can be. Divide it.")
            else:
                yield inside, path.read_bytes()
        except OSError as fault:
            _say(problems, inside, "not_readable", f"The file cannot be read: {fault.strerror}.")


def _walk(folder: Path) -> Iterator[Path]:
    for at, folders, files in os.walk(folder):
        folders[:] = sorted(each for each in folders if not each.startswith("."))
        for name in sorted(files):
            if name.endswith((".md", ".yaml")):
                yield Path(at, name)


def _say(problems: list[FolderProblem] | None, path: str, code: str, message: str) -> None:
    if problems is not None:
        problems.append(FolderProblem(path, code, message))


# ---- what stands on the pages ------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Summary:
    """What a check needs of one page, small enough to travel between processes.

    ``references`` are kind, name, section, line, column and the name as typed; ``problems`` code, message,
    line and column; ``ids`` and ``words`` those of its headings, ``parts`` the keys of its named parts; ``inserts``
    the place among the references and the characters of each insert.
    """

    references: tuple[tuple[Kind, Name | None, str | None, int, int, str, str], ...]
    ids: tuple[str | None, ...]
    words: tuple[str, ...]
    parts: frozenset[str]
    problems: tuple[tuple[str, str, int, int], ...]
    inserts: tuple[tuple[int, str], ...] = ()


def _summary(page: Page, volumes: frozenset[str], styles: Mapping[int, Style]) -> Summary:
    content, lines = page.content, Lines(page.text)
    sections = Sections.of(page, volumes)
    references = []
    for reference in content.references:
        at = lines.position(reference.span.start)
        whole = title = ""
        if reference.name is not None:
            whole = names.unescape(reference.name_span.of(page.text)).strip()
            title = (
                names.unescape(reference.title_span.of(page.text)).strip() if reference.name.volume else whole
            )
        references.append(
            (reference.kind, reference.name, reference.section, at.line, at.column, whole, title)
        )
    problems = []
    for problem in content.problems:
        at = lines.position(problem.span.start)
        problems.append((problem.code, problem.message, at.line, at.column))
    for flaw in found_in(page, styles[page.head.volume]):
        at = lines.position(flaw.span.start)
        problems.append((flaw.code, flaw.message, at.line, at.column))
    inserts = [
        (n, each.span.of(page.text)) for n, each in enumerate(content.references) if each.kind is Kind.INSERT
    ]
    return Summary(
        tuple(references), sections.ids, sections.keys, sections.parts, tuple(problems), tuple(inserts)
    )


def _summaries(pages: list[Page], volumes: frozenset[str], styles: Mapping[int, Style]) -> dict[int, Summary]:
    """What stands on all pages, read in as many processes as the machine has, if that is worth it."""
    read = partial(_summary, volumes=volumes, styles=styles)
    if sum(len(page.text) for page in pages) < POOL_FROM or (os.cpu_count() or 1) < 2:
        return {page.head.id: read(page) for page in pages}
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        summaries = pool.map(read, pages, chunksize=32)
        return {page.head.id: each for page, each in zip(pages, summaries, strict=True)}


@dataclass
class ReadWiki(MemoryWiki):
    """A wiki whose pages were summed up: which page names what is known without reading it again."""

    summaries: Mapping[int, Summary] = field(default_factory=dict)

    def names_on(self, page: Page) -> Iterator[tuple[Kind, Name, str | None]]:
        for kind, name, section, *_ in self.summaries[page.head.id].references:
            if name is not None:
                yield kind, name, section


@dataclass(frozen=True)
class Loaded:
    """A folder as it was read: its wiki with what stands on the pages, and its files."""

    index: FolderIndex
    wiki: ReadWiki

    @property
    def paths(self) -> Mapping[int, str]:
        """The path of each page."""
        return self.index.paths


def load(folder: Path, *, style: bool = False) -> Loaded:
    """The wiki in a folder, with ``style`` held to the house style of its volumes; Missing if it is none."""
    if not folder.is_dir():
        raise Missing(
            f"{folder} is no folder. Give a folder of .md files, or of such folders.", code="no_folder"
        )
    unread: list[FolderProblem] = []
    source = read_files(page_files(folder, unread), name=folder.resolve().name)
    if not source.volumes:
        raise Missing(f"{folder} holds no page files (.md).", code="no_pages")
    found = index(replace(source, problems=(*source.problems, *unread)))
    pages = list(found.wiki.pages_by_id.values())
    styles = {id_: volume.style if style else Style() for id_, volume in found.volumes.items()}
    summaries = _summaries(pages, frozenset(found.wiki.volumes), styles)
    return Loaded(found, ReadWiki(found.wiki.volumes.values(), pages, summaries))


# ---- check ----------------------------------------------------------------------


def check(folder: Path) -> Checked:
    """What a folder holds and what is wrong with it, in a stable order."""
    found = load(folder, style=True)
    paths, volumes = found.paths, found.index.volumes
    pages = sorted(found.wiki.pages_by_id.values(), key=lambda page: paths[page.head.id])
    linked = graph.build(
        found.wiki.volumes,
        (page.head for page in pages),
        ((page.head.id, key) for page in pages for key in page.alias_keys),
        graph.uses_in(
            (page.head, ((kind, name) for kind, name, _ in found.wiki.names_on(page))) for page in pages
        ),
    )
    named = {id_: path for id_, path in paths.items() if id_ not in found.index.spare}
    placed = {(volume, row.key) for volume in volumes for row in found.index.rows(volume)}
    fronts = {id_: names.key(volume.front) for id_, volume in volumes.items() if volume.front}
    # A volume with neither contents nor a front page opens on the list of all its pages.
    for id_, volume in volumes.items():
        if volume.contents_text is None and id_ not in fronts:
            placed |= {(id_, row.key) for row in found.index.rows(id_, listed=False)}
    references, unwritten = _references(found, pages)
    problems = list(found.index.problems)
    problems += [
        FolderProblem(paths[id_], *problem)
        for id_, summary in found.wiki.summaries.items()
        for problem in summary.problems
    ]
    problems += _insert_problems(found, pages)
    problems += _no_dictionary(found)
    problems += _missing_files(found, folder, pages)
    problems += _undrawn(found, pages)
    problems += _uncited(found, pages, sources_of(folder, problems))
    return Checked(
        tuple(
            CheckedPage(volumes[page.head.volume].title, page.head.title, paths[page.head.id])
            for page in pages
        ),
        references,
        tuple(sorted(named[h.id] for h in reach.orphans(linked) if h.id in named)),
        tuple(sorted(named[h.id] for h in reach.out_of_reach(linked, placed, fronts) if h.id in named)),
        unwritten,
        tuple(
            sorted(problems, key=lambda each: (each.path, each.line, each.column, each.code, each.message))
        ),
    )


def sources_of(
    folder: Path, problems: list[FolderProblem] | None = None
) -> dict[str, tuple[str, dict[str, Any]]]:
    """The list of sources of a folder, ``sources.json`` or ``sources.bib`` at its top, by key: name and fields. What
    cannot be read is added to ``problems``."""
    told: dict[str, tuple[str, dict[str, Any]]] = {}
    for name in SOURCE_FILES:
        path = folder / name
        if not path.is_file() or not path.resolve().is_relative_to(folder.resolve()):
            continue
        try:
            read = bibliography.read(path.read_bytes())
        except MokujiError as fault:
            if problems is not None:
                problems.append(FolderProblem(name, fault.code, fault.message))
            continue
        if problems is not None:
            problems += (FolderProblem(name, "bad_source", said) for said in read.problems)
        for typed, item in read.items:
            label = "-".join(typed.split())
            if label:
                told.setdefault(source_key(label), (label, item))
    return told


def _uncited(found: Loaded, pages: list[Page], sources: Mapping[str, object]) -> Iterator[FolderProblem]:
    """Footnotes that are neither defined on their page nor in the list of sources."""
    for page in pages:
        if "[^" not in page.text:
            continue
        lines = Lines(page.text)
        for cite in page.content.cites:
            if cite.key not in sources:
                at = lines.position(cite.span.start)
                said = f"“{cite.name}” is neither a footnote of this page nor in the list of sources."
                yield FolderProblem(found.paths[page.head.id], "source_missing", said, at.line, at.column)


def _undrawn(found: Loaded, pages: list[Page]) -> Iterator[FolderProblem]:
    """Diagrams that cannot be drawn."""
    for page in pages:
        for problem in rendering.diagram_problems(page, draw):
            at = Lines(page.text).position(problem.span.start)
            yield FolderProblem(found.paths[page.head.id], problem.code, problem.message, at.line, at.column)


def _missing_files(found: Loaded, folder: Path, pages: list[Page]) -> Iterator[FolderProblem]:
    """Files that pages name and that do not lie in ``files/`` of their volume."""
    there = {
        id_: {file_names.key(path.name) for path in (folder / volume.at("files")).glob("*") if path.is_file()}
        for id_, volume in found.index.volumes.items()
    }
    for page in pages:
        known = there[page.head.volume]
        # Most pages name none that is missing: only the others are read closely.
        if "]: " not in page.text and file_names.names_in(page.text) <= known:
            continue
        lines = Lines(page.text)
        for destination in destinations(page.text, page.content):
            if destination.key not in known:
                at = lines.position(destination.span.start)
                said = f"There is no file “{destination.name}” in the files/ of this volume."
                yield FolderProblem(found.paths[page.head.id], "file_missing", said, at.line, at.column)


def _no_dictionary(found: Loaded) -> Iterator[FolderProblem]:
    for volume in found.index.volumes.values():
        language = volume.style.spelling
        if language and dictionary(language) is None:
            said = f"There is no dictionary for “{language}” here, so spelling was not looked at."
            yield FolderProblem(volume.at("volume.yaml"), "no_dictionary", said)


def _references(
    found: Loaded, pages: list[Page]
) -> tuple[tuple[CheckedReference, ...], tuple[UnwrittenName, ...]]:
    wiki, volumes = found.wiki, found.index.volumes
    homes = volumes_by_id(wiki)
    resolver = Resolver(wiki.volumes, wiki.all_titles, wiki.all_aliases)
    known: dict[tuple[int, Name, bool], Resolution] = {}
    sections: dict[int, Sections] = {}
    asked: dict[Place, UnwrittenName] = {}
    listed = []
    for page in pages:
        path, home = found.paths[page.head.id], homes[page.head.volume]
        for kind, name, section, line, column, typed, title in wiki.summaries[page.head.id].references:
            if kind is Kind.LISTING:
                continue
            head: PageHead | None = page.head
            insert = kind is Kind.INSERT
            if name is not None:
                asking = (home.id, name, insert)
                if asking not in known:
                    known[asking] = resolver.resolve(name, home, insert=insert)
                head = known[asking].page
                if head is None:
                    at = known[asking].place
                    volume = volumes[at[0]].title if at[0] in volumes else None
                    shown = title if at[1] == name.title else typed.lstrip("/")
                    first = asked.get(at, UnwrittenName(volume, shown, 0))
                    asked[at] = UnwrittenName(first.volume, first.name, first.references + 1)
            state = "unwritten" if head is None else "page"
            if head is not None and section:
                if head.id not in sections:
                    summary = wiki.summaries[head.id]
                    sections[head.id] = Sections(summary.ids, summary.words, summary.parts)
                there = sections[head.id].holds(section, insert=insert)
                state = "page" if there else "section_missing"
            to = found.paths[head.id] if head is not None else None
            listed.append(
                CheckedReference(
                    path, line, column, "insert" if insert else "link", typed, section or None, state, to
                )
            )
    unwritten = sorted(asked.values(), key=lambda each: (each.volume or "", names.key(each.name), each.name))
    return tuple(listed), tuple(unwritten)


def _insert_problems(found: Loaded, pages: list[Page]) -> Iterator[FolderProblem]:
    """Values that do not fit the template that they are given to; a section that is gone is listed as such."""
    wiki, homes = found.wiki, volumes_by_id(found.wiki)
    resolver = Resolver(wiki.volumes, wiki.all_titles, wiki.all_aliases)
    for page in pages:
        summary = wiki.summaries[page.head.id]
        for nth, typed in summary.inserts:
            _, name, _, line, column, _, _ = summary.references[nth]
            if name is None:
                continue
            head = resolver.resolve(name, homes[page.head.volume], insert=True).page
            # Only templates and values need a look into the texts.
            if head is None or ("|" not in typed and "slots" not in wiki.pages_by_id[head.id].text):
                continue
            for fault in use(typed, wiki.pages_by_id[head.id], wiki.volumes).faults:
                if fault.code != "section_missing":
                    yield FolderProblem(found.paths[page.head.id], fault.code, fault.message, line, column)


# ---- what is meant by what is typed ----------------------------------------------


def page_called(found: Loaded, typed: str) -> PageHead:
    """The page that is called so: a title (if it is one in the whole folder), “Volume/Title”, or a file."""
    by_path = {path: id_ for id_, path in found.paths.items()}
    if typed in by_path:
        return found.wiki.pages_by_id[by_path[typed]].head
    first, slash, rest = typed.partition("/")
    volume = found.wiki.volumes.get(names.key(first)) if slash else None
    key = names.key(rest if volume else typed)
    matching = [
        page.head
        for page in found.wiki.pages_by_id.values()
        if page.head.key == key and (volume is None or page.head.volume == volume.id)
    ]
    if not matching and volume is not None:
        key = names.key(typed)
        matching = [page.head for page in found.wiki.pages_by_id.values() if page.head.key == key]
    if not matching:
        raise Missing(f"There is no page “{typed}” in the folder.", code="page_missing")
    if len(matching) > 1:
        titles = ", ".join(f"“{found.index.volumes[head.volume].title}/{head.title}”" for head in matching)
        raise Refused(f"Several pages are called so: {titles}. Name one of them.", code="ambiguous")
    head = matching[0]
    twins = [
        found.paths[id_]
        for id_ in found.index.spare
        if found.wiki.pages_by_id[id_].head.key.startswith(f"{key}\0")
    ]
    if twins:
        raise Refused(
            f"{found.paths[head.id]} and {', '.join(sorted(twins))} have one name. Give one of them another title "
            "first: which of them is meant cannot be known.",
            code="name_taken",
        )
    return head


def volume_called(found: Loaded, typed: str) -> Volume:
    """The volume that is called so, or the only one; Missing or Refused say why there is none."""
    volumes = found.wiki.volumes
    if typed:
        volume = volumes.get(names.key(typed))
        if volume is None:
            raise Missing(f"There is no volume “{typed}” in the folder.", code="volume_missing")
        return volume
    if len(volumes) > 1:
        titles = ", ".join(f"“{each.title}”" for each in volumes.values())
        raise Refused(f"Say in which volume with --volume: {titles}.", code="ambiguous")
    return next(iter(volumes.values()))


def pages_of(found: Loaded, volume: Volume) -> list[Page]:
    """The pages of a volume of a folder."""
    return [page for page in found.wiki.pages_by_id.values() if page.head.volume == volume.id]


# ---- reading ---------------------------------------------------------------------


def render(folder: Path, page: str) -> tuple[str, tuple[FolderProblem, ...]]:
    """A page of a folder as HTML, with everything put in that it inserts, and its problems. References lead to the
    files of their pages. Missing if there is no such page."""
    found = load(folder)
    head = page_called(found, page)
    here, wiki = found.wiki.pages_by_id[head.id], found.wiki
    volumes = volumes_by_id(wiki)
    key = secrets.token_bytes(16)
    needs = inserted(wiki, volumes[head.volume], here)
    anchors = Sections.of(here, wiki.volumes).anchors()
    paths = {wiki.pages_by_id[id_].head: path for id_, path in found.paths.items()}
    places = {(volumes[each.volume].key, each.key): path for each, path in paths.items()}

    def address(link: Link) -> str:
        path = places.get((link.volume, link.key))
        return quote(os.path.relpath(path, Path(found.paths[head.id]).parent)) if path else ""

    def file(home: int, name: str) -> rendering.FileShown | None:
        where = found.index.volumes[home].at(f"files/{name}")
        if not (folder / where).is_file():
            return None
        relative = quote(os.path.relpath(where, Path(found.paths[head.id]).parent))
        return rendering.FileShown(relative, mimetypes.guess_type(name)[0] or "application/octet-stream")

    told = sources_of(folder)

    def source(name: str) -> str | None:
        found_ = told.get(source_key(name))
        return formatted(found_[1]) if found_ is not None else None

    to = rendering.Addresses(page=address, lists=partial(_listed, wiki), file=file, source=source)
    shown = rendering.render(key, here, compile_page(here, key), anchors, needs, to)
    path, lines = found.paths[head.id], Lines(here.text)
    problems = []
    for problem in shown.problems:
        at = lines.position(problem.problem.span.start)
        problems.append(
            FolderProblem(path, problem.problem.code, problem.problem.message, at.line, at.column)
        )
    return shown.html, tuple(problems)


def _listed(wiki: MemoryWiki, home: int, values: Sequence[tuple[str | None, str]]) -> Listing:
    """A list of pages of a folder: filed by their front matter and their marks."""
    query, faults = read_listing(values)
    volume = volumes_by_id(wiki)[home]
    if query.volume:
        found = wiki.volumes.get(names.key(query.volume))
        if found is None:
            faults.append(Fault("listing", f"There is no volume “{query.volume}”."))
        volume = found or volume
    rows: list[ListedPage] = []
    given = _given(wiki) if query.categories and not faults else {}
    for page in wiki.pages_by_id.values() if not faults else ():
        told = fields(page.content.front_matter)
        under = {each.key for each in filed(page.content) if each.how in {Filing.PAGE, Filing.MARK}}
        under |= given.get(page.head.id, set())
        fits = all(value in map(names.key, told.get(name, ())) for name, value in query.filters.items())
        if page.head.volume == volume.id and fits and under.issuperset(query.categories):
            shown = {name: ", ".join(said) for name, said in told.items()}
            rows.append(ListedPage(page.head, page.content.front_matter.words("summary"), shown))
    listed, more = arrange(rows, query)
    return Listing(query, volume, tuple(listed), (*faults, *more))


def _given(wiki: MemoryWiki) -> dict[int, set[str]]:
    """The categories under which templates file the pages that insert them."""
    found: dict[int, set[str]] = {}
    for template in wiki.pages_by_id.values():
        if "gives" not in template.text:
            continue
        keys = {each.key for each in filed(template.content) if each.how is Filing.GIVES}
        for user, _ in inserts_of(wiki, template) if keys else ():
            found.setdefault(user.head.id, set()).update(keys)
    return found
