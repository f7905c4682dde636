"""Small wikis in memory, for tests of the core: written down by hand, or drawn at random."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

from hypothesis import strategies as st

from mokuji.core.base import names
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.wiki import MemoryWiki, Volume


def wiki_of(
    volumes: Mapping[str, Mapping[str, str]], libraries: Mapping[str, list[str]] | None = None
) -> MemoryWiki:
    """A wiki from volume title → page title → text; ids count from 1 in the order given."""
    ids = {title: n for n, title in enumerate(volumes, 1)}
    made = [
        Volume(
            id_,
            names.key(title),
            title,
            libraries=tuple(ids[each] for each in (libraries or {}).get(title, ())),
        )
        for title, id_ in ids.items()
    ]
    pages: list[Page] = []
    for title, texts in volumes.items():
        for page, text in texts.items():
            head = PageHead(len(pages) + 1, ids[title], names.key(page), page)
            pages.append(Page(head, text))
    return MemoryWiki(made, pages)


def page_called(wiki: MemoryWiki, title: str, volume: int | None = None) -> Page:
    """The page of a title (in a volume, or the first one)."""
    return next(
        page
        for page in wiki.pages_by_id.values()
        if page.head.title == title and volume in {None, page.head.volume}
    )


def with_pages(wiki: MemoryWiki, changed: Mapping[int, Page]) -> MemoryWiki:
    """The same wiki with other pages in the place of some, or beside them."""
    return MemoryWiki(list(wiki.volumes.values()), list({**wiki.pages_by_id, **changed}.values()))


T = TypeVar("T")

# ---- random wikis ------------------------------------------------------------

VOLUMES = ["Guide", "Data sheet", "Öl"]
TITLES = [
    "Pump",
    "Pump house",
    "pump-test",
    "Sea trial",
    "Guide/Pump",
    "Data sheet/Limits",
    "A/B",
    "C#",
    "x|y",
    "[bracket]",
    "a`b",
    "cost $5",
    "back\\slash",
    "<item:K>",
    "=equal",
    "^hat",
    "*",
    "Straße",
    "ＦＵＬＬ",
    "e\u0301te\u0301",
    "😀 face",
    "eBuoy",
    "no",
    "2027-01-01",
    "_x_",
    "a*b*",
    "~~old~~",
    "tail\\",
]
HEADINGS = [
    "Limits",
    "Open it",
    "limits",
    "Öffnen",
    "Step *one*",
    "With `code`",
    "A|B",
    "Fix {#fixed}",
    "C\\#",
]
WORDS = [
    "word",
    "two words. Another sentence",
    "*emphasis*",
    "**strong",
    "`[[Pump]]`",
    "\\[[Pump]]",
    "<b>bold</b>",
    "<!-- [[Pump]] -->",
    "$x [[Pump]] y$",
    "https://example.org/[[Pump]]",
    "[link](https://example.org)",
    "[[",
    "]]",
    "[",
    "|",
    "\t",
    "é",
    "e\u0301",
    "😀",
    "[^1]",
    "q",
    "\\",
]


# Strategies that are made anew for every draw take most of the time of a test, so all choices are drawn from these.
_BELOW = [st.integers(0, most) for most in range(64)]


def chosen(draw: st.DrawFn, among: Sequence[T]) -> T:
    """One of some; the first where it is simplest."""
    return among[draw(_BELOW[len(among) - 1])]


def one_in(draw: st.DrawFn, number: int) -> bool:
    """True in one of so many draws."""
    return draw(_BELOW[number - 1]) == 0


def several(draw: st.DrawFn, least: int, most: int) -> range:
    """So many times, at least and at most."""
    return range(least + draw(_BELOW[most - least]))


def spelled(draw: st.DrawFn, title: str) -> str:
    """A title as somebody may type it in the target of a reference."""
    typed = names.escape(title)
    how = draw(_BELOW[5])
    if how == 1:
        typed = typed[:1].lower() + typed[1:]
    elif how == 2:
        typed = typed.upper() if names.key(names.unescape(typed.upper())) == names.key(title) else typed
    elif how == 3:
        typed = typed.replace(" ", "_")
    elif how == 4:
        typed = f" {typed} "
    elif how == 5:
        typed = title  # without escapes: may mean something else, or nothing
    return typed


@dataclass(frozen=True)
class Outline:
    """The names of a random wiki before its texts are drawn: titles by volume."""

    volumes: Mapping[str, Sequence[str]]

    def target(self, draw: st.DrawFn, home: str) -> str:
        """What may be typed as target on a page of ``home``: mostly a page that is there."""
        known = [(volume, title) for volume, titles in self.volumes.items() for title in titles]
        if one_in(draw, 5):
            volume, title = chosen(draw, VOLUMES), chosen(draw, TITLES)
        else:
            volume, title = chosen(draw, known)
        typed = spelled(draw, title)
        lead = chosen(draw, ["", "", "", "/"] if volume != home else ["", "", "", "", "here", "/"])
        if volume == home and lead == "":
            return typed
        return f"{lead.replace('here', '')}{volume}/{typed.strip()}"


SECTIONS = [*HEADINGS, "fixed", "Missing", "see [[Pump]]"]
KINDS = ["link"] * 6 + ["label", "label", "label", "insert"]
LABELS = ["its label", "*the* pump", "a\\|b", "[in] brackets", "", " ", "`x`"]
VALUES = ["", " | a: 1", " | see [[Pump]]", " | to: [[Sea trial|x]] | b: [y]"]


def reference(draw: st.DrawFn, outline: Outline, home: str) -> str:
    """A bracket reference, mostly to a page that is there."""
    target = outline.target(draw, home)
    if one_in(draw, 4):
        target += "#" + names.escape_section(chosen(draw, SECTIONS).partition(" {")[0])
        if one_in(draw, 5):
            target = target[target.index("#") :]
    kind = chosen(draw, KINDS)
    if kind == "label":
        return f"[[{target}|{chosen(draw, LABELS)}]]"
    if kind == "insert":
        return f"[[={target}{chosen(draw, VALUES)}]]"
    return f"[[{target}]]"


def line(draw: st.DrawFn, outline: Outline, home: str) -> str:
    """A line of a page: words and references, in some kind of block."""
    parts = [
        chosen(draw, WORDS) if one_in(draw, 3) else reference(draw, outline, home)
        for _ in several(draw, 1, 3)
    ]
    made = chosen(draw, [" ", " ", "", ", "]).join(parts)
    kind = draw(_BELOW[9])
    if kind == 0:
        return "## " + (made if one_in(draw, 2) else chosen(draw, HEADINGS))
    if kind == 1:
        one, other = reference(draw, outline, home), reference(draw, outline, home)
        return f"| {made} | b |\n|---|---|\n| {one} | {other} |"
    return {2: "- ", 3: "  1. ", 4: "> ", 5: "    ", 6: "[^1]: ", 7: "term\n: "}.get(kind, "") + made


def page_text(draw: st.DrawFn, outline: Outline, home: str) -> str:
    """A page's text, with line ends of one kind, with or without a last one."""
    body = ["" if one_in(draw, 4) else line(draw, outline, home) for _ in several(draw, 1, 5)]
    end = chosen(draw, ["\n", "\n", "\r\n", "\r"])
    text = end.join(body).replace("\n", end) if end == "\r" else end.join(body)
    if one_in(draw, 2):
        text += end
    if one_in(draw, 5):
        aliases = [chosen(draw, TITLES) for _ in several(draw, 1, 2)]
        quoted = ", ".join("'" + alias.replace("'", "''") + "'" for alias in aliases)
        text = f"---{end}aliases: [{quoted}]{end}---{end}{text}"
    if one_in(draw, 10):
        text = "\ufeff" + text
    return text


@st.composite
def texts(draw: st.DrawFn, outline: Outline, home: str) -> str:
    """The text of a page by itself."""
    return page_text(draw, outline, home)


def titles(draw: st.DrawFn) -> list[str]:
    """Up to four titles that name different pages."""
    found: dict[str, str] = {}
    for _ in several(draw, 1, 4):
        title = chosen(draw, TITLES)
        found.setdefault(names.key(title), title)
    return list(found.values())


@st.composite
def wikis(draw: st.DrawFn) -> MemoryWiki:
    """Up to three volumes with up to four pages each; the second one has the first as library."""
    outline = Outline({volume: titles(draw) for volume in VOLUMES[: len(several(draw, 1, 3))]})
    volumes: list[Volume] = []
    pages: list[Page] = []
    for n, (title, pages_of) in enumerate(outline.volumes.items(), 1):
        volumes.append(Volume(n, names.key(title), title, libraries=(1,) if n == 2 else ()))
        for each in pages_of:
            head = PageHead(len(pages) + 1, n, names.key(each), each)
            pages.append(Page(head, page_text(draw, outline, title)))
    return MemoryWiki(volumes, pages)
