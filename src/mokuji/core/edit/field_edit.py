"""Changes one field of a page's front matter at its exact place: set, emptied, added, taken away.

Comments, order and style of everything else stay. What was written is read
back; if it does not say what it should, the change is refused.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

import yaml

from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.errors import BadName, Refused
from mokuji.core.base.spans import Span
from mokuji.core.edit.front_edit import (
    FENCE,
    in_style,
    line_end,
    mapping,
    node_span,
    scalar,
    set_names,
)
from mokuji.core.syntax import front_matter

_NAME = re.compile(r"[^\W\d_][\w -]{0,60}")
_LINE = re.compile(r"[ \t]*(?:#[^\r\n]*)?(?:\r\n|\n|\r|\Z)")


def check_field(name: str) -> str:
    """A name that a field can have; BadName otherwise."""
    name = name.strip()
    if not _NAME.fullmatch(name):
        raise BadName(
            f"“{name}” cannot name a field: it begins with a letter and goes on with letters, digits, spaces and “-”.",
            code="bad_field",
        )
    return name


def set_field(text: str, name: str, value: str | Sequence[str] | None, title: str) -> tuple[Edit, ...]:
    """The edits after which field ``name`` says this: one string, a list, or nothing at all (None). A list that is
    given one string becomes that string; a field that holds more than strings is not touched: Refused."""
    name = check_field(name)
    front = front_matter.read(text)
    if any(problem.code.startswith("front_matter") for problem in front.problems):
        raise _refused(title, name)
    now = front.fields.get(name)
    if now is not None and not _told(now):
        raise _refused(title, name)
    if value == now or (value is None and name not in front.fields):
        return ()
    if value is not None and not isinstance(value, str) and isinstance(now, list):
        edits = set_names(text, name, value, title)
    else:
        edits = _set(text, name, value)
    after = front_matter.read(apply(text, edits)) if edits else front
    expected = {
        **front.fields,
        name: list(value) if value is not None and not isinstance(value, str) else value,
    }
    if value is None:
        expected.pop(name)
    if after.problems or dict(after.fields) != expected:
        raise _refused(title, name)
    return edits


def _told(value: object) -> bool:
    """Whether a field is one that can be edited as words: a string, or a list of strings."""
    return isinstance(value, str) or (
        isinstance(value, list) and all(isinstance(each, str) for each in value)
    )


def _refused(title: str, name: str) -> Refused:
    return Refused(
        f"The field “{name}” of “{title}” cannot be changed by itself: the front matter is written in a way that is "
        "not understood, or it holds more than words. Change it in the text.",
        code="front_matter",
    )


def _set(text: str, name: str, value: str | Sequence[str] | None) -> tuple[Edit, ...]:
    end = line_end(text)
    front = front_matter.read(text)
    if front.span.start == front.span.end or FENCE.match(text) is None:
        at = 1 if text.startswith("\ufeff") else 0
        return () if value is None else (Edit(Span(at, at), f"---{end}{name}: {_typed(value)}{end}---{end}"),)
    root, start = mapping(text)
    pair = next((pair for pair in root.value if pair[0].value == name), None) if root is not None else None
    if pair is None:
        if value is None:
            return ()
        closing = max(text.rfind("---", 3, front.span.end), text.rfind("...", 3, front.span.end))
        if root is not None and root.flow_style:
            at = start + root.end_mark.index - 1
            return (Edit(Span(at, at), f"{', ' if root.value else ''}{name}: {_typed(value)}"),)
        return (Edit(Span(closing, closing), f"{name}: {_typed(value)}{end}"),)
    key, node = pair
    assert root is not None
    if value is None:
        return (Edit(_whole(text, start, root, key, node), ""),)
    span = node_span(text, start, node)
    if span.start == span.end:  # nothing stands behind the colon
        at = start + key.end_mark.index + 1
        return (Edit(Span(at, at), f" {_typed(value)}"),)
    if isinstance(node, yaml.ScalarNode) and isinstance(value, str) and node.style not in {"|", ">"}:
        return (Edit(span, in_style(span.of(text), value) if value else '""'),)
    if isinstance(node, yaml.SequenceNode) and not node.flow_style:
        # A list on lines of its own gives way to what stands behind the colon.
        return (Edit(Span(start + key.end_mark.index + 1, span.end), f" {_typed(value)}"),)
    return (Edit(span, _typed(value)),)


def _whole(text: str, start: int, root: yaml.MappingNode, key: yaml.Node, node: yaml.Node) -> Span:
    """The lines of a field, or its place in a mapping on one line."""
    low, high = start + key.start_mark.index, node_span(text, start, node).end
    if root.flow_style:
        items = [pair[0] for pair in root.value]
        at = items.index(key)
        if at + 1 < len(items):
            return Span(low, start + items[at + 1].start_mark.index)
        if at:
            return Span(start + root.value[at - 1][1].end_mark.index, high)
        return Span(low, high)
    high = max(high, start + key.end_mark.index + 1)
    rest = _LINE.match(text, high)
    return Span(low, rest.end() if rest is not None else high)


def _typed(value: str | Sequence[str]) -> str:
    if isinstance(value, str):
        return scalar(value) if value else '""'
    return f"[{', '.join(scalar(each) for each in value)}]"
