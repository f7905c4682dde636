"""What differs: the lines that edits touch, and two texts line by line with their changed words.

The comparison of sequences is Python's ``difflib``, whose blocks read well; where
lines or words repeat so often that it would take for ever, the longest common
subsequence that rapidfuzz finds. Texts too large for either are compared without
word marks, so that time stays bounded.
"""

from __future__ import annotations

import difflib
import re
from collections import Counter
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from itertools import accumulate

from rapidfuzz.distance import LCSseq

from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.spans import Lines, Span

LONGEST_WORDS = 4000
"""Maximum number of code points of a changed passage in which words are marked."""
LARGEST_TABLE = 4_000_000
"""Maximum number of pairs of lines that are looked at; beyond, the middle of two texts is one changed passage."""
MOST_EQUAL = 40_000
"""Maximum number of pairs of equal lines or words that difflib looks at: it does so for each block anew."""
_WORD = re.compile(r"\w+|\s+|[^\w\s]")
Opcode = tuple[str, int, int, int, int]
"""What becomes of a range of one sequence: ``equal``, ``replace``, ``delete`` or ``insert``, and both ranges."""


@dataclass(frozen=True, slots=True)
class Piece:
    """Some words of a line; ``marked`` ones are only on this side, or were looked for."""

    words: str
    marked: bool


@dataclass(frozen=True, slots=True)
class ChangedLine:
    """A line before and after; ``line`` counts from 1 in the text before."""

    line: int
    before: tuple[Piece, ...]
    after: tuple[Piece, ...]
    where: str


def opcodes(old: Sequence[str], new: Sequence[str]) -> list[Opcode]:
    """How one sequence becomes the other, as difflib says it."""
    counts = Counter(old)
    if sum(counts[each] for each in new) <= MOST_EQUAL:
        return list(difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes())
    found: list[Opcode] = []
    for opcode in LCSseq.opcodes(old, new):
        last = found[-1] if found else ("equal", 0, 0, 0, 0)
        kind = "equal" if opcode.tag == "equal" else "replace"
        if found and (last[0] == "equal") == (kind == "equal"):
            found[-1] = (kind, last[1], opcode.src_end, last[3], opcode.dest_end)
        else:
            found.append((kind, opcode.src_start, opcode.src_end, opcode.dest_start, opcode.dest_end))
    return [_as_difflib(each) for each in found]


def _as_difflib(code: Opcode) -> Opcode:
    kind, i1, i2, j1, j2 = code
    if kind == "replace" and (i1 == i2 or j1 == j2):
        kind = "insert" if i1 == i2 else "delete"
    return kind, i1, i2, j1, j2


def near(pieces: Sequence[Piece], reach: int = 56) -> tuple[Piece, ...]:
    """A line cut down to its marked pieces with some words (``reach`` code points at most) beside each."""
    found: list[Piece] = []
    last = len(pieces) - 1
    for nth, piece in enumerate(pieces):
        words = piece.words
        if piece.marked or len(words) <= (reach if nth in {0, last} else 2 * reach):
            found.append(piece)
            continue
        head = "" if nth == 0 else words[:reach].rpartition(" ")[0]
        tail = "" if nth == last else words[-reach:].partition(" ")[2]
        found.append(Piece(f"{head} … {tail}" if head and tail else f"{head}…{tail}", False))
    return tuple(found)


def changed_lines(text: str, edits: Sequence[Edit], most: int | None = None) -> list[ChangedLine]:
    """The lines that edits touch, each once; where whole lines come or go, those that go and then those that
    come, each with an empty other side."""
    lines = Lines(text)
    found: list[ChangedLine] = []
    for first, last, together in _touched(text, lines, edits):
        if most is not None and len(found) >= most:
            break
        if last > first or any(_breaks(edit.words) for edit in together):
            found += _changed_block(text, Span(first, last), lines, together)
        else:
            found.append(_changed_line(text, first, lines.line_span(first), together))
    return found[:most]


def _breaks(words: str) -> bool:
    return "\n" in words or "\r" in words


def _touched(text: str, lines: Lines, edits: Sequence[Edit]) -> list[tuple[int, int, list[Edit]]]:
    """The edits by the lines that they touch, first and last; what touches one line stands together."""
    found: list[tuple[int, int, list[Edit]]] = []
    for edit in edits:
        first = last = lines.position(edit.span.start).line
        if _breaks(edit.span.of(text)):
            # Where a line end goes, the next line comes up.
            last = lines.position(edit.span.end).line
        if found and first <= found[-1][1]:
            start, end, together = found.pop()
            found.append((start, max(end, last), [*together, edit]))
        else:
            found.append((first, last, [edit]))
    return found


