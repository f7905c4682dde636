"""Every reading is linear, also of hostile texts: each regular expression of the core and each of its functions that
read a text, found by this test itself, are held to growing inputs.

Time is only compared with time of the same run, four times the text with one: what is linear takes four times as long,
what is quadratic sixteen times. Below ``QUICK`` nothing is compared, since nothing can be told from so little.
"""

from __future__ import annotations

import ast
import builtins
import gc
import importlib
import inspect
import pkgutil
import re
import signal
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import partial
from types import FrameType, ModuleType
from typing import Any

import pytest

import mokuji.core
import mokuji.formats
from mokuji.core.base.errors import MokujiError
from mokuji.core.diff import diff, merge
from mokuji.core.edit.replacing import Replacement
from mokuji.core.finding import told
from mokuji.core.finding.vector import PageTerms
from mokuji.core.html.filling import form
from mokuji.core.html.html import compile_page
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Sections
from mokuji.core.model.wiki import MemoryWiki, Volume
from mokuji.core.refactor import proposal
from mokuji.core.refactor.plans.replace import KINDS, places
from mokuji.core.style.flaws import flaws
from mokuji.core.style.mentions import sayings
from mokuji.core.syntax.slots import Slot
from mokuji.services.reading import rendering
from mokuji.services.reading.inserting import inserted

SMALL, LARGE = 2_500, 10_000
"""Code points of the two texts for an expression."""
QUICK = 0.03
"""Seconds of processor time."""
sre: Any = importlib.import_module("re._parser")  # the standard library's own reader of expressions
TIMES = 9.0
"""From this on four times the text takes more than a linear reading does."""
ALONE = 20
"""Seconds after which a reading counts as hanging."""


class Hangs(Exception):
    """It does not come to an end in time."""


@contextmanager
def _bounded() -> Iterator[None]:
    def ring(_: int, __: FrameType | None) -> None:
        raise Hangs

    before = signal.signal(signal.SIGALRM, ring)
    signal.alarm(ALONE)
    try:
        yield
    finally:
        signal.alarm(0)
        signal.signal(signal.SIGALRM, before)


def _took(work: Callable[[str], object], text: str) -> float:
    gc.disable()
    begun = time.thread_time()
    try:
        with suppress(MokujiError, ValueError):  # said in words: that too has to be quick
            work(text)
        return time.thread_time() - begun
    finally:
        gc.enable()


def growth(work: Callable[[str], object], make: Callable[[int], str], small: int, large: int) -> float:
    """How many times as long the larger text takes; 0 if both are quick. The least of several tries counts, since
    others share the machine."""
    least = 0.0
    for turn in range(4):
        longer = _took(work, make(large))
        if longer < QUICK:
            return 0.0
        shorter = max(_took(work, make(small)), 1e-4)
        times = longer / shorter
        least = times if turn == 0 else min(least, times)
        if least < TIMES:
            break
    return least


def modules(package: ModuleType) -> Iterator[ModuleType]:
    for found in pkgutil.walk_packages(package.__path__, package.__name__ + "."):
        yield importlib.import_module(found.name)


# ---- regular expressions --------------------------------------------------------------------------


class _Sample(str):
    """Stands for what a function has only while it runs: a word, whatever is asked of it."""

    def __getattr__(self, _: str) -> _Sample:
        return self

    def __call__(self, *_: object, **__: object) -> _Sample:
        return self


class _Names(dict[str, Any]):
    """The names of a module; others are samples."""

    def __missing__(self, name: str) -> object:
        return getattr(builtins, name, _Sample("qx7"))


FUNCTIONS = {"compile", "sub", "search", "match", "fullmatch", "findall", "finditer", "split"}
AT_ONE_PLACE = {"match", "fullmatch"}
"""What looks at one place of a text; all else looks at each."""
Used = tuple[str, re.Pattern[str], frozenset[str]]


def _patterns(module: ModuleType) -> Iterator[Used]:
    """Each expression that a module has, with its place and how it is used there."""
    source = inspect.getsource(module)
    tree = ast.parse(source)
    called = {
        node.value: target.id
        for node in ast.walk(tree)
        if isinstance(node, ast.Assign)
        for target in node.targets
        if isinstance(target, ast.Name)
    }
    for node in ast.walk(tree):
        if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.args):
            continue
        if not (isinstance(node.func.value, ast.Name) and node.func.value.id == "re"):
            continue
        if node.func.attr not in FUNCTIONS:
            continue
        names = _Names({**vars(module), "re": re})
        said = eval(compile(ast.Expression(node.args[0]), "", "eval"), names)
        flags = [k.value for k in node.keywords if k.arg == "flags"]
        if node.func.attr == "compile":
            flags += node.args[1:2]
        flag = eval(compile(ast.Expression(flags[0]), "", "eval"), names) if flags else 0
        ways = {node.func.attr}
        if node.func.attr == "compile":
            name = called.get(node, "")
            ways = set(re.findall(rf"\b{name}\.(\w+)", source)) if name else set()
        if isinstance(said, str):
            yield f"{module.__name__}:{node.lineno}", re.compile(str(said), flag), frozenset(ways)


