"""A volume that was written into a folder is read from it again, whatever its pages are called and say."""

from __future__ import annotations

import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base import names
from mokuji.core.base.errors import BadName
from mokuji.core.model.contents import Row
from mokuji.core.style.style import Style
from mokuji.formats.folder import FolderVolume, read
from mokuji.formats.folder_base import ALL, Base, read_base
from mokuji.formats.folder_out import Names, OutPage, OutVolume, VolumeOut, beside

AWKWARD = [
    "contents",
    "Contents",
    "files",
    "A/B",
    "A-C",
    "A:C",
    ".hidden",
    "CON",
    "nul.txt",
    "com1",
    "漢" * 120,
    "漢" * 119 + "字",
    "e\u0301tape",
    "Ends with a dot.",
    "50% off?",
    "“Quoted” * | <b>",
    "yes",
    "1.10",
    "a: b",
    "- list",
    "Straße",
]
TEXTS = [
    "",
    "plain\n",
    "---\ntitle: Its own\n---\nx",
    "---\ntitle: [a, list]\n---\nx",
    "---\n---\n",
    "---\n\n---\nempty front",
    "\ufeffBOM",
    "\ufeff---\nsummary: s\n---\nBOM and front",
    "---\nsummary: s\naliases: [x]\n---\r\ntext\r\n",
    "---\nbroken: [\n---\nx",
    "---\nnever closed\n",
    "--- \ntitle : odd\n---\nx",
    "text\n---\ntitle: no front\n---\n",
    "---\nTitle: other case\nsummary: x\n---\n",
    "---\r\ncategories: [A]\r\n---\r\nx\r\n",
    "---\n? title\n: explicit\n---\nx",
]


def _title(typed: str) -> str | None:
    try:
        return names.check_title(typed)
    except BadName:
        return None


TITLES = st.lists(st.one_of(st.sampled_from(AWKWARD), st.text(min_size=1, max_size=12)), max_size=8).map(
    lambda typed: [*{names.key(title): title for each in typed if (title := _title(each))}.values()]
)


def _files(volume: OutVolume, pages: list[OutPage]) -> dict[str, bytes]:
    out = VolumeOut(volume, "Top")
    written = [*out.about(), *map(out.page, pages), *beside("w", [out], {})]
    assert len({path for path, _ in written}) == len(written)
    return dict(written)


def _back(files: dict[str, bytes]) -> FolderVolume:
    wiki = read(files.items())
    assert wiki.problems == () or {each.code for each in wiki.problems} <= {"front_matter"}, wiki.problems
    (volume,) = wiki.volumes
    return volume


@given(TITLES, st.data())
def test_what_went_out_comes_back(titles: list[str], data: st.DataObject) -> None:
    texts = st.one_of(
        st.sampled_from(TEXTS), st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=30)
    )
    pages = [OutPage(n, n + 1, title, data.draw(texts)) for n, title in enumerate(titles)]
    placed = [title for title in titles if data.draw(st.booleans())]
    rows = [Row.of(0, title) for title in placed]
    volume = OutVolume(
        1,
        "Top",
        rows,
        summary=data.draw(st.sampled_from(["", "In: a sentence", "yes"])),
        closed=data.draw(st.booleans()),
        front=titles[0] if titles else None,
        libraries=["Parts and data", "true"],
        language=data.draw(st.sampled_from(["", "de", "no"])),
        style=Style(words=("1.0", "buoy")),
    )
    back = _back(_files(volume, pages))
    assert {page.title: page.text for page in back.pages} == {page.title: page.text for page in pages}
    assert back.spare == ()
    assert [Row.of(depth, title) for depth, title in back.contents] == rows
    told = (back.title, back.summary, back.closed, back.front, list(back.libraries), back.language)
    assert told == (
        "Top",
        volume.summary,
        volume.closed,
        volume.front,
        list(volume.libraries),
        volume.language,
    )
    assert back.style == volume.style


@given(TITLES)
def test_no_two_files_have_names_that_a_file_system_takes_for_one(titles: list[str]) -> None:
    given_names = Names(("contents",))
    made = [given_names.give(title) for title in titles]
    folded = [unicodedata.normalize("NFC", unicodedata.normalize("NFD", each).casefold()) for each in made]
    assert len({*folded, "contents"}) == len(made) + 1
    for each in made:
        assert len(each.encode()) <= 200 and not set(each) & set('/\\:*?"<>|\0')
        assert not each.startswith(".") and each == each.strip(" .")


@pytest.mark.parametrize("name", ["con", "COM3", "nul", "lpt9.log"])
def test_names_of_devices_are_not_given(name: str) -> None:
    assert Names().give(name).lower() != name.lower()


def test_a_file_that_was_changed_since_says_its_title_itself() -> None:
    page = OutPage(1, 1, "Its title", "---\ntitle: Another\n---\nx")
    files = _files(OutVolume(1, "Top", ()), [page])
    (path,) = (path for path in files if path.endswith(".md") and "contents" not in path)
    assert _back(files).pages[0].title == "Its title"
    files[path] += b"more"
    (changed,) = _back(files).pages
    assert (changed.title, changed.text) == ("Another", "xmore")


@pytest.mark.parametrize(
    "line",
    [
        "",
        "null",
        "[]",
        "{}",
        '{"path": 1}',
        '{"name": 1, "hash": 2}',
        '{"top": "a", "title": "A", "volume": 1, "contents": [[0]]}',
        '{"top": "a", "title": "A", "volume": true, "contents": []}',
        '{"format": 2, "wiki": "w"}',
        "{" * 2_000,
        '{"path": "a", "title": "\\u0000", "hash": "x", "page": 1, "revision": 1}',
        '{"path": "a", "title": "A", "hash": 3, "page": 1, "revision": 1}',
        "\udcff",
    ],
)
def test_a_line_beside_the_files_that_is_none_is_passed_over(line: str) -> None:
    assert read_base(dict.fromkeys(ALL, line.encode("utf-8", "surrogateescape"))) == Base()
