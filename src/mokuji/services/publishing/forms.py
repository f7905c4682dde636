"""Pages as what other programs read: CommonMark with plain files, one HTML file, a document of a word processor."""

from __future__ import annotations

import html
from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from enum import StrEnum

import yaml

from mokuji.adapters import diagrams, pandoc
from mokuji.core.assembly.listing import fields
from mokuji.core.base.phrases import counted
from mokuji.core.html.writer import Diagram
from mokuji.core.language.page import Page
from mokuji.core.model.policy import Actor
from mokuji.core.syntax.fences import DIAGRAM
from mokuji.core.syntax.files import destination
from mokuji.formats import one_file
from mokuji.formats.folder_out import Names
from mokuji.formats.one_file import Part
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.folders.exporting import File
from mokuji.services.publishing import carried
from mokuji.services.publishing.chapters import Chapter, Chosen, LeftBehind, Reach, Reading, chosen, read
from mokuji.store.database import reading

CONTENTS_FILE = "index.md"
LEFT_FILE = "left-behind.md"


class Form(StrEnum):
    """What pages are written as."""

    COMMONMARK = "commonmark"
    HTML = "html"
    DOCX = "docx"


TYPES: Mapping[Form, tuple[str, str]] = {
    Form.COMMONMARK: ("zip", "application/zip"),
    Form.HTML: ("html", "text/html; charset=utf-8"),
    Form.DOCX: ("docx", "application/vnd.openxmlformats-officedocument.wordprocessingml.document"),
}
"""The ending and the media type of each form."""


MOST: Mapping[Form, int] = {Form.COMMONMARK: 200_000, Form.HTML: 2_000, Form.DOCX: 500}
"""Maximum number of pages of each form."""


@dataclass(frozen=True, slots=True)
class Asked:
    """What is to be written: a volume, or a page of it by its key, alone or with its branch."""

    volume: str
    page: str = ""
    reach: Reach = Reach.VOLUME


@dataclass
class Written:
    """What was chosen, and its pieces, which can be taken once: files of CommonMark, or the bytes of one file.
    ``left`` is complete when they were; ``done`` is told how many pages are."""

    what: Chosen
    left: LeftBehind
    files: Iterator[File]


