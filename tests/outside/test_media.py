"""What a file is by its content; hostile files are refused or made harmless. Pictures are made by Pillow, types as
published (signatures of PNG, PDF, MP4, ZIP; SVG 2)."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from pathlib import Path
from xml.etree import ElementTree

import pytest
from PIL import Image

from mokuji.core.base.errors import BadFile
from mokuji.formats.media import DEEPEST, MOST_BYTES, recognise


def picture(kind: str, size: tuple[int, int] = (40, 30)) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, "teal").save(out, kind)
    return out.getvalue()


@pytest.mark.parametrize(
    ("kind", "type_", "ending"),
    [
        ("PNG", "image/png", "png"),
        ("JPEG", "image/jpeg", "jpg"),
        ("GIF", "image/gif", "gif"),
        ("WEBP", "image/webp", "webp"),
        ("AVIF", "image/avif", "avif"),
    ],
)
def test_a_picture_is_known_by_its_content_whatever_it_is_called(kind: str, type_: str, ending: str) -> None:
    data = picture(kind)
    media = recognise(data, "notes.html")
    assert (media.type, media.ending, media.width, media.height, media.data) == (type_, ending, 40, 30, data)


def _zip() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("a.txt", "x")
    return out.getvalue()


@pytest.mark.parametrize(
    ("data", "name", "type_", "ending"),
    [
        (b"%PDF-1.7\n%\xe2\xe3\xcf\xd3\n", "x.png", "application/pdf", "pdf"),
        (_zip(), "x.zip", "application/zip", "zip"),
        ("a;b\nü;2\n".encode(), "limits.csv", "text/plain; charset=utf-8", "csv"),
        (b"<html><script>alert(1)</script>", "x.html", "text/plain; charset=utf-8", "txt"),
        (b"#!/bin/sh\nrm -rf /\n", "x.png", "text/plain; charset=utf-8", "txt"),
        (b"ID3\x03\x00" + bytes(20), "x", "audio/mpeg", "mp3"),
    ],
)
def test_other_types_are_known_by_their_signatures(data: bytes, name: str, type_: str, ending: str) -> None:
    media = recognise(data, name)
    assert (media.type, media.ending) == (type_, ending)


def _huge_png() -> bytes:
    """A PNG of a few bytes that says it has 50,000 × 50,000 points."""
    head = struct.pack(">IIBBBBB", 50_000, 50_000, 8, 0, 0, 0, 0)
    chunk = b"IHDR" + head
    return (
        b"\x89PNG\r\n\x1a\n" + struct.pack(">I", len(head)) + chunk + struct.pack(">I", zlib.crc32(chunk))
    ) + b"\x00\x00\x00\x00IEND\xaeB`\x82"


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "empty"),
        (bytes(MOST_BYTES + 1), "MB is the most"),
        (_huge_png(), "more than 60,000,000 points"),
        (picture("PNG")[:-30], "broken"),
        (b"MZ\x90\x00" + bytes(200), "none of the types"),
        (b"\x7fELF" + bytes(200), "none of the types"),
        (bytes(range(256)), "none of the types"),
        (b"<svg xmlns='http://www.w3.org/2000/svg'><g>", "cannot be read"),
        (b"<svg><script/></svg>", "root is no <svg>"),
        (
            b'<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]>'
            b'<svg xmlns="http://www.w3.org/2000/svg"><text>&b;</text></svg>',
            "cannot be read",
        ),
        (
            b'<!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]><svg xmlns="http://www.w3.org/2000/svg">'
            b"<text>&x;</text></svg>",
            "cannot be read",
        ),
    ],
)
def test_what_is_not_kept_is_refused_with_a_sentence(data: bytes, said: str) -> None:
    with pytest.raises(BadFile, match=said):
        recognise(data, "x.png")


HOSTILE = """<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"
onload="alert(1)" viewBox="0 0 20 10"><script>alert(2)</script>
<foreignObject><body xmlns="http://www.w3.org/1999/xhtml"><script>alert(3)</script></body></foreignObject>
<image href="https://evil.example/x.png"/><a href="javascript:alert(4)"><rect onclick="alert(5)"/></a>
<use href="https://evil.example/x.svg#a"/><use xlink:href="#ok"/><circle id="ok" r="2" fill="url(#paint)"/>
<rect fill="url(https://evil.example/)" style="background:url('https://evil.example/')"/>
<style>@import url(https://evil.example/x.css);</style><style>.a{fill:red}</style>
<animate attributeName="href" values="javascript:alert(6)"/><set attributeName="onmouseover" to="alert(7)"/>
<g xmlns:evil="https://evil.example/"><evil:script>alert(8)</evil:script></g></svg>"""


def test_a_drawing_keeps_what_is_drawing_and_nothing_else() -> None:
    media = recognise(HOSTILE.encode(), "x.svg")
    assert (media.type, media.width, media.height) == ("image/svg+xml", 20, 10)
    text = media.data.decode()
    for word in ("alert", "evil", "script", "foreign", "onload", "onclick", "animate", "<image", "import"):
        assert word not in text, word
    root = ElementTree.fromstring(media.data)
    kept = [element.tag.rpartition("}")[2] for element in root.iter()]
    assert kept == ["svg", "use", "use", "circle", "rect", "style", "style", "g"]
    assert 'fill="url(#paint)"' in text and 'href="#ok"' in text and "fill:red" in text


@pytest.mark.parametrize(
    ("told", "size"),
    [
        ('width="40" height="30.4px"', (40, 30)),
        ('width="1.2.3" height="4" viewBox="0 0 7 8"', (7, 8)),
        ('width="-4" height="nan" viewBox="0,0,-7,inf"', (0, 0)),
        ('width="100%" viewBox="0 0 9e99 1"', (0, 0)),
        ('width="999999" height="1"', (10_000, 1)),
    ],
)
def test_the_size_of_a_drawing_is_what_can_be_read_of_it(told: str, size: tuple[int, int]) -> None:
    media = recognise(f'<svg xmlns="http://www.w3.org/2000/svg" {told}/>'.encode())
    assert (media.width, media.height) == size


def test_a_drawing_nested_too_deep_loses_what_lies_deeper() -> None:
    deep = "<g>" * 5_000 + "<rect/>" + "</g>" * 5_000
    media = recognise(f'<svg xmlns="http://www.w3.org/2000/svg">{deep}</svg>'.encode())
    assert media.data.count(b"<g") == DEEPEST


def test_drawings_of_the_machine_are_kept_as_they_look() -> None:
    """Icons that Debian's packages brought: every path of them is there afterwards."""
    seen = 0
    for path in sorted(Path("/usr/share/icons").rglob("*.svg"))[:40]:
        data = path.read_bytes()
        try:
            before = ElementTree.fromstring(data)
        except ElementTree.ParseError:
            continue
        after = ElementTree.fromstring(recognise(data).data)
        drawn = [element.get("d") for element in before.iter("{http://www.w3.org/2000/svg}path")]
        assert [element.get("d") for element in after.iter("{http://www.w3.org/2000/svg}path")] == drawn
        seen += 1
    if not seen:
        pytest.skip("no icons are installed here")


def _bomb() -> bytes:
    """An archive of 50 MB of nothing, a few KB long."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("../../etc/passwd", bytes(50_000_000))
    return out.getvalue()


POLYGLOTS = {
    "a picture with a page behind it": picture("PNG") + b"<html><script>alert(1)</script>",
    "a picture with an archive behind it": picture("JPEG") + _zip(),
    "a picture that is a script": b"GIF89a/*" + picture("GIF")[8:] + b"*/=1;alert(1)//",
    "a page that begins like a document": b"%PDF-1.4\n<script>alert(1)</script>",
    "an archive with ways out of it": _bomb(),
    "a drawing behind white space": b"\n \n<svg xmlns='http://www.w3.org/2000/svg' onload='alert(1)'/>",
    "a page that says it is a drawing": b"<!-- <svg --><html><script>alert(1)</script></html>",
}


@pytest.mark.parametrize("data", POLYGLOTS.values(), ids=POLYGLOTS.keys())
def test_what_is_two_things_at_once_is_kept_as_what_cannot_run_or_not_at_all(data: bytes) -> None:
    try:
        media = recognise(data, "x.html")
    except BadFile:
        return
    assert media.type.partition(";")[0] in {
        "image/png", "image/jpeg", "image/gif", "application/pdf", "application/zip", "image/svg+xml", "text/plain",
    }  # fmt: skip
    assert media.ending not in {"html", "htm", "js", "xhtml"}
    if media.type == "image/svg+xml":
        assert b"alert" not in media.data
