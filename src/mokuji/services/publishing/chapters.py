"""Which pages go along, in which order, and each as its readers see it.

Everything is asked of what the reader may see at this moment, so a closed page and one that is not written look the
same: a reference to either is words.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import partial
from urllib.parse import unquote

from mokuji.core.base import names
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.html.writer import Diagram
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.wiki import Volume
from mokuji.core.syntax.reference import Kind
from mokuji.formats.chapters import Leading, stand
from mokuji.services.app_context import LARGE, AppContext, ReadContext, make_ready, need_head
from mokuji.services.folders.exporting import volume_to_take
from mokuji.services.reading.inserting import Inserted, inserted_by_all
from mokuji.services.reading.linking import Link, links_of
from mokuji.services.reading.listings import listing
from mokuji.services.reading.rendering import Addresses, FileShown, render_ready
from mokuji.services.writing.assets_shown import AssetsShown
from mokuji.store import pages as stored_pages
from mokuji.store.places import placing
from mokuji.store.snapshot import StoredWiki

BATCH = 100
"""Number of pages that are read at once."""
_OUTSIDE = "page:"
"""What an address begins with that leads to a page, until it is known where that stands: no text can have it."""


class Reach(StrEnum):
    """How much goes along: a page, a page with all that stands below it in the contents, or the volume."""

    PAGE = "page"
    BRANCH = "branch"
    VOLUME = "volume"


@dataclass(frozen=True, slots=True)
class Chapter:
    """A page that goes along, or a name above others that has none: its number and depth in what goes along (from 0),
    and its key in addresses, with hyphens."""

    number: str
    depth: int
    title: str
    key: str
    head: PageHead | None

    @property
    def anchor(self) -> str:
        """What it is called inside one file."""
        return names.anchor(self.key)


@dataclass(frozen=True, slots=True)
class Chosen:
    """What goes along, in order; ``title`` is that of the page or volume it is of."""

    volume: Volume
    title: str
    chapters: tuple[Chapter, ...]

    @property
    def pages(self) -> list[Chapter]:
        """The chapters that are pages."""
        return [chapter for chapter in self.chapters if chapter.head is not None]


@dataclass
class LeftBehind:
    """What does not come along, of what the reader may see: pages that are led to, by title, and names without a page,
    with how often; files that a form cannot hold; inserts and the like that cannot be shown, as sentences."""

    pages: Counter[str] = field(default_factory=Counter)
    unwritten: Counter[str] = field(default_factory=Counter)
    files: Counter[str] = field(default_factory=Counter)
    faults: list[str] = field(default_factory=list)

    def __bool__(self) -> bool:
        return bool(self.pages or self.unwritten or self.files or self.faults)


def chosen(context: ReadContext, volume_key: str, page_key: str, reach: Reach, *, most: int) -> Chosen:
    """What goes along. Missing if there is no such page; Refused if those are more than ``most`` pages; Forbidden for
    who has not signed in."""
    volume = volume_to_take(context, volume_key)
    connection = context.connection
    if reach is Reach.VOLUME:
        title, rows = (
            volume.title,
            [(row.depth, row.title, row.key) for row in placing.rows(connection, volume.id)],
        )
    else:
        head = need_head(connection, volume, page_key)
        title = head.title
        below = placing.branch(connection, volume.id, head.key) if reach is Reach.BRANCH else []
        rows = [(row.depth, row.title, row.key) for row in below] or [(0, head.title, head.key)]
    found = StoredWiki(connection, context.volumes).titles([(volume.id, key) for _, _, key in rows])
    heads = {key: found.get((volume.id, key)) for _, _, key in rows}
    chapters = list(_numbered(rows, heads))
    if reach is Reach.VOLUME:
        placed = {head.id for head in heads.values() if head is not None}
        ids = [id_ for id_ in stored_pages.all_ids(connection, volume.id) if id_ not in placed]
        rest = sorted(stored_pages.heads_in(connection, volume.id, ids).values(), key=lambda each: each.key)
        chapters += [Chapter("", 0, head.title, head.key, head) for head in rest]
    number = sum(chapter.head is not None for chapter in chapters)
    if number > most:
        raise Refused(
            f"These are {number:,} pages, and one file of this form takes {most:,}. Take a branch, or another form.",
            code="too_many_pages",
        )
    if not number:
        raise Missing(f"“{title}” has no page that could be taken along.", code="no_pages")
    return Chosen(volume, title, tuple(chapters))


def _numbered(
    rows: Sequence[tuple[int, str, str]], heads: Mapping[str, PageHead | None]
) -> Iterator[Chapter]:
    counts: list[int] = []
    for depth, title, key in rows:
        del counts[depth + 1 :]
        counts += [0] * (depth + 1 - len(counts))
        counts[depth] += 1
        head = heads[key]
        number = ".".join(map(str, counts)) if len(rows) > 1 else ""
        yield Chapter(number, depth, head.title if head is not None else title, key, head)


@dataclass
class Reading:
    """How pages are to read in one form: ``lead`` gives the address of a page that goes along and of a section in it
    (empty: none) from another one; ``file`` that of a file by volume and name; ``deeper`` how far headings move down
    below the title of their chapter."""

    lead: Callable[[Chapter, Chapter, str], str]
    file: Callable[[int, str], FileShown | None]
    prefix: Callable[[Chapter], str] = lambda chapter: ""
    deeper: Callable[[Chapter], int] = lambda chapter: 0
    diagram: Callable[[Diagram], str] | None = None
    left_out: frozenset[str] = frozenset({"source", "problem"})


def read(
    app: AppContext, context: ReadContext, what: Chosen, how: Reading, left: LeftBehind
) -> Iterator[tuple[Chapter, Page | None, str]]:
    """Each chapter with its page and its HTML, in order; what does not come along is noted in ``left``."""
    at = {(what.volume.key, each.key): each for each in what.pages}
    shown = AssetsShown(app, context.actor)

    def address(link: Link) -> str:
        if (link.volume, link.key) in at:
            return f"{_OUTSIDE}{link.key}"
        unwritten = link.state == "unwritten"
        if link.kind is Kind.LINK or unwritten:
            home = context.volumes.get(link.volume, what.volume)
            title = link.title if home is what.volume else f"{home.title}/{link.title}"
            (left.unwritten if unwritten else left.pages)[title] += 1
        return _OUTSIDE

    to = Addresses(
        page=address,
        lists=partial(listing, app, context.actor),
        file=how.file,
        source=shown.source,
        diagram=how.diagram,
    )
    for begin in range(0, len(what.chapters), BATCH):
        chapters = what.chapters[begin : begin + BATCH]
        wiki = StoredWiki(context.connection, context.volumes)
        texts = wiki.pages([chapter.head.id for chapter in chapters if chapter.head is not None])
        needs = inserted_by_all(wiki, dict.fromkeys(texts, what.volume), list(texts.values()), app)
        shown.prepare(needs)
        yield from _batch(app, frozenset(context.volumes), what, chapters, needs, texts, at, how, to, left)


def led_elsewhere(context: ReadContext, volume: Volume) -> Counter[str]:
    """The pages of other volumes that pages of a volume refer to or put in, by title and how often: they are not in a
    folder of that volume alone."""
    wiki = StoredWiki(context.connection, context.volumes)
    ids = stored_pages.all_ids(context.connection, volume.id)
    found: Counter[str] = Counter()
    for begin in range(0, len(ids), BATCH):
        texts = wiki.pages(ids[begin : begin + BATCH])
        for links in links_of(wiki, list(texts.values()), dict.fromkeys(texts, volume)).values():
            for link in links:
                if link.page and link.volume != volume.key:
                    found[f"{context.volumes[link.volume].title}/{link.title}"] += 1
    return found


def _batch(
    app: AppContext,
    volume_keys: frozenset[str],
    what: Chosen,
    chapters: Sequence[Chapter],
    needs: Inserted,
    texts: Mapping[int, Page],
    at: Mapping[tuple[str, str], Chapter],
    how: Reading,
    to: Addresses,
    left: LeftBehind,
) -> Iterator[tuple[Chapter, Page | None, str]]:
    for chapter in chapters:
        page = texts.get(chapter.head.id) if chapter.head is not None else None
        if page is None:
            yield chapter, None, ""
            continue
        # Pages that only go past would push those out that people read.
        ready = app.compiled.get(page.head.revised)
        if ready is None:
            large = len(page.text) > LARGE
            ready = app.ready(page, volume_keys) if large else make_ready(page, volume_keys, app.secret)
        rendered = render_ready(app, ready, needs, to)
        left.faults += [
            f"{chapter.title}, line {each.line}: {each.problem.message}"
            for each in rendered.problems
            if each.problem.code != "diagram"
        ]

        def lead(href: str, here: Chapter = chapter) -> str:
            return _led(href, here, what.volume.key, at, how)

        yield (
            chapter,
            page,
            stand(rendered.html, Leading(lead, how.prefix(chapter), how.deeper(chapter), how.left_out)),
        )


def _led(href: str, here: Chapter, volume: str, at: Mapping[tuple[str, str], Chapter], how: Reading) -> str:
    if href.startswith("#"):
        return how.lead(here, here, unquote(href[1:]))
    if not href.startswith(_OUTSIDE):
        return href
    key, _, section = href.removeprefix(_OUTSIDE).partition("#")
    chapter = at.get((volume, key))
    return "" if chapter is None else how.lead(here, chapter, unquote(section))
