"""Formulas: LaTeX in, MathML out.

latex2mathml does the reading. What it makes is written here once more, with
the elements and attributes of MathML Core only, so that nothing of a formula
can be anything but a formula; the LaTeX goes along as an annotation. What it
does not understand it leaves in as text: that is found, and said.
"""

from __future__ import annotations

import html
import re
import unicodedata
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from latex2mathml import commands, exceptions
from latex2mathml.converter import convert_to_element

from mokuji.core.formulas.formula_words import prepared, unpaired

LONGEST = 4_000
"""Maximum number of code points of one formula."""
_CHILDREN = {
    "mfrac": 2, "mroot": 2, "msub": 2, "msup": 2, "munder": 2, "mover": 2, "msubsup": 3, "munderover": 3,
}  # fmt: skip
_ELEMENTS = frozenset(
    (*_CHILDREN, *"mi mn mo mpadded mphantom mrow mspace msqrt mstyle mtable mtd mtext mtr".split())
)
_ATTRIBUTES = frozenset(
    (
        "accent accentunder depth displaystyle fence form height linethickness lspace mathbackground mathcolor "
        "mathsize maxsize minsize movablelimits rspace scriptlevel separator stretchy symmetric voffset width"
    ).split()
)
_VALUE = re.compile(r"[\w#.%+\- ]{1,40}\Z")
_ALIGNED = {"left": "to-left", "right": "to-right"}
_LIMITED = frozenset(
    {"lim", "max", "min", "sup", "inf", "limsup", "liminf", "argmax", "argmin", "det", "gcd", "Pr"}
)
"""Operators below which an index stands in display (LaTeX, amsmath)."""
_BARS = frozenset({"&#x0007C;", "&#x02016;", "&#x02223;", "&#x02225;"})
_REFERENCE = re.compile(r"&#x([0-9A-Fa-f]{1,6});")
_UPRIGHT = re.compile(r"&#x0*(?:4[1-9A-F]|5[0-9A]|6[1-9A-F]|7[0-9A]|39[1-9A-F]|3A[0-9]);")
_BEGIN = re.compile(r"\\begin\s*\{([^{}]*)\}")
_DEFINES = re.compile(r"\\(?:(?:re)?new|provide)command\b|\\[egx]?def\b|\\let\b")
_ENVIRONMENTS = frozenset(each.removeprefix("\\") for each in commands.MATRICES) | {
    "align", "align*", "aligned", "alignedat", "array", "cases", "dcases", "equation", "equation*", "gather",
    "gather*", "gathered", "split", "smallmatrix",
}  # fmt: skip
_SAID: dict[type[BaseException], str] = {
    exceptions.DoubleSubscriptsError: "It has two subscripts in a row; braces say which belongs to which",
    exceptions.DoubleSuperscriptsError: "It has two superscripts in a row; braces say which belongs to which",
    exceptions.ExtraLeftOrMissingRightError: "“\\left” and “\\right” do not pair up",
    exceptions.MissingEndError: "An environment has no “\\end”",
    exceptions.MissingSuperScriptOrSubscriptError: "Nothing stands behind “^” or “_”",
    exceptions.NoAvailableTokensError: "It breaks off: something is missing at the end",
    exceptions.NumeratorNotFoundError: "A fraction has nothing above its line",
    exceptions.DenominatorNotFoundError: "A fraction has nothing below its line",
    exceptions.InvalidAlignmentError: "The alignment of its columns is none of l, c and r",
    exceptions.InvalidWidthError: "A width in it cannot be read",
    exceptions.LimitsMustFollowMathOperatorError: "“\\limits” does not follow an operator",
    exceptions.InvalidStyleForGenfracError: "The style of “\\genfrac” is none of 0 to 3",
    RecursionError: "It is nested too deep",
    StopIteration: "It breaks off: something is missing at the end",
}


@dataclass(frozen=True, slots=True)
class Formula:
    """A formula: its MathML, or empty with what is not understood about it."""

    mathml: str
    fault: str = ""


@lru_cache(maxsize=4096)
def formula(latex: str, *, display: bool) -> Formula:
    """LaTeX as MathML Core (W3C, 2025), in a line or in display. Expected faults are part of the result."""
    fault = _refused(latex)
    if fault:
        return Formula("", fault)
    try:
        element = convert_to_element(prepared(latex), display="block" if display else "inline")
        written = "".join(_write(child) for child in element)
    except _NotUnderstood as found:
        return Formula("", str(found))
    except tuple(_SAID) as found:
        return Formula("", _SAID[type(found)] + ".")
    except Exception as found:  # a parser of others, given anything at all
        return Formula("", f"It cannot be read as LaTeX ({type(found).__name__}).")
    source = html.escape(latex.strip())
    block = ' display="block"' if display else ""
    annotation = f'<annotation encoding="application/x-tex">{source}</annotation>'
    return Formula(f"<math{block}><semantics>{written}{annotation}</semantics></math>")


class _NotUnderstood(Exception):
    pass


def _refused(latex: str) -> str:
    """Why a formula is not even tried."""
    if len(latex) > LONGEST:
        return f"It has {len(latex)} characters; {LONGEST} are the most."
    if not latex.strip():
        return "It is empty."
    defines = _DEFINES.search(latex)
    if defines is not None:
        return f"“{defines[0]}” is not understood: a formula defines nothing. Write out what is meant."
    depth = unpaired(latex)
    if depth < 0:
        return "A brace is closed that was not opened."
    if depth:
        return "A brace is not closed."
    for match in _BEGIN.finditer(latex):
        if match[1] not in _ENVIRONMENTS:
            return f"“\\begin{{{match[1]}}}” is not understood."
    return ""


