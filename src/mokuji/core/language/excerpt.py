"""The sentence around a reference, cut from the page's own characters.

Needs only some hundred characters on each side, so a list of backlinks reads
no whole pages. Markup is taken off lightly: this is for the eye, nothing is
decided by it.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.spans import Span
from mokuji.core.syntax.reference import Kind, Reference, plain, read

REACH = 320
"""Number of code points on each side that are looked at."""
MOST = 150
"""Number of code points of a sentence that are shown on each side."""

_REFERENCE = re.compile(r"\[\[[^\[\]\r\n]+(?:\[[^\[\]\r\n]*\][^\[\]\r\n]*)*\]\]")
_LINE_HEAD = re.compile(
    r"\A[ \t]*(?:>[ \t]?|#{1,6}[ \t]+|[-*+][ \t]+(?:\[[ xX]\][ \t]+)?|\d{1,9}[.)][ \t]+|:[ \t]+)+"
)
_END = r"(?:\r\n|\n|\r)"
# An empty line, a line of dashes or dots (a rule, the fence of a front matter), or the start of another block.
_BLOCK_BREAK = re.compile(
    rf"{_END}[ \t]*{_END}|{_END}(?:-+|=+|\.\.\.)[ \t]*{_END}"
    rf"|{_END}(?=[ \t]*(?:[-*+:][ \t]|[>|#]|\d{{1,9}}[.)][ \t]|```|~~~))"
)
_SENTENCE_END = re.compile(r"[.!?…](?:[\"”’)\]*_]*)\s+(?=[\"“‘(\[*_]*[\w\[])")
_LINK = re.compile(r"!?\[([^\[\]]*)\]\([^()\s]*\)")
_NOTE = re.compile(r"\[\^[^\s\[\]^]+(?:,[ \t][^\[\]\n^]*)?\]")
_MARKUP = re.compile(r"(?<!\\)(?:\*+|`+|~~|(?<!\w)_+|_+(?!\w))|\{(?:#|width=)[^{}]*\}|<[^<>]*>")
# The bars at the ends of a table row part no cells.
_ROW_START, _ROW_END = re.compile(r"\A\s*\|"), re.compile(r"\|\s*\Z")
_RULE_ROW = re.compile(r"(?:\|\s*+|(?<![\s:-])\s*+)(?::?-{3,}+:?\s*+\|\s*+)+(?::?-{3,}+:?)?")
# The end of a reference at the start of a fragment, when its beginning is cut off.
_CUT_REFERENCE = re.compile(r"[^\[\]]*+(?=\]\])")
# The end of a picture or link whose beginning is cut off.
_PICTURE_TAIL = re.compile(r"\A([^\[\]]*+)\]\([^()\s\[\]]*\)")
# Marks of found words may stand anywhere.
_SLOT_FIRST = re.compile(r"\A\s*[\x02\x03]?[A-Za-z_]\w*[\x02\x03]?:\s")
_SLOT = re.compile(r"\|\s*[\x02\x03]?[A-Za-z_]\w*[\x02\x03]?:\s")
_DITTO = re.compile(r"\|[ \t]*\"{1,2}[ \t]*(?=\|)")
# A reference whose end is cut off; what stands before “/” may be its volume.
_CUT_END = re.compile(r"\[\[(?!=)(?:[^\[\]|/\n]*+/)?([^\[\]|/\n]*+)\Z")
_INSERT = re.compile(r"\[\[=(?!\*)[^\[\]|]*+(\|(?:[^\[\]]|\[\[[^\[\]]*+\]\]|\[(?!\[)|\](?!\]))*+)(?:\]\]|\Z)")
_CUT_LISTING = re.compile(r"\[\[=\*[^\[\]]*(?:\]\])?")
_ESCAPE = re.compile(r"\\([!-/:-@\[-`{-~])")


@dataclass(frozen=True, slots=True)
class Excerpt:
    """A sentence in three pieces: before the reference, its words as shown, and after."""

    before: str
    words: str
    after: str


def excerpt(window: str, span: Span, words: str | None = None) -> Excerpt:
    """The sentence around the reference at ``span`` of a window of the text, or around anything else, which shows
    ``words``.

    The window holds up to ``REACH`` code points on each side of it.
    """
    before, after = window[: span.start], window[span.end :]
    breaks = list(_BLOCK_BREAK.finditer(before))
    cut_left = bool(breaks) or len(before) < REACH
    if breaks:
        before = before[breaks[-1].end() :]
    stop = _BLOCK_BREAK.search(after)
    cut_right = stop is not None or len(after) < REACH
    if stop is not None:
        after = after[: stop.start()]
    before = _LINE_HEAD.sub("", before, count=1) if cut_left else before
    ends = list(_SENTENCE_END.finditer(before))
    if ends:
        before, cut_left = before[ends[-1].end() :], True
    # The reference stands in for a word, so that a sentence may end right behind it.
    end = _SENTENCE_END.search("x" + after + (" X" if cut_right else ""))
    if end is not None and end.start() <= len(after):
        after, cut_right = after[: end.start()] + after[end.start() : end.start() + 1], True
    return Excerpt(
        _shorten_left(_clean(_ROW_START.sub("", before)), cut_left),
        _words(span.of(window)) if words is None else words,
        _shorten_right(_clean(_ROW_END.sub("", after)), cut_right),
    )


def fragment(text: str) -> str:
    """A piece cut anywhere from a text, as plain words on one line; what was cut in two stays readable."""
    text = _DITTO.sub("", _RULE_ROW.sub(" ", text))
    text = _CUT_END.sub(r"\1", text)
    text = _PICTURE_TAIL.sub(r"\1", text)
    cut = _CUT_REFERENCE.match(text)
    if cut is not None and not _SLOT.search(cut[0]):
        text = text[cut[0].rfind("|") + 1 :]
    elif cut is not None:
        values = _SLOT.sub(" · ", _SLOT_FIRST.sub("", cut[0]))
        text = values + text[cut.end() :]
    lines = (_LINE_HEAD.sub("", line) for line in text.splitlines())
    return (
        re.sub(r"(?<!\s)\s*+(?:·\s*+)+", " · ", _clean("\n".join(lines)))
        .strip(" ·")
        .replace("[[", "")
        .replace("]]", "")
        .replace("![", "")
    )


def _words(source: str) -> str:
    reference = read(source, 0)
    if not isinstance(reference, Reference):
        return source
    label = reference.label(source)
    if label and reference.kind is Kind.LINK:
        return plain(label)
    title = names.unescape(reference.title_span.of(source))
    if reference.section:
        return f"{title} § {reference.section}" if title else reference.section
    return title or source


def _clean(piece: str) -> str:
    # Of an insert readers see its values, wherever it was cut.
    piece = _INSERT.sub(lambda found: _SLOT.sub(" · ", found[1]), _CUT_LISTING.sub("", piece))
    piece = _REFERENCE.sub(lambda found: _words(found[0]), piece)
    piece = _NOTE.sub("", _LINK.sub(r"\1", piece))
    piece = re.sub(r"(?:\r\n|\n|\r)[ \t]*>?[ \t]*", " ", piece)
    piece = re.sub(r"(?<!\\)\|", " · ", piece)
    return re.sub(r"\s+", " ", _ESCAPE.sub(r"\1", _MARKUP.sub("", piece)))


def _shorten_left(words: str, whole: bool) -> str:
    words = words.lstrip()
    if len(words) > MOST:
        return "…" + words[-MOST:].partition(" ")[2]
    return words if whole else "…" + words


def _shorten_right(words: str, whole: bool) -> str:
    words = words.rstrip()
    if len(words) > MOST:
        return words[:MOST].rpartition(" ")[0] + "…"
    return words if whole else words + "…"
