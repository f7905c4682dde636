"""What a check of a folder found, as JSON and as lines for a terminal or a build.

The shape of the JSON: ``pages`` [{volume, title, path}], ``references`` [{from, line, column, kind, target,
section, resolution, to, mends}], ``orphans`` [path], ``out_of_reach`` [path], ``unwritten`` [{volume, name,
references}], ``problems`` [{path, line, column, code, kind, message, start, end, mends}]. ``kind`` is problem, style or
advice; advice alone leaves a folder sound. ``mends`` are [{words, edits [{start, end, words}]}], the likeliest first.
Lines and columns count from 1, columns in code points; ranges are of code points of the file, from 0.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from mokuji.core.style.flaws import Mend
from mokuji.formats.folder import FolderProblem


@dataclass(frozen=True, slots=True)
class CheckedPage:
    """A page file."""

    volume: str
    title: str
    path: str


@dataclass(frozen=True, slots=True)
class CheckedReference:
    """A reference: ``kind`` is link or insert; ``resolution`` page, section_missing or unwritten.

    ``target`` is the name as typed (empty: the own page), ``to`` the path of the page that it leads to.
    """

    path: str
    line: int
    column: int
    kind: str
    target: str
    section: str | None
    resolution: str
    to: str | None
    mends: tuple[Mend, ...] = ()


@dataclass(frozen=True, slots=True)
class UnwrittenName:
    """A name without a page, the volume in which it would be written (None: there is no such), how often it is used."""

    volume: str | None
    name: str
    references: int


@dataclass(frozen=True)
class Checked:
    """All that a check found, each list in a stable order."""

    pages: tuple[CheckedPage, ...]
    references: tuple[CheckedReference, ...]
    orphans: tuple[str, ...]
    out_of_reach: tuple[str, ...]
    unwritten: tuple[UnwrittenName, ...]
    problems: tuple[FolderProblem, ...]

    @property
    def sound(self) -> bool:
        """Whether there is nothing to mend."""
        broken = any(reference.resolution != "page" for reference in self.references)
        wrong = any(problem.kind != "advice" for problem in self.problems)
        return not (broken or self.orphans or self.out_of_reach or self.unwritten or wrong)


def as_json(found: Checked) -> str:
    """One object."""
    told = {
        "pages": [{"volume": page.volume, "title": page.title, "path": page.path} for page in found.pages],
        "references": [
            {
                "from": reference.path,
                "line": reference.line,
                "column": reference.column,
                "kind": reference.kind,
                "target": reference.target,
                "section": reference.section,
                "resolution": reference.resolution,
                "to": reference.to,
                "mends": _mends(reference.mends),
            }
            for reference in found.references
        ],
        "orphans": list(found.orphans),
        "out_of_reach": list(found.out_of_reach),
        "unwritten": [
            {"volume": name.volume, "name": name.name, "references": name.references}
            for name in found.unwritten
        ],
        "problems": [
            {
                "path": problem.path,
                "line": problem.line,
                "column": problem.column,
                "code": problem.code,
                "kind": problem.kind,
                "message": problem.message,
                "start": problem.span.start if problem.span is not None else None,
                "end": problem.span.end if problem.span is not None else None,
                "mends": _mends(problem.mends),
            }
            for problem in found.problems
        ],
    }
    return json.dumps(told, ensure_ascii=False, indent=1)


def _mends(mends: Sequence[Mend]) -> list[dict[str, object]]:
    """Those that are edits of the text."""
    return [
        {
            "words": mend.words,
            "edits": [{"start": e.span.start, "end": e.span.end, "words": e.words} for e in mend.edits],
        }
        for mend in mends
        if mend.edits
    ]


def as_lines(found: Checked) -> Iterator[str]:
    """One finding a line, ``path:line:column: sentence``, as editors and builds read them; last the sum."""
    for problem in found.problems:
        yield f"{problem.path}:{problem.line}:{problem.column}: {problem.message} [{problem.code}]"
    for reference in found.references:
        at = f"{reference.path}:{reference.line}:{reference.column}"
        if reference.resolution == "section_missing":
            name = f"“{reference.target}” has" if reference.target else "This page has"
            yield f"{at}: {name} no section “{reference.section}”. [section_missing]"
        elif reference.resolution == "unwritten":
            yield f"{at}: “{reference.target}” is not written. [unwritten]"
    for path in found.orphans:
        yield f"{path}:1:1: No other page leads here. [orphan]"
    for path in found.out_of_reach:
        yield f"{path}:1:1: It is not reached from the front page or the contents. [out_of_reach]"
    yield (
        f"{len(found.pages):,} pages, {len(found.references):,} references: "
        f"{sum(p.kind != 'advice' for p in found.problems):,} problems, "
        f"{sum(r.resolution == 'section_missing' for r in found.references):,} missing sections, "
        f"{len(found.unwritten):,} unwritten names, {len(found.orphans):,} orphans, "
        f"{len(found.out_of_reach):,} out of reach, "
        f"{sum(p.kind == 'advice' for p in found.problems):,} pieces of advice."
    )
