"""The YAML mapping that may stand at the head of a page.

It is found by its fences alone, so that a page whose YAML is broken stays
saveable and readable; what does not parse is a problem with its place.
Names are read as typed: ``aliases: [2027-01-01, no]`` are two names.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any

import yaml

from mokuji.core.base.findings import Problem
from mokuji.core.base.spans import Span

LARGEST = 65_536
"""Maximum number of code points of a front matter that is read."""
DEEPEST = 20
"""Maximum number of levels of nesting in a front matter that is read."""

_OPENING = re.compile(r"\ufeff?---[ \t]*(?:\r\n|\n|\r)")
_CLOSING = re.compile(r"(?<=[\r\n])(?:---|\.\.\.)[ \t]*(?:\r\n|\n|\r|\Z)")
# What stands on a line but for the signs that mean something to YAML there (YAML 1.1, chapters 5 and 9).
_NO_SIGN = r"\x00-\x1f\x7f-\x9f\u2028\u2029\ud800-\uffff\U00010000-\U0010ffff"
_PLAIN = f"[A-Za-z0-9][^{_NO_SIGN}:#]*"
_QUOTED = rf'"([^{_NO_SIGN}"\\]*)"'
_ITEM = rf"""[A-Za-z0-9][^{_NO_SIGN}:#"'\\,{{}}\[\]]*"""
_PLAIN_LINE = re.compile(
    rf"([A-Za-z][A-Za-z0-9_-]*):(?: *| +({_PLAIN})| +{_QUOTED} *| +\[ *({_ITEM}(?:, *{_ITEM})*)\] *)\r?"
)


@dataclass(frozen=True, slots=True)
class FrontMatter:
    """What the head of a page says.

    ``span`` covers both fences, and is empty when there is none; the body
    starts at its end. ``fields`` holds strings, lists and mappings of strings.
    """

    span: Span
    fields: Mapping[str, Any] = field(default_factory=lambda: MappingProxyType({}))
    problems: tuple[Problem, ...] = ()

    def names(self, name: str) -> tuple[str, ...]:
        """A field as a list of names: a list, or one name alone; anything else gives none."""
        value = self.fields.get(name)
        if isinstance(value, str):
            return (value,) if value.strip() else ()
        if isinstance(value, list):
            return tuple(item for item in value if isinstance(item, str) and item.strip())
        return ()

    def words(self, name: str) -> str:
        """A field that is one string; empty when it is missing or something else."""
        value = self.fields.get(name)
        return value if isinstance(value, str) else ""


def read(text: str) -> FrontMatter:
    """The front matter of a page's text. Never raises."""
    opening = _OPENING.match(text)
    if opening is None:
        bom = 1 if text.startswith("\ufeff") else 0
        return FrontMatter(Span(0, bom) if bom else Span(0, 0))
    closing = _CLOSING.search(text, opening.end())
    if closing is None:
        return FrontMatter(Span(0, 0))
    span = Span(0, closing.end())
    inner = text[opening.end() : closing.start()]
    if len(inner) > LARGEST:
        problem = Problem(
            "front_matter_large",
            f"The front matter is longer than {LARGEST:,} characters and is not read. Shorten it.",
            span,
        )
        return FrontMatter(span, problems=(problem,))
    plain = plainly(inner)
    return (
        by_yaml(inner, span, opening.end()) if plain is None else FrontMatter(span, MappingProxyType(plain))
    )


def plainly(inner: str) -> dict[str, Any] | None:
    """What front matter says whose lines all are a name with plain words, words in quotes or a list of plain words
    behind it; None of any other. YAML's own reader takes thirty times as long."""
    fields: dict[str, Any] = {}
    for line in inner.removesuffix("\n").split("\n"):
        found = _PLAIN_LINE.fullmatch(line)
        if found is None:
            return None
        name, plain, quoted, items = found.groups()
        if items is not None:
            fields[name] = [item.strip(" ") for item in items.split(",")]
        else:
            fields[name] = quoted if quoted is not None else (plain or "").strip(" ")
    return fields


def by_yaml(inner: str, span: Span, offset: int) -> FrontMatter:
    """The same of any front matter, which begins at ``offset``."""
    try:
        if _depth(inner) > DEEPEST:
            raise yaml.YAMLError(f"it is nested more than {DEEPEST} deep")
        # BaseLoader gives every scalar as the string that was typed.
        value = yaml.load(inner, yaml.CBaseLoader)  # noqa: S506 - BaseLoader builds no objects
    except (yaml.YAMLError, ValueError, TypeError) as fault:
        mark = getattr(fault, "problem_mark", None)
        at = offset + min(mark.index, len(inner)) if mark is not None else offset
        reason = getattr(fault, "problem", None) or str(fault)
        problem = Problem(
            "front_matter_broken",
            f"The front matter is not YAML: {reason}. The page is kept as typed.",
            Span(at, at),
        )
        return FrontMatter(span, problems=(problem,))
    if value is None or value == "":
        return FrontMatter(span)
    if not isinstance(value, dict):
        problem = Problem(
            "front_matter_no_mapping",
            "The front matter is no list of “name: value” lines, so nothing is read from it.",
            span,
        )
        return FrontMatter(span, problems=(problem,))
    fields = {name: item for name, item in value.items() if isinstance(name, str)}
    return FrontMatter(span, MappingProxyType(fields))


def _depth(inner: str) -> int:
    """How deep the YAML nests, from its events: composing a hostile nest would exhaust the stack."""
    deepest = depth = 0
    for event in yaml.parse(inner, yaml.CBaseLoader):
        if isinstance(event, yaml.CollectionStartEvent):
            depth += 1
            deepest = max(deepest, depth)
            if deepest > DEEPEST:
                return deepest
        elif isinstance(event, yaml.CollectionEndEvent):
            depth -= 1
        elif isinstance(event, yaml.AliasEvent):
            raise yaml.YAMLError("it uses an anchor (*), which is not read")
    return deepest
