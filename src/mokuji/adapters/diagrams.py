"""Diagrams: DOT in, drawing out, by Graphviz of the machine.

Graphviz runs as a process of its own, with no files to read and with limits on
time, memory and what it says. What it draws is taken apart as any SVG that
somebody brings is, and made to follow light and dark: black becomes the colour
of the text around it. A wrong diagram comes back as its error and its line.
"""

from __future__ import annotations

import html
import re
import resource
import shutil
import subprocess
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass
from xml.etree import ElementTree

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from mokuji.core.base.cache import BoundedCache
from mokuji.formats.media import clean_drawing

LONGEST = 20_000
"""Maximum number of code points of one diagram."""
SECONDS = 3.0
"""So long one diagram may take."""
MOST_MEMORY = 1 << 30
MOST_DRAWN = 1_000_000
"""Maximum number of bytes of one drawing."""
KEPT = 500
KEPT_SIZE = 50_000_000
"""Number of drawings that are kept in memory, and of their code points in all."""
AT_ONCE = 2
AGAIN = 30.0
"""Seconds before one that took too long is tried once more."""
WIDE = 700
"""Pixels beyond which a drawing is not made smaller than can be read, but scrolls."""
MOST_TOLD = 60
"""Maximum number of arrows that are told in words."""
_SVG = "{http://www.w3.org/2000/svg}"
_XLINK = "{http://www.w3.org/1999/xlink}href"
_ERROR = re.compile(r"Error: (?:<stdin>: )?(?P<said>.*?)(?: in line (?P<line>\d+)(?P<near>.*))?\Z")
_GONE = frozenset({"id", "class", "font-family", "style", _XLINK})
_BARE = frozenset({"none", "transparent", "white"})


@dataclass(frozen=True, slots=True)
class Drawn:
    """A diagram: its SVG and what it shows in words; or what is wrong with it, and in which of its lines (from 1; 0: in
    none)."""

    svg: str = ""
    words: tuple[str, ...] = ()
    fault: str = ""
    line: int = 0


MISSING = Drawn(fault="Diagrams are drawn by Graphviz, which is not installed here, so its source is shown.")
_SLOW = Drawn(
    fault=f"This diagram takes longer than {SECONDS:.0f} seconds to draw. Make it smaller, or part it in two."
)
# A weight for each by itself bounds their number, too.
_kept: BoundedCache[tuple[Drawn, float]] = BoundedCache(
    KEPT_SIZE, lambda kept: len(kept[0].svg) + KEPT_SIZE // KEPT
)
_places = threading.BoundedSemaphore(AT_ONCE)


def known(source: str) -> Drawn | None:
    """A diagram that was drawn lately."""
    found = _kept.get(source)
    return found[0] if found is not None else None


def forget() -> None:
    """Forgets all drawings."""
    _kept.clear()


def draw(source: str) -> Drawn:
    """A diagram as it is drawn. The same source is drawn once; all faults are part of the result."""
    found = _kept.get(source)
    if found is not None and (found[0] is not _SLOW or time.monotonic() - found[1] < AGAIN):
        return found[0]
    drawn = _draw(source)
    if drawn is not MISSING:
        _kept.put(source, (drawn, time.monotonic()))
    return drawn


def _draw(source: str) -> Drawn:
    if len(source) > LONGEST:
        return Drawn(fault=f"This diagram has {len(source):,} characters; {LONGEST:,} are the most.")
    if not source.strip():
        return Drawn(fault="This diagram is empty.")
    dot = shutil.which("dot")
    if dot is None:
        return MISSING
    with _places:
        said = _run(dot, source)
    if said is None:
        return _SLOW
    data, errors = said
    for each in errors.splitlines():
        match = _ERROR.match(each)
        if match is not None:
            line = int(match["line"] or 0)
            near = (match["near"] or "").strip().replace("'", "“", 1).replace("'", "”", 1)
            return Drawn(fault=f"{match['said'].capitalize()}{f' {near}' if near else ''}.", line=line)
    if len(data) > MOST_DRAWN:
        return Drawn(fault="What this diagram draws is too large. Make it smaller, or part it in two.")
    return _made(data)


