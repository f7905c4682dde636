"""Categories: what a page says of them, and the tree that broader and narrower ones make.

A category exists as soon as something is filed under it. It is described by
the page of its name, if there is one; ``broader:`` there names wider ones (as
``skos:broader``).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import IntEnum

from mokuji.core.base import names
from mokuji.core.language.scan import PageText


class Filing(IntEnum):
    """How a page has to do with a category: filed whole, a marked passage of it, filing all pages that insert it, or
    (as the page of a category) calling that one broader. Templates are filed as such, under no name."""

    PAGE = 0
    MARK = 1
    GIVES = 2
    BROADER = 3
    TEMPLATE = 4


LISTS = {Filing.PAGE: "categories", Filing.GIVES: "gives", Filing.BROADER: "broader"}
"""The fields of the front matter that name categories."""


@dataclass(frozen=True, slots=True)
class Filed:
    """A category that a page names: its key, how, as it is typed first, and how often."""

    key: str
    how: Filing
    name: str
    count: int = 1


def filed(content: PageText) -> list[Filed]:
    """All that a page says of categories, each once."""
    found: dict[tuple[str, Filing], Filed] = {}
    for how, name in LISTS.items():
        for each in content.front_matter.names(name):
            key = names.key(each)
            if names.is_key(key) and names.is_storable(each):
                found.setdefault((key, how), Filed(key, how, each.strip()))
    counts = Counter(mark.key for mark in content.marks if names.is_key(mark.key))
    for mark in content.marks:
        at = (mark.key, Filing.MARK)
        if mark.key in counts and at not in found:
            found[at] = Filed(
                mark.key, Filing.MARK, mark.word.replace("_", " ").replace("-", " "), counts[mark.key]
            )
    if content.declared.template:
        found["", Filing.TEMPLATE] = Filed("", Filing.TEMPLATE, "", len(content.declared.slots))
    return sorted(found.values(), key=lambda each: (each.key, each.how))


@dataclass(frozen=True, slots=True)
class Node:
    """A category in the tree: its key, how deep it stands, and whether it stands further up already (its narrower
    ones are not shown again)."""

    key: str
    depth: int
    again: bool = False


def tree(
    keys: Iterable[str], broader: Mapping[str, Sequence[str]]
) -> tuple[list[Node], list[tuple[str, ...]]]:
    """All categories as a tree, by key on each level, and the cycles that broader ones make, each once.

    A category with several broader ones stands below each of them. One in a cycle with nothing above it stands at the
    top.
    """
    every = set(keys) | set(broader) | {each for wider in broader.values() for each in wider}
    narrower: dict[str, list[str]] = {key: [] for key in every}
    for key, wider in broader.items():
        for each in dict.fromkeys(wider):
            narrower[each].append(key)
    cycles = _cycles(every, broader)
    within = {key for cycle in cycles for key in cycle}
    tops = [key for key in every if not broader.get(key)]
    tops += [min(cycle) for cycle in cycles if not _from_above(cycle, broader, within)]
    nodes: list[Node] = []
    seen: set[str] = set()
    pending = [(key, 0) for key in sorted(set(tops), reverse=True)]
    while pending:
        key, depth = pending.pop()
        again = key in seen
        nodes.append(Node(key, depth, again and bool(narrower[key])))
        if not again:
            seen.add(key)
            pending += [(each, depth + 1) for each in sorted(narrower[key], reverse=True)]
    return nodes, cycles


def _from_above(cycle: Sequence[str], broader: Mapping[str, Sequence[str]], within: set[str]) -> bool:
    return any(wider not in cycle and wider not in within for key in cycle for wider in broader.get(key, ()))


def _cycles(every: Iterable[str], broader: Mapping[str, Sequence[str]]) -> list[tuple[str, ...]]:
    """The cycles of ``broader``: the strongly connected sets of more than one, and those broader than themselves
    (Tarjan 1972, with a stack of our own)."""
    number: dict[str, int] = {}
    low: dict[str, int] = {}
    stack: list[str] = []
    on: set[str] = set()
    found: list[tuple[str, ...]] = []
    for start in sorted(every):
        if start in number:
            continue
        work: list[tuple[str, int]] = [(start, 0)]
        while work:
            key, at = work.pop()
            if at == 0:
                number[key] = low[key] = len(number)
                stack.append(key)
                on.add(key)
            wider = broader.get(key, ())
            if at < len(wider):
                work.append((key, at + 1))
                if wider[at] not in number:
                    work.append((wider[at], 0))
                elif wider[at] in on:
                    low[key] = min(low[key], number[wider[at]])
                continue
            if low[key] == number[key]:
                together: list[str] = []
                while not together or together[-1] != key:
                    together.append(stack.pop())
                    on.discard(together[-1])
                if len(together) > 1 or key in wider:
                    found.append(tuple(sorted(together)))
            if work:
                low[work[-1][0]] = min(low[work[-1][0]], low[key])
    return found
