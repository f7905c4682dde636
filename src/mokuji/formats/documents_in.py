"""Documents of other programs, as pandoc makes HTML of them, made ready to be read as pages.

Word processors (DOCX), reStructuredText, AsciiDoc (by way of DocBook). What pandoc leaves as it found it, since it
belongs to a whole collection, is resolved here: roles that lead to other documents or to labels in them, trees of
contents, pictures inside a document.
"""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from posixpath import normpath

from bs4 import BeautifulSoup, Tag
from bs4.element import NavigableString

from mokuji.core.base.errors import MokujiError
from mokuji.formats.html_in import slug

FORMS: Mapping[str, str] = {
    ".docx": "docx",
    ".rst": "rst",
    ".adoc": "asciidoc",
    ".asciidoc": "asciidoc",
}
"""What a file is by its ending."""
MOST_INSIDE = 15_000_000
"""Maximum number of bytes of a picture inside a document."""
SIGNALS: Mapping[str, str] = {
    "danger": "Danger",
    "error": "Danger",
    "warning": "Warning",
    "caution": "Caution",
    "attention": "Attention",
    "important": "Important",
    "note": "Note",
    "hint": "Tip",
    "tip": "Tip",
    "seealso": "See also",
}
"""Directives that are notices, with the word that they begin with here."""
_GONE = (
    "index sectionauthor moduleauthor codeauthor module currentmodule highlight testsetup testcleanup "
    "tabularcolumns"
).split()
_SINCE = {
    "versionadded": "New in",
    "versionchanged": "Changed in",
    "deprecated": "Deprecated since",
    "deprecated-removed": "Deprecated since",
}
_DESCRIBED = (
    "function class method attribute data exception decorator classmethod staticmethod decoratormethod describe "
    "option cmdoption envvar property opcode macro member type var object pdbcommand"
).split()
_TREE = re.compile(r"^([ \t]*)\.\. toctree::[^\n]*\n((?:(?:\1[ \t]+[^\n]*)?\n)*)", re.MULTILINE)
_INCLUDED = re.compile(r"^[ \t]*\.\. (?:literal)?include::[ \t]*(?P<path>\S[^\n]*)", re.MULTILINE)
_HEADINGS = ["h1", "h2", "h3", "h4", "h5", "h6"]
_BOX = re.compile(r"\s*[✓☒☑❏☐]\s+")
_DONE = "✓☒☑"


@dataclass
class Documents:
    """Documents as HTML by path; the files that lay inside them, by a path of their own; which others stand below one,
    in order; and what is to be told."""

    html: dict[str, str] = field(default_factory=dict)
    files: dict[str, bytes] = field(default_factory=dict)
    below: dict[str, tuple[str, ...]] = field(default_factory=dict)
    problems: list[str] = field(default_factory=list)
    lost: list[tuple[str, str]] = field(default_factory=list)
    """Paths, with what in them leads to no document and no label of the folder, as it is typed."""


def form_of(path: str) -> str:
    """Which document a file is, by its ending; empty for none."""
    lower = path.lower()
    return next((form for ending, form in FORMS.items() if lower.endswith(ending)), "")


def read(
    paths: Sequence[str], read_file: Callable[[str], bytes], html_of: Callable[[bytes, str, str], bytes]
) -> Documents:
    """The documents among some files. ``html_of`` makes HTML of the bytes of one, by its form and path; what it refuses
    is a problem, and the document is left out."""
    found = Documents()
    soups: dict[str, BeautifulSoup] = {}
    for path in paths:
        form = form_of(path)
        if not form:
            continue
        data = read_file(path)
        try:
            soups[path] = BeautifulSoup(html_of(data, form, path), "lxml")
        except MokujiError as fault:
            found.problems.append(f"{path}: {fault.message}")
            continue
        if form == "rst":
            text = data.decode("utf-8", "replace")
            found.below[path] = tuple(_tree(text, path, frozenset(paths)))
            found.problems += [
                f"{path}:{text.count(chr(10), 0, each.start()) + 1}: “{each['path'].strip()}” would be taken in "
                "there, which is not done."
                for each in _INCLUDED.finditer(text)
            ]
        elif form == "docx":
            try:
                _pictures(found, path, data, soups[path])
            except zipfile.BadZipFile:
                found.problems.append(f"{path}: Its pictures cannot be taken out of it, and are left out.")
    labels = {
        str(each["id"]): (path, each)
        for path, soup in soups.items()
        if form_of(path) == "rst"
        for each in soup.find_all(id=True)
    }
    for path, soup in soups.items():
        _common(soup)
        _titled(soup)
        if form_of(path) == "rst":
            _Roles(path, soups, labels, found.below.get(path, ()), found.lost).resolve(soup)
        elif form_of(path) == "asciidoc":
            _leads_to_sources(path, soup, soups)
        found.html[path] = str(soup)
    return found


# ---- what all have ---------------------------------------------------------------


