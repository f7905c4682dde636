"""Changes a list of names in a page's front matter at exact positions.

Comments, order and style of the YAML stay. A front matter that does not parse
is not touched: the act is refused and says so. Each change is read back; if it
does not say what it should, it is refused as well.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

import yaml

from mokuji.core.base import names
from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.errors import Refused
from mokuji.core.base.spans import Span
from mokuji.core.diff.diff import as_edits
from mokuji.core.syntax import front_matter

_PLAIN = re.compile(r"[^\W_](?:[\w ./()+'’–-]*[\w./()+'’–])?")
FENCE = re.compile(r"\ufeff?---[ \t]*(\r\n|\n|\r)")


def line_end(text: str) -> str:
    """The line end that a text uses first; LF if it has none, or CR alone: the parser goes on past that
    in a heading, so nothing new is parted by it."""
    match = re.search(r"\r\n|\n|\r", text)
    return match[0] if match and match[0] != "\r" else "\n"


def set_names(text: str, name: str, wanted: Sequence[str], title: str) -> tuple[Edit, ...]:
    """The edits after which the list ``name`` holds exactly these, in this order as far as new ones come last.

    ``title`` is that of the page, for the sentence of a refusal.
    """
    front = front_matter.read(text)
    if any(problem.code.startswith("front_matter") for problem in front.problems):
        raise _refused(title, name)
    now = front.names(name)
    keep = {names.key(each) for each in wanted}
    gone = [n for n, each in enumerate(now) if names.key(each) not in keep]
    have = {names.key(each) for each in now}
    new = [each for each in wanted if names.key(each) not in have]
    if not gone and not new:
        return ()
    edits = _edits(text, front, name, [n for n in range(len(now)) if n not in gone], new, title)
    result = front_matter.read(apply(text, edits))
    expected = [each for n, each in enumerate(now) if n not in gone] + new
    if result.problems or list(result.names(name)) != expected:
        raise _refused(title, name)
    return edits


def names_of(text: str, name: str) -> tuple[str, ...]:
    """What a list in the front matter holds now."""
    return front_matter.read(text).names(name)


def add_lists(text: str, more: Mapping[str, Sequence[str]], title: str) -> tuple[Edit, ...]:
    """The edits after which each of these lists holds these names as well."""
    after = text
    for name, wanted in more.items():
        if wanted:
            after = apply(after, set_names(after, name, [*names_of(after, name), *wanted], title))
    # One list may have made the front matter that the next one was added to: what counts is the whole.
    return as_edits(text, after)


def _refused(title: str, name: str) -> Refused:
    return Refused(
        f"The front matter of “{title}” cannot be changed by itself: its “{name}” is written in a way that is "
        "not understood. Put it right by hand first, then try again.",
        code="front_matter",
    )


def _edits(
    text: str, front: front_matter.FrontMatter, name: str, kept: Sequence[int], new: Sequence[str], title: str
) -> tuple[Edit, ...]:
    end = line_end(text)
    listed = f"[{', '.join(scalar(each) for each in new)}]"
    if front.span.start == front.span.end or not front.span.of(text).lstrip("\ufeff").startswith("---"):
        at = 1 if text.startswith("\ufeff") else 0
        return (Edit(Span(at, at), f"---{end}{name}: {listed}{end}---{end}"),)
    opening = FENCE.match(text)
    assert opening is not None
    start = opening.end()
    closing = max(text.rfind("---", start, front.span.end), text.rfind("...", start, front.span.end))
    root = yaml.compose(text[start:closing], yaml.CBaseLoader)
    if root is None:
        return (Edit(Span(closing, closing), f"{name}: {listed}{end}"),)
    if not isinstance(root, yaml.MappingNode):
        raise _refused(title, name)
    pair = next((pair for pair in root.value if pair[0].value == name), None)
    if pair is None:
        if root.flow_style:
            at = start + root.end_mark.index - 1
            return (Edit(Span(at, at), f"{', ' if root.value else ''}{name}: {listed}"),)
        gap = "" if text[closing - 1] in "\r\n" else end
        return (Edit(Span(closing, closing), f"{gap}{name}: {listed}{end}"),)
    return _in_value(text, start, pair[0], pair[1], kept, new, title, name)


def _in_value(
    text: str,
    start: int,
    key: yaml.Node,
    value: yaml.Node,
    kept: Sequence[int],
    new: Sequence[str],
    title: str,
    name: str,
) -> tuple[Edit, ...]:
    span = Span(start + value.start_mark.index, start + value.end_mark.index)
    if isinstance(value, yaml.ScalarNode):
        typed = [span.of(text)] if value.value.strip() and kept else []
        items = [*typed, *(scalar(each) for each in new)]
        if span.start == span.end:  # nothing stands behind the colon
            at = start + key.end_mark.index + 1
            return (Edit(Span(at, at), f" [{', '.join(items)}]"),)
        return (Edit(span, f"[{', '.join(items)}]"),)
    if not isinstance(value, yaml.SequenceNode):
        raise _refused(title, name)
    # Only items that are names count; ``kept`` numbers those.
    scalars = [item for item in value.value if isinstance(item, yaml.ScalarNode) and item.value.strip()]
    gone = [item for n, item in enumerate(scalars) if n not in kept]
    if value.flow_style:
        return _in_flow(text, start, span, value.value, gone, new)
    return _in_block(text, start, span, value.value, gone, new)


def _in_flow(
    text: str,
    start: int,
    span: Span,
    items: Sequence[yaml.Node],
    gone: Sequence[yaml.Node],
    new: Sequence[str],
) -> tuple[Edit, ...]:
    edits: list[Edit] = []
    left = [item for item in items if item not in gone]
    for item in gone:
        at = items.index(item)
        low, high = start + item.start_mark.index, start + item.end_mark.index
        if at + 1 < len(items):
            high = start + items[at + 1].start_mark.index
        elif left:
            low = start + left[-1].end_mark.index
        edits.append(Edit(Span(low, high), ""))
    if new:
        at = start + left[-1].end_mark.index if left else span.end - 1
        edits.append(Edit(Span(at, at), (", " if left else "") + ", ".join(scalar(each) for each in new)))
    return tuple(_joined(edits))


def _joined(edits: Sequence[Edit]) -> list[Edit]:
    """Removals that touch each other made one."""
    found: list[Edit] = []
    for edit in sorted(edits):
        if found and edit.span.start < found[-1].span.end:
            last = found.pop()
            end = max(last.span.end, edit.span.end)
            found.append(Edit(Span(last.span.start, end), last.words + edit.words))
        else:
            found.append(edit)
    return found


def _in_block(
    text: str,
    start: int,
    span: Span,
    items: Sequence[yaml.Node],
    gone: Sequence[yaml.Node],
    new: Sequence[str],
) -> tuple[Edit, ...]:
    end = line_end(text)
    edits: list[Edit] = []
    if len(gone) == len(items):
        low = _line_start(text, start + items[0].start_mark.index)
        high = _line_stop(text, start + items[-1].end_mark.index)
        lead = text[low : text.index("-", low)] + "- "
        words = "".join(f"{lead}{scalar(each)}{end}" for each in new)
        # A list that lost all its items is written as an empty one behind its name.
        return (Edit(Span(low, high), words if new else f"{lead[:-2]}  []{end}"),)
    for item in gone:
        low = _line_start(text, start + item.start_mark.index)
        edits.append(Edit(Span(low, _line_stop(text, start + item.end_mark.index)), ""))
    if new:
        last = items[-1]
        low = _line_start(text, start + last.start_mark.index)
        lead = text[low : start + last.start_mark.index]
        at = _line_stop(text, start + last.end_mark.index)
        gap = "" if text[at - 1] in "\r\n" else end
        words = "".join(f"{lead}{scalar(each)}{end}" for each in new)
        edits.append(Edit(Span(at, at), gap + words))
    return tuple(_joined(edits))


def _line_start(text: str, at: int) -> int:
    return max(text.rfind("\n", 0, at), text.rfind("\r", 0, at)) + 1


def _line_stop(text: str, at: int) -> int:
    """Behind the line end that follows."""
    match = re.compile(r"\r\n|\n|\r").search(text, at)
    return match.end() if match else len(text)


def scalar(name: str) -> str:
    """A name as YAML reads it back, plain where that is safe."""
    if _PLAIN.fullmatch(name):
        return name
    quoted = name.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{quoted}"'


def rename_in_list(text: str, field: str, old: str, new: str, title: str) -> tuple[Edit, ...]:
    """The edits after which a list calls one name otherwise, where it stands; a second one of the new name goes.

    ``old`` is a key. Style and order stay; nothing if the list does not hold it.
    """
    now = names_of(text, field)
    keys = [names.key(each) for each in now]
    if old not in keys:
        return ()
    wanted = names.key(new)
    if wanted != old and wanted in keys:
        return set_names(
            text, field, [each for each, key in zip(now, keys, strict=True) if key != old], title
        )
    edits = tuple(Edit(span, in_style(span.of(text), new)) for span in scalar_spans(text, field, old))
    result = front_matter.read(apply(text, edits)) if edits else None
    if (
        result is None
        or result.problems
        or [names.key(name) for name in result.names(field)]
        != [wanted if key == old else key for key in keys]
    ):
        raise _refused(title, field)
    return edits


def scalar_spans(text: str, field: str, key: str) -> list[Span]:
    """Where the names of a list stand that have this key, quotes included."""
    root, start = mapping(text)
    if root is None:
        return []
    value = next((pair[1] for pair in root.value if pair[0].value == field), None)
    items = value.value if isinstance(value, yaml.SequenceNode) else [value] if value is not None else []
    return [
        node_span(text, start, item)
        for item in items
        if isinstance(item, yaml.ScalarNode) and names.key(item.value) == key
    ]


def mapping_key_span(text: str, path: Sequence[str]) -> Span | None:
    """Where a key of nested mappings stands (``slots``, ``voltage``), quotes included; of a list the item itself."""
    node, start = mapping(text)
    for depth, name in enumerate(path):
        if isinstance(node, yaml.MappingNode):
            pair = next((pair for pair in node.value if pair[0].value == name), None)
            if pair is None:
                return None
            if depth == len(path) - 1:
                return node_span(text, start, pair[0])
            node = pair[1]
        elif isinstance(node, yaml.SequenceNode) and depth == len(path) - 1:
            found = next((item for item in node.value if getattr(item, "value", None) == name), None)
            return None if found is None else node_span(text, start, found)
        else:
            return None
    return None


def mapping(text: str) -> tuple[yaml.MappingNode | None, int]:
    """The front matter of a text as a tree, and where it begins; None if it is none."""
    front = front_matter.read(text)
    opening = FENCE.match(text)
    if opening is None or front.problems or front.span.end <= opening.end():
        return None, 0
    start = opening.end()
    closing = max(text.rfind("---", start, front.span.end), text.rfind("...", start, front.span.end))
    root = yaml.compose(text[start:closing], yaml.CBaseLoader)
    return (root if isinstance(root, yaml.MappingNode) else None), start


def node_span(text: str, start: int, node: yaml.Node) -> Span:
    """Where a node of the tree stands in the text, quotes included."""
    span = Span(start + node.start_mark.index, start + node.end_mark.index)
    return Span(span.start, span.start + len(span.of(text).rstrip()))


def in_style(typed: str, name: str) -> str:
    """A name in the quotes that another one has."""
    if typed.startswith("'"):
        return "'" + name.replace("'", "''") + "'"
    if typed.startswith('"'):
        return '"' + name.replace("\\", "\\\\").replace('"', '\\"') + '"'
    return scalar(name)