def _write(element: Any, rules: str = "") -> str:
    """An element of what was read; raises _NotUnderstood where that was not understood. ``rules`` are the classes of a
    cell beside or above lines."""
    name = element.tag
    text = _REFERENCE.sub(lambda found: chr(int(found[1], 16)), element.text or "")
    if text.startswith("\\") and len(text) > 1 and name in {"mi", "mo"}:
        raise _NotUnderstood(f"“{text}” is not understood.")
    if name not in _ELEMENTS:
        raise _NotUnderstood("It holds something that formulas here have no form for.")
    if len(element) != _CHILDREN.get(name, len(element)):
        raise _NotUnderstood("A fraction, root or index lacks one of its parts.")
    if name == "mi" and not text:
        return ""
    if name == "mi" and text == "&":
        raise _NotUnderstood("“&” stands outside of a table or matrix.")
    text = "".join(_faced(letter, element.get("mathvariant", "")) for letter in text)
    if name == "msub" and len(element) == 2 and element[0].tag == "mo" and element[0].text in _LIMITED:
        name = "munder"
        element[0].set("movablelimits", "true")
    if name == "mrow":
        _bar(element)
    if name == "mtable":
        inner = "".join(_rows(element))
    else:
        inner = html.escape(text, quote=False) + "".join(_write(child) for child in element)
    return f"<{name}{''.join(_attributes(name, element, rules))}>{inner}</{name}>"


def _bar(row: Any) -> None:
    """Bars beside a table are as high as it; any other stands close to what is beside it, as in print."""
    for n, each in enumerate(row):
        if each.tag != "mo" or each.text not in _BARS:
            continue
        behind, before = row[n + 1 : n + 2], row[n - 1 : n] if n else []
        if any(other.tag == "mtable" for other in behind):
            each.attrib.update(form="prefix", fence="true", stretchy="true")
        elif any(other.tag == "mtable" for other in before):
            each.attrib.update(form="postfix", fence="true", stretchy="true")
        elif each.get("stretchy") == "false":
            each.attrib.update(lspace="0", rspace="0")


def _rows(table: Any) -> Iterator[str]:
    """The rows of a table, with its lines: MathML Core leaves those to styles."""
    across = _lines(table.get("columnlines", ""))
    down = _lines(table.get("rowlines", ""))
    for r, row in enumerate(table):
        if row.tag != "mtr":
            raise _NotUnderstood("It holds something that formulas here have no form for.")
        cells = []
        for c, cell in enumerate(row):
            rules = [
                *(["line-behind"] if across(c) else []),
                *(["line-below"] if down(r) and r + 1 < len(table) else []),
            ]
            cells.append(_write(cell, " ".join(rules)))
        yield f"<mtr>{''.join(cells)}</mtr>"


def _lines(typed: str) -> Callable[[int], bool]:
    """Whether there is a line behind a column or row; the last that is said holds for those behind it."""
    said = typed.split()

    def drawn(index: int) -> bool:
        return bool(said) and said[min(index, len(said) - 1)] != "none"

    return drawn


@lru_cache(maxsize=1)
def _faces() -> dict[tuple[str, str], str]:
    """Letters in other faces, by face and letter: MathML Core has them as characters of their own (Unicode, block
    Mathematical Alphanumeric Symbols, and those of Letterlike Symbols that stood before)."""
    found: dict[tuple[str, str], str] = {}
    for point in (*range(0x2100, 0x2150), *range(0x1D400, 0x1D800)):
        letter = chr(point)
        name = unicodedata.name(letter, "").removeprefix("MATHEMATICAL ")
        face = next(
            (face for words, face in _FACES if re.match(rf"{words} (?:CAPITAL|SMALL|DIGIT)", name)), None
        )
        if name == "PLANCK CONSTANT":
            face = "italic"
        if face is not None:
            found.setdefault((face, unicodedata.normalize("NFKC", letter)), letter)
    return found


_FACES = (
    ("SANS-SERIF BOLD ITALIC", "sans-serif-bold-italic"), ("SANS-SERIF BOLD", "bold-sans-serif"),
    ("SANS-SERIF ITALIC", "sans-serif-italic"), ("SANS-SERIF", "sans-serif"), ("BOLD ITALIC", "bold-italic"),
    ("BOLD SCRIPT", "bold-script"), ("BOLD FRAKTUR", "bold-fraktur"), ("BOLD", "bold"), ("ITALIC", "italic"),
    ("SCRIPT", "script"), ("FRAKTUR", "fraktur"), ("BLACK-LETTER", "fraktur"), ("DOUBLE-STRUCK", "double-struck"),
    ("MONOSPACE", "monospace"),
)  # fmt: skip


def _faced(letter: str, face: str) -> str:
    return _faces().get((face, letter), letter) if face and face != "normal" else letter


def _attributes(name: str, element: Any, rules: str = "") -> Iterator[str]:
    # A single letter is slanted by itself. One that stands as its number was put in another face, or is a Greek
    # capital: those are upright in print.
    if name == "mi" and (_UPRIGHT.fullmatch(element.text or "") or element.get("mathvariant") == "normal"):
        yield ' mathvariant="normal"'
    classes = " ".join(filter(None, (_ALIGNED.get(element.get("columnalign", ""), ""), rules)))
    if name == "mtable" and element.get("columnspacing", "").startswith("0em"):
        classes = "in-line"
    if classes:
        yield f' class="{classes}"'
    for key, value in element.items():
        if key == "columnalign":
            continue
        if key in _ATTRIBUTES and _VALUE.match(value):
            yield f' {key}="{html.escape(value)}"'