def _changed_block(text: str, block: Span, lines: Lines, edits: list[Edit]) -> list[ChangedLine]:
    """Edits that take or bring whole lines, from the first line of ``block`` to the last: first the lines that go,
    then those that come."""
    line = block.start
    start, end = lines.line_span(line).start, lines.line_span(block.end).end
    before = text[start:end]
    moved = [Edit(edit.span.moved(-start), edit.words) for edit in edits]
    old, new = before.splitlines(), apply(before, moved).splitlines()
    head, tail = common(old, new)
    gone = [
        ChangedLine(line + head + n, (Piece(each, True),), (), "")
        for n, each in enumerate(_core(old, head, tail))
    ]
    come = [
        ChangedLine(line + head + n, (), (Piece(each, True),), "")
        for n, each in enumerate(_core(new, head, tail))
    ]
    return [
        each for each in (*gone, *come) if any(piece.words.strip() for piece in (*each.before, *each.after))
    ]


def _core(lines: Sequence[str], head: int, tail: int) -> Sequence[str]:
    return lines[head : len(lines) - tail]


def _changed_line(text: str, line: int, span: Span, edits: list[Edit]) -> ChangedLine:
    before: list[Piece] = []
    after: list[Piece] = []
    at = span.start
    for (start, end), inside in _marked(text, span, edits):
        before += (Piece(text[at:start], False), Piece(text[start:end], True))
        moved = [Edit(edit.span.moved(-start), edit.words) for edit in inside]
        after += (Piece(text[at:start], False), Piece(apply(text[start:end], moved), True))
        at = end
    rest = text[at : max(span.end, at)].rstrip("\r\n")
    before.append(Piece(rest, False))
    after.append(Piece(rest, False))
    return ChangedLine(line, _tidy(before), _tidy(after), _where(span.of(text)))


def _marked(text: str, line: Span, edits: Sequence[Edit]) -> list[tuple[Span, list[Edit]]]:
    """The ranges of a line that are marked, each with its edits: brackets are marked as a whole, which shows what is
    a reference, and several edits inside one pair belong together."""
    found: list[tuple[Span, list[Edit]]] = []
    for edit in edits:
        around = _bracketed(text, edit.span, line)
        if found and around.start < found[-1][0].end:
            last, inside = found.pop()
            found.append((Span(min(last.start, around.start), max(last.end, around.end)), [*inside, edit]))
        else:
            found.append((around, [edit]))
    return found


def _bracketed(text: str, edit: Span, line: Span) -> Span:
    start = text.rfind("[[", line.start, edit.start)
    end = text.find("]]", edit.end, line.end)
    if start < 0 or end < 0 or "]]" in text[start : edit.start] or "[[" in text[edit.end : end]:
        return edit
    return Span(start, end + 2)


def _where(line: str) -> str:
    if re.match(r" {0,3}#{1,6}\s", line):
        return "heading"
    return "table cell" if re.match(r"\s*\|.*\|\s*$", line) else ""


def _tidy(pieces: list[Piece]) -> tuple[Piece, ...]:
    return tuple(piece for piece in pieces if piece.words)


@dataclass(frozen=True, slots=True)
class LineRun:
    """A run of equal or changed lines of two texts.

    ``kind`` is ``same`` (only ``after`` is filled), or ``changed``. Lines
    count from 1 in the text after.
    """

    kind: str
    line: int
    before: tuple[tuple[Piece, ...], ...]
    after: tuple[tuple[Piece, ...], ...]


def compare(before: str, after: str) -> list[LineRun]:
    """Two texts, line by line; in changed passages the words that differ are marked."""
    all_old, all_new = before.splitlines(), after.splitlines()
    head, tail = common(all_old, all_new)
    old, new = all_old[head : len(all_old) - tail], all_new[head : len(all_new) - tail]
    passages = [_same(all_new[:head], 1)] if head else []
    passages += _middle(old, new, head)
    if tail:
        passages.append(_same(all_new[-tail:], len(all_new) - tail + 1))
    return passages


def common(old: Sequence[str], new: Sequence[str]) -> tuple[int, int]:
    """How many lines (or letters) are equal at the head and, of the others, at the tail."""
    shorter = min(len(old), len(new))
    head = next((at for at in range(shorter) if old[at] != new[at]), shorter)
    rest = shorter - head
    tail = next((at for at in range(rest) if old[-1 - at] != new[-1 - at]), rest)
    return head, tail


def _same(lines: Sequence[str], line: int) -> LineRun:
    return LineRun("same", line, (), tuple((Piece(each, False),) for each in lines))


def _middle(old: list[str], new: list[str], head: int) -> list[LineRun]:
    if len(old) * len(new) > LARGEST_TABLE:
        return list(_changed(old, new, head + 1))
    passages: list[LineRun] = []
    for tag, i1, i2, j1, j2 in opcodes(old, new):
        if tag == "equal":
            passages.append(_same(new[j1:j2], head + j1 + 1))
        else:
            passages += _changed(old[i1:i2], new[j1:j2], head + j1 + 1)
    return passages


def _changed(old: list[str], new: list[str], line: int) -> Iterator[LineRun]:
    if sum(map(len, old)) + sum(map(len, new)) > LONGEST_WORDS:
        yield LineRun("changed", line, _all(old), _all(new))
        return
    # Lines that stand opposite each other are compared by words; the rest came or went whole.
    paired = min(len(old), len(new))
    marked = [_mark(a, b) for a, b in zip(old[:paired], new[:paired], strict=True)]
    yield LineRun(
        "changed",
        line,
        tuple(a for a, _ in marked) + _all(old[paired:]),
        tuple(b for _, b in marked) + _all(new[paired:]),
    )


