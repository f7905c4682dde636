"""Real folders of Markdown with relative links: the documentation of Node.js, as Debian's package nodejs-doc has it,
and that of Fastify, in folders with pictures, as npm's fastify 5.2.1 has it.

Their links and the names of their headings are those that an independent reader sees, markdown-it-py with the plugins
of its own people.
"""

from __future__ import annotations

import gzip
import posixpath
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path

import pytest
from markdown_it import MarkdownIt
from markdown_it.token import Token
from mdit_py_plugins.anchors import anchors_plugin

from mokuji.core.base import names
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Resolver, Sections
from mokuji.core.model.wiki import MemoryWiki, Volume
from mokuji.formats.markdown_in import Taken, take
from tests.outside.packages import npm_folder

FOLDER = Path("/usr/share/doc/nodejs/api")
READER = MarkdownIt("commonmark").enable("table")


def _links(tokens: Sequence[Token]) -> Iterator[str]:
    for token in tokens:
        if token.type in {"link_open", "image"}:
            yield str(token.attrs.get("href") or token.attrs.get("src"))
        yield from _links(token.children or ())


@pytest.fixture(scope="module", params=["nodejs-doc", "fastify"])
def files(request: pytest.FixtureRequest) -> dict[str, bytes]:
    if request.param == "fastify":
        return npm_folder("fastify", "5.2.1", "docs")
    found = {
        path.name.removesuffix(".gz"): gzip.decompress(path.read_bytes()) for path in FOLDER.glob("*.md.gz")
    }
    return found | {path.name: path.read_bytes() for path in FOLDER.glob("*.md")}


@pytest.fixture(scope="module")
def made(files: dict[str, bytes]) -> Taken:
    return take(list(files), files.__getitem__, "Node")


def test_each_link_that_an_independent_reader_sees_is_told_of(files: dict[str, bytes], made: Taken) -> None:
    theirs = {
        path: len(list(_links(READER.parse(data.decode()))))
        for path, data in files.items()
        if path.endswith(".md")
    }
    ours = Counter(fate.path for fate in made.links if "is HTML" not in fate.why)
    assert sum(theirs.values()) > 1_500
    assert {path: number for path, number in theirs.items() if number} == dict(ours)


def test_what_is_left_of_the_links_leads_outside_or_is_told_as_lost(made: Taken) -> None:
    left: Counter[str] = Counter()
    for _, text in made.pages:
        # A bar in a reference is none between cells here, which an independent reader cannot know.
        plain = re.sub(r"\[\[(?:\\.|[^\[\]\\])*\]\]", "x", text)
        left.update("outside" if ":" in each else "lost" for each in _links(READER.parse(plain)))
    fates = Counter(fate.became for fate in made.links if "is HTML" not in fate.why)
    assert left["lost"] == fates["lost"] + fates["file"]
    assert left["outside"] == fates["outside"]
    assert fates["reference"] > 0.9 * (fates["reference"] + fates["lost"] + fates["section lost"])


def test_what_is_told_as_lost_is_not_there_for_an_independent_reader_either(
    files: dict[str, bytes], made: Taken
) -> None:
    named: dict[str, set[str]] = {}
    reader = MarkdownIt("commonmark").enable("table").use(anchors_plugin, max_level=6)
    for path, data in files.items():
        if path.endswith(".md"):
            shown = reader.render(data.decode())
            named[path] = set(re.findall(r'\b(?:id|name)="([^"]+)"', shown))
    asked = 0
    for fate in made.links:
        if fate.became == "section lost":
            section = re.search(r"leads to “#([^”]*)”", fate.why)
            title = re.search(r"which “(.*)” has not", fate.why)
            assert section is not None and title is not None
            at = [path for path in named if path.rpartition("/")[2].lower().startswith(title[1][:3].lower())]
            assert not any(section[1] in named[path] for path in at), fate
            asked += 1
        elif fate.became == "lost" and "not in the folder" in fate.why:
            target = re.search(r"leads to “([^”]*)”", fate.why)
            assert target is not None
            assert posixpath.normpath(posixpath.join(posixpath.dirname(fate.path), target[1])) not in files, (
                fate
            )
            asked += 1
    assert asked > 5


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
