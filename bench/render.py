"""Parse and render of a 9 KB page, against the bare parser; hostile texts, doubled."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence

import pyromark

from bench.clock import in_turns, said, show
from mokuji.core.assembly.assembly import assemble
from mokuji.core.assembly.inserts import Fault, Inserter, Token
from mokuji.core.html.html import Open
from mokuji.core.html.writer import Diagram, File
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import scan
from mokuji.core.model.references import Sections

PARAGRAPH = (
    "The well is the lowest *dry* space in the [[hull]]. It holds two [[gel battery|12 V gel batteries]] in series, "
    "the **charge regulator** and the `bilge` switch; see <https://example.org/a> and table 3.\n\n"
)
TABLE = (
    "| What | Normal | Act when |\n|---|---|---|\n"
    + "| Voltage at rest | 25.2 V | see [[Bilge switch]] |\n" * 6
    + "\n"
)
LIST = "1. Set the isolator to OFF.\n2. Loosen the bolts:\n   1. half a turn;\n   2. fully.\n\n"


def _page() -> str:
    parts: list[str] = []
    while len("".join(parts)) < 9000:
        parts += [f"## Part {len(parts)}\n\n", PARAGRAPH * 6, LIST, TABLE]
    text = "".join(parts)
    return text[: text.rindex("\n\n", 0, 9000)]  # no reference is cut through


def _render(text: str) -> str:
    page = Page(PageHead(1, 1, "p", "P"), text)
    inserter = Inserter(b"key")
    root = inserter.whole(page)
    return assemble(inserter, root, Sections.of(page, ()).anchors(), _Plain()).html


class _Plain:
    """References as one letter; nothing is put in."""

    def page(self, token: Token) -> None:
        return None

    def link(self, token: Token, label: str, place: Open, *, anchor: str | None, own: bool) -> str:
        return "x"

    def listing(
        self, token: Token, values: Sequence[tuple[str | None, str]], place: Open
    ) -> tuple[str, list[Fault]]:
        return "x", []

    def inserted(self, html: str, token: Token, page: Page, place: Open) -> str:
        return html

    def signal(self, tag: str, word: str, page: Page) -> str:
        return f"<{tag}>"

    def mark(self, word: str, page: Page) -> str:
        return word

    def person(self, handle: str) -> str:
        return handle

    def source(self, name: str) -> str | None:
        return name

    def file(self, file: File, page: Page) -> str:
        return file.words if file.picture else "<a>"

    def diagram(self, diagram: Diagram) -> str:
        return diagram.caption

    def fault(self, faults: Sequence[Fault], place: Open) -> str:
        return ""


def run() -> None:
    """Prints the figures."""
    text = _page()
    markdown = pyromark.Markdown(options=pyromark.Options.ENABLE_TABLES)
    references = len(scan(text).references)
    print(f"  {'':<58} {'median':>11} {'95 in 100':>11}   ratio")
    taken = in_turns(
        {
            f"pyromark, text to HTML ({len(text):,} characters)": lambda: markdown.html(text),
            "pyromark, events with ranges": lambda: list(markdown.events_with_range(text)),
            f"scan: front matter, {references} references, headings, problems": lambda: scan(text),
            "scan and render, cleaned, references filled in": lambda: _render(text),
        },
        turns=60,
    )
    show(taken, next(iter(taken)))
    print("\n  Hostile texts: scan and render of 50,000 and of 100,000 characters; linear is × 2")
    for name, make in HOSTILE.items():
        times = [_seconds(make(n)) for n in (50_000, 100_000)]
        print(f"  {name:<58} {said(times[0]):>11} {said(times[1]):>11}   × {times[1] / times[0]:.2f}")


HOSTILE: dict[str, Callable[[int], str]] = {
    "[[[[[[…": lambda n: "[" * n,
    "[[a|[[a|…]]]]": lambda n: "[[a|" * (n // 6) + "]]" * (n // 6),
    "[[=a|b: [[=a|b: …": lambda n: "[[=a|b: " * (n // 10) + "]]" * (n // 10),
    "[[a]][[a]]…": lambda n: "[[a]]" * (n // 5),
    ">>>>>>…": lambda n: ">" * n,
    "- - - -…": lambda n: "- " * (n // 2),
    "*a **b *a **b…": lambda n: "*a **b " * (n // 7),
    "<b><b><b>…": lambda n: "<b>" * (n // 3),
    "## [[a]] on each line": lambda n: "## [[a]]\n" * (n // 9),
}


def _seconds(text: str) -> float:
    best = float("inf")
    for _ in range(3):
        start = time.perf_counter()
        _render(text)
        best = min(best, time.perf_counter() - start)
    return best
