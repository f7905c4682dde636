"""Categories as readers see them: all of a volume as a tree, one with its pages and passages, those of a page."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.base.spans import Lines, Span
from mokuji.core.language.excerpt import Excerpt, excerpt
from mokuji.core.language.page import PageHead
from mokuji.core.model.categories import Filing, Node, tree
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.core.syntax.marks import Mark
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.reading.reading import VolumeView, first_words_of, load_ready, volume_view
from mokuji.store import pages
from mokuji.store.database import reading
from mokuji.store.index import memberships
from mokuji.store.index.memberships import Giver

SHOWN = 60
"""Number of pages of a category that one screen shows."""
MOST = 5_000
"""Maximum number of categories that are listed."""


@dataclass(frozen=True, slots=True)
class Category:
    """A category: its key, its name (the title of the page that describes it, else as it is written most often), that
    page if there is one, how many pages are filed under it, and how many marks."""

    key: str
    name: str
    page: PageHead | None
    pages: int
    marks: int


@dataclass(frozen=True)
class Index:
    """All categories of a volume as a tree, and the cycles that broader ones make."""

    place: VolumeView
    nodes: tuple[Node, ...]
    categories: Mapping[str, Category]
    cycles: tuple[tuple[str, ...], ...]
    broader: Mapping[str, Sequence[str]]


@dataclass(frozen=True, slots=True)
class MarkedPassage:
    """A marked passage: the line of its mark, and its words."""

    line: int
    span: Span
    words: Excerpt


def _words(text: str, mark: Mark) -> Excerpt:
    """The sentence around a mark, without markup; the mark is shown as the words of a reference are."""
    before = text[mark.passage.start : mark.span.start]
    here = f"[[{names.escape('#' + mark.word)}]]"
    words = before + here + text[mark.span.end : mark.passage.end]
    return excerpt(words, Span(len(before), len(before) + len(here)))


@dataclass(frozen=True, slots=True)
class FiledPage:
    """A page filed under a category: its summary or first words; whether it is filed whole, through which templates,
    and its marked passages."""

    head: PageHead
    summary: str
    whole: bool
    through: tuple[PageHead, ...]
    passages: tuple[MarkedPassage, ...]


@dataclass(frozen=True)
class CategoryView:
    """One category: its description, broader and narrower ones, and the pages of this screen. ``elsewhere`` are other
    volumes that use the name, with how many pages each."""

    place: VolumeView
    category: Category
    description: str
    broader: tuple[Category, ...]
    narrower: tuple[Category, ...]
    filed: tuple[FiledPage, ...]
    elsewhere: tuple[tuple[Volume, int], ...]
    more_after: str | None


class VolumeCategories:
    """What one transaction knows of the categories of a volume."""

    def __init__(self, context: ReadContext, volume: Volume) -> None:
        self.context, self.volume = context, volume
        connection = context.connection
        visible = [each.id for each in context.volumes.values()]
        self.givers: list[Giver] = memberships.givers(connection, visible)
        self.given = memberships.given(context.wiki, self.givers, volume.id)
        self.broader = memberships.broader(connection, volume.id)
        self.named = memberships.named(connection, volume.id)

    def categories(self) -> dict[str, Category]:
        """All of the volume by key."""
        written: dict[str, str] = {}
        counts: dict[str, int] = {}
        marks: dict[str, int] = {}
        double: set[str] = set()
        for named_category in self.named[: 4 * MOST]:
            if named_category.how in {Filing.PAGE, Filing.MARK}:
                double |= {named_category.key} & counts.keys()
                counts[named_category.key] = counts.get(named_category.key, 0) + named_category.pages
            if named_category.how is Filing.MARK:
                marks[named_category.key] = named_category.number
            if named_category.key not in written or named_category.how is Filing.PAGE:
                written[named_category.key] = names.as_title(named_category.name)
        for giver in self.givers:
            if self.given.get(giver.template.id):
                written.setdefault(giver.key, names.as_title(giver.name))
                double.add(giver.key)
        for key in self.broader:
            written.setdefault(key, names.as_title(key))
        # Pages filed in several ways count once.
        for key in double:
            counts[key] = len(self.ids(key))
        heads = self.context.wiki.titles([(self.volume.id, key) for key in written])
        found: dict[str, Category] = {}
        for key, name in written.items():
            head = heads.get((self.volume.id, key))
            title = head.title if head is not None else name
            found[key] = Category(key, title, head, counts.get(key, 0), marks.get(key, 0))
        return found

    def ids(self, key: str) -> set[int]:
        """All pages filed under a category, in whatever way."""
        found = set(memberships.filed_under(self.context.connection, self.volume.id, key))
        for giver in self.givers:
            if giver.key == key:
                found |= self.given.get(giver.template.id, set())
        return found


def index(app: AppContext, actor: Actor, volume_key: str) -> Index:
    """All categories of a volume."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        scene = VolumeCategories(context, volume)
        categories = scene.categories()
        nodes, cycles = tree(
            categories, {key: wider for key, wider in scene.broader.items() if key in categories}
        )
        return Index(volume_view(context, volume), tuple(nodes), categories, tuple(cycles), scene.broader)


