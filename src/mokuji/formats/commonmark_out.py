"""A page as readers see it, written as CommonMark that other tools read.

The HTML of a page is made into tokens of markdown-it, which mdformat writes. What CommonMark has no signs for is
written as common practice has it: tables, struck-out words and tasks as in GitHub Flavored Markdown 0.29, footnotes as
``[^1]``, formulas between dollars. What has no such signs either (an index below the line, a list of definitions, cells
that are one) is HTML, which CommonMark takes.
"""

from __future__ import annotations

import html
import re
import unicodedata
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from types import SimpleNamespace
from typing import Any
from urllib.parse import quote

from lxml import etree
from lxml.html import HtmlElement, HTMLParser, fragment_fromstring
from markdown_it.token import Token
from mdformat.renderer import DEFAULT_RENDERERS, MDRenderer, RenderContext, RenderTreeNode

from mokuji.formats.html_in import slug

_INLINE = frozenset(
    "a abbr b bdi bdo br cite code del dfn em i img input ins kbd mark math q rp rt ruby s samp small span strong sub "
    "sup time u var wbr audio video".split()
)
_THROUGH = frozenset("div section article figure figcaption tbody".split())
_EMPTY = frozenset("br wbr hr img input col".split())
_CELLS = frozenset({"td", "th"})
MOST_SPANNED = 100
"""Maximum number of rows or columns that a cell takes."""
_HEADINGS = frozenset("h1 h2 h3 h4 h5 h6".split())
_LISTS = frozenset({"ul", "ol"})
_SIGNS = {"em": ("em", "*"), "strong": ("strong", "**"), "del": ("s", "~~")}
_KEPT = frozenset("lang dir title datetime start open colspan rowspan align href scope".split())
"""Attributes of elements that stay HTML."""
_OUR_ATTRIBUTES = frozenset({"class", "data-card", "data-task", "data-language"})
_SPACE = re.compile(r"[ \t\r\n]+")
_BLANK_LINES = re.compile(r"\n\s*\n")
_PLAIN = re.compile(r"(?:[^\W_]|[ \n,.;:()'\"/–—-])*+")
_NO_LANGUAGE = re.compile(r"[^\w+#.-]")
_NO_ADDRESS = re.compile(r"[\s\\<>`]")


def commonmark(shown: str) -> str:
    """The HTML of a page as CommonMark. What is nested too deeply to be written so stays HTML."""
    root = fragment_fromstring(
        shown, create_parent="div", parser=HTMLParser(encoding="utf-8", huge_tree=True, remove_comments=True)
    )
    try:
        return _rendered(list(_Reading().blocks(root)))
    except RecursionError:
        return _as_html(root) + "\n"


def heading_line(words: str) -> str:
    """A title as the first heading of a file."""
    return _rendered([*_heading(1, [_text(words)])])


# ---- writing ---------------------------------------------------------------------


def _rendered(tokens: Sequence[Token]) -> str:
    extension = SimpleNamespace(RENDERERS=_RENDERERS, POSTPROCESSORS={"text": _more_signs})
    options = {"parser_extension": [extension], "mdformat": {"number": True}}
    return MDRenderer().render(tokens, options, {})


def _more_signs(text: str, node: RenderTreeNode, context: RenderContext) -> str:
    """What means something to tools that read more than CommonMark."""
    if "~~" in text or text.startswith("~") or text.endswith("~"):
        text = text.replace("~", "\\~")
    return text.replace("$", "\\$")


def _words(node: RenderTreeNode, context: RenderContext) -> str:
    """Words as mdformat escapes them; most hold nothing to escape, which is seen at once."""
    if _PLAIN.fullmatch(node.content):
        return node.content
    return DEFAULT_RENDERERS["text"](node, context)


def _struck(node: RenderTreeNode, context: RenderContext) -> str:
    return "~~" + "".join(child.render(context) for child in node.children) + "~~"


def _paragraph(node: RenderTreeNode, context: RenderContext) -> str:
    """As mdformat does; a line that would begin a table's second row, or a box, is words."""
    text = DEFAULT_RENDERERS["paragraph"](node, context)
    lines = text.split("\n")
    for n, line in enumerate(lines):
        # A row of hyphens and bars under words makes a table of them.
        if "|" in line and set(line) <= set("|-: \t"):
            lines[n] = line.replace("|", "\\|")
    made = "\n".join(lines)
    boxed = node.children[0].children and node.children[0].children[0].type == "html_inline"
    return made if boxed else re.sub(r"\A\[(?=[ xX]\](?:\s|\Z))", r"\\[", made)


