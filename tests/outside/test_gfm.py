"""Tables, task items and strikethrough against GitHub Flavored Markdown: the examples of its specification (0.29-gfm,
sections 4.10, 5.3 and 6.5, typed here), written as GitHub's own program does (cmarkgfm)."""

from __future__ import annotations

from html.parser import HTMLParser

import cmarkgfm
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.html.writer import Writer
from mokuji.core.syntax.parser import events
from tests.outside.test_commonmark import BARE

EXAMPLES = {
    198: "| foo | bar |\n| --- | --- |\n| baz | bim |\n",
    199: "| abc | defghi |\n:-: | -----------:\nbar | baz\n",
    200: "| f\\|oo  |\n| ------ |\n| b `\\|` az |\n| b **\\|** im |\n",
    201: "| abc | def |\n| --- | --- |\n| bar | baz |\n> bar\n",
    202: "| abc | def |\n| --- | --- |\n| bar | baz |\nbar\n\nbar\n",
    203: "| abc | def |\n| --- |\n| bar |\n",
    204: "| abc | def |\n| --- | --- |\n| bar |\n| bar | baz | boo |\n",
    205: "| abc | def |\n| --- | --- |\n",
    279: "- [ ] foo\n- [x] bar\n",
    280: "- [x] foo\n  - [ ] bar\n  - [x] baz\n- [ ] bim\n",
    491: "~~Hi~~ Hello, ~there~ world!\n",
    492: "This ~~has a\n\nnew paragraph~~.\n",
}


class _Stream(HTMLParser):
    """HTML as tags with their attributes and words, without what is open to each writer."""

    def __init__(self, source: str) -> None:
        super().__init__(convert_charrefs=True)
        self.found: list[object] = []
        self.feed(source)
        self.close()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag != "tbody":
            self.found.append((tag, sorted((name, value or "") for name, value in attrs)))

    def handle_endtag(self, tag: str) -> None:
        if tag not in {"tbody", "input"}:
            self.found.append(f"/{tag}")

    def handle_data(self, data: str) -> None:
        words = " ".join(data.split())
        if words:
            self.found.append(words)


def _ours(text: str) -> list[object]:
    return _Stream(Writer(rules=BARE).write(list(events(text)))).found


def _theirs(text: str) -> list[object]:
    made = cmarkgfm.markdown_to_html_with_extensions(text, extensions=["table", "tasklist", "strikethrough"])
    return _Stream(made).found


@pytest.mark.parametrize("number", EXAMPLES)
def test_a_published_example_comes_out_as_there(number: int) -> None:
    assert _ours(EXAMPLES[number]) == _theirs(EXAMPLES[number])


_cell = st.text(alphabet="ab1 -é:", max_size=6).map(str.strip)


@given(
    st.integers(1, 4).flatmap(
        lambda width: st.lists(st.lists(_cell, min_size=width, max_size=width), min_size=2)
    )
)
def test_tables_of_plain_cells_come_out_alike(rows: list[list[str]]) -> None:
    head, *body = rows
    lines = [head, ["---"] * len(head), *body]
    text = "".join("| " + " | ".join(line) + " |\n" for line in lines)
    assert _ours(text) == _theirs(text)
