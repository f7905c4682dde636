"""What readers see of a page, made comparable: two texts read alike if their readings are equal.

Acts that put a text in the place of an insert, or an insert in the place of a
text, are held to this: what they cannot keep the same they leave alone.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence

from mokuji.core.assembly.assembly import LOOP, TOO_DEEP, Assembled, assemble
from mokuji.core.assembly.inserts import Fault, Inserter, Token
from mokuji.core.html.html import Open
from mokuji.core.html.writer import Diagram, File
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Resolution, Resolver, Sections, volumes_by_id
from mokuji.core.model.wiki import Overlay, Place, Wiki
from mokuji.core.syntax.headings import shown
from mokuji.core.syntax.reference import Kind, plain

KEY = b"reading"
"""Marks in texts need no secret here: what is compared is shown to nobody."""


class Revised(Overlay):
    """A wiki in which some pages have other texts, or are there that were not."""

    def __init__(self, base: Wiki, pages: Mapping[int, Page]) -> None:
        super().__init__(base, {id_: page.head for id_, page in pages.items()}, aliases=None)
        self._revised = pages

    def pages(self, ids: Collection[int]) -> Mapping[int, Page]:
        found = dict(super().pages([id_ for id_ in ids if id_ not in self._revised]))
        return found | {id_: self._revised[id_] for id_ in ids if id_ in self._revised}

    def aliases(self, places: Collection[Place]) -> Mapping[Place, Sequence[PageHead]]:
        # The aliases of a text that is only put together otherwise are the same ones.
        return self._base.aliases(places)


class Reader:
    """Reads pages of one wiki; what a page leads to is looked up once."""

    def __init__(self, wiki: Wiki, speakers: Mapping[int, int] | None = None) -> None:
        """``speakers`` says of pages in the middle of an act which page they mean by their own sections."""
        self._wiki = wiki
        self._speakers = speakers or {}
        self._root = 0
        self._homes = volumes_by_id(wiki)
        self._volumes = frozenset(wiki.volumes)
        self._leads: dict[tuple[int, str], Resolver] = {}
        self._pages: dict[int, Page | None] = {}
        self._inserter = Inserter(KEY, self._volumes)

    def read(self, page: Page) -> str:
        """A page as its readers see it: references as what they lead to, without faults and anchors."""
        return _plain(self._assembled(page).html)

    def endless(self, page: Page) -> frozenset[int]:
        """The inserts of a page whose text has no end, by index: it comes back to itself, or goes too deep to tell."""
        return frozenset(
            index
            for index, faults in self._assembled(page).faults.items()
            if any(fault.code in (LOOP, TOO_DEEP) for fault in faults)
        )

    def _assembled(self, page: Page) -> Assembled:
        self._inserter = Inserter(KEY, self._volumes)
        self._root = page.head.id
        return assemble(
            self._inserter,
            self._inserter.whole(page),
            Sections.of(page, self._volumes).anchors(),
            self,
        )

    def _resolve(self, token: Token) -> Resolution | None:
        page, reference = token.page, token.reference
        if reference.name is None:
            return None
        at = (page.head.id, page.text)
        home = self._homes[page.head.volume]
        if at not in self._leads:
            self._leads[at] = Resolver.of(self._wiki, ((home, each) for each in page.content.references))
        return self._leads[at].resolve(reference.name, home, insert=reference.kind is Kind.INSERT)

    # ---- how references look (``assembly.Show``) ----------------------------------

    def page(self, token: Token) -> Page | None:
        """The page that an insert leads to."""
        resolution = self._resolve(token)
        if resolution is None or resolution.page is None:
            return None
        id_ = resolution.page.id
        if id_ not in self._pages:
            self._pages[id_] = self._wiki.pages([id_]).get(id_)
        return self._pages[id_]

    def link(self, token: Token, label: str, place: Open, *, anchor: str | None, own: bool) -> str:
        """A reference as its kind, what it leads to, and the words it shows."""
        reference = token.reference
        resolution = self._resolve(token)
        if resolution is None:
            there: object = self._speakers.get(token.page.head.id, token.page.head.id)
        else:
            there = resolution.page.id if resolution.page is not None else resolution.place
        # A section that came along counts as one of the page, as it does for readers.
        there = "here" if anchor is not None or there == self._root else there
        words = plain(label) if label else shown(reference, token.page.text, self._volumes)
        return f"⟨{reference.kind.value} {there} {reference.section or ''}|{words}⟩"

    def listing(
        self, token: Token, values: Sequence[tuple[str | None, str]], place: Open
    ) -> tuple[str, list[Fault]]:
        """A list by the volume it is of and what it asks for."""
        return f"⟨list {token.page.head.volume} {values}⟩", []

    def inserted(self, html: str, token: Token, page: Page, place: Open) -> str:
        """An inserted text as such."""
        return html

    def signal(self, tag: str, word: str, page: Page) -> str:
        """What begins with a signal word is read as any other text."""
        return f"<{tag}>"

    def mark(self, word: str, page: Page) -> str:
        """A mark by its word."""
        return f"⟨#{word}⟩"

    def person(self, handle: str) -> str:
        """Somebody by the handle."""
        return f"⟨@{handle}⟩"

    def source(self, name: str) -> str | None:
        """A source by its name."""
        return f"⟨source {name}⟩"

    def file(self, file: File, page: Page) -> str:
        """A file by the volume where it is named."""
        shown = f"⟨file {page.head.volume} {file.name}{file.fragment}|{file.words}|{file.title}⟩"
        return shown if file.picture else f"{shown}<a>"

    def diagram(self, diagram: Diagram) -> str:
        """A diagram by its source."""
        return f"⟨diagram {diagram.source}|{diagram.caption}|{diagram.description}⟩"

    def fault(self, faults: Sequence[Fault], place: Open) -> str:
        """Faults are no part of a reading."""
        return ""


def _plain(html: str) -> str:
    """HTML without what may differ: anchors of headings, white space outside of code, whether an item is tight."""
    pieces: list[str] = []
    at = 0
    for opening in re.finditer(r"<pre\b", html):
        end = html.find("</pre>", opening.end())
        if end < 0:
            break
        if opening.start() >= at:
            pieces += [_plainly(html[at : opening.start()]), html[opening.start() : end + 6]]
            at = end + 6
    return "".join([*pieces, _plainly(html[at:])]).strip(" ¶")


def _plainly(html: str) -> str:
    html = re.sub(r'<span class="slot">([^<]*+)</span>', r"\1", html)
    html = re.sub(r'(<h\d) id="[^"]*"', r"\1", html)
    html = re.sub(r"</p>\s*(?=</li>|</dd>|<[ou]l\b)", "", html)
    html = re.sub(r"<p>", "", html).replace("</p>", "¶")
    html = re.sub(r"\s+", " ", html)
    html = re.sub(
        r" ?(</?(?:ul|ol|li|dl|dt|dd|table|thead|tbody|tr|t[hd]|blockquote|h\d|hr)\b[^>]*>|¶) ?", r"\1", html
    )
    return html.strip(" ")
