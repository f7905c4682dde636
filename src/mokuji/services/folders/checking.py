"""The check of a folder: what it holds, and what is wrong with it, with what mends it.

What a page says badly in itself was found when it was read, by as many processes as there are. What it names that is
not there is looked for on those pages only that something seems to be wrong with.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path

from mokuji.adapters.diagrams import draw
from mokuji.adapters.spelling import dictionary
from mokuji.core.base import names
from mokuji.core.base.findings import Problem
from mokuji.core.base.names import Name
from mokuji.core.base.spans import Lines
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model import graph
from mokuji.core.model.references import Resolution, Resolver, Sections, volumes_by_id
from mokuji.core.model.wiki import Place, Volume
from mokuji.core.reports import reach
from mokuji.core.reports.insert_faults import faulty_inserts
from mokuji.core.reports.page_findings import PageFinding, in_wiki, leads_of
from mokuji.core.style.flaws import Mend
from mokuji.core.syntax import files as file_names
from mokuji.core.syntax.reference import Kind
from mokuji.formats.check import Checked, CheckedPage, CheckedReference, UnwrittenName
from mokuji.formats.folder import FolderProblem
from mokuji.services.folders.folders import Loaded, load, sources_of
from mokuji.services.reading import rendering

LIKE = 60
"""How alike two names must be (rapidfuzz's ratio, of 100) to be offered."""
LOOKED_UP = 200
"""For so many names of one check something is looked for that is called nearly so."""


@dataclass
class FolderSurroundings:
    """What pages name beside pages, in a folder (``core.reports.page_findings.Surroundings``)."""

    found: Loaded
    files_of: Mapping[int, Mapping[str, str]]
    """The files of each volume: names by key."""
    cited: Mapping[str, str]
    """The sources: names by key."""
    _near: dict[tuple[str, int, str], str | None] = field(default_factory=dict)

    @cached_property
    def _keys(self) -> dict[int, list[str]]:
        """The keys of the titles of each volume."""
        keys: dict[int, list[str]] = {}
        for volume, key in self.found.wiki.all_titles:
            keys.setdefault(volume, []).append(key)
        return keys

    @classmethod
    def of(cls, found: Loaded, folder: Path, sources: Mapping[str, tuple[str, object]]) -> FolderSurroundings:
        """What lies in a folder beside its pages."""
        lying = {
            id_: [path.name for path in (folder / volume.at("files")).glob("*") if path.is_file()]
            for id_, volume in found.index.volumes.items()
        }
        by_key = {id_: {file_names.key(name): name for name in files} for id_, files in lying.items()}
        return cls(found, by_key, {key: name for key, (name, _) in sources.items()})

    def near_page(self, volume: int, key: str) -> PageHead | None:
        near = self._nearest("page", volume, key, self._keys.get(volume, ()))
        return self.found.wiki.all_titles[volume, near] if near is not None else None

    def files(self, volume: int, keys: Collection[str]) -> Collection[str]:
        return self.files_of[volume].keys() & set(keys)

    def near_file(self, volume: int, key: str) -> str | None:
        near = self._nearest("file", volume, key, self.files_of[volume])
        return self.files_of[volume][near] if near is not None else None

    def sources(self, keys: Collection[str]) -> Collection[str]:
        return self.cited.keys() & set(keys)

    def near_source(self, key: str) -> str | None:
        near = self._nearest("source", 0, key, self.cited)
        return self.cited[near] if near is not None else None

    def nobody(self, keys: Collection[str]) -> Mapping[str, str | None]:
        # A folder knows of no people: nobody can say that a handle is wrong.
        return {}

    def _nearest(self, sort: str, volume: int, key: str, known: Collection[str]) -> str | None:
        asked = (sort, volume, key)
        if asked not in self._near:
            if len(self._near) >= LOOKED_UP:
                return None
            from rapidfuzz import fuzz, process  # loaded where it is needed, as few folders do

            choices = known if isinstance(known, list) else list(known)
            found = process.extractOne(key, choices, scorer=fuzz.ratio, score_cutoff=LIKE)
            self._near[asked] = found[0] if found is not None else None
        return self._near[asked]


def check(folder: Path, *, anew: bool = False) -> Checked:
    """What a folder holds and what is wrong with it, in a stable order; ``anew`` without what was kept of earlier."""
    found = load(folder, style=True, anew=anew)
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
    fronts = {id_: names.key(volume.front) for id_, volume in volumes.items() if volume.front}
    begins = {(volume, row.key) for volume in volumes for row in found.index.rows(volume)} | set(
        fronts.items()
    )
    # A volume with neither contents nor a front page opens on the list of all its pages.
    for id_, volume in volumes.items():
        if volume.contents_text is None and id_ not in fronts:
            begins |= {(id_, row.key) for row in found.index.rows(id_, listed=False)}
    roots = graph.ints(page.head.id for page in pages if (page.head.volume, page.head.key) in begins)
    references, unwritten = _references(found, pages)
    problems = list(found.index.problems)
    problems += _no_dictionary(found)
    around = FolderSurroundings.of(found, folder, sources_of(folder, problems))
    mends: dict[tuple[str, int, int], tuple[Mend, ...]] = {}
    for page, told in _findings(found, pages, references, around):
        if not told:
            continue
        path, lines = paths[page.head.id], Lines(page.text)
        for each in told:
            at = lines.position(each.span.start)
            if each.code in {"unwritten", "section_missing"}:
                # The list of references says these.
                mends[path, at.line, at.column] = each.mends
            else:
                said = f"{each.message.rstrip('.')}."
                problem = FolderProblem(
                    path, each.code, said, at.line, at.column, each.kind, each.span, each.mends
                )
                problems.append(problem)
    references = tuple(
        replace(each, mends=mends[place]) if (place := (each.path, each.line, each.column)) in mends else each
        for each in references
    )
    return Checked(
        tuple(
            CheckedPage(volumes[page.head.volume].title, page.head.title, paths[page.head.id])
            for page in pages
        ),
        references,
        tuple(sorted(named[id_] for id_ in reach.orphans(linked).tolist() if id_ in named)),
        tuple(sorted(named[id_] for id_ in reach.out_of_reach(linked, roots).tolist() if id_ in named)),
        unwritten,
        tuple(
            sorted(problems, key=lambda each: (each.path, each.line, each.column, each.code, each.message))
        ),
    )


def _findings(
    found: Loaded, pages: Sequence[Page], references: Sequence[CheckedReference], around: FolderSurroundings
) -> Iterator[tuple[Page, list[PageFinding]]]:
    """The findings of each page."""
    wiki, homes = found.wiki, volumes_by_id(found.wiki)
    resolver = Resolver(wiki.volumes, wiki.all_titles, wiki.all_aliases)
    broken = {each.path for each in references if each.resolution != "page"}
    shared = {place for place, heads in wiki.all_aliases.items() if len(heads) > 1}
    for page in pages:
        summary, told = wiki.summaries[page.head.id], list(wiki.summaries[page.head.id].findings)
        if (
            found.paths[page.head.id] in broken
            or not summary.understood
            or summary.drawn
            or _names_what_is_missing(page, around)
            or _may_not_fit(found, page, resolver, homes[page.head.volume])
            or (shared and any((page.head.volume, name.key) in shared for _, name, _ in wiki.names_on(page)))
        ):
            wrong = [*rendering.text_problems(page, draw), *_insert_problems(found, page)]
            told += in_wiki(wiki, page, leads_of(wiki, page), around, wrong)
        yield page, told


def _names_what_is_missing(page: Page, around: FolderSurroundings) -> bool:
    """Whether a page may name a file or a source that is not there: most pages name none, and are not read closely."""
    return (
        "[^" in page.text
        or "]: " in page.text
        or not file_names.names_in(page.text) <= around.files_of[page.head.volume].keys()
    )


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
        for kind, name, section, line, column, typed, title, *_ in wiki.summaries[page.head.id].references:
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


def _insert_problems(found: Loaded, page: Page) -> Iterator[Problem]:
    """Values that do not fit the template that they are given to; a section that is gone is listed as such."""
    for insert in faulty_inserts(found.wiki, [page]):
        for fault in insert.faults:
            yield Problem(fault.code, fault.message, insert.reference.span)


def _may_not_fit(found: Loaded, page: Page, resolver: Resolver, home: Volume) -> bool:
    """Whether the values of an insert may not fit its template: only templates and values need a closer look."""
    summary = found.wiki.summaries[page.head.id]
    for nth, typed in summary.inserts:
        name = summary.references[nth].name
        head = resolver.resolve(name, home, insert=True).page if name is not None else None
        if head is not None and ("|" in typed or "slots" in found.wiki.pages_by_id[head.id].text):
            return True
    return False
