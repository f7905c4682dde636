"""Folders of plain Markdown become pages: what each link becomes, what is told of it, what the contents are."""

from __future__ import annotations

from collections.abc import Mapping

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.language.page import Page, PageHead
from mokuji.formats.markdown_in import Taken, take


def taken(files: Mapping[str, str | bytes], name: str = "Handbook") -> Taken:
    given_ = {path: each.encode() if isinstance(each, str) else each for path, each in files.items()}
    return take(list(given_), given_.__getitem__, name)


TARGETS: dict[str, str | bytes] = {
    "guide/pump.md": '# The pump\n\n## Open it\n\n## `set()` [x]\n\n## Open it\n\n<a id="old"></a>\n\n## Fix {#fix}\n',
    "guide/index.md": "# Guide\n",
    "img/a b.png": b"png",
    "img/sub/a b.png": b"other",
    "notes.pdf": b"pdf",
}


@pytest.mark.parametrize(
    ("typed", "made", "became"),
    [
        ("[it](guide/pump.md)", "[[The pump|it]]", "reference"),
        ("[The pump](guide/pump.md)", "[[The pump]]", "reference"),
        ("[it](./guide/../guide/pump.md#open-it)", "[[The pump#Open it|it]]", "reference"),
        ("[it](guide/pump#fix)", "[[The pump#fix|it]]", "reference"),
        ("[it](guide/pump.html#set-x)", "[[The pump#set() \\[x\\]|it]]", "reference"),
        ("[it](guide/pump.md#old)", "[[The pump#Open it|it]]", "reference"),
        ("[it](guide/pump.md#the-pump)", "[[The pump|it]]", "reference"),
        ("[it](guide/pump.md#open-it-1)", "[[The pump|it]]", "section lost"),
        ("[it](guide/pump.md#gone)", "[[The pump|it]]", "section lost"),
        ("[the *guide*](guide/)", "[[Guide|the *guide*]]", "reference"),
        ("[a [b] | c](guide 'title')", "[[Guide|a \\[b\\] \\| c]]", "reference"),
        ("[here](#part)", "[[#Part|here]]", "reference"),
        ("[here](#gone)", "[[Start|here]]", "section lost"),
        ("[it][p] and [p]", "[[The pump|it]] and [[The pump|p]]", "reference"),
        ("![A picture](<img/a b.png>)", "![A picture](a-b.png)", "file"),
        ("[sheet](notes.pdf)", "[sheet](notes.pdf)", "file"),
        ("[out](https://example.org/x.md)", "[out](https://example.org/x.md)", "outside"),
        ("<https://example.org>", "<https://example.org>", "outside"),
        ("[gone](nowhere.md)", "[gone](nowhere.md)", "lost"),
        ("[up](../../etc/passwd)", "[up](../../etc/passwd)", "lost"),
        ("[![x](notes.pdf)](guide/pump.md)", None, "lost"),
        ('<a href="guide/pump.md">x</a>', '<a href="guide/pump.md">x</a>', "lost"),
        ("`[it](guide/pump.md)`", "`[it](guide/pump.md)`", None),
    ],
)  # fmt: skip
def test_a_link_becomes_what_it_leads_to(typed: str, made: str | None, became: str | None) -> None:
    text = f"# Start\n\n{typed}\n\n## Part\n\n[p]: guide/pump.md\n"
    found = taken({"start.md": text, **TARGETS})
    page = dict(found.pages)["Start"]
    if made is not None:
        assert page.startswith(f"{made}\n\n## Part"), page
    fates = {fate.became for fate in found.links if fate.path == "start.md"}
    assert fates >= ({became} if became else set())
    assert ("[p]:" in page) == ("[p]" not in typed), "a definition goes once nothing uses it any more"
    if became in {"lost", "section lost"}:
        assert [fate.line for fate in found.links if fate.became == became] == [3]


def test_pictures_of_one_name_are_told_apart_and_what_nothing_leads_to_is_counted() -> None:
    found = taken({"a.md": "![](<img/a b.png>) ![](img/sub/a%20b.png) ![](<img/a b.png>)\n", **TARGETS})
    assert found.files == {"a-b.png": "img/a b.png", "a-b-2.png": "img/sub/a b.png"}
    assert dict(found.pages)["a"] == "![](a-b.png) ![](a-b-2.png) ![](a-b.png)\n"
    assert found.problems == ("1 other file is led to by no page, and left out.",)


def test_the_tree_of_folders_is_the_contents() -> None:
    found = taken(
        {
            "README.md": "# Handbook\n",
            "b.md": "---\ntitle: First\n---\nx\n",
            "guide/index.md": "# Guide\n",
            "guide/pump.md": "pump\n",
            "guide/deep-things/x.md": "x\n",
            "other/y.md": "# First\n",
        }
    )
    assert [(row.depth, row.title) for row in found.contents] == [
        (0, "Handbook"), (0, "First"), (0, "Guide"), (1, "deep things"), (2, "x"), (1, "pump"), (0, "other"),
        (1, "First (other)"),
    ]  # fmt: skip
    assert dict(found.pages)["First"] == "x\n"


def test_what_cannot_be_read_is_said_and_hidden_files_are_passed_over() -> None:
    found = taken({"a.md": b"\xff", "b.md": "x", ".git/config.md": "x"})
    assert [title for title, _ in found.pages] == ["b"]
    assert found.problems == ("a.md: Byte 1 is not UTF-8. Save the file as UTF-8.",)


@given(st.dictionaries(
    st.sampled_from(["a.md", "b/index.md", "b/c.md", "d d.md"]),
    st.lists(st.sampled_from([
        "# A\n", "## [x](b/c.md) y\n", "[a](a.md#a)\n", "| [x](c.md) | [y][l] |\n|---|---|\n| z | ![p](q.png) |\n",
        "```\n[x](a.md)\n", "[l]: b/c.md#y\n", "<div>\n[x](a.md)\n", "> [a\nb](<d d.md>)\n", "[[A]] [x]([a])\n",
        "`", "|",
        "\\[x](a.md)\n",
        "- [x](../a.md)\n\n  [l]: a.md\n", "$[x](a.md)$ $\n", "[^1]: [x](a.md)\n", "é😀 [x](a.md)\n",
    ]), max_size=6).map("".join),
    min_size=1,
))  # fmt: skip
def test_whatever_a_folder_holds_each_link_is_told_of_once_and_references_are_read_as_such(
    files: dict[str, str],
) -> None:
    found = taken(files)
    texts = dict(found.pages)
    assert len(texts) == len(files)
    made = sum(fate.became in {"reference", "section lost"} for fate in found.links)
    now = sum(len(Page(PageHead(0, 0, "", ""), text).content.references) for text in texts.values())
    assert now >= made
