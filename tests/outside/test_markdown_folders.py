"""A real folder of Markdown with relative links: the documentation of Node.js, as Debian's package nodejs-doc has it.

Its links are counted by an independent reader, markdown-it-py, before and after.
"""

from __future__ import annotations

import gzip
from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path

import pytest
from markdown_it import MarkdownIt
from markdown_it.token import Token

from mokuji.core.base import names
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Resolver, Sections
from mokuji.core.model.wiki import MemoryWiki, Volume
from mokuji.formats.markdown_in import Taken, take

FOLDER = Path("/usr/share/doc/nodejs/api")
READER = MarkdownIt("commonmark").enable("table")


def _links(tokens: Sequence[Token]) -> Iterator[str]:
    for token in tokens:
        if token.type in {"link_open", "image"}:
            yield str(token.attrs.get("href") or token.attrs.get("src"))
        yield from _links(token.children or ())


@pytest.fixture(scope="module")
def files() -> dict[str, bytes]:
    found = {
        path.name.removesuffix(".gz"): gzip.decompress(path.read_bytes()) for path in FOLDER.glob("*.md.gz")
    }
    return found | {path.name: path.read_bytes() for path in FOLDER.glob("*.md")}


@pytest.fixture(scope="module")
def made(files: dict[str, bytes]) -> Taken:
    return take(list(files), files.__getitem__, "Node")


def test_each_link_that_an_independent_reader_sees_is_told_of(files: dict[str, bytes], made: Taken) -> None:
    theirs = {path: len(list(_links(READER.parse(data.decode())))) for path, data in files.items()}
    ours = Counter(fate.path for fate in made.links if "is HTML" not in fate.why)
    assert sum(theirs.values()) > 3_000
    assert {path: number for path, number in theirs.items() if number} == dict(ours)


def test_what_is_left_of_the_links_leads_outside_or_is_told_as_lost(made: Taken) -> None:
    left: Counter[str] = Counter()
    for _, text in made.pages:
        left.update("outside" if ":" in each else "lost" for each in _links(READER.parse(text)))
    fates = Counter(fate.became for fate in made.links if "is HTML" not in fate.why)
    assert left["lost"] == fates["lost"]
    assert left["outside"] == fates["outside"]
    assert fates["reference"] > 0.99 * (fates["reference"] + fates["lost"] + fates["section lost"])


def test_every_reference_leads_to_the_page_and_section_that_its_link_led_to(made: Taken) -> None:
    volume = Volume(1, "node", "Node")
    pages = [
        Page(PageHead(number, 1, names.key(title), title), text)
        for number, (title, text) in enumerate(made.pages, 1)
    ]
    wiki = MemoryWiki([volume], pages)
    uses = [(page, each) for page in pages for each in page.content.references]
    resolver = Resolver.of(wiki, ((volume, each) for _, each in uses))
    sections = {page.head.id: Sections.of(page, {"node"}) for page in pages}
    led = 0
    for page, each in uses:
        target = resolver.resolve(each.name, volume).page if each.name is not None else page.head
        assert target is not None, each.span.of(page.text)
        if each.section:
            assert sections[target.id].find(each.section) is not None, each.span.of(page.text)
        led += 1
    fates = Counter(fate.became for fate in made.links)
    assert led == fates["reference"] + fates["section lost"]
