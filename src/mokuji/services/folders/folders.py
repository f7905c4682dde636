"""Work on a plain folder of pages, without a database: check it, and do acts on it with the same plans."""

from __future__ import annotations

import mimetypes
import os
import secrets
import stat
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import Any
from urllib.parse import quote

from mokuji.core.assembly.inserts import Fault
from mokuji.core.assembly.listing import ListedPage, Listing, arrange, fields
from mokuji.core.assembly.listing import read as read_listing
from mokuji.core.base import names
from mokuji.core.base.errors import Missing, MokujiError, Refused
from mokuji.core.base.names import Name
from mokuji.core.base.spans import Lines
from mokuji.core.html.html import compile_page
from mokuji.core.language.indexed_page import IndexedPage, KnownNames
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.categories import Filing, filed
from mokuji.core.model.references import Sections, inserts_of, volumes_by_id
from mokuji.core.model.sources import formatted
from mokuji.core.model.wiki import MemoryWiki, Volume
from mokuji.core.syntax.pointers import source_key
from mokuji.core.syntax.reference import Kind
from mokuji.formats.folder import FolderProblem
from mokuji.formats.folder import read as read_files
from mokuji.formats.folder_base import PAGES_FILE
from mokuji.formats.folder_wiki import FolderIndex, index
from mokuji.services.folders.kept_summaries import summed_up
from mokuji.services.folders.summaries import Summary
from mokuji.services.reading import rendering
from mokuji.services.reading.inserting import inserted
from mokuji.services.reading.linking import Link

SOURCE_FILES = ("sources.json", "sources.bib")
"""The list of sources lies at the top of a folder, in CSL-JSON or BibTeX."""
MOST_BYTES = 8_000_000
"""A larger file is not opened: no page can be that long."""

MOST_BESIDE = 200_000_000
"""Maximum number of bytes of what lies beside the pages."""


def page_files(folder: Path, problems: list[FolderProblem] | None = None) -> Iterator[tuple[str, bytes]]:
    """The files of a folder that are pages or about them, with their paths in it; links out are not followed.

    Such as cannot be opened are left out, and said in ``problems``.
    """
    root = os.path.realpath(folder)
    beside = Path(folder) / PAGES_FILE
    inside_it = os.path.realpath(beside) == os.path.join(root, PAGES_FILE)
    if inside_it and beside.is_file() and beside.stat().st_size <= MOST_BESIDE:
        yield PAGES_FILE, beside.read_bytes()
    for at, name in _walk(folder):
        path = f"{at}/{name}"
        # Where a way leads is asked of the system for links alone: for each file it would take longer than reading it.
        inside = path[len(os.fspath(folder)) + 1 :]
        if not names.is_storable(inside):
            shown = inside.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
            said = "The name of the file is no UTF-8, so no page can have it. Rename it."
            _say(problems, shown, "file_name", said)
            continue
        try:
            state = os.lstat(path)
            if stat.S_ISLNK(state.st_mode):
                if not Path(os.path.realpath(path)).is_relative_to(root):
                    continue
                state = os.stat(path)
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
                with open(path, "rb") as opened:
                    yield inside, opened.read()
        except OSError as fault:
            _say(problems, inside, "not_readable", f"The file cannot be read: {fault.strerror}.")


def _walk(folder: Path) -> Iterator[tuple[str, str]]:
    """The files that may be pages or about them, with the folders in which they stand; links to folders are not
    followed."""
    for at, folders, files in os.walk(folder):
        folders[:] = sorted(each for each in folders if not each.startswith("."))
        for name in sorted(files):
            if name.endswith((".md", ".yaml")):
                yield at, name


def _say(problems: list[FolderProblem] | None, path: str, code: str, message: str) -> None:
    if problems is not None:
        problems.append(FolderProblem(path, code, message))


# ---- what stands on the pages ------------------------------------------------------


@dataclass
class ReadWiki(MemoryWiki):
    """A wiki whose pages were summed up: which page names what is known without reading it again."""

    summaries: Mapping[int, Summary] = field(default_factory=dict)

    def names_on(self, page: Page) -> Iterator[tuple[Kind, Name, str | None]]:
        for each in self.summaries[page.head.id].references:
            if each.name is not None:
                yield each.kind, each.name, each.section


def _indexed(pages: Iterable[Page], summaries: Mapping[int, Summary]) -> Iterator[Page]:
    """The pages with what was read in them."""
    known = KnownNames()
    ids: dict[Name, int] = {}
    for page in pages:
        summary = summaries[page.head.id]
        references = summary.references
        for each in references:
            if each.name is not None and each.name not in ids:
                ids[each.name] = len(ids) + 1
                known[ids[each.name]] = each.name
        yield IndexedPage(
            page.head,
            page.text,
            [each.span.start for each in references],
            [each.span.end for each in references],
            [0 if each.name is None else ids[each.name] for each in references],
            [each.flags for each in references],
            known,
            summary.aliases,
        )


@dataclass(frozen=True)
class Loaded:
    """A folder as it was read: its wiki with what stands on the pages, and its files."""

    index: FolderIndex
    wiki: ReadWiki

    @property
    def paths(self) -> Mapping[int, str]:
        """The path of each page."""
        return self.index.paths


def load(folder: Path, *, style: bool = False, anew: bool = False) -> Loaded:
    """The wiki in a folder, with ``style`` looked at for how its pages read; ``anew`` without what was kept of an
    earlier reading. Missing if it is none."""
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
    styles = {id_: volume.style for id_, volume in found.volumes.items()} if style else {}
    summaries = summed_up(folder, pages, frozenset(found.wiki.volumes), styles, anew=anew)
    return Loaded(found, ReadWiki(found.wiki.volumes.values(), list(_indexed(pages, summaries)), summaries))


# ---- what lies beside the pages --------------------------------------------------


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
        from mokuji.formats import bibliography  # loaded where it is needed: most folders have no sources

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
    if query.asks:
        said = "A list that a question chooses is made where the wiki is: a folder has no index of words."
        faults.append(Fault("listing", said))
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