def _common(soup: BeautifulSoup) -> None:
    for pre in soup.find_all("pre"):
        classes = [each for each in pre.get("class") or () if each not in {"sourceCode", "literal"}]
        pre["class"] = f"language-{classes[0]}" if classes else ""
    for item in soup.find_all("li"):
        words = item.find(string=True)
        if words is not None and (box := _BOX.match(str(words))):
            tick = soup.new_tag("input", type="checkbox")
            if any(mark in box[0] for mark in _DONE):
                tick["checked"] = ""
            words.replace_with(tick, NavigableString(str(words)[box.end() :]))
    for name in _GONE:
        for each in soup.find_all("div", class_=name):
            each.decompose()
    for name, signal in SIGNALS.items():
        for each in soup.find_all("div", class_=name):
            _as_notice(soup, each, signal)
    for heading in soup.find_all(class_="TOC-Heading"):
        heading.decompose()


def _titled(soup: BeautifulSoup) -> None:
    """A title that a document has apart is its first heading, and all others stand below it."""
    words = " ".join(soup.title.get_text().split()) if soup.title is not None else ""
    if not words or soup.body is None:
        return
    for heading in soup.find_all(_HEADINGS):
        heading.name = f"h{min(6, int(heading.name[1]) + 1)}"
    title = soup.new_tag("h1")
    title.string = words
    soup.body.insert(0, title)


def _as_notice(soup: BeautifulSoup, div: Tag, signal: str) -> None:
    title = div.find("div", class_="title", recursive=False)
    if isinstance(title, Tag):
        title.decompose()
    div.name, div.attrs = "blockquote", {}
    strong = soup.new_tag("strong")
    strong.string = f"{signal}:"
    first = div.find(True, recursive=False)
    if not isinstance(first, Tag) or first.name != "p":
        first = soup.new_tag("p")
        div.insert(0, first)
    first.insert(0, strong, NavigableString(" "))


# ---- word processors -------------------------------------------------------------


