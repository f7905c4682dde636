"""Writes the parser's events as HTML.

The same output as the CommonMark reference for what CommonMark knows, but for
the rules that are ours (``Rules``); the published examples are run through
this very writer. What is ours and must survive cleaning (identifiers,
classes, checkboxes) is not written into the HTML but left as stand-ins:
``own`` holds whole fragments, ``attributes`` what goes into the tag before,
``labels`` those of footnotes where they are used, ``files`` those that links
and pictures name, ``diagrams`` those that are drawn.

A stand-in is ``prefix``, a letter for its sort (none for a reference), a
number and ``q``: ``a`` attributes, ``o`` own fragments, ``v`` slots that are
shown as such, ``t`` marks, sources and people, ``p`` files, ``g`` diagrams, ``x`` boxes of tasks, ``f`` uses of
footnotes, ``m`` before the text of one, ``h`` behind the tag of a heading, ``k`` typed in front of a heading's
words to say which one it is. Behind the number of a reference ``l`` says that
it stands inside a link, ``b`` that it is a block.
"""

from __future__ import annotations

import html
import re
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from mokuji.core.formulas.formulas import formula
from mokuji.core.html import addresses
from mokuji.core.html.code import coloured
from mokuji.core.html.notices import notices
from mokuji.core.html.table_rows import TableRows
from mokuji.core.syntax import files
from mokuji.core.syntax.fences import DIAGRAM, Info, info
from mokuji.core.syntax.parser import tag_name
from mokuji.core.syntax.raw_html import block_stands, inline_stands

DEEPEST = 40
"""Maximum number of levels of blocks, and of inline markup, that are shown as such; deeper ones lie flat."""

_WIDTH = re.compile(r"\{width=((?:100|[1-9]\d?)%|[1-9]\d{0,3}px)\}")
_BLOCKS = {
    "BlockQuote": "blockquote",
    "DefinitionList": "dl",
    "DefinitionListTitle": "dt",
    "DefinitionListDefinition": "dd",
}
_INLINES = {
    "Emphasis": "em",
    "Strong": "strong",
    "Strikethrough": "del",
    "Superscript": "sup",
    "Subscript": "sub",
}


@dataclass(frozen=True, slots=True)
class Rules:
    """Where our pages differ from bare CommonMark, on purpose; each can be switched off for a comparison.

    ``title_is_first``: a first-level heading is shown as second level.
    ``html_closes``: raw HTML not closed in its own block or span is text.
    ``addresses``: bare web addresses become links.
    ``pictures``: an image is named in words while no file of the wiki stands behind it.
    ``decorate``: identifiers of headings, boxes of tables, classes of code.
    ``typeset``: formulas are MathML, code is coloured and diagrams are drawn; a caption stands above code, and a cell
    that holds only a ditto mark is one with the cell above it, with two of them one with the cell to its left.
    """

    title_is_first: bool = True
    html_closes: bool = True
    addresses: bool = True
    pictures: bool = True
    decorate: bool = True
    typeset: bool = True


@dataclass(frozen=True, slots=True)
class File:
    """A file of the volume where a link or picture names it: what it is called, the fragment behind the name, the
    description of a picture, the title, and how wide a picture is to be (“60%”, “300px”; empty: as wide as it is). Of a
    link this is the opening tag."""

    name: str
    fragment: str
    words: str
    title: str
    picture: bool
    width: str = ""


@dataclass(frozen=True, slots=True)
class Diagram:
    """A drawing in the DOT language: its source, its caption, and words that say what it shows."""

    source: str
    caption: str
    description: str


def box(number: int | None, done: bool) -> str:
    """The box of a task, by its number among those of its page where it can be ticked."""
    task = "" if number is None else f' data-task="{number}"'
    return f'<input type="checkbox" disabled{task}{" checked" if done else ""}> '


