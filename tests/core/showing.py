"""Pages as HTML with references shown as marks, so that tests can see where they come out."""

from __future__ import annotations

from collections.abc import Sequence

from mokuji.core.assembly.assembly import Assembled, assemble
from mokuji.core.assembly.inserts import Fault, Inserter, Token
from mokuji.core.html.html import Open
from mokuji.core.html.notices import grade
from mokuji.core.html.writer import Diagram, File
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Resolver, Sections, volumes_by_id
from mokuji.core.model.wiki import MemoryWiki, Volume
from mokuji.core.syntax.reference import Kind


class Marks:
    """``<R0:[[Pump]]>`` is reference 0 of the page that is shown; ``<R:…>`` one of a text that was put in. ``L`` says
    that it stands in a link, ``→`` where its section stands here."""

    def __init__(self, wiki: MemoryWiki) -> None:
        self.wiki = wiki
        self.faults: list[Fault] = []

    def page(self, token: Token) -> Page | None:
        home = volumes_by_id(self.wiki)[token.page.head.volume]
        resolver = Resolver.of(self.wiki, [(home, token.reference)])
        assert token.reference.name is not None
        head = resolver.resolve(token.reference.name, home, insert=token.reference.kind is Kind.INSERT).page
        return None if head is None else self.wiki.pages_by_id[head.id]

    def link(self, token: Token, label: str, place: Open, *, anchor: str | None, own: bool) -> str:
        typed = token.reference.span.of(token.page.text)
        here = f"→{anchor}" if anchor else ""
        if not own and label:
            typed = f"{label}={typed}"
        typed = typed.replace("<", "‹")
        return f"<R{token.index if own else ''}{'L' if place.linked else ''}:{typed}{here}>"

    def listing(
        self, token: Token, values: Sequence[tuple[str | None, str]], place: Open
    ) -> tuple[str, list[Fault]]:
        return "<list>", []

    def inserted(self, html: str, token: Token, page: Page, place: Open) -> str:
        return html

    def signal(self, tag: str, word: str, page: Page) -> str:
        found = grade(word, volumes_by_id(self.wiki)[page.head.volume].language)
        return f"<{tag}:{found}>" if found else f"<{tag}>"

    def mark(self, word: str, page: Page) -> str:
        return f"<#{word}>"

    def person(self, handle: str) -> str:
        return f"<@{handle}>"

    def source(self, name: str) -> str | None:
        return f"Source {name}" if name.startswith("s-") else None

    def file(self, file: File, page: Page) -> str:
        return f"<F:{file.name}|{file.words}>" if file.picture else f"<F:{file.name}><a>"

    def diagram(self, diagram: Diagram) -> str:
        return f"<D:{diagram.source.strip()}|{diagram.caption}|{diagram.description}>"

    def fault(self, faults: Sequence[Fault], place: Open) -> str:
        self.faults += faults
        return "".join(f"<!{fault.code}>" for fault in faults)


def shown(wiki: MemoryWiki, page: Page, key: bytes = b"secret") -> Assembled:
    """A page of a wiki as its readers see it."""
    inserter = Inserter(key, wiki.volumes)
    anchors = Sections.of(page, wiki.volumes).anchors()
    return assemble(inserter, inserter.whole(page), anchors, Marks(wiki))


def shown_text(text: str, key: bytes = b"secret") -> str:
    """The HTML of a page that stands alone."""
    page = Page(PageHead(1, 1, "p", "P"), text)
    return shown(MemoryWiki([Volume(1, "v", "V")], [page]), page, key).html