def ids_under(context: ReadContext, volume: Volume, key: str) -> set[int]:
    """All pages of a volume that are filed under a category, in whatever way."""
    return VolumeCategories(context, volume).ids(key)


def categories_in(context: ReadContext, volume: Volume) -> list[Category]:
    """All categories of a volume, by name."""
    found = VolumeCategories(context, volume).categories().values()
    return sorted(found, key=lambda each: names.key(each.name))


def category(
    app: AppContext, actor: Actor, volume_key: str, category_key: str, after: str = "", most: int = SHOWN
) -> CategoryView:
    """One category; Missing if nothing is filed under it, and nothing describes it as one."""
    key = names.key(category_key)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        scene = VolumeCategories(context, volume)
        known = scene.categories()
        if key not in known:
            raise Missing(
                f"Nothing in “{volume.title}” is filed under “{category_key}”.", code="category_missing"
            )
        own = memberships.filed_under(connection, volume.id, key)
        listed = memberships.heads_after(connection, scene.ids(key), after, most + 1)
        filed = [
            _filed(app, context, scene, key, head, summary, own.get(head.id, {}))
            for head, summary in listed[:most]
        ]
        head = known[key].page
        narrower = [k for k, wider in scene.broader.items() if key in wider and k in known]
        return CategoryView(
            volume_view(context, volume),
            known[key],
            _description(app, context, head) if head is not None else "",
            tuple(known[k] for k in scene.broader.get(key, ()) if k in known),
            tuple(known[k] for k in sorted(narrower)),
            tuple(filed),
            _elsewhere(context, volume, key),
            listed[most - 1][0].key if len(listed) > most else None,
        )


def _description(app: AppContext, context: ReadContext, head: PageHead) -> str:
    summary = pages.summaries(context.connection, [head.id]).get(head.id, "")
    return summary or first_words_of(app, context, head)


def _elsewhere(context: ReadContext, volume: Volume, key: str) -> tuple[tuple[Volume, int], ...]:
    found = []
    for other in context.volumes.values():
        if other.id != volume.id:
            number = len(memberships.filed_under(context.connection, other.id, key))
            if number:
                found.append((other, number))
    return tuple(found)


def _filed(
    app: AppContext,
    context: ReadContext,
    scene: VolumeCategories,
    key: str,
    head: PageHead,
    summary: str,
    ways: Mapping[Filing, int],
) -> FiledPage:
    through = [
        g.template for g in scene.givers if g.key == key and head.id in scene.given.get(g.template.id, ())
    ]
    passages: list[MarkedPassage] = []
    if Filing.MARK in ways:
        page = load_ready(app, context.connection, head, context.volumes).page
        lines = Lines(page.text)
        for mark in page.content.marks:
            if mark.key == key:
                line = lines.position(mark.span.start).line
                passages.append(MarkedPassage(line, mark.span, _words(page.text, mark)))
    return FiledPage(head, summary, Filing.PAGE in ways, tuple(through), tuple(passages))
