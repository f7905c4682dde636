"""Gives a text from a browser its own line ends back: forms turn every line end into CR LF."""

from __future__ import annotations

import difflib
import re
from collections import Counter

MOST_LINES = 20_000
_LINE = re.compile(r"([^\r\n]*)(\r\n|\r|\n|\Z)")


def _lines(text: str) -> tuple[list[str], list[str]]:
    """Lines and their ends. The last line has none; a text that ends in a line end has an empty last line."""
    pairs: list[tuple[str, str]] = []
    for match in _LINE.finditer(text):
        pairs.append((match[1], match[2]))
        if match.end() == len(text) and not match[2]:
            break
    return [line for line, _ in pairs], [end for _, end in pairs]


def restore(old: str, submitted: str) -> str:
    """The submitted text with the line ends of the old one where lines are the same.

    New lines get the end that the old text uses most; LF when it has none.
    """
    new_lines, new_ends = _lines(submitted)
    old_lines, old_ends = _lines(old)
    used = Counter(end for end in old_ends if end)
    common = used.most_common(1)[0][0] if used else "\n"
    ends = [common if end else "" for end in new_ends]
    if len(used) > 1 and len(old_lines) + len(new_lines) <= MOST_LINES:
        matcher = difflib.SequenceMatcher(None, old_lines, new_lines, autojunk=False)
        for a, b, size in matcher.get_matching_blocks():
            for at in range(size):
                if ends[b + at] and old_ends[a + at]:
                    ends[b + at] = old_ends[a + at]
    return "".join(line + end for line, end in zip(new_lines, ends, strict=True))


def stored_offset(text: str, at: int) -> int:
    """Where an offset lies in a stored text that was counted with one character for each line end."""
    if "\r\n" not in text:
        return min(at, len(text))
    for match in re.finditer(r"\r\n", text):
        if match.start() >= at:
            break
        at += 1
    return min(at, len(text))
