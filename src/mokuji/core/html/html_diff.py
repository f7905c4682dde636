"""Two renderings of a page as one: what came is marked ``<ins>``, what went ``<del>``, word by word in its place.

Elements are matched with those that stand where they stood; within a
paragraph, a cell or a heading words are compared. All tags of the result are
those of the new rendering, or of whole elements that went, so what was safe
stays so. Identifiers are left out: the page itself may stand beside it.
"""

from __future__ import annotations

import difflib
import html
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from html.parser import HTMLParser

MOST_TOKENS = 4_000
"""Maximum number of tokens of two leaves together that are compared word by word; larger ones are marked whole."""
MOST_CHILDREN = 1_500
"""Maximum number of children of two elements together that are matched; of more only equal ones at both ends."""
ALIKE = 0.35
"""How alike the words of two elements must be to be one that was changed."""
DEEPEST = 100
"""Elements in elements that are compared."""
AROUND = 1
"""Number of unchanged blocks that are shown before and behind a changed one."""
_VOID = frozenset("area base br col embed hr img input link meta source track wbr".split())
_INLINE = frozenset(
    (
        "a abbr b br cite code data del dfn em i img input ins kbd label mark q s samp small span strong sub sup "
        "time u var"
    ).split()
)
_ONE_OF_ITS_SORT = frozenset("table thead tbody ul ol dl td th h1 h2 h3 h4 h5 h6".split())
"""Elements that are taken for each other where they stand, whatever their words are."""
_WHOLE = frozenset({"math", "svg", "button", "select", "textarea"})
"""Elements that are one word to whoever reads them."""
_TOKEN = re.compile(r"&#?\w+;|\w+|\s+|[^\w\s]")
"""Character references are one word each, lest a mark should part them."""
_ID = re.compile(r' id="[^"]*"')
_WAY = re.compile(r' href="([^"]*)"')


@dataclass
class _Element:
    """An element: its opening tag as it is, its name, and what is in it."""

    tag: str
    name: str
    children: list[_Element | str] = field(default_factory=list)

    @cached_property
    def html(self) -> str:
        """The element as HTML."""
        if self.name in _VOID:
            return self.tag
        inner = "".join(child if isinstance(child, str) else child.html for child in self.children)
        return f"{self.tag}{inner}</{self.name}>"

    @cached_property
    def words(self) -> str:
        """What is read in it."""
        return "".join(child if isinstance(child, str) else f" {child.words} " for child in self.children)

    @cached_property
    def leaf(self) -> bool:
        """Whether it holds only what stands in lines."""
        return all(
            isinstance(child, str) or (child.name in _INLINE | _WHOLE and child.leaf)
            for child in self.children
        )


class _Builder(HTMLParser):
    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.root = _Element("", "")
        self._open = [self.root]
        self.deepest = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        element = _Element(_ID.sub("", self.get_starttag_text() or f"<{tag}>"), tag)
        self._open[-1].children.append(element)
        if tag not in _VOID:
            self._open.append(element)
            self.deepest = max(self.deepest, len(self._open))

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.handle_starttag(tag, attrs)
        self.handle_endtag(tag)

    def handle_endtag(self, tag: str) -> None:
        if tag in _VOID:
            return
        at = next((n for n in range(len(self._open) - 1, 0, -1) if self._open[n].name == tag), 0)
        if at:
            del self._open[at:]

    def handle_data(self, data: str) -> None:
        self._open[-1].children.append(html.escape(data, quote=False))


def _tree(source: str) -> _Element | None:
    builder = _Builder()
    builder.feed(source)
    builder.close()
    return builder.root if builder.deepest <= DEEPEST else None


def rendered_diff(before: str, after: str) -> str | None:
    """The new HTML with what changed marked in it; blocks that did not change are folded, but for those beside a
    change. Empty if readers see the same; None if one is nested too deep to be compared."""
    trees = _tree(before), _tree(after)
    if None in trees:
        return None
    old, new = (_blocks(tree) for tree in trees if tree is not None)
    pieces: list[tuple[bool, str]] = []
    for one, other in _pairs(old, new):
        if one is not None and other is not None and one.html == other.html:
            pieces.append((False, other.html))
        else:
            pieces.append((True, _changed(one, other)))
    if not any(changed for changed, _ in pieces):
        return ""
    return "".join(_folded(pieces))


def _blocks(root: _Element) -> list[_Element]:
    """The top blocks; words between them count as one."""
    elements: list[_Element] = []
    for child in root.children:
        if isinstance(child, _Element):
            elements.append(child)
        elif child.strip():
            elements.append(_Element("<p>", "p", [child]))
    return elements


def _folded(pieces: Sequence[tuple[bool, str]]) -> Iterator[str]:
    shown = {m for n, (changed, _) in enumerate(pieces) if changed for m in range(n - AROUND, n + AROUND + 1)}
    at = 0
    while at < len(pieces):
        end = at
        while end < len(pieces) and end not in shown:
            end += 1
        if end - at > 1:
            words = "".join(text for _, text in pieces[at:end])
            yield f"<details><summary>{end - at} blocks unchanged</summary>{words}</details>"
        elif end > at:
            yield pieces[at][1]
        if end < len(pieces):
            yield pieces[end][1]
        at = end + 1


_Pair = tuple[_Element | None, _Element | None]


def _pairs(old: Sequence[_Element], new: Sequence[_Element]) -> Iterator[_Pair]:
    """Elements before and after, each once and in order; None on a side for those that came or went."""
    shorter = min(len(old), len(new))
    head = next((n for n in range(shorter) if old[n].html != new[n].html), shorter)
    rest = shorter - head
    tail = next((n for n in range(rest) if old[-1 - n].html != new[-1 - n].html), rest)
    yield from zip(old[:head], new[:head], strict=True)
    yield from _middle(old[head : len(old) - tail], new[head : len(new) - tail])
    if tail:
        yield from zip(old[-tail:], new[-tail:], strict=True)


