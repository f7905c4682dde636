"""A note for a change, proposed from the change itself: which sections came, went or are called otherwise, and what was
said anew in the others."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.diff.diff import LineRun, Piece, compare, matching
from mokuji.core.language.page import Page
from mokuji.core.syntax.headings import section_end, words

LONGEST = 120
"""Maximum number of code points of a proposal."""
FEW_WORDS = 32
"""A changed wording of so many code points is said itself."""
NAMED = 3
"""Maximum number of sections that are named, the others counted."""


@dataclass(frozen=True, slots=True)
class _Section:
    words: str
    id: str | None
    level: int
    text: str


def proposed_note(before: Page, after: Page, volumes: Collection[str] = ()) -> str:
    """A sentence or two about a change; empty if there is none. ``volumes`` are the keys of all volumes."""
    if before.text == after.text:
        return ""
    if not before.text.strip():
        return "First text"
    old, new = _sections(before, volumes), _sections(after, volumes)
    pairs = matching(
        [(section.id, names.key(section.words), section.level) for section in old[1:]],
        [(section.id, names.key(section.words), section.level) for section in new[1:]],
    )
    pairs = {0: 0} | {n + 1: m + 1 for n, m in pairs.items()}
    said = [*_fields(before, after)]
    said += [
        f"“{old[n].words}” is now “{new[m].words}”" for n, m in pairs.items() if old[n].words != new[m].words
    ]
    came = [each.words for m, each in enumerate(new) if m not in pairs.values()]
    went = [each.words for n, each in enumerate(old) if n not in pairs]
    if came:
        said.append(f"{_named(came)} added")
    if went:
        said.append(f"{_named(went)} removed")
    changed = [(old[n], new[m]) for n, m in pairs.items() if old[n].text.strip() != new[m].text.strip()]
    said += _wording(changed)
    moved = [new[m].words for n, m in pairs.items() if old[n].level != new[m].level]
    if moved:
        said.append(f"{_named(moved)} on another level")
    note = "; ".join(each for each in said if each) or "only spaces and line ends"
    note = note[:1].upper() + note[1:]
    return note if len(note) <= LONGEST else note[: LONGEST - 1].rstrip(" ;,") + "…"


def _sections(page: Page, volumes: Collection[str]) -> list[_Section]:
    """The text before the first heading, and what stands directly below each."""
    content, text = page.content, page.text
    starts = [heading.span.start for heading in content.headings]
    first = content.front_matter.span.end
    sections = [_Section("", None, 0, text[first : starts[0] if starts else len(text)])]
    for n, heading in enumerate(content.headings):
        end = starts[n + 1] if n + 1 < len(starts) else section_end(text, content.headings, n)
        said = words(heading, text, content.references, volumes)
        sections.append(_Section(said, heading.id, heading.level, text[heading.end : end]))
    return sections


def _fields(before: Page, after: Page) -> Iterator[str]:
    """What the front matter says otherwise."""
    old, new = before.content.front_matter.fields, after.content.front_matter.fields
    other = [key for key in dict.fromkeys((*old, *new)) if old.get(key) != new.get(key)]
    if other:
        yield f"{', '.join(other[:NAMED])}{' and more' if len(other) > NAMED else ''} changed"


def _named(sections: Sequence[str]) -> str:
    named = ", ".join(f"“{section}”" for section in sections[:NAMED])
    return named + (f" and {len(sections) - NAMED} more" if len(sections) > NAMED else "")


def _wording(changed: Sequence[tuple[_Section, _Section]]) -> Iterator[str]:
    """What is said anew in sections that were there: the words themselves if they are few."""
    if len(changed) == 1:
        old, new = changed[0]
        few = _few(compare(old.text, new.text))
        if few:
            yield few + (f" in “{new.words}”" if new.words else "")
            return
    named = [new.words for _, new in changed if new.words]
    intro = any(not new.words for _, new in changed)
    if named:
        yield f"{'introduction and ' if intro else ''}{_named(named)} reworded"
    elif intro:
        yield "reworded"


def _marked(line: Sequence[Piece]) -> str:
    """The whole words of a line from the first to the last that is marked."""
    marked = [n for n, piece in enumerate(line) if piece.marked]
    if not marked:
        return ""
    lead = "".join(piece.words for piece in line[: marked[0]])
    inner = "".join(piece.words for piece in line[marked[0] : marked[-1] + 1])
    rest = "".join(piece.words for piece in line[marked[-1] + 1 :])
    # “One[. Two].” is “One.[ Two.]” as well, which reads better.
    while rest and rest[0] == inner[0] and not inner[0].isspace():
        lead, inner, rest = lead + inner[0], inner[1:] + inner[0], rest[1:]
    head = re.search(r"\S*\Z", lead)
    tail = re.match(r"\S*", rest)
    # What is only spaces between words is no part of one.
    head_words = head[0] if head and not inner[:1].isspace() else ""
    tail_words = tail[0] if tail and not inner[-1:].isspace() else ""
    return f"{head_words}{inner}{tail_words}".strip()


def _few(passages: Sequence[LineRun]) -> str:
    """A change of a few words in one line, in words; empty if it is a larger one."""
    touched = [passage for passage in passages if passage.kind == "changed"]
    if len(touched) != 1:
        return ""
    before, after = touched[0].before, touched[0].after
    if len(before) == 1 and len(after) == 1:
        was, now = _marked(before[0]), _marked(after[0])
        if was and now and was[-1] == now[-1] and was[-1] in ".,;:":
            was, now = was[:-1], now[:-1]
        if len(was) <= FEW_WORDS and len(now) <= FEW_WORDS:
            if was and now:
                return f"“{was}” is now “{now}”"
            return f"“{now}” added" if now else f"“{was}” taken out" if was else ""
        return ""
    lines = [line for line in (*before, *after) if "".join(piece.words for piece in line).strip()]
    rows = all("".join(piece.words for piece in line).lstrip().startswith("|") for line in lines)
    what = "row" if rows else "line"
    if not before or not after:
        number = len(lines)
        return (
            f"{number} {what}{'s' if number > 1 else ''} {'added' if after else 'taken out'}"
            if number
            else ""
        )
    return ""
