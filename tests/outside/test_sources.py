"""Lists of sources against other programs: citeproc-py reads our CSL-JSON, bibtexparser our BibTeX, and back."""

from __future__ import annotations

import json
import warnings

import pytest
from bibtexparser.entrypoint import parse_string

from mokuji.core.base.errors import BadFile
from mokuji.core.model.sources import as_text
from mokuji.formats.bibliography import read, write_bibtex, write_json

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    from citeproc.source.json import CiteProcJSON

BIBTEX = r"""
% A comment, and a string that is used below.
@string{buoys = "Journal of Buoys"}
@article{quist-2021,
  author = {Quist, Mirela and de la Cruz, {\"O}rjan and {Sea Trials}},
  title = {Wear of {DNA} chains on sand \& gravel},
  journal = buoys, year = 2021, month = nov, volume = 3, number = 2, pages = {1--9},
  doi = {10.1000/xyz_1}, url = {https://harbour.example/a_b}
}
@book{gel, author = "Ida Ferrar", title = "Gel batteries at sea", publisher = {Lantern Press}, year = 2018,
  isbn = {978-0-306-40615-7}}
@techreport{sr, title = {Report}, institution = {Tern}, number = {SR-21-04}, date = {2021-04-03},
  urldate = {2026-05-01}}
@misc{web, title = {Notices}, howpublished = {\url{https://harbour.example/n}}}
"""


def test_bibtex_is_read_with_its_names_accents_and_dates() -> None:
    found = dict(read(BIBTEX.encode()).items)
    quist = found["quist-2021"]
    assert quist["title"] == "Wear of DNA chains on sand & gravel"
    assert quist["author"] == [
        {"family": "Quist", "given": "Mirela"},
        {"family": "Cruz", "given": "Örjan", "non-dropping-particle": "de la"},
        {"literal": "Sea Trials"},
    ]
    assert (quist["container-title"], quist["volume"], quist["issue"], quist["page"]) == (
        "Journal of Buoys",
        "3",
        "2",
        "1-9",
    )
    assert quist["issued"] == {"date-parts": [[2021, 11]]} and quist["DOI"] == "10.1000/xyz_1"
    assert found["gel"]["ISBN"] == "978-0-306-40615-7"
    assert found["sr"]["number"] == "SR-21-04" and found["sr"]["accessed"] == {"date-parts": [[2026, 5, 1]]}
    assert found["web"]["URL"] == "https://harbour.example/n"


def test_what_is_written_as_bibtex_another_reader_reads_alike_and_it_comes_back() -> None:
    items = read(BIBTEX.encode()).items
    written = write_bibtex(items)
    library = parse_string(written)
    assert not library.failed_blocks
    entries = {entry.key: {f.key: f.value for f in entry.fields} for entry in library.entries}
    assert set(entries) == {name for name, _ in items}
    quist = entries["quist-2021"]
    assert quist["journal"] == "Journal of Buoys" and quist["year"] == "2021" and quist["pages"] == "1--9"
    assert "{Sea Trials}" in quist["author"] and quist["url"] == "https://harbour.example/a_b"
    assert entries["sr"]["institution"] == "Tern"
    assert {entry.key: entry.entry_type for entry in library.entries}["gel"] == "book"
    back = dict(read(written.encode()).items)
    for name, item in items:
        assert as_text(back[name]) == as_text(item), name


def test_what_is_written_as_csl_json_citeproc_reads_with_all_names_and_dates() -> None:
    items = read(BIBTEX.encode()).items
    written = write_json(items)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        there = CiteProcJSON(json.loads(written))
    assert set(there) == {name for name, _ in items}
    quist = there["quist-2021"]
    assert str(quist["title"]) == "Wear of DNA chains on sand & gravel"
    assert [name.family for name in quist["author"][:2]] == ["Quist", "Cruz"]
    assert (quist["issued"].year, quist["issued"].month) == (2021, 11)
    assert read(written.encode()).items == items, "nothing is lost on the way there and back"


@pytest.mark.parametrize(
    "words", ["50 % & more", "a_b #1 $x$", "{odd", "}{", "back\\slash ~^", 'say "x"', "é — ü"]
)
def test_words_with_marks_of_latex_come_through_bibtex(words: str) -> None:
    item = {"type": "book", "title": words, "author": [{"family": words, "given": "A"}], "publisher": words}
    ((_, back),) = read(write_bibtex([("x", item)]).encode()).items
    assert back["title"] == words and back["publisher"] == words


def test_fields_that_are_not_known_here_go_through() -> None:
    told = [{"id": "x", "type": "dataset", "title": "T", "custom": {"a": [1, 2]}, "PMID": "123"}]
    ((_, item),) = read(json.dumps(told).encode()).items
    assert item["custom"] == {"a": [1, 2]} and json.loads(write_json([("x", item)])) == told


@pytest.mark.parametrize("data", [b"", b"hello", b"[1, 2", b"\xff\xfe\x00", b"<html>", b'"x"'])
def test_what_is_neither_is_refused(data: bytes) -> None:
    with pytest.raises(BadFile):
        read(data)


def test_what_cannot_be_read_is_said_and_the_rest_is_taken() -> None:
    found = read(b"@book{a, title={One}}\n@book{b, author={X}}\n@article{c, title={broken\n")
    assert [name for name, _ in found.items] == ["a"]
    assert any("“b” has no title" in problem for problem in found.problems) and len(found.problems) >= 2
    told = read(b'[{"id": "a", "title": "One"}, 5, {"id": "b"}]')
    assert [name for name, _ in told.items] == ["a"] and len(told.problems) == 2
