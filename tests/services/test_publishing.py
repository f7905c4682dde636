"""Pages taken away as what other programs read: all that is led to leads there, and nothing else comes along."""

from __future__ import annotations

import io
import re
import subprocess
import zipfile
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import unquote

import pytest
from lxml import etree
from lxml.html import document_fromstring
from markdown_it import MarkdownIt
from PIL import Image

from mokuji.acts import doing, requests
from mokuji.core.base.errors import BadRequest, Forbidden, Missing, Refused
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.formats.html_in import slug
from mokuji.formats.markdown_in import take
from mokuji.services import audit
from mokuji.services.app_context import AppContext
from mokuji.services.publishing import carried, forms, taking_away
from mokuji.services.publishing.chapters import LeftBehind, Reach
from mokuji.services.publishing.forms import Asked, Form
from mokuji.services.writing import files
from tests.outside.test_media import picture
from tests.services.making import pages, person, volume

SVG = b'<svg xmlns="http://www.w3.org/2000/svg" width="40" height="30"><rect width="40" height="30" fill="#f00"/></svg>'
GUIDE = {
    "Start": "See [[Pump]], [[pump#Valves and Seals|its valves]], [[Vault/Heron plan]], [[Not written]].\n\n"
    "[[=Notice | word: Mind the [[Tank]]]]\n\n![A picture](view.png) and ![drawn](view.svg), [the sheet](sheet.pdf).\n",
    "Pump": "---\ncategories: [Parts, Wet]\nowner: Ada\nslots: {}\n---\nHeld[^a] by $x^2$ and H<sub>2</sub>O.\n\n"
    '## Valves and Seals\n\n| a | b |\n|---|--:|\n| [[Start]] | 1 |\n| " | 2 |\n\n### Valves and Seals\n\n'
    "[[#Own id]]\n\n## Own {#own-id}\n\n```dot\ndigraph { a -> b }\n```\n\n```python How\nx = 1\n```\n\n"
    "[^a]: A *note* to [[Tank]].\n",
    "Tank": "- [x] (A) Clean it @ada #wet\n- [ ] Fill\n\n> **Warning:** hot\n\n[[=*| category: Parts]]\n",
    "Notice": "---\nslots:\n  word:\n---\n**Take care:** ${word}\n",
    "A/B": "one [[A-B]]",
    "A-B": "two [[A/B]]",
    "index": "[[left-behind]] and [[Start]]",
    "left-behind": "x",
    "Vault talk": "[[=Vault/Heron plan]]",
}