@contextmanager
def as_commonmark(
    app: AppContext, actor: Actor, asked: Asked, done: Callable[[int], None] = lambda number: None
) -> Iterator[Written]:
    """Pages as CommonMark with relative links, one file each, what they show in ``files/``, their order in
    ``index.md``. ``done`` is told how many pages were written so far."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        what = chosen(context, asked.volume, asked.page, asked.reach, most=MOST[Form.COMMONMARK])
        left = LeftBehind()
        yield Written(what, left, _commonmark_files(app, context, what, left, done))


def _commonmark_files(
    app: AppContext, context: ReadContext, what: Chosen, left: LeftBehind, done: Callable[[int], None]
) -> Iterator[File]:
    names, beside = _names(what), carried.Beside("files")
    number = 0
    for chapter, page, shown in read(app, context, what, _beside_each_other(context, names, beside), left):
        if page is not None:
            number += 1
            done(number)
            yield names[chapter.key], _one(chapter, page, shown)
    yield from beside.every(context.connection)
    if len(what.chapters) > 1:
        yield CONTENTS_FILE, _contents(what, names).encode()
    if left:
        yield LEFT_FILE, left_words(left).encode()


def _names(what: Chosen) -> dict[str, str]:
    """What the files of pages are called, by their keys."""
    given = Names(("files", "index", "left-behind"))
    return {chapter.key: f"{given.give(chapter.title)}.md" for chapter in what.pages}


def _beside_each_other(context: ReadContext, names: Mapping[str, str], beside: carried.Beside) -> Reading:
    """How pages read that are a file each."""

    def lead(here: Chapter, there: Chapter, section: str) -> str:
        file = "" if here is there else destination(names[there.key])
        return f"{file}#{destination(section)}" if section else file

    return Reading(lead, carried.Named(context.connection, context.reads, beside.shown), diagram=_as_source)


def _one(chapter: Chapter, page: Page, shown: str) -> bytes:
    """The file of a page: its fields as front matter, its title as the first heading."""
    front = page.content.front_matter
    told: dict[str, str | list[str]] = {"title": chapter.title}
    for name, values in fields(front).items():
        told.setdefault(name, values if len(values) > 1 else values[0])
    if categories := front.names("categories"):
        told["categories"] = list(categories)
    from mokuji.formats.commonmark_out import commonmark, heading_line  # loaded where it is needed

    dumped = yaml.safe_dump(told, allow_unicode=True, sort_keys=False, width=1_000)
    return f"---\n{dumped}---\n\n{heading_line(chapter.title)}\n{commonmark(shown)}".encode()


def _contents(what: Chosen, names: Mapping[str, str]) -> str:
    from mokuji.formats.commonmark_out import commonmark, heading_line  # loaded where it is needed

    items = []
    for chapter in what.chapters:
        title = html.escape(chapter.title)
        shown = (
            f'<a href="{destination(names[chapter.key])}">{title}</a>' if chapter.head is not None else title
        )
        items.append((chapter.depth, shown))
    return f"{heading_line(what.title)}\n{commonmark(_nested(items))}"


def _nested(items: list[tuple[int, str]]) -> str:
    made: list[str] = []
    depth = -1
    for at, words in items:
        while depth > at:
            made.append("</li></ul>")
            depth -= 1
        if depth == at:
            made.append("</li>")
        while depth < at:
            made.append("<ul>" if depth + 1 == at else "<ul><li>")
            depth += 1
        made.append(f"<li>{words}")
    return "".join(made) + "</li></ul>" * (depth + 1)


def _as_source(diagram: Diagram) -> str:
    """A diagram as its source, which the tools that draw it read."""
    caption = f"<figcaption>{html.escape(diagram.caption)}</figcaption>" if diagram.caption else ""
    source = f'<pre><code data-language="{DIAGRAM}">{html.escape(diagram.source)}</code></pre>'
    return f"<figure>{caption}{source}</figure>\n"


# ---- one file --------------------------------------------------------------------


@contextmanager
def as_html(
    app: AppContext, actor: Actor, asked: Asked, done: Callable[[int], None] = lambda number: None
) -> Iterator[Written]:
    """Pages as one HTML file with all that they show inside it."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        what = chosen(context, asked.volume, asked.page, asked.reach, most=MOST[Form.HTML])
        left = LeftBehind()
        pieces = _one_file(app, context, what, _with_all_inside(context, what, left), left, done)
        yield Written(what, left, ((f"{what.title}.html", piece.encode()) for piece in pieces))


def _with_all_inside(context: ReadContext, what: Chosen, left: LeftBehind) -> Reading:
    inside = carried.Inside(context.connection, left.files)
    return _in_one(what, carried.Named(context.connection, context.reads, inside.shown))


def _in_one(
    what: Chosen, file: carried.Named, top: int = 2, quoted: Callable[[str], str] = destination
) -> Reading:
    """How pages read that all stand in one file, with titles from one level of headings on; ``quoted`` is how anchors
    stand in addresses."""
    several = len(what.chapters) > 1

    def prefix(chapter: Chapter) -> str:
        return f"{chapter.anchor}--" if several else ""

    def lead(here: Chapter, there: Chapter, section: str) -> str:
        return f"#{quoted(f'{prefix(there)}{section}' if section else there.anchor)}"

    def deeper(chapter: Chapter) -> int:
        return one_file.level(_part(chapter), top) - 1 if several else top - 2

    return Reading(lead, file, prefix, deeper)


def _part(chapter: Chapter) -> Part:
    return Part(chapter.number, chapter.depth, chapter.title, chapter.anchor)


def _one_file(
    app: AppContext,
    context: ReadContext,
    what: Chosen,
    how: Reading,
    left: LeftBehind,
    done: Callable[[int], None],
) -> Iterator[str]:
    texts, about = _parts(read(app, context, what, how, left), done), _about(app, what)
    language = what.volume.language
    if len(what.chapters) == 1:
        for _, text in texts:
            yield from one_file.single(what.title, text, language=language, about=about)
        return
    parts = [_part(chapter) for chapter in what.chapters]
    yield from one_file.whole(what.title, parts, texts, language=language, about=about)


