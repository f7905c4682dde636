"""Saved pages of HTML and tables as CSV become pages: text without what stands around it, links as references."""

from __future__ import annotations

import pytest

from mokuji.core.base.errors import BadFile
from mokuji.core.language.page import Page, PageHead
from mokuji.formats.html_in import read_html, read_table
from tests.formats.test_markdown_in import taken

PAGE = """<!doctype html><html><head><title>Pump | Site</title><style>p { color: red }</style></head><body>
<nav><a href="x.html">Away</a></nav><main>
<h1>Pump</h1><p>See <a href="valve.html#open-it">the <em>valve</em></a>, <a href="https://example.org/a_(b)">out</a>.</p>
<h2 id="old">Open it<a class="mark" href="#old">#</a></h2>
<pre><code class="language-js">let a = [[1]];</code></pre>
<table><tr><th>A</th><th>B</th></tr><tr><td>1 | 2</td><td><img src="img/a b.png" alt="A [b]"></td></tr></table>
<p>One<br>Two</p><p>Costs $5 #tag @name [[not one]] 2 * 3 &lt;b&gt;</p><script>alert(1)</script>
</main><footer>Foot</footer></body></html>"""


def test_a_page_is_its_text_and_nothing_around_it() -> None:
    title, text = read_html(PAGE.encode(), "pump.html")
    assert title == "Pump"
    for gone in ("Away", "Foot", "alert", "color"):
        assert gone not in text
    assert "[the *valve*](valve.html#open-it)" in text
    assert "[out](<https://example.org/a_(b)>)" in text
    assert "## Open it {#old}" in text
    assert "One\\\nTwo" in text
    assert "```js\nlet a = [[1]];\n```" in text
    content = Page(PageHead(0, 0, "", ""), text).content
    assert not (content.references or content.marks or content.handles or content.formulas)


def test_links_between_pages_of_html_are_references_and_their_line_is_that_of_the_file() -> None:
    valve = "<title>Valve</title><body><h1>Valve</h1><h2>Open it</h2><p>"
    valve += "<a href='pump.html'>back</a> <a href='no.html'>x</a>"
    found = taken(
        {"pump.html": PAGE, "valve.html": valve, "img/a b.png": b"png", "both.md": "x", "both.html": "y"}
    )
    pages = dict(found.pages)
    assert sorted(pages) == ["Pump", "Valve", "both"] and pages["both"] == "x"
    assert "[[Valve#Open it|the *valve*]]" in pages["Pump"]
    assert "[[Pump|back]]" in pages["Valve"]
    assert "![A \\[b\\]](a-b.png)" in pages["Pump"]
    lost = [each for each in found.links if each.became == "lost"]
    assert [(each.path, each.line) for each in lost] == [("valve.html", 1)]


def test_the_name_of_the_site_is_no_part_of_titles() -> None:
    files = {f"{n}.html": f"<title>Page {n} | The site</title><body><p>x" for n in range(3)}
    assert [title for title, _ in taken(files).pages] == ["Page 0", "Page 1", "Page 2"]
    assert [title for title, _ in taken({"a.html": files["0.html"]}).pages] == ["Page 0 | The site"]


@pytest.mark.parametrize(
    "html",
    ["", "<p", "<a" * 50_000, "<div>" * 50_000, "<table>" * 3_000, "\0", "<title>", "&#xD800;", "<h1></h1>"],
)
def test_whatever_is_no_page_is_read_or_refused_in_a_sentence(html: str) -> None:
    try:
        title, text = read_html(html.encode(), "x.html")
    except BadFile as refused:
        assert "nested too deeply" in refused.message
    else:
        assert isinstance(title, str) and text.endswith("\n")
    taken({"x.html": html.encode()})


@pytest.mark.parametrize(
    ("csv", "table"),
    [
        ("a,b\n1,2\n", "| a | b |\n|---|---|\n| 1 | 2 |\n"),
        ('a;b\n"x\ny";"2|3"\n', "| a | b |\n|---|---|\n| x y | 2\\|3 |\n"),
        ("a\tb\n1\n", "| a | b |\n|---|---|\n| 1 |  |\n"),
        ("\ufeffa,b\n*x*,[[y]] #z\n", "| a | b |\n|---|---|\n| \\*x\\* | \\[\\[y\\]\\] \\#z |\n"),
    ],
)
def test_a_table_of_csv_is_a_table(csv: str, table: str) -> None:
    assert read_table(csv.encode(), "x.csv") == table
    assert dict(taken({"limits.csv": csv}).pages) == {"limits": table}


@pytest.mark.parametrize("data", [b"", b"\n\n", b"\xff", b"a," * 60, b"a,b\n" * 6_000])
def test_what_is_no_table_is_refused_in_a_sentence(data: bytes) -> None:
    with pytest.raises(BadFile, match=r"“x\.csv”"):
        read_table(data, "x.csv")
