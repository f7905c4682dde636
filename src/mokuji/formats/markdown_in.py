"""Folders of plain Markdown or HTML, as other tools write them, made into pages: relative links become references,
pictures and other files lie with the volume, folders are its contents, tables as CSV are pages.

What became of each link is told; one that leads nowhere stays as it is typed, with where and why. Reading takes paths
and bytes and gives values.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from posixpath import normpath
from typing import Literal
from urllib.parse import unquote

from mokuji.core.base import names
from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.errors import BadFile, BadName, BadText
from mokuji.core.base.spans import CodePoints, Lines, Span
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import check_page
from mokuji.core.model.contents import DEEPEST, Row
from mokuji.core.syntax import files as file_names
from mokuji.core.syntax import front_matter
from mokuji.core.syntax.definitions import key_of
from mokuji.core.syntax.headings import words as words_of
from mokuji.core.syntax.parser import events_with_ranges, tag_name
from mokuji.core.syntax.reference import Reference, read
from mokuji.formats.documents_in import FORMS, Documents
from mokuji.formats.folder import without_title
from mokuji.formats.html_in import read_html, read_table, repeated, slug

ENDINGS = (".md", ".markdown", ".mdown", ".mkd", ".html", ".htm", ".xhtml")
HTML = (".html", ".htm", ".xhtml")
TABLES = (".csv", ".tsv")
FIRST = ("index", "readme", "_index")
"""What the page of a folder itself is called, without its ending (common practice)."""
Became = Literal["reference", "section lost", "file", "outside", "lost"]
_OUTSIDE = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*:|//")
_FIRST_HEADING = re.compile(r"\s*#[ \t]+(?P<words>[^\r\n]*?)(?:[ \t]+#+)?[ \t]*(?:\r\n|\n|\r|\Z)")
_HTML = re.compile(r"""<(?:a|img)\b[^<>]*?\b(?:href|src)\s*=\s*["']?([^"'>\s]+)""", re.IGNORECASE)
_ANCHOR = re.compile(r"""<a\b[^<>]*?\b(?:id|name)\s*=\s*["']?([^"'>\s]+)""", re.IGNORECASE)
_NAMED = re.compile(r"[ \t]\{#([^{}\s]+)\}[ \t]*\Z")
_SITE = re.compile(r" [|–—·-] [^|–—·]+\Z")
_LABEL = re.compile(r"\\.|[\[\]|]", re.DOTALL)


@dataclass(frozen=True, slots=True)
class Fate:
    """What became of a link: where it stood (line from 1), as it was typed, and why it is lost, if it is."""

    path: str
    line: int
    typed: str
    became: Became
    why: str = ""

    def __str__(self) -> str:
        return f"{self.path}:{self.line}: {self.typed} {self.why}"


@dataclass(frozen=True)
class Taken:
    """A folder made into a volume: pages by title, contents, files by name with the path that each lay at, the fate of
    each link, and what else is to be told."""

    pages: tuple[tuple[str, str], ...]
    contents: tuple[Row, ...]
    files: Mapping[str, str]
    links: tuple[Fate, ...]
    problems: tuple[str, ...]
    inside: Mapping[str, bytes] = field(default_factory=dict)
    """Files that lay inside others, by the path that they have in ``files``."""


@dataclass
class _Source:
    """A page file: its text without the title that it says itself, and what its headings are called in addresses."""

    path: str
    title: str
    text: str
    first_line: int = 0
    """Lines that were taken away before the text."""
    origin: str = ""
    """What a page of HTML, or of a document, was made of."""
    title_name: str = ""
    """What the heading that was its title is called in addresses."""

    @cached_property
    def page(self) -> Page:
        return Page(PageHead(0, 0, names.key(self.title), self.title), self.text)

    @cached_property
    def sections(self) -> Mapping[str, str]:
        """What may stand behind ``#`` in an address, with the section as it is typed here."""
        found: dict[str, str] = {}
        headings = self.page.content.headings
        said = [words_of(each, self.text, self.page.content.references, ()) for each in headings]
        times: Counter[str] = Counter()
        for heading, words in zip(headings, said, strict=True):
            called = slug(words)
            # Of headings that are called alike only the first can be meant by its words.
            found.setdefault(
                f"{called}-{times[called]}" if times[called] else called,
                heading.id or (words if not times[called] else ""),
            )
            times[called] += 1
            if heading.id:
                found.setdefault(heading.id, heading.id)
        # The title is a heading elsewhere.
        found.setdefault(slug(self.title), "")
        if self.title_name:
            found.setdefault(self.title_name, "")
        for match in _ANCHOR.finditer(self.text):
            above = [n for n, each in enumerate(headings) if each.span.start <= match.start()]
            if above:
                found.setdefault(match[1], headings[above[-1]].id or said[above[-1]])
        return found


@dataclass
class _Taking:
    sources: dict[str, _Source]
    others: frozenset[str]
    files: dict[str, str] = field(default_factory=dict)
    """Name by the path that a file lay at."""
    fates: list[Fate] = field(default_factory=list)


def take(
    paths: Sequence[str], read_file: Callable[[str], bytes], name: str, documents: Documents | None = None
) -> Taken:
    """Makes a folder with files at these paths (relative, with ``/``) into the volume ``name``; ``documents`` are those
    of other programs among them."""
    documents = documents or Documents()
    problems = list(documents.problems)
    sources: dict[str, _Source] = {}
    shown = [path for path in sorted(paths) if not any(part.startswith(".") for part in path.split("/"))]
    stems = {path.rpartition(".")[0] for path in shown if path.lower().endswith(ENDINGS[:4])}
    site = [path for path in shown if path.lower().endswith(HTML) and path.rpartition(".")[0] not in stems]
    navigation = repeated(map(read_file, site)) if len(site) > 1 else frozenset()
    for path in shown:
        # What is there as Markdown, too, was made of that.
        if path.lower().endswith(HTML) and path.rpartition(".")[0] in stems:
            continue
        if path in documents.html:
            source = _document(path, documents.html[path], read_file(path), name, problems)
            if source is not None:
                sources[path] = source
        elif path.lower().endswith((*ENDINGS, *TABLES)):
            source = _source(path, read_file(path), name, problems, navigation)
            if source is not None:
                sources[path] = source
    _without_the_site(sources)
    _tell_apart(sources)
    others = {path for path in shown if not path.lower().endswith((*ENDINGS, *TABLES, *FORMS))}
    taking = _Taking(sources, frozenset(others | documents.files.keys()))
    pages = [(source.title, _taken(taking, source)) for source in sources.values()]
    for path, typed in documents.lost:
        line = read_file(path).decode("utf-8", "replace").partition(typed)[0].count("\n") + 1
        taking.fates.append(
            Fate(path, line, typed[:80], "lost", "leads to nothing in the folder; its words stay.")
        )
    files = {called: path for path, called in taking.files.items()}
    left = len(taking.others) - len(files)
    if left:
        files_are = "other file is" if left == 1 else "other files are"
        problems.append(f"{left:,} {files_are} led to by no page, and left out.")
    rows = tuple(_contents(sources, documents.below))
    return Taken(tuple(pages), rows, files, tuple(taking.fates), tuple(problems), documents.files)


def _document(path: str, html: str, data: bytes, name: str, problems: list[str]) -> _Source | None:
    """A document of another program, of which HTML was made."""
    try:
        said, text = read_html(html.encode(), path)
        check_page(text)
    except (BadText, BadFile) as fault:
        problems.append(f"{path}: {fault.message}")
        return None
    heading = _FIRST_HEADING.match(text)
    body = text
    if heading is not None and (not said or names.key(said) == names.key(_plain(heading["words"]))):
        said, body = said or _plain(heading["words"]), text[heading.end() :].lstrip("\n")
    return _named(path, said, body, name, 0, data.decode("utf-8", "replace"), _name_of(text, body))


def _name_of(text: str, body: str) -> str:
    """What the heading that was taken from before a text is called in addresses, if it says so."""
    head = text[: len(text) - len(body)]
    found = _NAMED.search(head.rstrip("\n"))
    return found[1] if found is not None else ""


def _plain(words: str) -> str:
    """The words of a heading without its name in addresses and without emphasis."""
    told = _NAMED.sub("", words)
    return " ".join(names.unescape(re.sub(r"[*`]|(?<!\w)_|_(?!\w)", "", told)).split())


def _source(
    path: str, data: bytes, name: str, problems: list[str], navigation: frozenset[str]
) -> _Source | None:
    try:
        if path.lower().endswith(HTML):
            said, text = read_html(data, path, navigation)
            check_page(text)
            heading = _FIRST_HEADING.match(text)
            body = text[heading.end() :].lstrip("\n") if heading is not None else text
            return _named(path, said, body, name, 0, data.decode("utf-8", "replace"), _name_of(text, body))
        if path.lower().endswith(TABLES):
            return _named(path, "", read_table(data, path), name, 0)
        text = data.decode("utf-8")
        check_page(text)
    except UnicodeDecodeError as fault:
        problems.append(f"{path}: Byte {fault.start + 1} is not UTF-8. Save the file as UTF-8.")
        return None
    except (BadText, BadFile) as fault:
        problems.append(f"{path}: {fault.message}")
        return None
    front = front_matter.read(text)
    said, body = front.words("title"), without_title(text, front)
    at = front_matter.read(body).span.end
    heading = _FIRST_HEADING.match(body, at)
    if heading is not None and (not said or names.key(heading["words"]) == names.key(said)):
        words = _plain(heading["words"])
        said = said or words
        if words and names.key(words) == names.key(said):
            # The page says its title itself.
            body = body[:at] + body[heading.end() :].lstrip("\r\n")
    return _named(path, said, _as_words(body), name, text.count("\n") - body.count("\n"))


def _as_words(text: str) -> str:
    """A text in which brackets, signs and handles are words, as they were where it was written."""
    content = Page(PageHead(0, 0, "", ""), text).content
    starts = [each.span.start for each in content.references]
    starts += [each.span.start for each in content.marks]
    starts += [each.span.start for each in content.handles]
    return apply(text, [Edit(Span(at, at), "\\") for at in sorted(set(starts))])


def _named(
    path: str, said: str, body: str, name: str, gone: int, origin: str = "", title_name: str = ""
) -> _Source | None:
    """A source under the best title that it can have."""
    stem = path.rpartition("/")[2].rpartition(".")[0]
    if stem.lower() in FIRST:
        stem = path.rpartition("/")[0].rpartition("/")[2] or name
    for title in (said, stem, re.sub(r"[\[\]|#<>/\\]", " ", stem), "Page"):
        try:
            return _Source(path, names.check_title(" ".join(title.split())), body, gone, origin, title_name)
        except BadName:
            continue
    return None


def _without_the_site(sources: Mapping[str, _Source]) -> None:
    """Takes the name of a site from behind the titles of its pages."""
    pages = [source for source in sources.values() if source.origin]
    behind = Counter(found[0] for source in pages if (found := _SITE.search(source.title)) is not None)
    for suffix, number in behind.items():
        if number >= 3:
            for source in pages:
                shorter = source.title.removesuffix(suffix).strip()
                if shorter != source.title and names.key(shorter):
                    source.title = shorter


def _tell_apart(sources: Mapping[str, _Source]) -> None:
    """Pages of one title get the name of their folder, or a number, behind it."""
    taken: set[str] = set()
    for source in sources.values():
        folder = source.path.rpartition("/")[0].rpartition("/")[2]
        title, number = source.title, 1
        while names.key(title) in taken:
            number += 1
            title = f"{source.title} ({folder})" if folder and number == 2 else f"{source.title} ({number})"
        source.title = title
        taken.add(names.key(title))


# ---- contents --------------------------------------------------------------------


def _contents(sources: Mapping[str, _Source], below: Mapping[str, Sequence[str]]) -> Iterator[Row]:
    """The order that documents give themselves; then folders as branches."""
    told = list(_as_told(sources, below))
    placed = {row.key for row in told}
    yield from told
    rest = {path: source for path, source in sources.items() if names.key(source.title) not in placed}
    for row in _by_folders(rest):
        if row.key not in placed:
            placed.add(row.key)
            yield row


def _as_told(sources: Mapping[str, _Source], below: Mapping[str, Sequence[str]]) -> Iterator[Row]:
    """Documents below those that say so, each once."""
    under = {each for several in below.values() for each in several}
    seen: set[str] = set()
    waiting = [
        (0, path) for path in reversed([*below]) if below[path] and path in sources and path not in under
    ]
    while waiting:
        depth, path = waiting.pop()
        if path in seen or path not in sources:
            continue
        seen.add(path)
        yield Row.of(min(depth, DEEPEST - 1), sources[path].title)
        waiting += [(depth + 1, each) for each in reversed(below.get(path, ()))]


def _by_folders(sources: Mapping[str, _Source]) -> Iterator[Row]:
    """Folders as branches: a folder's own page above the others; one without such a page is a name."""
    seen = {names.key(source.title) for source in sources.values()}
    own = {
        source.path.rpartition("/")[0]: source
        for source in sources.values()
        if source.path.rpartition("/")[2].rpartition(".")[0].lower() in FIRST
    }

    def level(folder: str, depth: int) -> Iterator[Row]:
        lead = f"{folder}/" if folder else ""
        below = [source for path, source in sources.items() if path.startswith(lead)]
        here = [s for s in below if "/" not in s.path[len(lead) :] and own.get(folder) is not s]
        if folder in own and not folder:
            yield Row.of(depth, own[folder].title)
        by_stem = {s.path[len(lead) :].rpartition(".")[0]: s for s in here}
        folders = sorted({s.path[len(lead) :].partition("/")[0] for s in below if "/" in s.path[len(lead) :]})
        for entry in sorted({*by_stem, *folders}):
            head = by_stem.get(entry) or own.get(f"{lead}{entry}")
            inside = entry in folders
            if head is not None:
                yield Row.of(depth, head.title)
            elif inside and (words := _as_name(entry)) and names.key(words) not in seen:
                seen.add(names.key(words))
                yield Row.of(depth, words)
            if inside:
                yield from level(f"{lead}{entry}", depth + 1)

    yield from level("", 0)


def _as_name(folder: str) -> str:
    try:
        return names.check_title(" ".join(folder.replace("-", " ").replace("_", " ").split()))
    except BadName:
        return ""


# ---- links -----------------------------------------------------------------------


@dataclass
class _Link:
    picture: bool
    target: str
    label: str
    """That of its definition, if it has one."""
    span: Span
    inside: Span
    holds_picture: bool = False


def _taken(taking: _Taking, source: _Source) -> str:
    """The text of a page with references for its links."""
    text = source.text
    lines = Lines(text)
    edits: list[Edit] = []
    kept: set[str] = set()
    led: set[str] = set()
    first = len(taking.fates)
    for link in _links(text):
        edit, fate = _led(taking, source, link)
        where = _line(source, lines, link)
        taking.fates.append(Fate(source.path, where, link.span.of(text)[:80], *fate))
        (kept if edit is None else led).add(link.label)
        if edit is not None:
            edits.append(edit)
    for match in _HTML.finditer(text):
        if not _OUTSIDE.match(match[1]) and not match[1].startswith("#"):
            where = lines.position(match.start()).line + source.first_line
            why = "is HTML, and stays as it is: write it as Markdown, or as a reference."
            taking.fates.append(Fate(source.path, where, match[0][:80], "lost", why))
    # Definitions that nothing uses any more go.
    for definition in source.page.content.definitions.defined:
        label = definition.key.label
        if not definition.key.note and label in led - kept and not definition.nested:
            end = definition.span.end
            tail = re.compile(r"[^\r\n]*(?:\r\n|\n|\r)?").match(text, end)
            edits.append(Edit(Span(definition.span.start, tail.end() if tail else end), ""))
    made = apply(text, sorted(edits, key=lambda edit: edit.span))
    wanted = len(source.page.content.references) + sum(edit.words.startswith("[[") for edit in edits)
    if len(Page(source.page.head, made).content.references) == wanted:
        return made
    # Something there is left open, such as code or HTML, so that brackets would be words.
    why = "would not be read as a reference there: code or HTML around it is left open."
    taking.fates[first:] = [
        Fate(f.path, f.line, f.typed, "lost", why) if f.became != "outside" else f
        for f in taking.fates[first:]
    ]
    return text


def _line(source: _Source, lines: Lines, link: _Link) -> int:
    """The line in the file where a link stands; of HTML that of its address."""
    if not source.origin:
        return lines.position(link.span.start).line + source.first_line
    path, _, section = link.target.partition("#")
    stem = path.rpartition("/")[2].rpartition(".")[0]
    typed = (link.target.replace("&", "&amp;"), link.target, section, stem)
    at = next((at for each in typed if each and (at := source.origin.find(each)) >= 0), 0)
    return source.origin.count("\n", 0, at) + 1


def _links(text: str) -> Iterator[_Link]:
    """The outermost links and pictures of a text; pictures inside links are their own."""
    points = CodePoints(text.encode())
    waiting: list[_Link] = []
    ends: list[int] = []
    for kind, value, start, end in events_with_ranges(text):
        name = tag_name(value) if kind in {"Start", "End"} else ""
        if name in {"Link", "Image"} and kind == "Start":
            picture = name == "Image"
            for each in waiting:
                each.holds_picture |= picture
            told = value[name]
            label = key_of(told["id"], note=False).label if told["link_type"] in _BY_LABEL else ""
            whole = Span(points.at(start), points.at(end))
            waiting.append(_Link(picture, told["dest_url"], label, whole, Span(0, 0)))
            ends.append(start + (2 if picture else 1))
            if told["link_type"] in {"Autolink", "Email"}:
                waiting[-1].target = "auto:"
        elif name in {"Link", "Image"}:
            link, inner = waiting.pop(), ends.pop()
            begin = link.span.start + (2 if link.picture else 1)
            link.inside = Span(begin, max(begin, points.at(inner)))
            yield link
        if ends and kind != "Start":
            ends[-1] = max(ends[-1], end)


_BY_LABEL = {"Reference", "Collapsed", "Shortcut", "ReferenceUnknown", "CollapsedUnknown", "ShortcutUnknown"}


def _led(taking: _Taking, source: _Source, link: _Link) -> tuple[Edit | None, tuple[Became, str]]:
    """What becomes of a link."""
    if not link.target or _OUTSIDE.match(link.target):
        return None, ("outside", "")
    path, _, fragment = link.target.partition("#")
    path = unquote(path.partition("?")[0])
    target = source if not path and not link.picture else _page_at(taking, source.path, path)
    if target is not None and not link.picture:
        return _as_reference(source, link, target, unquote(fragment))
    at = _resolved(source.path, path)
    if at in taking.others:
        return _as_file(taking, source, link, at), ("file", "")
    return None, ("lost", f"leads to “{path}”, which is not in the folder.")


def _resolved(home: str, path: str) -> str:
    """Where a relative address leads, from the top of the folder; empty for one that leads out of it."""
    lead = "" if path.startswith("/") else home.rpartition("/")[0]
    at = normpath(f"{lead}/{path}".lstrip("/"))
    return "" if at.startswith("..") else "" if at == "." else at


def _page_at(taking: _Taking, home: str, path: str) -> _Source | None:
    at = _resolved(home, path)
    stem = re.sub(r"\.(?:x?html?|md|markdown|mdown|mkd)\Z", "", at, flags=re.IGNORECASE)
    tried = [at, *(f"{stem}{ending}" for ending in (*ENDINGS, *FORMS))]
    tried += [f"{at}/{first}{ending}".lstrip("/") for first in (*FIRST, "README") for ending in ENDINGS]
    return next((taking.sources[each] for each in tried if each in taking.sources), None)


def _as_reference(
    source: _Source, link: _Link, target: _Source, fragment: str
) -> tuple[Edit | None, tuple[Became, str]]:
    if link.holds_picture:
        return None, ("lost", "shows a picture, which no reference does: write it as a reference by hand.")
    sections = target.sections if fragment else {}
    known = fragment if fragment in sections else fragment.lower()
    section = sections.get(known, "")
    whole = not fragment or known in {slug(target.title), target.title_name}
    words = " ".join(link.inside.of(source.text).split()) or target.title
    label = _LABEL.sub(lambda found: found[0] if len(found[0]) > 1 else f"\\{found[0]}", words)
    name = "" if target is source and section else names.escape(target.title)
    behind = f"#{names.escape_section(section)}" if section else ""
    forms = [f"[[{name}{behind}|{label}]]"]
    if not section and words == target.title and "\\" not in label:
        forms.insert(0, f"[[{label}]]")
    for form in forms:
        made = read(form, 0)
        right = isinstance(made, Reference) and (made.name.key if made.name else "") == (
            names.key(target.title) if name else ""
        )
        if right and isinstance(made, Reference) and names.key(made.section or "") == names.key(section):
            fate: tuple[Became, str] = ("reference", "")
            if not whole and not section:
                fate = (
                    "section lost",
                    f"leads to “#{fragment}”, which “{target.title}” has not; the page is kept.",
                )
            return Edit(link.span, form), fate
    return None, ("lost", f"cannot be written as a reference to “{target.title}”.")


def _as_file(taking: _Taking, source: _Source, link: _Link, at: str) -> Edit:
    if at not in taking.files:
        taken = {file_names.key(name) for name in taking.files.values()}
        name = wanted = file_names.readable(at, file_names.ending(at))
        number = 1
        while file_names.key(name) in taken:
            number += 1
            name = file_names.numbered(wanted, number)
        taking.files[at] = name
    words = link.inside.of(source.text)
    return Edit(
        link.span, f"{'!' if link.picture else ''}[{words}]({file_names.destination(taking.files[at])})"
    )
