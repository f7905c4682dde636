"""Documents of other programs become pages, by pandoc: text, tables, formulas, footnotes, pictures, links; what is
hostile in them is a sentence."""

from __future__ import annotations

import io
import subprocess
import zipfile
from collections.abc import Mapping
from pathlib import Path

import pytest

from mokuji.adapters import pandoc
from mokuji.core.base.errors import BadFile, Refused
from mokuji.formats import documents_in
from mokuji.formats.markdown_in import Taken, take
from mokuji.services.folders import converting
from tests.outside.test_media import picture

WORDS = """---
title: Pump manual
---

# Before use

Hold *it* by $x^{2}$ and **wait**.^[A note of *two* words.]

| a | b |
|---|---|
| 1 | 2 |

- one
    - two

![A pump](pump.png)

See [below](#after-use) and [out](https://example.org).

# After use

```python
x = [[1]]
```

> A quotation with #no mark and @nobody.
"""
GUIDE = """
.. _start:

=====
Guide
=====

.. toctree::
   :maxdepth: 1

   deep/pump
   The valve <valve>
   missing

See :ref:`open-it`, :doc:`the pump <deep/pump>`, :ref:`words <nowhere>`, :func:`os.path.join`, :meth:`~a.b.c`, :pep:`8`.

.. note::

   Take care.

.. versionadded:: 3.2
   The thing.

.. function:: cut(a, b)

   It cuts [[not this]].
"""
PUMP = "Pump\n====\n\n.. _open-it:\n\nOpen it\n-------\n\nBack to :ref:`start` and :doc:`/valve`.\n"
VALVE = "Valve\n=====\n\n.. include:: /etc/passwd\n\n.. literalinclude:: ../x.py\n\n"
VALVE += ".. image:: pic.png\n   :alt: A pic\n"
ADOC = """= Tank of it

Intro, stem:[x^2], see <<other.adoc#part,the part>> and <<Second>>.footnote:[Told.]

WARNING: Hot.

== Second

* [x] done
* [ ] open

include::/etc/passwd[]
"""
OTHER = "= Other\n\n[#part]\n== A part\n\nx\n"


def _taken(files: Mapping[str, bytes]) -> Taken:
    documents = documents_in.read(list(files), files.__getitem__, pandoc.html_of)
    return take(list(files), files.__getitem__, "Set", documents)