_RENDERERS = {"text": _words, "s": _struck, "paragraph": _paragraph}


def _token(kind: str, tag: str = "", nesting: int = 0, **more: Any) -> Token:
    return Token(kind, tag, nesting, **more)  # type: ignore[arg-type]


def _text(words: str) -> Token:
    return _token("text", content=words)


def _raw(words: str) -> Token:
    """Inline Markdown or HTML as it is to stand."""
    return _token("html_inline", content=words)


def _block(words: str) -> Token:
    """A block as it is to stand."""
    return _token("html_block", content=words)


def _heading(level: int, inline: list[Token]) -> Iterator[Token]:
    yield _token("heading_open", f"h{level}", 1, markup="#" * level)
    yield _token("inline", children=inline, content="")
    yield _token("heading_close", f"h{level}", -1, markup="#" * level)


def _paragraph_tokens(inline: list[Token], *, hidden: bool = False) -> Iterator[Token]:
    opened = _token("paragraph_open", "p", 1)
    closed = _token("paragraph_close", "p", -1)
    opened.hidden = closed.hidden = hidden
    yield opened
    yield _token("inline", children=inline, content="")
    yield closed


# ---- reading ---------------------------------------------------------------------


def _classes(element: HtmlElement) -> frozenset[str]:
    return frozenset((element.get("class") or "").split())


def _name(element: Any) -> str:
    return element.tag if isinstance(element.tag, str) else ""


