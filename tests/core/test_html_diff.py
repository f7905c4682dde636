"""Two renderings as one: what readers will see, with what came and went marked in its place."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.html.html_diff import DEEPEST, MOST_TOKENS, rendered_diff

CASES = [
    (
        '<p>It is <a href="/x">here</a>, 24.0 V &amp; &lt;b&gt;.</p>',
        '<p>It is <a href="/y">here</a>, 24.5 V &amp; &lt;i&gt;.</p>',
        '<p>It is <a data-elsewhere href="/y">here</a>, 24.<del>0</del><ins>5</ins> V &amp; '
        "&lt;<del>b</del><ins>i</ins>&gt;.</p>",
    ),
    ("<p>a b c</p>", "<p>a <em>b</em> c</p>", "<p>a <em>b</em> c</p>"),
    ("<p>a <em>b c</em></p>", "<p>a b</p>", "<p>a b<del> c</del></p>"),
    (
        "<ol><li>one two</li><li>three</li></ol>",
        "<ol><li>one two</li><li>new <b>one</b></li><li>three</li></ol>",
        "<ol><li>one two</li><li><ins>new </ins><b><ins>one</ins></b></li><li>three</li></ol>",
    ),
    (
        "<table><tbody><tr><td>a</td></tr><tr><td>b</td></tr></tbody></table>",
        "<table><tbody><tr><td>a</td></tr></tbody></table>",
        "<table><tbody><tr><td>a</td></tr><tr><td><del>b</del></td></tr></tbody></table>",
    ),
    (
        "<ul><li>a<ul><li>b</li></ul></li></ul>",
        "<ul><li>a</li></ul>",
        "<ul><li><span>a</span><ul><li><del>b</del></li></ul></li></ul>",
    ),
    ('<h2 id="a">Old</h2>', '<h2 id="b">New</h2>', "<h2><del>Old</del><ins>New</ins></h2>"),
    ('<p>x <img src="a.png" alt=""></p>', '<p>x <img src="b.png" alt=""></p>', None),
    (
        "<pre><code>a  b\n c</code></pre>",
        "<pre><code>a  b\n d</code></pre>",
        "<pre><code>a  b\n <del>c</del><ins>d</ins></code></pre>",
    ),
    ("<p>gone far away</p><p>stays</p>", "<p>stays</p>", "<p><del>gone far away</del></p><p>stays</p>"),
]


@pytest.mark.parametrize(("before", "after", "marked"), CASES)
def test_what_changed_is_marked_in_its_place(before: str, after: str, marked: str | None) -> None:
    assert rendered_diff(before, after) == (
        marked or '<p>x <del><img src="a.png" alt=""></del><ins><img src="b.png" alt=""></ins></p>'
    )


def test_unchanged_blocks_are_folded_but_for_those_beside_a_change() -> None:
    before = "".join(f"<p>{n}</p>" for n in range(9))
    found = rendered_diff(before, before.replace("<p>6</p>", "<p>6 x</p>"))
    assert found is not None
    assert re.sub(r"<details>.*?</details>", "…", found) == "…<p>5</p><p>6<ins> x</ins></p><p>7</p><p>8</p>"
    assert "<summary>5 blocks unchanged</summary><p>0</p>" in found


def test_what_readers_see_the_same_is_empty() -> None:
    assert rendered_diff('<h2 id="a">x</h2>', '<h2 id="b">x</h2>') == ""


def test_what_is_nested_too_deep_is_not_compared() -> None:
    deep = "<blockquote>" * (DEEPEST + 1) + "x" + "</blockquote>" * (DEEPEST + 1)
    assert rendered_diff(deep, "<p>x</p>") is None


def test_a_paragraph_too_large_for_words_is_marked_as_a_whole() -> None:
    before = " ".join(f"w{n}" for n in range(MOST_TOKENS))
    found = rendered_diff(f"<p>{before}</p>", f"<p>{before} x</p>")
    assert found == f"<p><del>{before}</del><ins>{before} x</ins></p>"


_inline = st.recursive(
    st.sampled_from(["a ", "b", " c", "&amp;", "<br>", "<code>x y</code>"]),
    lambda inner: st.tuples(st.sampled_from(["em", "strong", "a"]), st.lists(inner, max_size=3)).map(
        lambda made: f"<{made[0]}>{''.join(made[1])}</{made[0]}>"
    ),
    max_leaves=6,
)
_block = st.recursive(
    st.lists(_inline, min_size=1, max_size=5).map(lambda words: f"<p>{''.join(words)}</p>"),
    lambda inner: st.lists(inner, min_size=1, max_size=3).map(
        lambda items: "<ul>" + "".join(f"<li>{item}</li>" for item in items) + "</ul>"
    ),
    max_leaves=5,
)
_pages = st.lists(_block, max_size=4).map("".join)


def _without(marked: str, gone: str, kept: str) -> str:
    """The words that stand there once what is marked ``gone`` is away."""
    text = re.sub(r"<summary>.*?</summary>", "", marked)
    text = re.sub(rf"<{gone}>.*?</{gone}>", "", text, flags=re.DOTALL)
    return re.sub(r"\s+", "", re.sub(r"<[^>]*>", "", text))


@given(_pages, _pages)
def test_without_the_one_marks_it_is_the_old_page_and_without_the_others_the_new_one(
    before: str, after: str
) -> None:
    found = rendered_diff(before, after)
    assert found is not None
    if not found:
        return
    words = [re.sub(r"\s+", "", re.sub(r"<[^>]*>", "", each)) for each in (before, after)]
    assert [_without(found, "ins", "del"), _without(found, "del", "ins")] == words


@given(_pages, _pages)
def test_every_tag_that_is_opened_is_closed(before: str, after: str) -> None:
    stack: list[str] = []
    for closing, name in re.findall(r"<(/?)(\w+)[^>]*>", rendered_diff(before, after) or ""):
        if name == "br":
            continue
        if closing:
            assert stack.pop() == name
        else:
            stack.append(name)
    assert stack == []
