r"""What stands in formulas beside plain LaTeX: chemical formulas and quantities, as the packages mhchem and siunitx
write them, labels, and environments that mean the same as others. Turned into LaTeX that is read.

Names of units and prefixes: The International System of Units, BIPM, 9th edition, tables 2 to 8; the names of their
commands are common practice. ``\ce`` knows the forms that technical writers use: indices, charges, states, arrows,
bonds written as ``-`` and ``=``.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping

PREFIXES = {
    "quecto": "q", "ronto": "r", "yocto": "y", "zepto": "z", "atto": "a", "femto": "f", "pico": "p", "nano": "n",
    "micro": "µ", "milli": "m", "centi": "c", "deci": "d", "deca": "da", "deka": "da", "hecto": "h", "kilo": "k",
    "mega": "M", "giga": "G", "tera": "T", "peta": "P", "exa": "E", "zetta": "Z", "yotta": "Y", "ronna": "R",
    "quetta": "Q",
}  # fmt: skip
UNITS = {
    "metre": "m", "meter": "m", "gram": "g", "second": "s", "ampere": "A", "kelvin": "K", "mole": "mol",
    "candela": "cd", "hertz": "Hz", "newton": "N", "pascal": "Pa", "joule": "J", "watt": "W", "coulomb": "C",
    "volt": "V", "farad": "F", "ohm": "Ω", "siemens": "S", "weber": "Wb", "tesla": "T", "henry": "H", "lumen": "lm",
    "lux": "lx", "becquerel": "Bq", "gray": "Gy", "sievert": "Sv", "katal": "kat", "radian": "rad",
    "steradian": "sr", "minute": "min", "hour": "h", "day": "d", "litre": "L", "liter": "L", "tonne": "t",
    "bar": "bar", "electronvolt": "eV", "dalton": "Da", "decibel": "dB", "bel": "B", "neper": "Np", "hectare": "ha",
    "percent": "%", "degree": "°", "arcminute": "′", "arcsecond": "″", "celsius": "°C", "degreeCelsius": "°C",
    "kilogram": "kg",
}  # fmt: skip
SAME = {"aligned": "align*", "align": "align*", "alignedat": "align*", "split": "align*", "dcases": "cases"}
"""Environments that are read as others: numbers beside lines would count anew in each formula."""

_COMMAND = re.compile(r"\\(SI|si|qty|unit|num|ang|ce|label)\s*(?=\{)|\\nonumber\b|\\notag\b")
_ENVIRONMENT = re.compile(r"\\(begin|end)\s*\{([a-z]+\*?)\}(?:\s*(?<=alignedat\})\{\d*\})?")
_BRACES = re.compile(r"\\.|%[^\n]*|[{}]", re.DOTALL)
_UNIT_PIECE = re.compile(r"\\([A-Za-z]+)|([.~*]|\\,)|\^\{?(-?\d+)\}?|/|([A-Za-zµΩ°%]+)|(\s+|.)", re.DOTALL)
_NUMBER = re.compile(r"([-+]?[\d.,]*)(?:[eEdD]([-+]?\d+))?\Z")
_CE = re.compile(
    r"(<->|<=>|->|<-)|\^(\{[^{}]*\}|[\d+-]+)|_(\{[^{}]*\}|\d+)|(\((?:s|l|g|aq)\))|([A-Z][a-z]?|[)\]])(\d+(?:\.\d+)?)?"
    r"(?:([+-])(?=\s|$|[)\]]))?|(\d+(?:[./]\d+)?)|(\s+)|([-=#])|(\\.|.)",
    re.DOTALL,
)
_ARROWS = {"->": r"\rightarrow", "<-": r"\leftarrow", "<->": r"\leftrightarrow", "<=>": r"\rightleftharpoons"}


def prepared(latex: str) -> str:
    """A formula with what is beside plain LaTeX turned into it; whatever is in none of the known forms stays."""
    pieces: list[str] = []
    at = 0
    while (match := _COMMAND.search(latex, at)) is not None:
        pieces.append(latex[at : match.start()])
        at = match.end()
        name = match[1]
        if name is None:
            continue
        first, at = _argument(latex, at)
        second = ""
        if name in {"SI", "qty"}:
            second, at = _argument(latex, at)
        pieces.append(_MAKERS[name](first, second))
    pieces.append(latex[at:])
    return _ENVIRONMENT.sub(_environment, "".join(pieces))


def unpaired(latex: str) -> int:
    """How many braces are open at the end; -1 if one is closed that was not opened."""
    depth = 0
    for brace in _BRACES.finditer(latex):
        depth += {"{": 1, "}": -1}.get(brace[0], 0)
        if depth < 0:
            return -1
    return depth


def _argument(latex: str, at: int) -> tuple[str, int]:
    """What stands in the braces at a place, and the place behind them; nothing if none open there."""
    start = at + len(latex[at:]) - len(latex[at:].lstrip())
    if latex[start : start + 1] != "{":
        return "", at
    depth = 0
    for brace in _BRACES.finditer(latex, start):
        depth += {"{": 1, "}": -1}.get(brace[0], 0)
        if depth == 0:
            return latex[start + 1 : brace.start()], brace.end()
    return "", at


def _environment(found: re.Match[str]) -> str:
    which, name = found[1], found[2]
    if name in {"gathered", "gather", "gather*"}:
        return r"\begin{array}{c}" if which == "begin" else r"\end{array}"
    if name in {"equation", "equation*"}:
        return "{" if which == "begin" else "}"
    return f"\\{which}{{{SAME.get(name, name)}}}"


def _number(typed: str) -> str:
    match = _NUMBER.match(typed.strip().replace(" ", ""))
    if match is None:
        return typed
    digits, power = match[1].replace("-", "{-}"), match[2]
    if power is None:
        return digits
    return (rf"{digits}\times " if digits else "") + f"10^{{{power.lstrip('+')}}}"


def _units(typed: str) -> str:
    r"""Units with prefixes and powers, ``\per`` for one below the line; as text where they are none."""
    made: list[str] = []
    below, power, prefix = False, "", ""

    def put(unit: str, exponent: str = "") -> None:
        nonlocal below, power, prefix
        exponent = exponent or power or ("1" if below else "")
        sign = "-" if below else ""
        index = f"^{{{sign}{exponent}}}" if exponent and (below or exponent != "1") else ""
        if made and made[-1] not in {r"\,", "/"}:
            made.append(r"\,")
        made.append(rf"\mathrm{{{prefix}{_escaped(unit)}}}{index}")
        below, power, prefix = False, "", ""

    for match in _UNIT_PIECE.finditer(typed):
        command, apart, exponent, words, other = match.groups()
        if command == "per":
            below = True
        elif command in {"square", "cubic"}:
            power = "2" if command == "square" else "3"
        elif command in {"squared", "cubed"} and made:
            last = made.pop()
            base, _, index = last.partition("^{")
            sign = "-" if index.startswith("-") else ""
            made.append(f"{base}^{{{sign}{'2' if command == 'squared' else '3'}}}")
        elif command in PREFIXES:
            prefix = PREFIXES[command]
        elif command in UNITS:
            put(UNITS[command])
        elif exponent is not None and made:
            made[-1] += f"^{{{exponent}}}"
        elif apart or (other and not other.strip()):
            made.append(r"\,")
        elif match[0] == "/":
            made.append("/")
        elif words:
            put(words)
        elif command:
            put(command)
        elif other:
            made.append(rf"\text{{{_escaped(other)}}}")
    return "".join(made)


def _escaped(words: str) -> str:
    return words.replace("%", r"\%").replace("°", r"{}^{\circ}")


def _chemical(typed: str) -> str:
    """A chemical formula or reaction: upright symbols, digits behind them as indices, charges as powers."""
    made: list[str] = []
    for match in _CE.finditer(typed):
        arrow, up, down, state, symbol, count, charge, number, space, bond, other = match.groups()
        if arrow:
            made.append(f" {_ARROWS[arrow]} ")
        elif up:
            made.append(f"^{{{up.strip('{}')}}}")
        elif down:
            made.append(f"_{{{down.strip('{}')}}}")
        elif state:
            made.append(rf"\,(\mathrm{{{state[1:-1]}}})")
        elif symbol:
            made.append(symbol if symbol in ")]" else rf"\mathrm{{{symbol}}}")
            made.append((f"_{{{count}}}" if count else "") + (f"^{{{charge}}}" if charge else ""))
        elif number:
            made.append(rf"{number}\,")
        elif space:
            made.append(" ")
        elif bond:
            made.append({"-": "{-}", "=": "{=}", "#": r"{\equiv}"}[bond])
        else:
            made.append(other)
    return "{" + "".join(made) + "}"


_MAKERS: Mapping[str, Callable[[str, str], str]] = {
    "SI": lambda number, units: rf"{_number(number)}\,{_units(units)}",
    "qty": lambda number, units: rf"{_number(number)}\,{_units(units)}",
    "si": lambda units, _: _units(units),
    "unit": lambda units, _: _units(units),
    "num": lambda number, _: _number(number),
    "ang": lambda typed, _: rf"{typed}^{{\circ}}",
    "ce": lambda typed, _: _chemical(typed),
    "label": lambda _, __: "",
}