def _middle(old: Sequence[_Element], new: Sequence[_Element]) -> Iterator[_Pair]:
    if len(old) + len(new) > MOST_CHILDREN:
        yield from ((element, None) for element in old)
        yield from ((None, element) for element in new)
        return
    matcher = difflib.SequenceMatcher(None, [e.html for e in old], [e.html for e in new], autojunk=False)
    for tag, i1, i2, j1, j2 in matcher.get_opcodes():
        if tag == "equal":
            yield from zip(old[i1:i2], new[j1:j2], strict=True)
        else:
            yield from _likes(old[i1:i2], new[j1:j2])


def _likes(old: Sequence[_Element], new: Sequence[_Element]) -> Iterator[_Pair]:
    """Those that are probably one another, in order; the others came or went."""
    at = 0
    for other in new:
        like = next((n for n in range(at, min(len(old), at + 8)) if _alike(old[n], other)), None)
        if like is None:
            yield None, other
            continue
        yield from ((element, None) for element in old[at:like])
        yield old[like], other
        at = like + 1
    yield from ((element, None) for element in old[at:])


def _alike(one: _Element, other: _Element) -> bool:
    if one.name != other.name:
        return False
    if one.name in _ONE_OF_ITS_SORT:
        return True
    a, b = one.words.split(), other.words.split()
    if len(a) + len(b) > MOST_TOKENS:
        return True
    return difflib.SequenceMatcher(None, a, b, autojunk=False).quick_ratio() >= ALIKE


def _changed(one: _Element | None, other: _Element | None) -> str:
    if other is None:
        assert one is not None
        return _whole(one, "del")
    if one is None:
        return _whole(other, "ins")
    if one.html == other.html:
        return other.html
    if one.leaf and other.leaf:
        return f"{other.tag}{''.join(_by_words(one, other))}</{other.name}>"
    inner = "".join(_changed(a, b) for a, b in _pairs(_parts(one), _parts(other)))
    return f"{other.tag}{inner}</{other.name}>"


def _parts(element: _Element) -> list[_Element]:
    """The children of an element; what stands in lines beside blocks is one of them, without a tag."""
    elements: list[_Element] = []
    for child in element.children:
        if isinstance(child, _Element) and child.name not in _INLINE | _WHOLE:
            elements.append(child)
        elif elements and elements[-1].name == "span" and elements[-1].tag == "<span>":
            elements[-1].children.append(child)
        elif not isinstance(child, str) or child.strip():
            elements.append(_Element("<span>", "span", [child]))
    return elements


def _whole(element: _Element, mark: str) -> str:
    """An element that came or went as a whole: its words marked, its structure kept."""
    if element.name in _VOID or element.name in _WHOLE:
        return f"<{mark}>{element.html}</{mark}>"
    if element.leaf:
        return f"{element.tag}{''.join(_marked(_tokens(element), mark))}</{element.name}>"
    inner = "".join(
        (f"<{mark}>{child}</{mark}>" if child.strip() else child)
        if isinstance(child, str)
        else _whole(child, mark)
        for child in element.children
    )
    return f"{element.tag}{inner}</{element.name}>"


@dataclass(frozen=True, slots=True)
class _Token:
    """A word, a space, a sign, an element that is read as one; or a tag, compared by its name and class."""

    html: str
    word: bool
    way: str = ""

    @property
    def sort(self) -> tuple[str, bool]:
        return (_WAY.sub("", self.html), self.word)


def _tokens(element: _Element) -> list[_Token]:
    tokens: list[_Token] = []
    for child in element.children:
        if isinstance(child, str):
            tokens += [_Token(part, True) for part in _TOKEN.findall(child)]
        elif child.name in _VOID | _WHOLE:
            tokens.append(_Token(child.html, True))
        else:
            way = _WAY.search(child.tag)
            tokens.append(_Token(child.tag, False, way[1] if way else ""))
            tokens += _tokens(child)
            tokens.append(_Token(f"</{child.name}>", False))
    return tokens


def _by_words(one: _Element, other: _Element) -> Iterator[str]:
    old, new = _tokens(one), _tokens(other)
    if len(old) + len(new) > MOST_TOKENS:
        yield from _marked([token for token in old if token.word], "del")
        yield from _marked(new, "ins")
        return
    matcher = difflib.SequenceMatcher(
        None, [token.sort for token in old], [token.sort for token in new], autojunk=False
    )
    for tag, i1, i2, j1, j2 in matcher.get_opcodes():
        if tag == "equal":
            yield from (_led(a, b) for a, b in zip(old[i1:i2], new[j1:j2], strict=True))
        else:
            # Of what went only the words: its tags would have no ends here.
            yield from _marked([token for token in old[i1:i2] if token.word], "del")
            yield from _marked(new[j1:j2], "ins")


def _led(one: _Token, other: _Token) -> str:
    """A tag that is the same on both sides; a link that leads elsewhere now is marked as such."""
    if other.word or one.way == other.way:
        return other.html
    return other.html.replace("<a ", "<a data-elsewhere ", 1)


def _marked(tokens: Sequence[_Token], mark: str) -> Iterator[str]:
    """Tokens with their runs of words marked."""
    run: list[str] = []
    for token in tokens:
        if token.word:
            run.append(token.html)
            continue
        if run:
            yield _run(run, mark)
        run = []
        yield token.html
    if run:
        yield _run(run, mark)


def _run(words: Sequence[str], mark: str) -> str:
    text = "".join(words)
    return f"<{mark}>{text}</{mark}>" if text.strip() else text
