"""Small wikis in memory, for tests of the core: written down by hand, or drawn at random."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from hypothesis import strategies as st

from mokuji.core import names
from mokuji.core.wiki import MemoryWiki, Page, PageHead, Volume


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


@st.composite
def spelled(draw: st.DrawFn, title: str) -> str:
    """A title as somebody may type it in the target of a reference."""
    typed = names.escape(title)
    how = draw(st.integers(0, 5))
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
        if draw(st.integers(0, 4)) == 0:
            volume, title = draw(st.sampled_from(VOLUMES)), draw(st.sampled_from(TITLES))
        else:
            volume, title = draw(st.sampled_from(known))
        typed = draw(spelled(title))
        lead = draw(st.sampled_from(["", "", "", "/"] if volume != home else ["", "", "", "", "here", "/"]))
        if volume == home and lead == "":
            return typed
        return f"{lead.replace('here', '')}{volume}/{typed.strip()}"


@st.composite
def references(draw: st.DrawFn, outline: Outline, home: str) -> str:
    """A bracket reference, mostly to a page that is there."""
    target = outline.target(draw, home)
    if draw(st.integers(0, 3)) == 0:
        heading = draw(st.sampled_from([*HEADINGS, "fixed", "Missing", "see [[Pump]]"]))
        target += "#" + names.escape_section(heading.partition(" {")[0])
        if draw(st.integers(0, 4)) == 0:
            target = target[target.index("#") :]
    kind = draw(st.sampled_from(["link"] * 6 + ["label", "label", "label", "insert"]))
    if kind == "label":
        label = draw(st.sampled_from(["its label", "*the* pump", "a\\|b", "[in] brackets", "", " ", "`x`"]))
        return f"[[{target}|{label}]]"
    if kind == "insert":
        values = draw(st.sampled_from(["", " | a: 1", " | see [[Pump]]", " | to: [[Sea trial|x]] | b: [y]"]))
        return f"[[={target}{values}]]"
    return f"[[{target}]]"


@st.composite
def lines(draw: st.DrawFn, outline: Outline, home: str) -> str:
    """A line of a page: words and references, in some kind of block."""
    reference = references(outline, home)
    parts = draw(st.lists(st.one_of(reference, reference, st.sampled_from(WORDS)), min_size=1, max_size=3))
    line = draw(st.sampled_from([" ", " ", "", ", "])).join(parts)
    kind = draw(st.integers(0, 9))
    if kind == 0:
        return "## " + draw(st.one_of(st.sampled_from(HEADINGS), st.just(line)))
    if kind == 1:
        return f"| {line} | b |\n|---|---|\n| {draw(reference)} | {draw(reference)} |"
    return {2: "- ", 3: "  1. ", 4: "> ", 5: "    ", 6: "[^1]: ", 7: "term\n: "}.get(kind, "") + line


@st.composite
def texts(draw: st.DrawFn, outline: Outline, home: str) -> str:
    """A page's text, with line ends of one kind, with or without a last one."""
    line = lines(outline, home)
    body = draw(st.lists(st.one_of(line, line, line, st.just("")), min_size=1, max_size=5))
    end = draw(st.sampled_from(["\n", "\n", "\r\n", "\r"]))
    text = end.join(body).replace("\n", end) if end == "\r" else end.join(body)
    if draw(st.booleans()):
        text += end
    if draw(st.integers(0, 4)) == 0:
        aliases = draw(st.lists(st.sampled_from(TITLES), min_size=1, max_size=2))
        quoted = ", ".join("'" + each.replace("'", "''") + "'" for each in aliases)
        text = f"---{end}aliases: [{quoted}]{end}---{end}{text}"
    if draw(st.integers(0, 9)) == 0:
        text = "\ufeff" + text
    return text


@st.composite
def wikis(draw: st.DrawFn) -> MemoryWiki:
    """Up to three volumes with up to four pages each; the second one has the first as library."""
    outline = Outline(
        {
            volume: draw(st.lists(st.sampled_from(TITLES), min_size=1, max_size=4, unique_by=names.key))
            for volume in VOLUMES[: draw(st.integers(1, 3))]
        }
    )
    volumes: list[Volume] = []
    pages: list[Page] = []
    for n, (title, titles) in enumerate(outline.volumes.items(), 1):
        volumes.append(Volume(n, names.key(title), title, libraries=(1,) if n == 2 else ()))
        for each in titles:
            head = PageHead(len(pages) + 1, n, names.key(each), each)
            pages.append(Page(head, draw(texts(outline, title))))
    return MemoryWiki(volumes, pages)