def _run(dot: str, source: str) -> tuple[bytes, str] | None:
    """What Graphviz draws and what it complains of; None if it takes too long. SERVER_NAME forbids it to read files."""
    defaults = [
        "-Gbgcolor=transparent",
        "-Gfontname=Helvetica",
        "-Nfontname=Helvetica",
        "-Efontname=Helvetica",
    ]
    sizes = ["-Nfontsize=14", "-Efontsize=13", "-Gfontsize=14", "-Nmargin=0.16,0.07"]
    process = subprocess.Popen(  # noqa: S603 - a program of the machine, by its path; the source goes in as text
        [dot, "-Tsvg", *defaults, *sizes],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        cwd="/",
        env={"PATH": "/usr/bin:/bin", "SERVER_NAME": "mokuji", "LC_ALL": "C.UTF-8"},
    )
    try:
        resource.prlimit(process.pid, resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
        cpu = int(SECONDS) + 1
        resource.prlimit(process.pid, resource.RLIMIT_CPU, (cpu, cpu))
        data, errors = process.communicate(source.encode(), timeout=SECONDS)
    except subprocess.TimeoutExpired:
        process.kill()
        process.communicate()
        return None
    except ProcessLookupError:
        data, errors = process.communicate(timeout=SECONDS)
    told = errors.decode("utf-8", "replace")
    if process.returncode and "Error:" not in told:
        return b"", "Error: Graphviz could not draw this"
    return data, told


def _made(data: bytes) -> Drawn:
    # Of several graphs in one source only the first is drawn.
    end = data.find(b"</svg>")
    try:
        root = fromstring(data[: end + 6], forbid_dtd=False)
    except (ElementTree.ParseError, DefusedXmlException, ValueError) as fault:
        return Drawn(fault=f"What Graphviz drew cannot be read: {fault}.")
    words = tuple(_words(root))
    _unwrap(root)
    clean_drawing(root)
    _plain(root)
    # A point of Graphviz is a pixel here, so that words have the size of those in tables.
    for side in ("width", "height"):
        root.set(side, root.get(side, "").removesuffix("pt"))
    if float(root.get("width") or 0) > WIDE:
        root.set("class", "wide")
    root.set("aria-hidden", "true")
    ElementTree.register_namespace("", _SVG[1:-1])
    return Drawn(ElementTree.tostring(root, encoding="unicode"), words)


def _unwrap(root: ElementTree.Element) -> None:
    """Links are taken out of the drawing; what they hold stays."""
    for parent in list(root.iter()):
        for child in list(parent):
            if child.tag == f"{_SVG}a":
                at = list(parent).index(child)
                parent.remove(child)
                for inner in reversed(list(child)):
                    parent.insert(at, inner)


def _plain(root: ElementTree.Element) -> None:
    """Colours that follow the page, and nothing that only Graphviz needs."""
    for element in root.iter():
        for child in [each for each in element if each.tag == f"{_SVG}title"]:
            element.remove(child)
        for name in _GONE & element.attrib.keys():
            del element.attrib[name]
        if element.get("stroke") == "black":
            element.set("stroke", "currentColor")
        # A shape that is filled keeps its colour, so its words have one that can be read on it.
        fills = [each.get("fill", "none") for each in element if each.tag != f"{_SVG}text"]
        ground = next((fill for fill in reversed(fills) if fill not in _BARE | {"black", "currentColor"}), "")
        for child in element:
            if child.tag == f"{_SVG}text" and child.get("fill", "black") == "black":
                child.set("fill", _readable(ground) if ground else "currentColor")
            elif child.get("fill") == "black":
                child.set("fill", "currentColor")


def _readable(ground: str) -> str:
    """Black or white, whichever can be read on a colour (relative luminance, WCAG 2.2)."""
    try:
        from PIL import ImageColor  # loaded where it is needed

        parts = [each / 255 for each in ImageColor.getrgb(ground)[:3]]
    except ValueError:
        return "black"
    red, green, blue = (
        part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts
    )
    return "black" if 0.2126 * red + 0.7152 * green + 0.0722 * blue > 0.179 else "white"


def _words(root: ElementTree.Element) -> Iterator[str]:
    """What leads where, by the words that boxes and arrows show; boxes that nothing leads to or from come last."""
    names: dict[str, str] = {}
    edges: list[tuple[str, str]] = []
    for group in root.iter(f"{_SVG}g"):
        title = group.findtext(f"{_SVG}title") or ""
        said = " ".join(
            " ".join("".join(element.itertext()).split()) for element in group.iter(f"{_SVG}text")
        )
        if group.get("class") == "node":
            names[title] = said or title
        elif group.get("class") == "edge":
            edges.append((title, said))
    joined: set[str] = set()
    for title, said in edges[:MOST_TOLD]:
        pair = _ends(title, names)
        if pair is None:
            continue
        tail, arrow, head = pair
        joined |= {tail, head}
        verb = "leads to" if arrow == "->" else "is joined to"
        yield f"{names[tail]} {verb} {names[head]}{f' ({said})' if said else ''}"
    if len(edges) > MOST_TOLD:
        yield f"and {len(edges) - MOST_TOLD} more"
    elif not edges or len(joined) < len(names):
        yield from (name for key, name in names.items() if key not in joined)


def _ends(title: str, names: dict[str, str]) -> tuple[str, str, str] | None:
    """Both ends of an arrow, by the names of its boxes: these may hold arrows themselves, and ports behind a colon."""
    for match in re.finditer(r"->|--", title):
        tail, head = title[: match.start()], title[match.end() :]
        tail = tail if tail in names else tail.partition(":")[0]
        head = head if head in names else head.partition(":")[0]
        if tail in names and head in names:
            return tail, match[0], head
    return None


def figure(svg: str, caption: str, told: tuple[str, ...], description: str) -> str:
    """A drawing with its caption, and in words what it shows."""
    label = html.escape(caption or description or "Diagram")
    words = f"<p>{html.escape(description)}</p>" if description else ""
    if told and not description:
        words = "<ul>" + "".join(f"<li>{html.escape(each)}</li>" for each in told) + "</ul>"
    more = f"<details><summary>In words</summary>{words}</details>" if words else ""
    under = f"<figcaption>{html.escape(caption)}{more}</figcaption>" if caption or more else ""
    return (
        f'<figure class="diagram"><div class="drawing" role="img" aria-label="{label}" tabindex="0">{svg}</div>'
        f"{under}</figure>\n"
    )
