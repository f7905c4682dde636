"""What a file is, by its content and never by its name; and pictures made harmless.

Pictures are opened by Pillow, other types are known by their signatures
(``filetype``). An SVG is an XML program that browsers run: it is read without
entities and written anew with what is only drawing.
"""

from __future__ import annotations

import io
import re
import warnings
from dataclasses import dataclass
from xml.etree import ElementTree

import filetype  # type: ignore[import-untyped]
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring
from PIL import Image, ImageOps, UnidentifiedImageError

from mokuji.core.base.errors import BadFile
from mokuji.formats import apart

MOST_BYTES = 15_000_000
"""Maximum number of bytes of a file."""
MOST_PIXELS = 60_000_000
"""Maximum number of points of a picture: 600 dots an inch on two sheets of A4."""
SECONDS = 20.0
"""So long looking at a file, or making a picture smaller, may take."""
DEEPEST = 60
"""Groups in groups of a drawing; what lies deeper is left out."""
_TOO_MANY = f"The picture has more than {MOST_PIXELS:,} points. Make it smaller."
_PICTURES = {"PNG": "png", "JPEG": "jpg", "GIF": "gif", "WEBP": "webp", "AVIF": "avif"}
_PICTURE_TYPES = {"jpg": "image/jpeg"}
_OTHERS = {
    "application/pdf": "pdf",
    "video/mp4": "mp4",
    "video/webm": "webm",
    "audio/mpeg": "mp3",
    "audio/x-wav": "wav",
    "audio/ogg": "ogg",
    "application/zip": "zip",
}
_OFFICE = {"docx", "xlsx", "pptx", "odt", "ods", "odp"}
_TEXTS = {
    "txt",
    "csv",
    "tsv",
    "json",
    "yaml",
    "yml",
    "toml",
    "xml",
    "log",
    "ini",
    "md",
    "conf",
    "sh",
    "py",
    "c",
    "h",
}
_SVG = "{http://www.w3.org/2000/svg}"
_XLINK = "{http://www.w3.org/1999/xlink}href"
_DRAWING = frozenset(
    (
        "svg g defs symbol use title desc path rect circle ellipse line polyline polygon text tspan textPath marker "
        "linearGradient radialGradient stop pattern clipPath mask filter feGaussianBlur feOffset feMerge feMergeNode "
        "feFlood feComposite feBlend feColorMatrix style switch"
    ).split()
)
_LEADS_OUT = re.compile(r"url\(\s*['\"]?(?!#)|@import|expression|javascript:|\\", re.IGNORECASE)
_LENGTH = re.compile(r"\s*(\d{1,6}(?:\.\d{1,9})?)(?:px)?\s*\Z")


@dataclass(frozen=True, slots=True)
class Media:
    """A file as it is kept: its bytes, media type and usual ending; width and height of a picture in points, else 0."""

    data: bytes
    type: str
    ending: str
    width: int = 0
    height: int = 0


def recognise(data: bytes, name: str = "") -> Media:
    """What some bytes are, as a process of its own finds; BadFile says why they are not kept. ``name`` tells apart only
    what has no signature."""
    if not data:
        raise BadFile("The file is empty.", code="bad_file_empty")
    if len(data) > MOST_BYTES:
        raise BadFile(
            f"The file has {len(data) / 1e6:.1f} MB; {MOST_BYTES / 1e6:.0f} MB is the most. Make it smaller, or put "
            "it where files of that size are kept and link it from here.",
            code="file_large",
        )
    about, out = apart.do("recognise", {"name": name[:500]}, data, seconds=SECONDS)
    return Media(
        data if about["same"] else out, about["type"], about["ending"], about["width"], about["height"]
    )


def recognise_here(data: bytes, name: str = "") -> Media:
    """As ``recognise``, in this very process: for ``apart`` only."""
    picture = _picture(data)
    if picture is not None:
        return picture
    if (
        re.match(rb"\s*(?:\xef\xbb\xbf)?\s*<(?:\?xml|!--|!DOCTYPE svg|svg)", data[:500])
        and b"<svg" in data[:5000]
    ):
        return _drawing(data)
    typed = name.rpartition(".")[2].lower()
    kind = filetype.guess(data)
    if kind is not None and kind.mime in _OTHERS:
        end = _OTHERS[kind.mime]
        return Media(data, kind.mime, typed if end == "zip" and typed in _OFFICE else end)
    if kind is not None and kind.extension in _OFFICE:
        return Media(data, kind.mime, kind.extension)
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        text = "\0"
    if kind is None and "\0" not in text:
        return Media(data, "text/plain; charset=utf-8", typed if typed in _TEXTS else "txt")
    raise BadFile(
        "What is in the file is none of the types that are kept: PNG, JPEG, GIF, WebP, AVIF, SVG, PDF, MP4, WebM, "
        "MP3, WAV, Ogg, ZIP, office documents, and plain text in UTF-8.",
        code="bad_file_type",
    )


