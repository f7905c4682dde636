"""The core is pure: it imports what is on this list, and nothing else."""

from __future__ import annotations

import ast
from pathlib import Path

import mokuji.core

ALLOWED = {
    "__future__", "bisect", "collections", "collections.abc", "dataclasses", "difflib", "enum", "functools",
    "datetime", "hashlib", "html", "html.parser", "ipaddress", "itertools", "json", "math", "operator", "re",
    "threading",
    "types", "typing", "unicodedata", "urllib.parse",
    "ahocorasick_rs", "cachetools", "latex2mathml", "latex2mathml.converter", "nh3", "numpy", "numpy.typing",
    "pygments.lexer", "pygments.lexers", "pygments.token", "pygments.util", "pyromark", "rapidfuzz", "re2",
    "rapidfuzz.distance", "yaml",
}  # fmt: skip


def test_the_core_imports_no_clock_no_chance_no_files_and_no_framework() -> None:
    root = Path(mokuji.core.__file__).parent
    found: dict[str, str] = {}
    for path in root.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Import):
                found |= {alias.name: path.name for alias in node.names}
            elif isinstance(node, ast.ImportFrom):
                found[node.module or ""] = path.name
    foreign = {name: where for name, where in found.items() if not name.startswith("mokuji.core")}
    assert foreign.keys() - ALLOWED == set(), foreign


def test_the_core_asks_no_clock() -> None:
    root = Path(mokuji.core.__file__).parent
    asked = [
        f"{path.name}:{node.lineno}"
        for path in root.rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.Attribute) and node.attr in {"now", "today", "utcnow", "fromtimestamp"}
        if isinstance(node.value, ast.Name) and node.value.id in {"date", "datetime"}
    ]
    assert asked == [], "what time it is comes in as a value"
