"""The HTML of pages, made ready to stand elsewhere than on their own address: links lead where the pages went, anchors
do not clash, headings nest, and what is there for who works on the wiki goes."""

from __future__ import annotations

import html
import re
from collections.abc import Callable
from dataclasses import dataclass

_TAG = re.compile(r'<(?P<end>/?)(?P<name>[A-Za-z][A-Za-z0-9]*+)(?P<more>(?:[^"<>]|"[^"<]*+")*+)>')
_ATTRIBUTE = re.compile(r'([A-Za-z][\w:-]*+)(?:="([^"<]*+)")?')
_HEADING = re.compile(r"h[1-6]")
_GONE = frozenset({"data-card", "data-task", "tabindex", "loading", "srcset", "sizes"})
_REFERENCE = "ref-"
"""What the anchors of references begin with, which only backlinks lead to."""


@dataclass(frozen=True, slots=True)
class Leading:
    """How one page is to stand. ``lead`` gives the address for each one in it, empty where nothing can be led to;
    ``prefix`` stands before its anchors; headings are ``deeper`` levels below (above, if it is negative). What has
    a class of ``left_out`` goes with all that is in it."""

    lead: Callable[[str], str]
    prefix: str = ""
    deeper: int = 0
    left_out: frozenset[str] = frozenset({"source", "problem"})


def stand(shown: str, leading: Leading) -> str:
    """The HTML of a page as it is to stand."""
    made: list[str] = []
    at = 0
    unlinked = 0
    gone = ""
    depth = 0
    for match in _TAG.finditer(shown):
        name = match["name"]
        if gone:
            # What is left out goes with all that is in it.
            depth += (-1 if match["end"] else 1) if name == gone else 0
            if depth == 0:
                gone, at = "", match.end()
            continue
        made.append(shown[at : match.start()])
        at = match.end()
        if match["end"]:
            if name == "a" and unlinked:
                unlinked -= 1
            else:
                made.append(f"</{_level(name, leading.deeper)}>")
            continue
        attributes = _attributes(match["more"])
        if leading.left_out & set((attributes.get("class") or "").split()):
            gone, depth = name, 1
            continue
        if name == "a":
            address = attributes.get("href")
            led = leading.lead(html.unescape(address)) if address else ""
            if not led:
                unlinked += 1
                continue
            attributes["href"] = html.escape(led)
            if led.startswith("data:"):
                attributes["download"] = ""
        made.append(_opened(_level(name, leading.deeper), attributes, leading.prefix, match["more"]))
    made.append(shown[at:] if not gone else "")
    return "".join(made)


def _attributes(more: str) -> dict[str, str | None]:
    return {found[1]: found[2] for found in _ATTRIBUTE.finditer(more)}


def _level(name: str, deeper: int) -> str:
    return f"h{max(1, min(6, int(name[1]) + deeper))}" if deeper and _HEADING.fullmatch(name) else name


def _opened(name: str, attributes: dict[str, str | None], prefix: str, more: str) -> str:
    id_ = attributes.pop("id", None)
    if id_ is not None and not id_.startswith(_REFERENCE):
        attributes = {"id": f"{prefix}{id_}", **attributes}
    kept = {key: value for key, value in attributes.items() if key not in _GONE}
    told = "".join(f" {key}" if value is None else f' {key}="{value}"' for key, value in kept.items())
    return f"<{name}{told}{' /' if more.rstrip().endswith('/') else ''}>"