def _picture(data: bytes) -> Media | None:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # its size is looked at here
            image = Image.open(io.BytesIO(data), formats=list(_PICTURES))
    except Image.DecompressionBombError as fault:
        raise BadFile(_TOO_MANY, code="picture_large") from fault
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError):
        return None
    width, height = image.size
    if width * height > MOST_PIXELS:
        raise BadFile(_TOO_MANY, code="picture_large")
    try:
        image.load()
    except (OSError, ValueError, SyntaxError) as fault:
        raise BadFile(f"The picture is broken: {fault}.", code="bad_picture") from fault
    end = _PICTURES[str(image.format)]
    return Media(data, _PICTURE_TYPES.get(end, f"image/{end}"), end, width, height)


def at_width(data: bytes, width: int) -> bytes | None:
    """A picture made smaller, as WebP; None if it moves, cannot be read, or comes out no smaller. One is made at a
    time; TooMany if there is no room to wait."""
    try:
        about, out = apart.do("at_width", {"width": width}, data, seconds=SECONDS)
    except (BadFile, apart.OverTime):
        return None
    return out if about["made"] else None


def at_width_here(data: bytes, width: int) -> bytes | None:
    """As ``at_width``, in this very process: for ``apart`` only."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # its size was looked at when it came
            image = Image.open(io.BytesIO(data), formats=list(_PICTURES))
            if getattr(image, "n_frames", 1) > 1:
                return None
            if image.size[0] * image.size[1] > MOST_PIXELS:
                return None
            ImageOps.exif_transpose(image, in_place=True)
            upright = image.convert(
                "RGBA" if "A" in image.getbands() or "transparency" in image.info else "RGB"
            )
            upright.thumbnail((width, 100_000), Image.Resampling.LANCZOS)
            made = io.BytesIO()
            upright.save(made, "WEBP", quality=86, method=4)
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return None
    return made.getvalue() if made.tell() < len(data) else None


def _drawing(data: bytes) -> Media:
    """An SVG without what is no drawing: scripts, foreign content, events, addresses that lead out."""
    try:
        root = fromstring(data, forbid_dtd=False)
    except (ElementTree.ParseError, DefusedXmlException, ValueError, LookupError, RecursionError) as fault:
        raise BadFile(f"The SVG cannot be read: {fault}.", code="bad_svg") from fault
    if root.tag != f"{_SVG}svg":
        raise BadFile("The file is XML, but its root is no <svg> of SVG's own namespace.", code="bad_svg")
    clean_drawing(root)
    ElementTree.register_namespace("", _SVG[1:-1])
    ElementTree.register_namespace("xlink", _XLINK[1:].partition("}")[0])
    width, height = _size(root)
    return Media(ElementTree.tostring(root, encoding="utf-8"), "image/svg+xml", "svg", width, height)


def clean_drawing(root: ElementTree.Element) -> None:
    """Takes out of an SVG what is no drawing."""
    waiting = [(root, 0)]
    while waiting:
        element, depth = waiting.pop()
        for child in list(element):
            drawn = (
                isinstance(child.tag, str)
                and child.tag.startswith(_SVG)
                and child.tag[len(_SVG) :] in _DRAWING
            )
            if drawn and depth < DEEPEST:
                waiting.append((child, depth + 1))
            else:
                element.remove(child)
        for name, value in list(element.attrib.items()):
            foreign = name.startswith("{") and name != _XLINK
            leads = name in {"href", _XLINK} and not value.strip().startswith("#")
            if foreign or leads or name.lower().startswith("on") or _LEADS_OUT.search(value):
                del element.attrib[name]
        if element.tag == f"{_SVG}style" and _LEADS_OUT.search(element.text or ""):
            element.text = ""


def _size(root: ElementTree.Element) -> tuple[int, int]:
    """Width and height as they are told, or those of the drawing's box; 0 if neither can be read."""
    box = root.get("viewBox", "").replace(",", " ").split()
    for told in ([root.get("width", ""), root.get("height", "")], box[2:4]):
        lengths = [found for each in told if (found := _LENGTH.match(each)) is not None]
        if len(lengths) == 2:
            return min(10_000, round(float(lengths[0][1]))), min(10_000, round(float(lengths[1][1])))
    return 0, 0
