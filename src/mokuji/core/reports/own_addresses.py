"""Addresses of this wiki's own pages, pasted as outside links: they break when a page moves; references do not."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from urllib.parse import unquote, urlsplit

from mokuji.core.base import names
from mokuji.core.base.spans import CodePoints, Span
from mokuji.core.language.page import Page
from mokuji.core.model.wiki import Place, Volume
from mokuji.core.syntax.parser import events_with_ranges, tag_name

SCREENS = frozenset({"edit", "revisions", "compare", "backlinks", "card"})
"""Screens about one page, whose addresses are copied as if they were those of the page."""
_BARE = re.compile(r"https?://[^\s<>\[\]\"'`|]+[^\s<>\[\]\"'`|.,;:!?)]")


@dataclass(frozen=True, slots=True)
class OwnAddress:
    """An outside link that leads into this wiki: its range, the place it means, its section and its words."""

    page: int
    span: Span
    place: Place
    section: str
    words: str


@dataclass(frozen=True, slots=True)
class OwnFile:
    """A link to a file of the volume by its address: its range, its words, the file's name. Of a picture also the
    address as it stands there."""

    span: Span
    words: str
    name: str
    picture: str = ""


def own_addresses(
    page: Page, origins: Collection[str], volumes: Mapping[str, Volume]
) -> Iterator[OwnAddress]:
    """The links on a page whose address begins with one of the origins (``https://docs.example``), or is a path
    of this site (``/volume/page``)."""
    for url, span, words, picture in _links(page, origins):
        found = None if picture else meant(url, origins, volumes)
        if found is not None:
            place, section = found
            yield OwnAddress(page.head.id, span, place, section, words)


def own_files(page: Page, origins: Collection[str], volumes: Mapping[str, Volume]) -> Iterator[OwnFile]:
    """The links and pictures on a page with the address of a file of its own volume."""
    for url, span, words, picture in _links(page, origins):
        found = meant_file(url, origins, volumes)
        if found is not None and found[0] == page.head.volume:
            yield OwnFile(span, words, found[1], url if picture else "")


def _links(page: Page, origins: Collection[str]) -> Iterator[tuple[str, Span, str, bool]]:
    """The outside links and pictures of a page that may lead into this wiki: address, range, words, whether it is a
    picture."""
    offset = page.content.front_matter.span.end
    body = page.text[offset:]
    if not any(origin in body for origin in origins) and "](/" not in body and "](</" not in body:
        return
    data = body.encode()
    at = CodePoints(data).at
    for url, start, end, words, picture in _raw(body, data):
        yield url, Span(offset + at(start), offset + at(end)), words, picture


def _raw(body: str, data: bytes) -> Iterator[tuple[str, int, int, str, bool]]:
    """Addresses with the byte range of their whole link or picture, and its words; bare addresses in plain text too."""
    link: tuple[str, int, int] | None = None
    words: list[str] = []
    verbatim = 0
    for kind, value, start, end in events_with_ranges(body):
        name = tag_name(value) if kind in {"Start", "End"} else ""
        step = 1 if kind == "Start" else -1
        if name in {"CodeBlock", "HtmlBlock", "MetadataBlock", "Image"}:
            verbatim += step
            if name == "Image" and kind == "Start":
                yield value[name]["dest_url"], start, end, "", True
        elif name == "Link" and kind == "Start":
            auto = value[name]["link_type"] in {"Autolink", "Email"}
            link, words = (value[name]["dest_url"], start, end), []
            if auto:
                link, words = (value[name]["dest_url"], start, end), [""]
        elif name == "Link" and link is not None:
            yield (*link, "".join(words), False)
            link = None
        elif kind == "Text" and link is not None:
            words.append(data[start:end].decode() if words != [""] else "")
        elif kind == "Text" and not verbatim:
            text = data[start:end].decode()
            for match in _BARE.finditer(text):
                lead = len(text[: match.start()].encode())
                yield match[0], start + lead, start + lead + len(match[0].encode()), "", False


def meant(url: str, origins: Collection[str], volumes: Mapping[str, Volume]) -> tuple[Place, str] | None:
    """The place and the fragment that an address of this site means, of a page or of a screen about one; None for any
    other address."""
    path, fragment = _path(url, origins)
    if path.startswith("-/"):
        screen, _, path = path[2:].partition("/")
        if screen not in SCREENS:
            return None
        fragment = ""
    first, _, rest = path.partition("/")
    volume = volumes.get(names.key(unquote(first)))
    if volume is None or not rest:
        return None
    return (volume.id, names.key(unquote(rest))), fragment


def meant_file(url: str, origins: Collection[str], volumes: Mapping[str, Volume]) -> tuple[int, str] | None:
    """The volume and the name of the file that an address of this site means; None for any other address."""
    path, _ = _path(url, origins)
    for screen in ("-/file/", "-/about-file/"):
        if path.startswith(screen):
            first, _, name = path[len(screen) :].partition("/")
            volume = volumes.get(names.key(unquote(first)))
            return (volume.id, unquote(name)) if volume is not None and name else None
    return None


def _path(url: str, origins: Collection[str]) -> tuple[str, str]:
    """The path of an address of this site, without its first “/”, and its fragment; empty for any other."""
    try:
        parts = urlsplit(url)
    except ValueError:
        return "", ""
    for origin in origins or ("",):
        own = urlsplit(origin)
        host = (
            (parts.scheme, parts.netloc) == (own.scheme, own.netloc) if parts.netloc else url.startswith("/")
        )
        if host and parts.path.startswith(f"{own.path}/"):
            return parts.path[len(own.path) + 1 :], unquote(parts.fragment)
    return "", ""