@pytest.fixture
def owner(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Vault", closed=True)
    owner = person(app, "ada", guide=Role.OWNER, vault=Role.OWNER)
    pages(app, owner, "vault", {"Heron plan": "heron secret, see [[Heron log]]", "Heron log": "x"})
    pages(app, owner, "guide", GUIDE)
    files.bring(app, owner, "guide", "view.png", picture("PNG"))
    files.bring(app, owner, "guide", "view.svg", SVG)
    files.bring(app, owner, "guide", "sheet.pdf", b"%PDF-1.4\n%%EOF\n")
    outline = "- [[Start]]\n  - [[Pump]]\n    - [[Tank]]\n  - [[Parts of it]]\n    - [[A/B]]\n- [[index]]\n"
    doing.apply(app, owner, requests.Contents("guide", outline), None)
    return owner


def _made(
    app: AppContext, actor: Actor, form: Form, page: str = "", reach: Reach = Reach.VOLUME
) -> tuple[dict[str, bytes], LeftBehind]:
    with taking_away.written(app, actor, Asked("guide", page, reach), form) as written:
        made: dict[str, bytes] = {}
        for path, data in written.files:
            made[path] = made.get(path, b"") + data
        return made, written.left


def _links(text: str) -> Iterator[str]:
    for token in MarkdownIt("commonmark").enable("table").parse(text):
        for each in token.children or ():
            if each.type in {"link_open", "image"}:
                yield str(each.attrs.get("href") or each.attrs["src"])


def test_every_link_of_commonmark_leads_to_a_file_that_came_along_and_to_a_section_in_it(
    app: AppContext, owner: Actor
) -> None:
    made, left = _made(app, owner, Form.COMMONMARK)
    texts = {path: data.decode() for path, data in made.items() if path.endswith(".md")}
    asked = 0
    for path, text in texts.items():
        for link in _links(text.partition("\n---\n")[2] or text):
            target, _, section = unquote(link).partition("#")
            at = target or path
            assert at in made, (path, link)
            if section:
                words = [
                    slug(re.sub(r"<[^>]*>", "", each)) for each in re.findall(r"^#+ (.*)$", texts[at], re.M)
                ]
                numbered = [f"{w}-{words[:n].count(w)}" if w in words[:n] else w for n, w in enumerate(words)]
                assert section in numbered or f'<a id="{section}">' in texts[at], (path, link)
            asked += 1
    assert asked > 20
    assert set(made) >= {
        "Start.md",
        "A-B.md",
        "A-B (2).md",
        "index (2).md",
        "left-behind (2).md",
        "files/view.png",
    }
    assert left.pages == Counter({"Vault/Heron plan": 1, "Vault/Heron log": 1}) and left.unwritten == Counter(
        {"Not written": 1}
    )
    assert b"Vault/Heron plan" in made["left-behind.md"]


def test_a_page_as_commonmark_reads_as_it_does_here(app: AppContext, owner: Actor) -> None:
    made, _ = _made(app, owner, Form.COMMONMARK)
    assert made["Start.md"].decode() == (
        "---\ntitle: Start\n---\n\n# Start\n\n"
        "See [Pump](Pump.md), [its valves](Pump.md#valves-and-seals), Heron plan, Not written.\n\n"
        "**Take care:** Mind the [Tank](Tank.md)\n\n"
        "![A picture](files/view.png) and ![drawn](files/view.svg), [the sheet](files/sheet.pdf).\n"
    )
    pump = made["Pump.md"].decode()
    assert pump.startswith(
        "---\ntitle: Pump\nowner: Ada\ncategories:\n- Parts\n- Wet\n---\n\n# Pump\n\nHeld[^1] by $x^2$"
    )
    assert "```dot\ndigraph { a -> b }\n```" in pump and "*How*\n\n```python\nx = 1\n```" in pump
    assert pump.endswith("[^1]: A *note* to [Tank](Tank.md).\n")
    tank = made["Tank.md"].decode()
    assert "- [x] (A) Clean it @ada #wet\n- [ ] Fill" in tank and "> **Warning:** hot" in tank
    assert "- [Pump](Pump.md)" in tank
    assert made["index.md"].decode() == (
        "# Guide\n\n- [Start](Start.md)\n  - [Pump](Pump.md)\n    - [Tank](Tank.md)\n  - Parts of it\n"
        "    - [A/B](A-B.md)\n- [index](index%20%282%29.md)\n"
        "- [A-B](A-B%20%282%29.md)\n- [left-behind](left-behind%20%282%29.md)\n"
        "- [Notice](Notice.md)\n- [Vault talk](Vault%20talk.md)\n"
    )


def test_what_went_out_as_commonmark_is_taken_in_again_without_a_link_lost(
    app: AppContext, owner: Actor
) -> None:
    made, _ = _made(app, owner, Form.COMMONMARK)
    back = take(list(made), made.__getitem__, "Guide")
    assert [str(each) for each in back.links if each.became in {"lost", "section lost"}] == []
    titles = {title for title, _ in back.pages}
    assert titles >= {"Start", "Pump", "Tank", "A/B", "A-B", "Notice"}
    assert "[[Pump#Valves and Seals|its valves]]" in dict(back.pages)["Start"]


def test_one_html_file_needs_nothing_beside_it_and_every_link_leads_into_it(
    app: AppContext, owner: Actor
) -> None:
    made, left = _made(app, owner, Form.HTML)
    ((name, data),) = made.items()
    page = document_fromstring(data.decode())
    ids = Counter(page.xpath("//@id"))
    assert name == "Guide.html" and ids.most_common(1)[0][1] == 1, ids
    hrefs = page.xpath("//a/@href")
    assert [href for href in hrefs if not href.startswith(("#", "data:"))] == []
    assert [href for href in hrefs if href.startswith("#") and unquote(href[1:]) not in ids] == []
    assert all(each.startswith("data:image/") for each in page.xpath("//img/@src"))
    assert not page.xpath(
        "//script | //link | //*[@class='source'] | //*[@class='problem'] | //*[@data-card]"
    )
    levels = [
        (each.tag, " ".join(each.text_content().split())) for each in page.xpath("//h1|//h2|//h3|//h4|//h5")
    ]
    assert levels[:6] == [
        ("h1", "Guide"),
        ("h2", "1 Start"),
        ("h3", "1.1 Pump"),
        ("h4", "Valves and Seals"),
        ("h5", "Valves and Seals"),
        ("h4", "Own"),
    ]
    assert (
        page.xpath("//svg")
        and page.xpath("//math")
        and left.pages == Counter({"Vault/Heron plan": 1, "Vault/Heron log": 1})
    )
    assert "heron" not in data.decode().lower().replace("heron plan", "").replace(
        "heron secret, see heron log", ""
    )


def test_a_document_has_its_headings_its_pictures_and_bookmarks_for_every_link(
    app: AppContext, owner: Actor
) -> None:
    made, left = _made(app, owner, Form.DOCX)
    ((name, data),) = made.items()
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert archive.testzip() is None
        document = etree.fromstring(archive.read("word/document.xml"))
        pictures = [each for each in archive.namelist() if each.startswith("word/media/")]
        sizes = [Image.open(io.BytesIO(archive.read(each))).size for each in pictures]
        types = archive.read("[Content_Types].xml").decode()
    word = {"w": "http://schemas.openxmlformats.org/wordprocessingml/2006/main"}
    names = set(document.xpath("//w:bookmarkStart/@w:name", namespaces=word))
    anchors = set(document.xpath("//w:hyperlink/@w:anchor", namespaces=word))
    assert name == "Guide.docx" and anchors and anchors <= names
    # Drawings are PNG at twice their size: not every word processor shows SVG.
    assert (
        {each.rpartition(".")[2] for each in pictures} == {"png"} and (80, 60) in sizes and (40, 30) in sizes
    )
    assert "base64" not in types and "svg" not in types
    math = {"m": "http://schemas.openxmlformats.org/officeDocument/2006/math"}
    assert document.xpath("//m:sSup", namespaces=math) and left.files == Counter({"sheet.pdf": 1})
    read = subprocess.run(
        ["pandoc", "--sandbox", "-f", "docx", "-t", "plain"], check=True, input=data, capture_output=True
    )
    assert b"Take care: Mind the Tank" in read.stdout and b"heron secret" in read.stdout
    assert "☑ (A) Clean it" in read.stdout.decode() and "☐ Fill" in read.stdout.decode()


def test_what_a_reader_may_not_read_is_in_no_form(app: AppContext, owner: Actor) -> None:
    reader = person(app, "bo", guide=Role.READER)
    for form in Form:
        made, left = _made(app, reader, form)
        data = b"".join(made.values())
        if form is Form.DOCX:
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                data = b"".join(archive.read(each) for each in archive.namelist())
        assert b"secret" not in data, form
        assert not left.pages and left.unwritten["Vault/Heron plan"] == 2, (
            "it looks as if it were not written"
        )
    with pytest.raises(Forbidden):
        _made(app, NOBODY, Form.HTML)
    with pytest.raises(Missing), taking_away.written(app, reader, Asked("vault"), Form.HTML):
        pass


def test_a_page_or_a_branch_goes_alone_and_what_it_leads_to_elsewhere_is_named(
    app: AppContext, owner: Actor
) -> None:
    made, left = _made(app, owner, Form.COMMONMARK, "pump", Reach.PAGE)
    assert set(made) == {"Pump.md", "left-behind.md"} and left.pages == Counter({"Start": 1, "Tank": 1})
    made, left = _made(app, owner, Form.COMMONMARK, "pump", Reach.BRANCH)
    assert set(made) == {"Pump.md", "Tank.md", "index.md", "left-behind.md"}
    ((_, data),) = _made(app, owner, Form.HTML, "pump", Reach.PAGE)[0].items()
    page = document_fromstring(data.decode())
    assert [each.tag for each in page.xpath("//h1|//h2|//h3")] == ["h1", "h2", "h3", "h2"]
    assert not page.xpath("//nav") and page.xpath("//footer")


def test_a_folder_says_which_pages_of_other_volumes_it_needs(app: AppContext, owner: Actor) -> None:
    left = taking_away.left_of_folder(app, owner, "guide")
    assert left is not None and left.pages == Counter({"Vault/Heron plan": 2})
    reader = person(app, "bo", guide=Role.READER)
    told = taking_away.left_of_folder(app, reader, "guide")
    assert told is not None and not told, "what is closed is not told"
    assert taking_away.left_of_folder(app, owner, "guide", most=3) is None
    assert taking_away.led_out_of(app, "guide") == ["Vault/Heron plan"]


def test_what_cannot_be_chosen_is_said_before_anything_sets_out(app: AppContext, owner: Actor) -> None:
    with pytest.raises(BadRequest, match="commonmark, html, docx"):
        taking_away.asked("guide", "", "", "pdf")
    with pytest.raises(BadRequest, match="from which page"):
        taking_away.asked("guide", "", "branch", "html")
    with pytest.raises(Missing):
        taking_away.sent(app, owner, Asked("guide", "nowhere", Reach.PAGE), Form.HTML)
    volume(app, "Empty")
    with pytest.raises(Missing, match="no page"):
        taking_away.sent(app, owner, Asked("empty"), Form.HTML)


def test_bounds_are_said_in_a_sentence(
    app: AppContext, owner: Actor, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(forms, "MOST", dict.fromkeys(Form, 3))
    with pytest.raises(Refused, match="9 pages, and one file of this form takes 3"):
        taking_away.sent(app, owner, Asked("guide"), Form.HTML)
    monkeypatch.setattr(carried, "MOST_INSIDE", 10)
    with pytest.raises(Refused, match="Take a branch, or another form"):
        b"".join(taking_away.sent(app, owner, Asked("guide", "start", Reach.PAGE), Form.HTML).parts())
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(Refused, match="apt-get install pandoc"):
        taking_away.sent(app, owner, Asked("guide", "pump", Reach.PAGE), Form.DOCX)
    assert "pandoc" in taking_away.choice(app, owner, "guide").no_documents


def test_a_volume_that_is_taken_away_stands_in_the_audit_trail(app: AppContext, owner: Actor) -> None:
    sent = taking_away.sent(app, owner, Asked("guide"), Form.COMMONMARK)
    with zipfile.ZipFile(io.BytesIO(b"".join(sent.parts()))) as archive:
        assert archive.testzip() is None and "Start.md" in archive.namelist()
    assert "Guide.zip" in sent.headers["Content-Disposition"]
    found = audit.trail(app, owner, audit.Wanted(kind="taken away")).entries
    assert [(entry.by, entry.said) for entry in found] == [("ada", "as commonmark")]