class Writer:
    """Takes the events of one text. Nothing in it recurses, so no nesting can exhaust the stack."""

    def __init__(
        self,
        prefix: str = "",
        words: Mapping[int, str] | None = None,
        rules: Rules | None = None,
        inserts: Collection[int] = (),
        slots: Sequence[str] = (),
    ) -> None:
        """``words`` are what references show where only text can be; ``inserts`` the numbers of those that may stand
        as blocks; ``slots`` what is typed where slots are shown as such."""
        self.prefix = prefix
        self.own: list[str] = []
        self.attributes: list[str] = []
        self.labels: list[str] = []
        self._numbers: dict[str, int] = {}
        self.files: list[File] = []
        self.diagrams: list[Diagram] = []
        self.boxes: list[bool] = []
        self.signals: list[str] = []
        self.slots = slots
        self.headings = 0
        self._rules = rules or Rules()
        self._words = words or {}
        self._inserts = frozenset(inserts)
        self._block_until = -1
        self._slot = re.compile(re.escape(prefix) + r"v(\d+)q")
        self._stand_in = re.compile(re.escape(prefix) + r"(\d+)q") if prefix else None
        self._out: list[str] = []
        self._notes: dict[str, str] = {}
        self._outer: list[tuple[str, list[str]]] = []
        self._flat: list[bool] = []
        self._blocks = self._inlines = self._links = 0
        self._alt: list[str] | None = None
        self._alts = 0
        self._rows = TableRows(ditto=self._rules.typeset)
        self._fenced: list[str] | None = None
        self._info = Info("")
        self._raw: list[str] | None = None

    def write(self, events: Sequence[Any]) -> str:
        """The HTML, with stand-ins for references and for what is ours."""
        stands = inline_stands(events) if self._rules.html_closes else None
        signals = notices(events) if self.prefix and self._rules.decorate else {}
        for index, event in enumerate(events):
            if self._inserts and index > self._block_until:
                self._block_until = self._block_from(events, index)
                if self._block_until > index:
                    continue
            if index <= self._block_until:
                if not isinstance(event, str) and "Text" in event:
                    self._out.append(self._blocks_of(event["Text"]))
                continue
            if isinstance(event, str):
                self._bare(event)
                continue
            ((kind, value),) = event.items()
            if kind == "Start":
                self._start(value)
                if index in signals and not self._flat[-1]:
                    # Just behind the tag: what a notice is depends on the language of its volume.
                    self.signals.append(signals[index])
                    self._out[-1] = self._out[-1].rstrip("\n") + self._sort("w", len(self.signals) - 1)
            elif kind == "End":
                self._end(value)
            elif self._alt is not None:
                self._alt.append(value if kind in {"Text", "Code", "InlineMath", "DisplayMath"} else "")
            elif kind == "InlineHtml" and stands is not None and index not in stands:
                self._out.append(html.escape(value, quote=False))
            else:
                getattr(self, f"_{kind.lower()}")(value)
        for label, body in self._notes.items() if self.prefix else ():
            self._out.append(f"<div>{self._sort('m', self._number(label))}{body}</div>\n")
        return "".join(self._out)

    def _block_from(self, events: Sequence[Any], index: int) -> int:
        """How far a paragraph, or the text of a tight item, reaches that is made of inserts and white space only; -1
        if it does not begin here. The paragraph itself is left out then."""
        event = events[index]
        if isinstance(event, str) or "Start" not in event or self._alt is not None or self._stand_in is None:
            return -1
        name = tag_name(event["Start"])
        if name not in {"Paragraph", "Item", "DefinitionListDefinition"}:
            return -1
        found = False
        for at in range(index + 1, len(events)):
            inner = events[at]
            if inner == "SoftBreak":
                continue
            if isinstance(inner, str):
                return -1
            if "Text" in inner:
                numbers = [int(each) for each in self._stand_in.findall(inner["Text"])]
                if self._stand_in.sub("", inner["Text"]).strip() or not self._inserts.issuperset(numbers):
                    return -1
                found = found or bool(numbers)
                continue
            if not found:
                return -1
            kind = next(iter(inner))
            if name == "Paragraph":
                return at if kind == "End" else -1
            if kind == "End" or tag_name(inner[kind]) in {"List", "Paragraph", "BlockQuote", "CodeBlock"}:
                self._start(event["Start"])
                return at - 1
            return -1
        return -1

    def _blocks_of(self, text: str) -> str:
        assert self._stand_in is not None
        return "".join(f"\n{self.prefix}{number}bq\n" for number in self._stand_in.findall(text))

    # ---- what stands alone --------------------------------------------------

    def _bare(self, event: str) -> None:
        if self._alt is not None:
            self._alt.append(" ")
        else:
            self._out.append({"SoftBreak": "\n", "HardBreak": "<br />\n", "Rule": "<hr />\n"}[event])

    def _text(self, value: str) -> None:
        if self._fenced is not None:
            self._fenced.append(value)
            return
        if self._raw is not None:
            self._raw.append(value)
            return
        if value.startswith("{"):
            value = self._widened(value)
        if self._links:
            if self._stand_in is not None:
                value = self._stand_in.sub(rf"{self.prefix}\1lq", value)
        elif self._rules.addresses and ("://" in value or "mailto:" in value):
            self._addresses(value)
            return
        self._out.append(html.escape(value))

    def _widened(self, text: str) -> str:
        """The text behind a picture without the width that is typed first in it, which the picture takes."""
        last = len(self.files) - 1
        match = _WIDTH.match(text)
        if (
            match is None
            or last < 0
            or not self.files[last].picture
            or self._out[-1:] != [self._sort("p", last)]
        ):
            return text
        self.files[last] = replace(self.files[last], width=match[1])
        return text[match.end() :]

    def _addresses(self, text: str) -> None:
        """Text with bare addresses as links; an address ends before a reference and before what
        closes a sentence (as in GFM's extended autolinks)."""
        at = 0
        for start, address in addresses.bare(text, self._stand_in):
            href = addresses.escaped(address)
            self._out.append(f'{html.escape(text[at:start])}<a href="{href}">{html.escape(address)}</a>')
            at = start + len(address)
        self._out.append(html.escape(text[at:]))

    def _code(self, value: str) -> None:
        self._out.append(f"<code>{html.escape(value)}</code>")

    def _inlinemath(self, value: str) -> None:
        self._formula(value, display=False)

    def _displaymath(self, value: str) -> None:
        self._formula(value, display=True)

    def _formula(self, value: str, *, display: bool) -> None:
        """A formula; one that is not understood, or that holds something still open, is shown as it was typed."""
        title = ""
        if self.prefix and self._rules.typeset and self.prefix not in value:
            made = formula(value, display=display)
            if made.mathml:
                self._out.append(self._fragment(made.mathml))
                return
            title = f' title="{html.escape(made.fault)}"'
        self._out.append("<code>" + self._attribute(f' class="math"{title}') + html.escape(value) + "</code>")

    def _html(self, value: str) -> None:
        if self._raw is not None:
            self._raw.append(value)
        else:
            self._out.append(value)

    def _inlinehtml(self, value: str) -> None:
        if re.match(r"<a[\s>]", value, re.IGNORECASE):
            self._links += 1
        elif re.match(r"</a\s*>", value, re.IGNORECASE):
            self._links = max(0, self._links - 1)
        self._out.append(value)

    def _tasklistmarker(self, done: bool) -> None:
        if not self.prefix:
            self._out.append(box(None, done))
            return
        self.boxes.append(done)
        self._out.append(self._sort("x", len(self.boxes) - 1))

    def _footnotereference(self, label: str) -> None:
        self._out.append(self._sort("f", self._number(label)))

    def _number(self, label: str) -> int:
        number = self._numbers.setdefault(label, len(self.labels))
        if number == len(self.labels):
            self.labels.append(label)
        return number

    def _sort(self, sort: str, number: int) -> str:
        """A stand-in of one sort."""
        return f"{self.prefix}{sort}{number}q"

    # ---- what is ours --------------------------------------------------------

    def _attribute(self, words: str) -> str:
        """A stand-in that puts attributes into the tag just before it."""
        if not self._rules.decorate:
            return ""
        self.attributes.append(words)
        return f"{self.prefix}a{len(self.attributes) - 1}q"

    def _file(self, file: File) -> str:
        """A stand-in for a file that a link or picture names."""
        self.files.append(file)
        return self._sort("p", len(self.files) - 1)

    def _fragment(self, words: str) -> str:
        """A stand-in for finished HTML of our own."""
        if not self.prefix:
            return words
        self.own.append(words)
        return f"{self.prefix}o{len(self.own) - 1}q"

    # ---- what opens and closes -----------------------------------------------

    def _start(self, tag: Any) -> None:
        name = tag_name(tag)
        if name in _INLINES or name in {"Link", "Image"}:
            self._start_inline(name, tag)
            return
        self._blocks += 1
        flat = self._blocks > DEEPEST and name in {*_BLOCKS, "List", "Item"}
        self._flat.append(flat)
        if flat:
            return
        opener: Callable[[Any], None] | None = getattr(self, f"_start_{name.lower()}", None)
        if opener is not None:
            opener(tag)
        elif name in _BLOCKS:
            self._out.append(f"<{_BLOCKS[name]}>\n")

    def _end(self, tag: Any) -> None:
        name = tag_name(tag)
        if name in _INLINES or name in {"Link", "Image"}:
            self._end_inline(name)
            return
        self._blocks -= 1
        if self._flat.pop():
            return
        closer: Callable[[Any], None] | None = getattr(self, f"_end_{name.lower()}", None)
        if closer is not None:
            closer(tag)
        elif name in _BLOCKS:
            self._out.append(f"</{_BLOCKS[name]}>\n")

    def _start_inline(self, name: str, tag: Any) -> None:
        if self._alt is not None:
            self._alts += name == "Image"
            return
        if name == "Image":
            self._alt, self._alts = [], 1
            self._picture = tag["Image"]
        elif name == "Link":
            self._links += 1
            link = tag["Link"]
            file = files.named(link["dest_url"]) if self.prefix else None
            if file is not None:
                self._out.append("<a>" + self._file(File(*file, "", link["title"], False)))
                return
            url = ("mailto:" if link["link_type"] == "Email" else "") + link["dest_url"]
            title = f' title="{html.escape(link["title"])}"' if link["title"] else ""
            self._out.append(f'<a href="{addresses.escaped(url)}"{title}>')
        else:
            self._inlines += 1
            if self._inlines <= DEEPEST:
                self._out.append(f"<{_INLINES[name]}>")

    def _end_inline(self, name: str) -> None:
        if self._alt is not None:
            self._alts -= name == "Image"
            if self._alts == 0:
                self._write_picture("".join(self._alt))
                self._alt = None
        elif name == "Link":
            self._links -= 1
            self._out.append("</a>")
        else:
            if self._inlines <= DEEPEST:
                self._out.append(f"</{_INLINES[name]}>")
            self._inlines -= 1

    def _write_picture(self, alt: str) -> None:
        if self._stand_in is not None:
            alt = self._stand_in.sub(lambda found: self._words.get(int(found[1]), ""), alt)
            alt = self._slot.sub(lambda found: self.slots[int(found[1])], alt)
        url = self._picture["dest_url"]
        file = files.named(url) if self.prefix else None
        if file is not None:
            self._out.append(self._file(File(*file, alt, self._picture["title"], True)))
            return
        if self._rules.pictures:
            words = html.escape(alt or url)
            self._out.append(
                self._fragment(f'<span class="picture" title="{html.escape(url)}">Picture: {words}</span>')
            )
            return
        title = f' title="{html.escape(self._picture["title"])}"' if self._picture["title"] else ""
        src = addresses.escaped(url)
        self._out.append(f'<img src="{src}" alt="{html.escape(alt)}"{title} />')

    def _start_paragraph(self, _: Any) -> None:
        self._out.append("<p>")

    def _end_paragraph(self, _: Any) -> None:
        self._out.append("</p>\n")

    def _level(self, level: str) -> str:
        return "h2" if level == "H1" and self._rules.title_is_first else level.lower()

    def _start_heading(self, tag: Any) -> None:
        self._out.append(f"<{self._level(tag['Heading']['level'])}>")
        if self._rules.decorate and self.prefix:
            self._out.append(self._sort("h", self.headings))
            self.headings += 1

    def _end_heading(self, tag: Any) -> None:
        self._out.append(f"</{self._level(tag['Heading'])}>\n")

    def _start_codeblock(self, tag: Any) -> None:
        kind = tag["CodeBlock"]
        self._info = info(kind["Fenced"]) if isinstance(kind, dict) else Info("")
        self._fenced = []

    def _end_codeblock(self, _: Any) -> None:
        code = "".join(self._fenced or ())
        self._fenced = None
        language, caption, description = self._info.language, self._info.caption, self._info.description
        if language and not self._rules.decorate:
            self._out.append(f'<pre><code class="language-{html.escape(language)}">')
            self._out.append(f"{html.escape(code)}</code></pre>\n")
            return
        typeset = self._rules.typeset and bool(self.prefix)
        if language == DIAGRAM and typeset and self.prefix not in code:
            self.diagrams.append(Diagram(code, caption, description))
            self._out.append(f"\n{self._sort('g', len(self.diagrams) - 1)}\n")
            return
        if typeset and caption:
            words = html.escape(caption)
            figure = "<figure>" + self._attribute(' class="code"')
            self._out.append(f"{figure}<figcaption>{words}</figcaption>")
        shown = re.sub(r"[^\w+#.-]", "", language)
        data = self._attribute(f' data-language="{html.escape(shown)}"') if language else ""
        self._out.append(
            f"<pre><code>{data}{self._coloured(code, language) if typeset else html.escape(code)}"
        )
        self._out.append("</code></pre></figure>\n" if typeset and caption else "</code></pre>\n")

    def _coloured(self, code: str, language: str) -> str:
        """Code in colours, if its language is known; never at the price of a stand-in."""
        made = coloured(code, language)
        held = len(re.findall(rf"{re.escape(self.prefix)}\w\d+q", code)) if self.prefix in code else 0
        if made is None or (held and held != len(re.findall(rf"{re.escape(self.prefix)}\w\d+q", made))):
            return html.escape(code)
        return self._fragment(made)

    def _start_htmlblock(self, _: Any) -> None:
        self._raw = []

    def _end_htmlblock(self, _: Any) -> None:
        raw = "".join(self._raw or ())
        self._raw = None
        if not self._rules.html_closes or block_stands(raw):
            self._out.append(raw)
        else:
            self._out.append(f"<p>{html.escape(raw.rstrip())}</p>\n")

    def _start_list(self, tag: Any) -> None:
        number = tag["List"]
        start = f' start="{number}"' if number not in {None, 1} else ""
        self._out.append("<ul>\n" if number is None else f"<ol{start}>\n")

    def _end_list(self, tag: Any) -> None:
        self._out.append("</ol>\n" if tag["List"] else "</ul>\n")

    def _start_item(self, _: Any) -> None:
        self._out.append("<li>")

    def _end_item(self, _: Any) -> None:
        self._out.append("</li>\n")

    def _start_footnotedefinition(self, tag: Any) -> None:
        self._outer.append((tag["FootnoteDefinition"], self._out))
        self._out = []

    def _end_footnotedefinition(self, _: Any) -> None:
        label, outer = self._outer.pop()
        self._notes.setdefault(label, "".join(self._out))
        self._out = outer

    def _start_table(self, tag: Any) -> None:
        self._rows.begin(tag["Table"])
        box = "<div>" + self._attribute(' class="table"') if self._rules.decorate else ""
        self._out.append(f"{box}<table>\n")

    def _end_table(self, _: Any) -> None:
        self._out.append("</tbody></table></div>\n" if self._rules.decorate else "</tbody></table>\n")

    def _start_tablehead(self, _: Any) -> None:
        self._rows.begin_section(head=True)
        self._out.append("<thead><tr>\n")

    def _end_tablehead(self, _: Any) -> None:
        self._rows.end_row(self._out)
        self._rows.begin_section(head=False)
        self._out.append("</tr></thead><tbody>\n")

    def _start_tablerow(self, _: Any) -> None:
        self._rows.begin_row()
        self._out.append("<tr>\n")

    def _end_tablerow(self, _: Any) -> None:
        self._rows.end_row(self._out)
        self._out.append("</tr>\n")

    def _start_tablecell(self, _: Any) -> None:
        self._rows.begin_cell(len(self._out))

    def _end_tablecell(self, _: Any) -> None:
        pass