@pytest.fixture(scope="module")
def docx(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    folder = tmp_path_factory.mktemp("docx")
    (folder / "pump.png").write_bytes(picture("PNG"))
    (folder / "pump.md").write_text(WORDS)
    subprocess.run(["pandoc", "-f", "markdown", "-o", "pump.docx", "pump.md"], cwd=folder, check=True)
    return (folder / "pump.docx").read_bytes()


def test_a_document_of_a_word_processor_is_a_page_with_its_pictures(docx: bytes) -> None:
    made = _taken({"in/Pump 1.docx": docx, "see.md": b"[the pump](in/Pump%201.docx#after-use)"})
    pages = dict(made.pages)
    text = pages["Pump manual"]
    assert "Hold *it* by $x^{2}$ and **wait**.[^fn1]" in text and "[^fn1]: A note of *two* words." in text
    assert "| a | b |" in text and "- one\n  - two" in text
    assert "See [[#After use|below]] and [out](https://example.org)." in text
    assert "x = [[1]]" in text and "A quotation with \\#no mark and \\@nobody." in text
    ((name, path),) = made.files.items()
    assert made.inside[path] == picture("PNG") and f"![A pump]({name})" in text
    assert pages["see"] == "[[Pump manual#After use|the pump]]"
    assert [str(each) for each in made.links if each.became in {"lost", "section lost"}] == []


def test_a_collection_of_restructuredtext_is_pages_in_the_order_that_it_says() -> None:
    files = {"index.rst": GUIDE, "deep/pump.rst": PUMP, "valve.rst": VALVE, "pic.png": "x"}
    made = _taken({path: text.encode() for path, text in files.items()})
    pages = dict(made.pages)
    assert [(row.depth, row.title) for row in made.contents] == [(0, "Guide"), (1, "Pump"), (1, "Valve")]
    assert pages["Guide"].startswith("- [[Pump]]\n- [[Valve]]\n")
    assert (
        "See [[Pump#Open it|Open it]], [[Pump|the pump]], words, `os.path.join`, `c`, PEP 8."
        in pages["Guide"]
    )
    assert "> **Note:** Take care." in pages["Guide"] and "*New in 3.2*: The thing." in pages["Guide"]
    assert "**`cut(a, b)`**\n\nIt cuts \\[[not this]]." in pages["Guide"]
    assert pages["Pump"] == "## Open it\n\nBack to [[Guide]] and [[Valve]].\n"
    assert "![A pic](pic.png)" in pages["Valve"]
    lost = [str(each) for each in made.links if each.became == "lost"]
    assert lost == ["index.rst:15: words <nowhere> leads to nothing in the folder; its words stay."]
    assert [each.partition(" would")[0] for each in made.problems] == [
        "valve.rst:4: “/etc/passwd”",
        "valve.rst:6: “../x.py”",
    ]
    assert not any("root:" in text for text in pages.values())


def test_asciidoc_is_read_by_way_of_docbook() -> None:
    made = _taken({"tank.adoc": ADOC.encode(), "other.adoc": OTHER.encode()})
    pages = dict(made.pages)
    text = pages["Tank of it"]
    assert "Intro, $x^2$, see [[Other#part|the part]] and [[#Second|Second]].[^fn1]" in text
    assert "> **Warning:** Hot." in text and "- [x] done\n- [ ] open" in text and "[^fn1]: Told." in text
    assert "## A part {#part}" in pages["Other"] and "root:" not in text


def test_what_pandoc_cannot_read_is_left_out_with_a_sentence(
    docx: bytes, monkeypatch: pytest.MonkeyPatch
) -> None:
    bomb = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(docx)) as good, zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as made:
        for name in good.namelist():
            data = good.read(name)
            if name == "word/document.xml":
                entity = '<!DOCTYPE d [<!ENTITY x SYSTEM "file:///etc/passwd">]>'
                data = data.replace(b"?>", f"?>{entity}".encode(), 1).replace(
                    b"Before use", b"Before &x; use"
                )
            made.writestr(name, data)
    files = {"a.docx": b"no zip", "b.docx": b"", "c.docx": bomb.getvalue(), "good.md": b"x"}
    taken = _taken(files)
    assert not any("root:" in text for _, text in taken.pages)
    assert "good" in dict(taken.pages)
    said = [each for each in taken.problems if each.startswith(("a.docx", "b.docx"))]
    assert len(said) == 2 and all("cannot be read by pandoc" in each for each in said)
    monkeypatch.setattr(pandoc, "SECONDS", 0.01)
    with pytest.raises(BadFile, match="takes longer than"):
        pandoc.html_of(docx, "docx", "pump.docx")
    monkeypatch.setattr(pandoc, "SECONDS", 60.0)
    monkeypatch.setattr(pandoc, "MOST_READ", 10)
    with pytest.raises(BadFile, match="Part it in several"):
        pandoc.html_of(docx, "docx", "pump.docx")


def test_a_document_that_unpacks_to_more_than_the_memory_it_may_have_is_refused(
    docx: bytes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(pandoc, "MOST_MEMORY", 60_000_000)
    large = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(docx)) as good, zipfile.ZipFile(large, "w", zipfile.ZIP_DEFLATED) as made:
        for name in good.namelist():
            data = good.read(name)
            if name == "word/document.xml":
                run = b"<w:p><w:r><w:t>word and word</w:t></w:r></w:p>"
                data = data.replace(b"<w:body>", b"<w:body>" + run * 400_000, 1)
            made.writestr(name, data)
    assert len(large.getvalue()) < 1_000_000
    with pytest.raises(BadFile, match="more memory than one document may"):
        pandoc.html_of(large.getvalue(), "docx", "large.docx")


def test_without_the_programs_it_is_said_how_to_get_them(
    tmp_path: Path, docx: bytes, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "pump.docx").write_bytes(docx)
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(BadFile, match=r"pump\.docx: .*apt-get install pandoc"):
        converting.converted(tmp_path / "in")
    (tmp_path / "in" / "a.md").write_text("x")
    made = converting.converted(tmp_path / "in")
    assert [title for title, _ in made.pages] == ["a"] and "apt-get install pandoc" in made.problems[0]
    with pytest.raises(Refused, match="apt-get install pandoc"):
        pandoc.need()


def test_pictures_of_a_document_are_written_with_its_pages(tmp_path: Path, docx: bytes) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "pump.docx").write_bytes(docx)
    made = converting.converted(tmp_path / "in")
    assert converting.write(made, tmp_path / "in", tmp_path / "out") == 4
    written = [path for path in (tmp_path / "out").rglob("*") if path.suffix == ".png"]
    assert [path.read_bytes() for path in written] == [picture("PNG")]
