"""What a check needs of each page of a folder, read by as many processes as the machine has."""

from __future__ import annotations

import gc
import os
from collections.abc import Callable, Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from multiprocessing import get_context
from typing import NamedTuple

from mokuji.core.base import names
from mokuji.core.base.names import Name
from mokuji.core.base.spans import Lines, Span
from mokuji.core.language.indexed_page import flags_of
from mokuji.core.language.page import Page
from mokuji.core.model.references import Sections
from mokuji.core.reports.formulas import formula_problems
from mokuji.core.reports.page_findings import PageFinding, in_itself
from mokuji.core.style.style import Style
from mokuji.core.syntax.reference import Kind
from mokuji.services.reading.page_style import found_in

POOL_FROM = 2_000_000
"""Number of code points from which on texts that are read by several processes."""


class SummedReference(NamedTuple):
    """A reference of a page: its name as typed, whole and without its volume; where it stands; what is kept of it
    besides (``indexed_page.Flag``)."""

    kind: Kind
    name: Name | None
    section: str | None
    line: int
    column: int
    typed: str
    title: str
    span: Span
    flags: int


@dataclass(frozen=True, slots=True)
class Summary:
    """What a check needs of one page, small enough to travel between processes.

    ``findings`` is what it says badly in itself, ``understood`` whether all of it was, without looking at diagrams;
    ``ids`` and ``words`` are those of its headings, ``parts`` the keys of its named parts, ``aliases`` those of its
    other names; ``inserts`` the place among the references and the characters of each insert.
    """

    references: tuple[SummedReference, ...]
    ids: tuple[str | None, ...]
    words: tuple[str, ...]
    parts: frozenset[str]
    findings: tuple[PageFinding, ...]
    understood: bool
    drawn: bool
    aliases: tuple[str, ...]
    inserts: tuple[tuple[int, str], ...]


def summary_of(page: Page, volumes: frozenset[str], styles: Mapping[int, Style]) -> Summary:
    """What stands on a page; ``volumes`` are the keys of all volumes, ``styles`` those of volumes by id, none if how
    pages read is not looked at."""
    content = page.content
    sections = Sections.of(page, volumes)
    references = []
    lines = Lines(page.text if content.references else "")
    for nth, reference in enumerate(content.references):
        at = lines.position(reference.span.start)
        whole = title = ""
        if reference.name is not None:
            whole = names.unescape(reference.name_span.of(page.text)).strip()
            title = (
                names.unescape(reference.title_span.of(page.text)).strip() if reference.name.volume else whole
            )
        references.append(
            SummedReference(
                reference.kind,
                reference.name,
                reference.section,
                at.line,
                at.column,
                whole,
                title,
                reference.span,
                flags_of(content, nth),
            )
        )
    inserts = [
        (n, each.span.of(page.text)) for n, each in enumerate(content.references) if each.kind is Kind.INSERT
    ]
    return Summary(
        tuple(references),
        sections.ids,
        sections.keys,
        sections.parts,
        tuple(in_itself(page, found_in(page, styles[page.head.volume]))) if styles else (),
        not content.problems and not any(formula_problems(content)),
        bool(content.diagrams),
        page.alias_keys,
        tuple(inserts),
    )


def read_all(pages: list[Page], volumes: frozenset[str], styles: Mapping[int, Style]) -> dict[int, Summary]:
    """What stands on all pages, read in as many processes as the machine has, if that is worth it."""
    read = partial(summary_of, volumes=volumes, styles=styles)
    if sum(len(page.text) for page in pages) < POOL_FROM or (os.cpu_count() or 1) < 2:
        return {page.head.id: read(page) for page in pages}
    # The processes are forked, and find the pages where these are: to send them takes as long as reading them.
    _TO_READ[:] = pages
    gc.freeze()
    try:
        with ProcessPoolExecutor(os.cpu_count(), get_context("fork")) as pool:
            summaries = pool.map(partial(_read_at, read), range(len(pages)), chunksize=64)
            return {page.head.id: each for page, each in zip(pages, summaries, strict=True)}
    finally:
        gc.unfreeze()
        _TO_READ.clear()


_TO_READ: list[Page] = []
"""The pages that are being summed up by several processes."""


def _read_at(read: Callable[[Page], Summary], at: int) -> Summary:
    return read(_TO_READ[at])
