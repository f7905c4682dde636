"""A page with 50 formulas, 20 blocks of code and 10 diagrams, against the bare libraries that do the reading."""

from __future__ import annotations

import subprocess

import pyromark
from latex2mathml.converter import convert
from pygments import highlight
from pygments.formatters import HtmlFormatter
from pygments.lexers import get_lexer_by_name

from bench.clock import in_turns, show
from mokuji.adapters import diagrams
from mokuji.core.formulas.formulas import formula
from mokuji.core.html.code import forget as forget_code
from mokuji.core.html.html import compile_page
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Sections
from mokuji.core.model.wiki import MemoryWiki, Volume
from mokuji.services.reading.inserting import inserted
from mokuji.services.reading.rendering import render

KEY = b"a key for measures only"
FORMULAS = [
    rf"p_{{{n}}} = \rho g h_{{{n}}} + \frac{{1}}{{{n + 2}}} \sqrt{{v^2 + \sum_{{i=1}}^{{{n + 1}}} w_i}}"
    for n in range(50)
]
CODES = [
    "import csv\n\n"
    + f'with open("log-{n}.csv", newline="") as log:  # hull {n}\n'
    + '    for hour, volts in csv.reader(log):\n        print(f"{hour}: {float(volts):.2f} V")\n' * 6
    for n in range(20)
]
DRAWINGS = [
    "digraph {\n  rankdir=LR\n"
    + "".join(f'  n{m} -> n{m + 1} [label="{m + n} V"]\n' for m in range(9))
    + "}\n"
    for n in range(10)
]


def _page() -> Page:
    parts = [f"## Part {n}\n\nSo ${each}$ holds.\n" for n, each in enumerate(FORMULAS)]
    parts += [f"```python Script {n}\n{each}```\n" for n, each in enumerate(CODES)]
    parts += [f"```dot Way {n}\n{each}```\n" for n, each in enumerate(DRAWINGS)]
    return Page(PageHead(1, 1, "p", "P"), "\n".join(parts))


def _bare() -> None:
    """What the libraries take by themselves: 50 formulas, 20 codes, 10 drawings, and the text."""
    for each in FORMULAS:
        convert(each)
    for code in CODES:
        highlight(code, get_lexer_by_name("python"), HtmlFormatter(nowrap=True))
    for drawing in DRAWINGS:
        subprocess.run(["dot", "-Tsvg"], input=drawing.encode(), capture_output=True, check=True)
    pyromark.Markdown(options=pyromark.Options.ENABLE_MATH).html(_page().text)


def _forget() -> None:
    formula.cache_clear()
    forget_code()
    diagrams.forget()


def run() -> None:
    """Prints the figures."""
    page = _page()
    wiki = MemoryWiki([Volume(1, "v", "V")], [page])
    anchors = Sections.of(page, wiki.volumes).anchors()
    needs = inserted(wiki, wiki.volumes["v"], page)

    def view(source: Page) -> None:
        render(KEY, source, compile_page(source, KEY), anchors, needs)

    def first() -> None:
        _forget()
        view(Page(page.head, page.text))

    print("\nA page with 50 formulas, 20 blocks of code and 10 diagrams\n")
    base = "latex2mathml, Pygments, dot and pyromark by themselves"
    compiled = compile_page(page, KEY)
    shown = render(KEY, page, compiled, anchors, needs)
    assert shown.html.count("<math") == 50 and shown.html.count("<svg") == 10
    assert shown.html.count('class="c-word"') > 100
    taken = in_turns(
        {
            base: _bare,
            "first view: nothing was drawn or read yet": first,
            "first view of another revision: one word is new": lambda: view(
                Page(page.head, page.text + " x")
            ),
            "each further view": lambda: render(KEY, page, compiled, anchors, needs),
        },
        turns=7,
    )
    show(taken, base)