def _parts(
    found: Iterator[tuple[Chapter, Page | None, str]], done: Callable[[int], None]
) -> Iterator[tuple[Part, str]]:
    number = 0
    for chapter, page, text in found:
        if page is not None:
            number += 1
            done(number)
        yield _part(chapter), text


def _about(app: AppContext, what: Chosen) -> str:
    return f"From “{what.volume.title}”, as it stood on {app.clock():%Y-%m-%d}."


# ---- a document ------------------------------------------------------------------


@contextmanager
def as_docx(
    app: AppContext, actor: Actor, asked: Asked, done: Callable[[int], None] = lambda number: None
) -> Iterator[Written]:
    """Pages as an Office Open XML document, by pandoc. Refused if that is not installed."""
    pandoc.need()
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        what = chosen(context, asked.volume, asked.page, asked.reach, most=MOST[Form.DOCX])
        left = LeftBehind()
        pictures = carried.AsPictures(connection, left.files)
        how = _with_pictures(context, what, pictures)
        texts, several = _parts(read(app, context, what, how, left), done), len(what.chapters) > 1
        page = "".join(one_file.bare(texts, language=what.volume.language, titled=several))
    about = _about(app, what)
    made = pandoc.docx_of(page, what.title, about, pictures.made, contents=several)
    yield Written(what, left, iter([(f"{what.title}.docx", made)]))


def _with_pictures(context: ReadContext, what: Chosen, pictures: carried.AsPictures) -> Reading:
    """How pages read in a document: bookmarks are called as they are, and nobody goes back from a note."""
    how = _in_one(
        what,
        carried.Named(context.connection, context.reads, pictures.shown),
        top=1,
        quoted=lambda anchor: anchor,
    )
    how.left_out |= {"back"}
    how.diagram = lambda diagram: _as_picture(diagram, pictures)
    return how


def _as_picture(diagram: Diagram, pictures: carried.AsPictures) -> str:
    drawn = diagrams.draw(diagram.source)
    if not drawn.svg:
        return _as_source(diagram)
    words = html.escape(diagram.description or diagram.caption or "; ".join(drawn.words))
    caption = f"<figcaption>{html.escape(diagram.caption)}</figcaption>" if diagram.caption else ""
    return f'<figure><img src="{pictures.drawing(drawn.svg)}" alt="{words}">{caption}</figure>\n'


Writer = Callable[..., AbstractContextManager[Written]]
WRITERS: Mapping[Form, Writer] = {
    Form.COMMONMARK: as_commonmark,
    Form.HTML: as_html,
    Form.DOCX: as_docx,
}


# ---- what stays ------------------------------------------------------------------


def left_behind(app: AppContext, actor: Actor, asked: Asked, form: Form) -> LeftBehind:
    """What would not come along in a form: pages are read as for it, and nothing is written."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        what = chosen(context, asked.volume, asked.page, asked.reach, most=MOST[form])
        left = LeftBehind()
        if form is Form.COMMONMARK:
            how = _beside_each_other(context, _names(what), carried.Beside("files"))
        elif form is Form.HTML:
            how = _with_all_inside(context, what, left)
        else:
            how = _with_pictures(context, what, carried.AsPictures(connection, left.files))
        for _ in read(app, context, what, how, left):
            pass
        return left


def left_words(left: LeftBehind) -> str:
    """What did not come along, as CommonMark."""
    from mokuji.formats.commonmark_out import commonmark, heading_line  # loaded where it is needed

    sorts = (
        ("Pages that references led to; their words stand as plain text", left.pages),
        ("Names that have no page yet; they stand as plain text", left.unwritten),
        ("Files that are named and not held", left.files),
    )
    made = [heading_line("Left behind")]
    for said, found in sorts:
        if found:
            made.append(f"{said}:\n")
            items = (
                f"<li>{html.escape(name)} ({counted(found[name], 'time')})</li>" for name in sorted(found)
            )
            made.append(commonmark(f"<ul>{''.join(items)}</ul>"))
    if left.faults:
        made.append("What could not be shown as it is meant:\n")
        made.append(
            commonmark(f"<ul>{''.join(f'<li>{html.escape(each)}</li>' for each in left.faults)}</ul>")
        )
    return "\n".join(made)