PATTERNS: list[Used] = [
    found
    for package in (mokuji.core, mokuji.formats)
    for module in modules(package)
    for found in _patterns(module)
]


def _literals(pattern: re.Pattern[str]) -> set[str]:
    """The runs of letters that an expression holds."""
    runs: set[str] = set()

    def walk(parsed: Any) -> None:
        run = ""
        for operation, value in parsed:
            if operation is sre.LITERAL:
                run += chr(value)
                continue
            if run:
                runs.add(run)
            run = ""
            waiting = [value]
            while waiting:
                each = waiting.pop()
                if isinstance(each, sre.SubPattern):
                    walk(each)
                elif isinstance(each, list | tuple):
                    waiting += each
                    if len(each) == 2 and each[0] is sre.LITERAL and isinstance(each[1], int):
                        runs.add(chr(each[1]))
        if run:
            runs.add(run)

    walk(sre.parse(pattern.pattern, pattern.flags))
    return runs


COMMON = ["a", " ", "\n", "\r\n", "\t", "a ", "a\n", " \n", "-", "0", "1.", "[", "]", "<"]


def _seeds(pattern: re.Pattern[str]) -> Iterator[Callable[[int], str]]:
    """Hostile texts for an expression: what it looks for, again and again, and never its end."""
    runs = sorted(_literals(pattern))[:24]
    repeated = {*COMMON, *runs, *(f"{run} " for run in runs), *(f"{run}a" for run in runs)}
    for seed in sorted(repeated):
        for start in ["", *runs[:3]]:
            yield lambda n, seed=seed, start=start: start + (seed * (n // len(seed) + 1))[:n] + "\x01"  # type: ignore[misc]


@pytest.mark.parametrize(("place", "pattern", "ways"), PATTERNS, ids=[place for place, _, _ in PATTERNS])
def test_an_expression_takes_time_that_grows_with_the_text(
    place: str, pattern: re.Pattern[str], ways: frozenset[str]
) -> None:
    def work(text: str) -> None:
        pattern.match(text)
        if not ways <= AT_ONE_PLACE:
            for _ in pattern.finditer(text):
                pass

    for make in _seeds(pattern):
        with _bounded():
            times = growth(work, make, SMALL, LARGE)
        assert times < TIMES, f"{place} {pattern.pattern!r} on {make(40)!r}: × {times:.1f} for × 4"


# ---- functions that read a text ---------------------------------------------------------------------

TEXT_NAMES = {
    "text",
    "body",
    "source",
    "raw",
    "typed",
    "said",
    "words",
    "data",
    "value",
    "line",
    "title",
    "name",
    "old",
}
NOT_TEXTS = {
    "mokuji.core.edit.front_edit.scalar",  # one value, bounded by who calls it
}


def _readers() -> Iterator[tuple[str, Callable[[str], object]]]:
    """The public functions of the core that need a text, or a page, and nothing else."""
    for module in modules(mokuji.core):
        for name, function in vars(module).items():
            if (
                not inspect.isfunction(function)
                or function.__module__ != module.__name__
                or name.startswith("_")
            ):
                continue
            needed = [p for p in inspect.signature(function).parameters.values() if p.default is p.empty]
            if len(needed) != 1:
                continue
            full = f"{module.__name__}.{name}"
            if needed[0].annotation == "Page":
                yield full, partial(_call_of_page, function)
            elif needed[0].annotation == "str" and needed[0].name in TEXT_NAMES and full not in NOT_TEXTS:
                yield full, partial(_call, function)


def _call(function: Callable[[str], object], text: str) -> object:
    return _all(function(text))


def _call_of_page(function: Callable[[Page], object], text: str) -> object:
    return _all(function(_page(text)))


def _all(found: object) -> object:
    return list(found) if isinstance(found, Iterator) else found


def _page(text: str) -> Page:
    return Page(PageHead(1, 1, "a", "A", 1), text)


def _of_page(text: str) -> None:
    page = _page(text)
    Sections.of(page, frozenset()).anchors()
    list(flaws(page))


def _assembled(text: str) -> None:
    page = _page(text)
    wiki = MemoryWiki([Volume(1, "guide", "Guide")], [page])
    needs = inserted(wiki, wiki.volumes["guide"], page)
    anchors = Sections.of(page, wiki.volumes).anchors()
    rendering.render(b"key", page, compile_page(page, b"key"), anchors, needs, rendering.Addresses())


def _put_in(text: str) -> None:
    made = form(text + " ${a} ${b}", {"a": Slot("a", default="x"), "b": Slot("b", default="y")}, "qx")
    made.fill({"a": text[:200], "b": "two\nlines"})


READERS: dict[str, Callable[[str], object]] = {
    **dict(_readers()),
    "a page": _of_page,
    "a page as HTML": lambda text: compile_page(_page(text), b"key"),
    "a page line by line": lambda text: told.kept(told.told(_page(text))),
    "what a page is found by": lambda text: PageTerms("A", [], told.told(_page(text))).vectors({}),
    "words replaced": lambda text: list(places(_page(text), Replacement("a", "b"), KINDS)),
    "words said without a reference": lambda text: list(sayings(_page(text + " [[=a]]"), "a", "b")),
    "two texts compared": lambda text: _all(diff.compare(text, text.replace("a", "b") + "x")),
    "three texts brought together": lambda text: _all(merge.merge3(text, text + "x", "y" + text)),
    "a proposed note": lambda text: (
        proposal.propose(text, text + " x") if hasattr(proposal, "propose") else None
    ),
}

LINES = [
    "<!-- ", "<!--a\n\n", "<b>", "</b>", "<b", "<a b='", "&amp;", "&", "*a ", "**a", "_a_ ", "~~a", "`",
    "``` \n", "~~~\n", "[", "]", "[[", "]]", "[[a]]", "[[a|b]] ", "[[a#b]] ", "[[=a]]\n\n",
    "[[=a|b: c]]\n\n", "[[[[a]]]]", "![a](b) ", "[a](b) ", "[a](", "[a]: b\n", "[^1] ", "[^a]: b\n\n",
    "[^a] [^a]: x\n\n", "- a\n", "- [ ] a @b\n", "- [ ] (A) a due:2027-01-01 @bo\n", "  - a\n", "1. a\n",
    "> ", "> a\n", "# a\n", "## a {#b}\n", "## [[a]]\n", "| a | b |\n|---|---|\n", "| a ", "|", "a | b\n",
    "a\n: b\n\n", "$a$ ", "$$", "${a}", "${a:-", "\\", "\\[", "#a ", "@a ", "https://a.b/c ",
    "<https://a> ", "---\n", "a: b\n", "- ", "\t", " ", "\n", "\r", "\r\n", "\u00a0", "\ufeff", "\u00e9",
    "\ud83d\ude00", "a", "a. ", "A. B. ", "a-b-", "a_b_", "(a) ", "\"", "\u201ca\u201d ",
    "<!-- part -->\n\na\n\n<!-- /part -->\n\n", "**Note** a\n\n", "<ticket:A-1> ", "a\n\n", "a  \n", "=\n",
    "a\n=\n", "::", "```dot\ngraph{a}\n```\n\n", "```python\na\n```\n\n", "    a\n",
]  # fmt: skip
HEADS = [
    "",
    "---\naliases: [",
    "---\nslots: {a: {default: b}}\n---\n",
    "---\ncategories: [a]\n---\n",
    "---\na: &x [",
    "---\n",
]


PAGES = {"a page", "a page as HTML", "a page with everything that is filled in"}
HOSTILE = [("", line) for line in LINES]
IN_PAGES = [(head, line) for head in HEADS[1:] for line in LINES[::4]]


@pytest.mark.parametrize("name", READERS)
def test_a_reading_takes_time_that_grows_with_the_text(name: str) -> None:
    work, slow = READERS[name], []
    for head, line in [*HOSTILE, *(IN_PAGES if name in PAGES else ())]:
        make = partial(_repeated, head, line)
        try:
            with _bounded():
                times = growth(work, make, 3_000, 12_000)
        except Hangs:
            times = float("inf")
        if times >= TIMES:
            slow.append(f"{head!r} {line!r}: × {times:.1f} for × 4")
    assert slow == [], name


def _repeated(head: str, line: str, length: int) -> str:
    return head + (line * (length // len(line) + 1))[:length]