@dataclass
class _Reading:
    """Reads the HTML of one page into tokens."""

    slugs: dict[str, int] = field(default_factory=dict)

    def blocks(self, parent: HtmlElement, *, tight: bool = False) -> Iterator[Token]:
        """What stands in an element, as blocks: words between blocks are paragraphs of their own."""
        line: list[Any] = [parent.text or ""]
        for child in parent:
            if _name(child) in _INLINE and not _holds_blocks(child):
                line += [child, child.tail or ""]
                continue
            yield from self._line(line, tight=tight)
            yield from self._one(child)
            line = [child.tail or ""]
        yield from self._line(line, tight=tight)

    def _line(self, parts: Sequence[Any], *, tight: bool) -> Iterator[Token]:
        inline = self.inline(parts)
        if inline:
            yield from _paragraph_tokens(inline, hidden=tight)

    def _one(self, element: HtmlElement) -> Iterator[Token]:
        name, classes = _name(element), _classes(element)
        if name == "div" and classes & {"notes", "source"}:
            yield from self._notes(element) if "notes" in classes else ()
        elif "problem" in classes:
            return
        elif name == "p":
            yield from self._line([element.text or "", *_after(element)], tight=False)
        elif name in _HEADINGS:
            yield from self._heading(element)
        elif name in _LISTS:
            yield from self._list(element)
        elif name == "blockquote":
            yield _token("blockquote_open", "blockquote", 1)
            yield from self.blocks(element)
            yield _token("blockquote_close", "blockquote", -1)
        elif name == "pre":
            yield self._code(element)
        elif name == "hr":
            # Of hyphens or stars a list would take it for its own.
            yield _block("___")
        elif name == "table":
            yield _block(self._table(element))
        elif name == "math":
            yield from _paragraph_tokens([_raw(_formula(element))])
        elif name == "figcaption":
            yield from self._caption(element)
        elif name in _THROUGH or name in _INLINE:
            yield from self.blocks(element)
        elif name:
            yield _block(_as_html(element))

    def _heading(self, element: HtmlElement) -> Iterator[Token]:
        words = " ".join(element.text_content().split())
        called = slug(words)
        times = self.slugs.get(called, 0)
        self.slugs[called] = times + 1
        inline = self.inline([element.text or "", *_after(element)])
        anchor = element.get("id") or ""
        if anchor and anchor != (f"{called}-{times}" if times else called):
            inline.insert(0, _raw(f'<a id="{html.escape(anchor)}"></a>'))
        yield from _heading(int(element.tag[1]), inline)

    def _caption(self, element: HtmlElement) -> Iterator[Token]:
        inline = self.inline([element.text or "", *(e for e in _after(element) if _name_of(e) != "details")])
        if inline:
            yield from _paragraph_tokens(_marked("em", inline))

    def _list(self, element: HtmlElement) -> Iterator[Token]:
        kind = "bullet_list" if element.tag == "ul" else "ordered_list"
        opened = _token(f"{kind}_open", element.tag, 1)
        start = element.get("start") or ""
        if start.isdecimal():
            opened.attrs = {"start": int(start[:9])}
        tight = not any(_name(child) == "p" for item in element for child in item)
        yield opened
        for item in element:
            if _name(item) != "li":
                continue
            yield _token("list_item_open", "li", 1)
            if not len(item) and not (item.text or "").strip() and _name(element.getparent()) == "li":
                # Of markers alone a line would be a rule.
                yield _block("<!-- -->")
            yield from self.blocks(item, tight=tight)
            yield _token("list_item_close", "li", -1)
        yield _token(f"{kind}_close", element.tag, -1)

    def _code(self, element: HtmlElement) -> Token:
        code = element.find("code")
        inner = element if code is None else code
        language = "" if code is None else _NO_LANGUAGE.sub("", code.get("data-language") or "")
        words = inner.text_content()
        return _token(
            "fence",
            "code",
            content=words if words.endswith("\n") or not words else words + "\n",
            info=language,
        )

    def _table(self, table: HtmlElement) -> str:
        """A table with bars; a cell that spans others stands in each of them. As HTML if one holds more than a line."""
        rows = list(table.iter("tr"))
        cells = [cell for row in rows for cell in row if _name(cell) in _CELLS]
        if table.find("thead") is None or not cells or any(map(_holds_blocks, cells)):
            return _as_html(table)
        grid = _grid(rows)
        width = max(map(len, grid))
        if any(len(row) != width for row in grid):
            return _as_html(table)
        told = {id(cell): self._cell(cell) for cell in cells}
        sides = {"left": ":---", "right": "---:", "center": ":---:"}
        lines = [[told[id(cell)] for cell in row] for row in grid]
        lines.insert(1, [sides.get(cell.get("align") or "", "---") for cell in grid[0]])
        return "\n".join(f"| {' | '.join(line)} |" for line in lines)

    def _cell(self, cell: HtmlElement) -> str:
        inline = self.inline([cell.text or "", *_after(cell)])
        made = _rendered([*_paragraph_tokens(inline)]).strip() if inline else ""
        return made.replace("\\\n", "<br>").replace("\n", " ").replace("|", "\\|")

    def _notes(self, element: HtmlElement) -> Iterator[Token]:
        told = []
        for number, item in enumerate(element.iterfind("ol/li"), 1):
            made = _rendered([*self.blocks(item)]).rstrip("\n").split("\n")
            told.append(
                "\n".join([f"[^{number}]: {made[0]}", *(f"    {line}" if line else "" for line in made[1:])])
            )
        if told:
            yield _block("\n\n".join(told))

    # ---- inline ------------------------------------------------------------------

    def inline(self, parts: Sequence[Any]) -> list[Token]:
        """Words and inline elements as tokens, without space at either end."""
        return _trimmed(self._parts(parts))

    def _parts(self, parts: Sequence[Any]) -> list[Token]:
        made: list[Token] = []
        for part in parts:
            if isinstance(part, str):
                self._words(made, part)
            else:
                self._element(made, part)
        return made

    def _words(self, made: list[Token], words: str) -> None:
        kept = _SPACE.sub(lambda found: "\n" if "\n" in found[0] else " ", words.replace("\0", ""))
        if made and made[-1].type == "hardbreak":
            kept = kept.lstrip("\n")
        if kept:
            # Lines stay together: to write a word costs less than to begin one.
            made.append(_text(kept))

    def _inside(self, element: HtmlElement) -> list[Token]:
        return self._parts([element.text or "", *_after(element)])

    def _element(self, made: list[Token], element: HtmlElement) -> None:
        name, classes = _name(element), _classes(element)
        if name == "br":
            made.append(_token("hardbreak", "br"))
        elif name == "code":
            words = element.text_content().replace("\n", " ")
            made.append(_token("code_inline", "code", content=words) if words else _text(""))
        elif name == "math":
            made.append(_raw(_formula(element)))
        elif name == "input":
            made.append(_raw("[x]" if element.get("checked") is not None else "[ ]"))
        elif name == "img":
            made.append(_image(element))
        elif name == "sup" and "note" in classes:
            made.append(_raw(f"[^{element.text_content().strip()}]"))
        elif name == "sup" and "cited-at" in classes:
            made += self._inside(element)
        elif name == "a":
            self._link(made, element)
        elif name in {"video", "audio"}:
            made += _linked(element.get("src") or "", [_text(element.get("aria-label") or name)], "")
        elif name in _SIGNS:
            made += _marked(name, self._inside(element))
        elif "problem" in classes or not name:
            return
        elif (
            (name == "span" and not element.get("lang") and not element.get("dir"))
            or name in _THROUGH
            or name == "p"
        ):
            made += self._inside(element)
        else:
            opened, closed = _tags(element)
            made += [_raw(opened), *self._inside(element), *([_raw(closed)] if closed else [])]

    def _link(self, made: list[Token], element: HtmlElement) -> None:
        href, inside = element.get("href") or "", self._inside(element)
        if "back" in _classes(element):
            return
        if not href:
            made += inside
            return
        made += _linked(href, inside, element.get("title") or "")