def _pictures(found: Documents, path: str, data: bytes, soup: BeautifulSoup) -> None:
    """Takes the pictures of a document out of it, each under a path that begins with its own."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        for image in soup.find_all("img"):
            inner = f"word/{image.get('src') or ''}"
            name = inner.rpartition("/")[2]
            at = f"{path}.{name}"
            try:
                info = archive.getinfo(inner)
                if info.file_size > MOST_INSIDE:
                    raise ValueError("too large")
                if at not in found.files:
                    found.files[at] = archive.read(info)
            except (KeyError, ValueError, zipfile.BadZipFile, NotImplementedError, RuntimeError):
                found.problems.append(f"{path}: A picture in it cannot be taken out, and is left out.")
                image.decompose()
                continue
            image["src"] = at.rpartition("/")[2]
            # Word processors put the name of the file there where nobody said what it shows.
            if str(image.get("alt") or "").rpartition("/")[2] == name:
                image["alt"] = ""


# ---- AsciiDoc --------------------------------------------------------------------


def _leads_to_sources(path: str, soup: BeautifulSoup, soups: Mapping[str, BeautifulSoup]) -> None:
    """Links to what other documents would become (``other.xml``) lead to those documents; a section that has no name
    of its own (``_its_words``) is led to by its words."""
    for link in soup.find_all("a", href=True):
        target, mark, section = str(link["href"]).partition("#")
        stem = target.removesuffix(".xml")
        known = (stem + ending for ending in (".adoc", ".asciidoc") if _beside(path, stem + ending) in soups)
        name = next(known, "") if target.endswith(".xml") else target
        there = soups.get(_beside(path, name) if name else path)
        heading = there.find(_HEADINGS, id=section) if there is not None and section.startswith("_") else None
        if isinstance(heading, Tag):
            section = slug(heading.get_text())
        if name or not target:
            link["href"] = f"{name}{mark}{section}"


# ---- reStructuredText ------------------------------------------------------------


def _beside(path: str, target: str) -> str:
    """A path as it is written in another file, from the top of the folder."""
    folder = "" if target.startswith("/") else path.rpartition("/")[0]
    return normpath(f"{folder}/{target.lstrip('/')}".lstrip("/"))


def _document(path: str, target: str, paths: frozenset[str] | Mapping[str, object]) -> str:
    """The path of a document that is named without its ending; empty if there is none."""
    at = _beside(path, target)
    return next((each for each in (at, f"{at}.rst") if each in paths), "")


def _titled_target(typed: str) -> tuple[str, str]:
    """The words and the target of ``words <target>``; no words where only a target stands."""
    words, opened, target = typed.removesuffix(">").rpartition("<")
    return (words.strip(), target) if opened and target and typed.endswith(">") else ("", typed)


def _tree(text: str, path: str, paths: frozenset[str]) -> Iterator[str]:
    """The documents that a document has below it, in order."""
    for match in _TREE.finditer(text):
        for line in match[2].splitlines():
            entry = line.strip()
            if not entry or entry.startswith(":"):
                continue
            at = _document(path, _titled_target(entry)[1], paths)
            if at:
                yield at


@dataclass
class _Roles:
    """Resolves what a document says of others of its collection."""

    path: str
    soups: Mapping[str, BeautifulSoup]
    labels: Mapping[str, tuple[str, Tag]]
    below: Sequence[str]
    lost: list[tuple[str, str]]

    def resolve(self, soup: BeautifulSoup) -> None:
        for code in soup.find_all("code", class_="interpreted-text"):
            self._role(soup, code)
        trees = soup.find_all("div", class_="toctree")
        if trees:
            trees[0].replace_with(self._tree(soup))
        for div in trees[1:]:
            div.decompose()
        for name, said in _SINCE.items():
            for div in soup.find_all("div", class_=name):
                _since(soup, div, said)
        for div in soup.find_all("div", class_=_DESCRIBED):
            first = div.find("p", recursive=False)
            if isinstance(first, Tag):
                _described(soup, first)

    def _role(self, soup: BeautifulSoup, code: Tag) -> None:
        role = str(code.get("role") or "").rpartition(":")[2]
        words = code.get_text()
        told, target = _titled_target(words)
        if role in {"doc", "ref", "numref", "download", "any"}:
            self._link(soup, code, role, " ".join(told.split()), target)
            return
        said = told or (words.rpartition(".")[2] if words.startswith("~") else words)
        if role in {"pep", "rfc"}:
            code.replace_with(NavigableString(f"{role.upper()} {said}"))
        elif role in {"term", "abbr", "dfn", "sub", "sup", "title"}:
            code.replace_with(NavigableString(said))
        else:
            code.attrs = {}
            code.string = said.lstrip("~!")

    def _link(self, soup: BeautifulSoup, code: Tag, role: str, words: str, target: str) -> None:
        href = ""
        if role == "download":
            href, words = _beside(self.path, target), words or target.rpartition("/")[2]
        elif role == "doc":
            href = _document(self.path, target, self.soups)
            words = words or self._title(href) or target
        elif (label := self.labels.get(_as_label(target))) is not None:
            heading = _heading_of(label[1])
            href = f"{label[0]}#{heading['id']}" if heading is not None and heading.get("id") else label[0]
            words = words or _said(label[1], heading) or target
        if not href:
            self.lost.append((self.path, code.get_text()))
            code.replace_with(NavigableString(words or target))
            return
        up = "../" * self.path.count("/")
        link = soup.new_tag("a", href=f"{up}{href}")
        link.string = words
        code.replace_with(link)

    def _title(self, path: str) -> str:
        heading = self.soups[path].find(_HEADINGS) if path in self.soups else None
        return " ".join(heading.get_text().split()) if isinstance(heading, Tag) else ""

    def _tree(self, soup: BeautifulSoup) -> Tag:
        """What stands below a document as a list of links: the contents themselves are the volume's."""
        found = soup.new_tag("ul")
        for path in self.below:
            item, link = soup.new_tag("li"), soup.new_tag("a", href="../" * self.path.count("/") + path)
            link.string = self._title(path) or path
            item.append(link)
            found.append(item)
        return found


def _as_label(target: str) -> str:
    """A label as pandoc makes an identifier of it: small letters, hyphens."""
    return re.sub(r"[^\w.-]+", "-", target.strip().lower())


def _heading_of(at: Tag) -> Tag | None:
    """The heading of the section that a label leads to: itself, the first in it, the next if it is a mark before one,
    or the last before it."""
    if at.name in _HEADINGS:
        return at
    found = at.find(_HEADINGS)
    if found is None:
        found = at.find_previous(_HEADINGS) if at.get_text().strip() else at.find_next(_HEADINGS)
    return found if isinstance(found, Tag) else None


def _said(at: Tag, heading: Tag | None) -> str:
    """What a place that is led to says: the words of its caption, or of its heading."""
    caption = at.find("figcaption")
    said = caption if isinstance(caption, Tag) else heading
    return " ".join(said.get_text().split()) if said is not None else ""


def _since(soup: BeautifulSoup, div: Tag, said: str) -> None:
    first = div.find("p", recursive=False)
    if not isinstance(first, Tag):
        return
    words = first.find(string=True)
    version, _, rest = str(words or "").strip().partition(" ")
    mark = soup.new_tag("em")
    mark.string = f"{said} {version}"
    if words is not None:
        words.replace_with(mark, NavigableString(f": {rest}" if rest or len(first.contents) > 1 else "."))
    div.unwrap()


def _described(soup: BeautifulSoup, first: Tag) -> None:
    """What is described, as a line of code that stands out."""
    strong, code = soup.new_tag("strong"), soup.new_tag("code")
    code.string = " ".join(first.get_text().split())
    strong.append(code)
    first.clear()
    first.append(strong)
