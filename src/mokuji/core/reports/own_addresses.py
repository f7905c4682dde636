"""Addresses of this wiki's own pages, pasted as outside links: they break when a page moves; references do not."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from urllib.parse import unquote, urlsplit

from mokuji.core import names
from mokuji.core.spans import Span, code_points
from mokuji.core.text.parser import events_with_ranges, tag_name
from mokuji.core.wiki import Page, Place, Volume

_BARE = re.compile(r"https?://[^\s<>\[\]\"'`|]+[^\s<>\[\]\"'`|.,;:!?)]")


@dataclass(frozen=True, slots=True)
class OwnAddress:
    """An outside link that leads into this wiki: its range, the place it means, its section and its words."""

    page: int
    span: Span
    place: Place
    section: str
    words: str


def own_addresses(
    page: Page, origins: Collection[str], volumes: Mapping[str, Volume]
) -> Iterator[OwnAddress]:
    """The links on a page whose address begins with one of the origins (``https://docs.example``), or is a path
    of this site (``/volume/page``)."""
    offset = page.content.front_matter.span.end
    body = page.text[offset:]
    if not any(origin in body for origin in origins) and "](/" not in body and "](</" not in body:
        return
    data = body.encode()
    raw = list(_raw(body, data))
    places = code_points(data, (edge for _, start, end, _ in raw for edge in (start, end)))
    for url, start, end, words in raw:
        found = meant(url, origins, volumes)
        if found is not None:
            place, section = found
            yield OwnAddress(
                page.head.id, Span(offset + places[start], offset + places[end]), place, section, words
            )


def _raw(body: str, data: bytes) -> Iterator[tuple[str, int, int, str]]:
    """Addresses with the byte range of their whole link, and its words; bare addresses in plain text too."""
    link: tuple[str, int, int] | None = None
    words: list[str] = []
    verbatim = 0
    for kind, value, start, end in events_with_ranges(body):
        name = tag_name(value) if kind in {"Start", "End"} else ""
        step = 1 if kind == "Start" else -1
        if name in {"CodeBlock", "HtmlBlock", "MetadataBlock", "Image"}:
            verbatim += step
        elif name == "Link" and kind == "Start":
            auto = value[name]["link_type"] in {"Autolink", "Email"}
            link, words = (value[name]["dest_url"], start, end), []
            if auto:
                link, words = (value[name]["dest_url"], start, end), [""]
        elif name == "Link" and link is not None:
            yield (*link, "".join(words))
            link = None
        elif kind == "Text" and link is not None:
            words.append(data[start:end].decode() if words != [""] else "")
        elif kind == "Text" and not verbatim:
            text = data[start:end].decode()
            for found in _BARE.finditer(text):
                lead = len(text[: found.start()].encode())
                yield found[0], start + lead, start + lead + len(found[0].encode()), ""


def meant(url: str, origins: Collection[str], volumes: Mapping[str, Volume]) -> tuple[Place, str] | None:
    """The place and the fragment that an address of this site means; None for any other address."""
    parts = urlsplit(url)
    here = f"{parts.scheme}://{parts.netloc}" in origins if parts.netloc else url.startswith("/")
    if not here or not parts.path.startswith("/") or parts.path.startswith("/-/"):
        return None
    first, _, rest = parts.path[1:].partition("/")
    volume = volumes.get(names.key(unquote(first)))
    if volume is None or not rest:
        return None
    return (volume.id, names.key(unquote(rest))), unquote(parts.fragment)