def _linked(href: str, inside: list[Token], title: str) -> list[Token]:
    opened = _token("link_open", "a", 1)
    opened.attrs = {"href": _destination(href)}
    if title:
        opened.attrs["title"] = _title(title)
    return [opened, *inside, _token("link_close", "a", -1)]


def _image(element: HtmlElement) -> Token:
    alt = " ".join((element.get("alt") or "").split())
    escaped = re.sub(r"[\\\[\]]", r"\\\g<0>", alt)
    image = _token("image", "img", children=[_text(escaped)], content=alt)
    image.attrs = {"src": _destination(element.get("src") or "")}
    if element.get("title"):
        image.attrs["title"] = _title(element.get("title")).replace('"', '\\"')
    return image


def _destination(address: str) -> str:
    return _NO_ADDRESS.sub(lambda found: quote(found[0]), address.strip())


def _title(words: str) -> str:
    return " ".join(words.split()).replace("\\", "\\\\")


def _after(element: HtmlElement) -> list[Any]:
    """The children of an element with the words behind each."""
    return [part for child in element for part in (child, child.tail or "")]


def _name_of(part: Any) -> str:
    return "" if isinstance(part, str) else _name(part)


def _holds_blocks(element: HtmlElement) -> bool:
    """Whether an inline element, or a cell, holds something that is a block."""
    if _name(element) in {"math", "img", "input"}:
        return False
    return any(
        _name(each) not in _INLINE and _name(each) != ""
        for each in element.iterdescendants()
        if next(each.iterancestors("math"), None) is None
    )


def _grid(rows: Sequence[HtmlElement]) -> list[list[HtmlElement]]:
    """The cells of a table by row and column, one that spans several in all of them."""
    grid: list[list[HtmlElement]] = []
    below: dict[int, tuple[HtmlElement, int]] = {}
    for row in rows:
        line: list[HtmlElement] = []
        waiting = [cell for cell in row if _name(cell) in _CELLS]
        while waiting or len(line) in below:
            held = below.pop(len(line), None)
            if held is not None:
                cell, more = held
                if more > 1:
                    below[len(line)] = (cell, more - 1)
                line.append(cell)
                continue
            cell = waiting.pop(0)
            for _ in range(_span(cell, "colspan")):
                if _span(cell, "rowspan") > 1:
                    below[len(line)] = (cell, _span(cell, "rowspan") - 1)
                line.append(cell)
        grid.append(line)
    return grid


def _span(cell: HtmlElement, way: str) -> int:
    said = cell.get(way) or ""
    return min(int(said[:4]), MOST_SPANNED) if said.isdecimal() and int(said[:4]) else 1


def _formula(element: HtmlElement) -> str:
    """A formula as it was typed, between dollars."""
    source = next((each.text or "" for each in element.iter() if _name(each) == "annotation"), "")
    words = " ".join((source or element.text_content()).split())
    return f"$${words}$$" if element.get("display") == "block" else f"${words}$"


# ---- emphasis --------------------------------------------------------------------


def _marked(name: str, inside: list[Token]) -> list[Token]:
    """Emphasis, as tokens whose signs are chosen when it is known what stands around it."""
    kind, sign = _SIGNS[name]
    return [
        _token(f"{kind}_open", name, 1, markup=sign),
        *inside,
        _token(f"{kind}_close", name, -1, markup=sign),
    ]