def _all(lines: Sequence[str]) -> tuple[tuple[Piece, ...], ...]:
    return tuple((Piece(line, True),) for line in lines)


def _mark(old: str, new: str) -> tuple[tuple[Piece, ...], tuple[Piece, ...]]:
    a, b = _WORD.findall(old), _WORD.findall(new)
    before: list[Piece] = []
    after: list[Piece] = []
    for tag, i1, i2, j1, j2 in opcodes(a, b):
        before.append(Piece("".join(a[i1:i2]), tag != "equal"))
        after.append(Piece("".join(b[j1:j2]), tag != "equal"))
    return _tidy(before), _tidy(after)


def as_edits(before: str, after: str) -> tuple[Edit, ...]:
    """What makes one text of the other, line by line, each edit from the first character that differs to the last."""
    if before == after:
        return ()
    old, new = before.splitlines(keepends=True), after.splitlines(keepends=True)
    head, tail = common(old, new)
    starts = [0]
    for line in old:
        starts.append(starts[-1] + len(line))
    middle_old, middle_new = old[head : len(old) - tail], new[head : len(new) - tail]
    if len(middle_old) * len(middle_new) > LARGEST_TABLE:
        codes = [("replace", 0, len(middle_old), 0, len(middle_new))]
    else:
        codes = opcodes(middle_old, middle_new)
    edits: list[Edit] = []
    for tag, i1, i2, j1, j2 in codes:
        if tag == "equal":
            continue
        lines = range(i2 - i1) if i2 - i1 == j2 - j1 else None
        pairs = [(i1 + n, i1 + n + 1, j1 + n, j1 + n + 1) for n in lines] if lines else [(i1, i2, j1, j2)]
        for a, b, c, d in pairs:
            span = Span(starts[head + a], starts[head + b])
            edits += _differing(before, span, "".join(middle_new[c:d]))
    return tuple(edits)


def _differing(text: str, span: Span, words: str) -> list[Edit]:
    """The edits that put ``words`` in the place of ``span``: word by word in a line of usual length, else one
    from the first character that differs to the last."""
    now = span.of(text)
    if now == words:
        return []
    limit = min(len(now), len(words))
    head = next((at for at in range(limit) if now[at] != words[at]), limit)
    tail = next((at for at in range(limit - head) if now[-1 - at] != words[-1 - at]), limit - head)
    old, new = now[head : len(now) - tail], words[head : len(words) - tail]
    start = span.start + head
    if "\n" in old + new or len(old) + len(new) > LONGEST_WORDS:
        return [Edit(Span(start, start + len(old)), new)]
    a, b = _WORD.findall(old), _WORD.findall(new)
    places = list(accumulate(map(len, a), initial=start))
    return [
        Edit(Span(places[i1], places[i2]), "".join(b[j1:j2]))
        for tag, i1, i2, j1, j2 in opcodes(a, b)
        if tag != "equal"
    ]


Mark = tuple[str | None, str, int]
"""A heading to be compared: its identifier, the key of its words, its level."""


def matching(old: Sequence[Mark], new: Sequence[Mark]) -> dict[int, int]:
    """Which of the new headings the old ones are: those with the same identifier or words in the same order,
    and between them as many that have other words at the same level."""
    found: dict[int, int] = {}
    a = [id_ or key for id_, key, _ in old]
    b = [id_ or key for id_, key, _ in new]
    for tag, i1, i2, j1, j2 in opcodes(a, b):
        if tag == "equal":
            found.update(zip(range(i1, i2), range(j1, j2), strict=True))
        elif tag == "replace" and i2 - i1 == j2 - j1:
            found.update(
                (i, j) for i, j in zip(range(i1, i2), range(j1, j2), strict=True) if old[i][2] == new[j][2]
            )
    # What was only moved: the same words, not yet spoken for on either side.
    left = {b[n]: n for n in reversed(range(len(b))) if n not in found.values()}
    for n, words in enumerate(a):
        if n not in found and words in left:
            found[n] = left.pop(words)
    return found


def without(before: str, after: str, chosen: Collection[int] | None = None) -> str:
    """The text after, with chosen changed passages (from 0, as ``compare`` gives them; None: all) as they were before.
    Line ends are those that each line has where it comes from."""
    old, new = before.splitlines(keepends=True), after.splitlines(keepends=True)
    found: list[str] = []
    at = there = nth = 0
    for run in compare(before, after):
        if run.kind == "same":
            found += new[there : there + len(run.after)]
            at, there = at + len(run.after), there + len(run.after)
            continue
        taken = chosen is None or nth in chosen
        found += old[at : at + len(run.before)] if taken else new[there : there + len(run.after)]
        at, there, nth = at + len(run.before), there + len(run.after), nth + 1
    end = next((mark for line in (*new, *old) if (mark := _end(line))), "\n")
    # A last line may have no end, and stand before others now.
    return "".join(
        line if nth == len(found) or _end(line) else line + end for nth, line in enumerate(found, 1)
    )


def _end(line: str) -> str:
    return line[len(line.splitlines()[0]) :]
