"""Names of files: what a link or picture names, what a name can be, and how one is made readable."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base.errors import BadName
from mokuji.core.html.html import compile_page
from mokuji.core.html.writer import File
from mokuji.core.language.page import Page, PageHead
from mokuji.core.syntax import files


@pytest.mark.parametrize(
    ("destination", "named"),
    [
        ("wiring.svg", ("wiring.svg", "")),
        ("my%20file.PDF#page=3", ("my file.PDF", "#page=3")),
        ("Übersicht.png", ("Übersicht.png", "")),
        ("https://post.example/x.png", None),
        ("mailto:a@b", None),
        ("data:image/png;base64,x", None),
        ("/field-guide/x", None),
        ("//post.example/x", None),
        ("#limits", None),
        ("?x=1", None),
        ("a/b.png", None),
        ("..%2Fx", None),
        ("a%2Fb.png", None),
        ("a%00b.png", None),
        ("", None),
        ("x" * 121, None),
    ],
)
def test_a_bare_name_is_a_file_and_nothing_else_is(destination: str, named: tuple[str, str] | None) -> None:
    assert files.named(destination) == named


@pytest.mark.parametrize(
    ("name", "end", "stored"),
    [
        ("Wiring of THE well.PNG", "png", "wiring-of-the-well.png"),
        ("C:\\Users\\me\\Übersicht (2).jpeg", "jpg", "übersicht-(2).jpg"),
        ("../../etc/passwd", "txt", "passwd.txt"),
        ("....", "png", "file.png"),
        ("", "png", "file.png"),
        ("archive.tar.gz", "zip", "archive.tar.zip"),
        ("x" * 300, "png", "x" * 100 + ".png"),
    ],
)
def test_a_name_is_made_readable_with_the_ending_of_its_content(name: str, end: str, stored: str) -> None:
    assert files.readable(name, end) == stored
    assert files.check_name(stored) == stored


@pytest.mark.parametrize("name", ["", " ", "a/b", "a\\b", "a\nb", 'a"b', ".hidden", "x" * 121, "a?b"])
def test_what_cannot_be_a_name_is_said(name: str) -> None:
    with pytest.raises(BadName):
        files.check_name(name)


def test_capitals_and_ways_to_write_a_character_make_no_difference() -> None:
    assert files.key("Überblick.PNG") == files.key("u\u0308berblick.png")
    assert files.numbered("wiring.png", 2) == "wiring-2.png" and files.numbered("notes", 3) == "notes-3"


@given(st.text(max_size=140))
def test_whatever_a_name_is_made_of_can_be_stored_and_is_found_again_where_it_is_typed(name: str) -> None:
    stored = files.check_name(files.readable(name, "png"))
    assert files.named(files.destination(stored)) == (stored, "")
    page = Page(PageHead(1, 1, "p", "P"), f"![a *b*]({files.destination(stored)})")
    (file,) = (piece for piece in compile_page(page, b"k").pieces if isinstance(piece, File))
    assert file == File(stored, "", "a b", "", True)