def _trimmed(tokens: list[Token]) -> list[Token]:
    """Without space at either end, with signs that are read as signs."""
    begin, end = 0, len(tokens)
    while begin < end and _is_space(tokens[begin]):
        begin += 1
    while end > begin and _is_space(tokens[end - 1]):
        end -= 1
    tokens = tokens[begin:end]
    for at, token in enumerate(tokens):
        if token.type != "text":
            continue
        # A tag that is a line by itself would begin a block.
        if token.content.startswith("\n") and at and tokens[at - 1].type == "html_inline":
            token.content = f" {token.content[1:]}"
        if token.content.endswith("\n") and at + 1 < len(tokens) and tokens[at + 1].type == "html_inline":
            token.content = f"{token.content[:-1]} "
    if tokens and tokens[0].type == "text":
        tokens[0].content = tokens[0].content.lstrip(" \n")
    if tokens and tokens[-1].type == "text":
        tokens[-1].content = tokens[-1].content.rstrip(" \n")
    return _with_signs(tokens)


def _is_space(token: Token) -> bool:
    return token.type == "hardbreak" or (token.type == "text" and not token.content.strip(" \n"))


_OPENS = frozenset({"em_open", "strong_open", "s_open"})
_CLOSES = frozenset({"em_close", "strong_close", "s_close"})


def _with_signs(tokens: list[Token]) -> list[Token]:
    """Emphasis whose signs would not be read as such (CommonMark 0.31.2, 6.2) becomes HTML."""
    made = list(tokens)
    waiting: list[int] = []
    for at, token in enumerate(tokens):
        if token.type in _OPENS:
            waiting.append(at)
        elif token.type in _CLOSES and waiting:
            opened = waiting.pop()
            around = {tokens[n].tag for n in waiting}
            if not _readable(tokens, opened, at, token.tag in around):
                made[opened], made[at] = _raw(f"<{token.tag}>"), _raw(f"</{token.tag}>")
    return made


def _readable(tokens: Sequence[Token], opened: int, closed: int, within: bool) -> bool:
    signs = _OPENS | _CLOSES
    touching = (opened and tokens[opened - 1].type in signs) or (
        closed + 1 < len(tokens) and tokens[closed + 1].type in signs
    )
    inner = tokens[opened + 1].type in signs or tokens[closed - 1].type in signs
    if within or touching or inner or closed == opened + 1:
        # Signs beside signs can be read in more than one way.
        return False
    before, first = _edge(tokens, opened - 1, -1), _edge(tokens, opened + 1, 0)
    last, behind = _edge(tokens, closed - 1, -1), _edge(tokens, closed + 1, 0)
    return _flanks(before, first) and _flanks(behind, last)


def _edge(tokens: Sequence[Token], at: int, side: int) -> str:
    """The character that a token has on one side; a line's end if there is none."""
    if not 0 <= at < len(tokens):
        return "\n"
    token = tokens[at]
    if token.type == "text":
        return token.content[side]
    return "\n" if token.type == "hardbreak" else "!"


def _flanks(outside: str, inside: str) -> bool:
    """Whether a run of signs between two characters belongs to the inner one."""
    if inside.isspace():
        return False
    return not _is_sign(inside) or outside.isspace() or _is_sign(outside)


def _is_sign(char: str) -> bool:
    return unicodedata.category(char)[0] in "PS"


# ---- as HTML ---------------------------------------------------------------------


def _tags(element: HtmlElement) -> tuple[str, str]:
    kept = {name: value for name, value in element.attrib.items() if name in _KEPT}
    attributes = "".join(f' {name}="{html.escape(value)}"' for name, value in kept.items())
    return f"<{element.tag}{attributes}>", "" if element.tag in _EMPTY else f"</{element.tag}>"


def _as_html(element: HtmlElement) -> str:
    """A block as HTML without a blank line, at which it would end."""
    for each in element.iter():
        for name in _OUR_ATTRIBUTES & set(each.attrib):
            del each.attrib[name]
    held = set(element.text_content())
    line_end = next(chr(each) for each in range(0xE000, 0xF900) if chr(each) not in held)
    for pre in element.iter("pre"):
        for each in pre.iter():
            each.text = (each.text or "").replace("\n", line_end)
            if each is not pre:
                each.tail = (each.tail or "").replace("\n", line_end)
    made = etree.tostring(element, encoding="unicode", method="html", with_tail=False)
    return _BLANK_LINES.sub("\n", made).replace(line_end, "&#10;").strip()
