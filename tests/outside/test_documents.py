"""Documents of other programs, from real collections: Python's own documentation in reStructuredText, as Debian's
package python3-doc has it, its headings as docutils reads them; and saved pages of a site, the documentation of Node.js
of Debian's nodejs-doc, its links as lxml reads them."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping
from pathlib import Path

import docutils.core
import pytest
from docutils import nodes
from docutils.parsers.rst import roles
from lxml.html import document_fromstring

from mokuji.adapters import pandoc
from mokuji.core.base import names
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Resolver, Sections
from mokuji.core.model.wiki import MemoryWiki, Volume
from mokuji.core.syntax.headings import words as words_of
from mokuji.formats import documents_in
from mokuji.formats.markdown_in import Taken, take

SOURCES = next(Path("/usr/share/doc").glob("python3*/html/_sources"), Path("/nowhere"))
SITE = Path("/usr/share/doc/nodejs/api")
PAGES = (
    "assert",
    "cluster",
    "console",
    "dgram",
    "domain",
    "events",
    "globals",
    "os",
    "path",
    "punycode",
    "readline",
    "tty",
)


@pytest.fixture(scope="module")
def sources() -> dict[str, bytes]:
    found = [*SOURCES.glob("tutorial/*.txt"), SOURCES / "glossary.rst.txt"]
    return {
        path.relative_to(SOURCES).as_posix().removesuffix(".txt"): path.read_bytes() for path in sorted(found)
    }


@pytest.fixture(scope="module")
def made(sources: dict[str, bytes]) -> Taken:
    documents = documents_in.read(list(sources), sources.__getitem__, pandoc.html_of)
    return take(list(sources), sources.__getitem__, "Python", documents)


def _plain(words: str) -> str:
    return re.sub(r"[^\w ]", "", " ".join(words.split()))


def _headings(text: str) -> list[str]:
    """The headings that docutils sees; roles it does not know are their words."""

    def role(*given: object) -> tuple[list[nodes.Node], list[nodes.system_message]]:
        words = re.sub(r"\s*<[^<>]*>\Z", "", str(given[2]))
        return [nodes.literal(words, words)], []

    for name in set(re.findall(r":([\w:+-]+):`", text)):
        roles.register_local_role(name, role)  # type: ignore[arg-type]
    settings = {"report_level": 5, "halt_level": 6, "file_insertion_enabled": False, "doctitle_xform": False}
    read = docutils.core.publish_doctree(text, settings_overrides=settings)
    return [
        _plain(each.astext()) for each in read.findall(nodes.title) if isinstance(each.parent, nodes.section)
    ]


def _pages(made: Taken) -> tuple[Volume, list[Page]]:
    pages = [
        Page(PageHead(number, 1, names.key(title), title), text)
        for number, (title, text) in enumerate(made.pages, 1)
    ]
    return Volume(1, "taken", "Taken"), pages


def _led(made: Taken) -> Iterator[tuple[Page, Page, str | None]]:
    """Each reference with the page that it leads to; a section that is not there is a failure."""
    volume, pages = _pages(made)
    uses = [(page, each) for page in pages for each in page.content.references]
    resolver = Resolver.of(MemoryWiki([volume], pages), ((volume, each) for _, each in uses))
    by_id = {page.head.id: page for page in pages}
    for page, each in uses:
        target = resolver.resolve(each.name, volume).page if each.name is not None else page.head
        assert target is not None, each.span.of(page.text)
        if each.section:
            assert Sections.of(by_id[target.id], {"taken"}).find(each.section) is not None, each.span.of(
                page.text
            )
        yield page, by_id[target.id], each.section


def test_the_headings_of_restructuredtext_are_those_that_docutils_sees(
    sources: Mapping[str, bytes], made: Taken
) -> None:
    assert len(sources) > 15
    pages = {title: Page(PageHead(0, 0, "", title), text) for title, text in made.pages}
    ours = Counter(
        _plain(words)
        for title, page in pages.items()
        for words in (
            title,
            *(words_of(each, page.text, page.content.references, ()) for each in page.content.headings),
        )
    )
    theirs = Counter(each for data in sources.values() for each in _headings(data.decode()))
    assert sum(theirs.values()) > 100
    assert ours == theirs


def test_every_role_that_leads_somewhere_in_the_collection_is_a_reference(
    sources: Mapping[str, bytes], made: Taken
) -> None:
    typed = sum(len(re.findall(r":(?:ref|doc):`", data.decode())) for data in sources.values())
    entries = sum(
        line.strip() != "" and not line.strip().startswith(":")
        for data in sources.values()
        for tree in re.findall(r"^\.\. toctree::\n((?:[ \t]+.*\n|\n)*)", data.decode(), re.M)
        for line in tree.splitlines()
    )
    led = list(_led(made))
    fates = Counter(fate.became for fate in made.links)
    assert len(led) == fates["reference"] + fates["section lost"]
    missing = sum("its words stay" in fate.why for fate in made.links)
    assert typed > 80 and fates["section lost"] == 0
    # Links that are typed as such between sections of one document are references besides.
    assert typed + entries <= len(led) + missing <= typed + entries + 3


def test_the_trees_of_the_documents_are_the_contents(made: Taken) -> None:
    rows = [(row.depth, row.title) for row in made.contents]
    assert rows[0] == (0, "The Python Tutorial")
    assert [title for depth, title in rows if depth == 1][:3] == [
        "Whetting Your Appetite",
        "Using the Python Interpreter",
        "An Informal Introduction to Python",
    ]


@pytest.fixture(scope="module")
def site() -> dict[str, bytes]:
    return {f"{name}.html": (SITE / f"{name}.html").read_bytes() for name in PAGES}


def test_links_of_a_saved_site_lead_where_they_led_and_its_navigation_is_gone(site: dict[str, bytes]) -> None:
    made = take(list(site), site.__getitem__, "Node")
    assert len(made.pages) == len(PAGES)
    theirs = {name: document_fromstring(data) for name, data in site.items()}
    ids = {name: set(page.xpath("//@id")) for name, page in theirs.items()}
    led = list(_led(made))
    assert len(led) > 500
    for fate in made.links:
        if fate.became in {"lost", "section lost"}:
            href = re.search(r"\]\(<?([^)>]*)", fate.typed)
            assert href is not None, fate
            target, _, section = href[1].partition("#")
            where = target or fate.path
            assert where not in ids or section not in ids[where], f"{fate}: it is there"
    for title, text in made.pages:
        assert "Edit on GitHub" not in text and "Code repository and issue tracker" not in text
        assert len(re.findall(r"Async hooks|Performance hooks|Web Crypto API", text)) < 3, title
    # What is the same on many pages, and is no navigation, stays.
    assert sum("Stability: 2" in text and " - Stable" in text for _, text in made.pages) > 6
