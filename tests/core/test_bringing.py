"""A folder comes back: which file is which page, what is brought together, what has to be chosen, in what order."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import pytest

from mokuji.core.base import names
from mokuji.core.model.contents import Row, place
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.bringing.bring import bring
from mokuji.core.refactor.bringing.comparing import Comparison, Side, compare
from mokuji.core.refactor.bringing.matching import Brought, Left, match
from mokuji.core.refactor.bringing.order import Order, brought_order
from mokuji.core.refactor.plans.save import save
from tests.properties.promises import applied
from tests.properties.test_bringing import Memory, as_left, hashed
from tests.wikis import page_called, wiki_of

LONG = "Open the valve slowly.\nWait for the sound.\nClose it again.\n"


def files_of(texts: Mapping[str, str], titles: Mapping[str, str] | None = None) -> list[Brought]:
    """Files by path, with their texts; their names are their titles unless ``titles`` says otherwise."""
    return [
        Brought(path, (titles or {}).get(path, path.removesuffix(".md")), text, hashed(text))
        for path, text in texts.items()
    ]


def left_of(texts: Mapping[str, str]) -> list[Left]:
    return [
        Left(f"{title}.md", title, hashed(text), True, number, 1)
        for number, (title, text) in enumerate(texts.items(), 1)
    ]


def matched(before: Mapping[str, str], after: Mapping[str, str]) -> dict[str, str]:
    """Which page each file of ``after`` is, by title; new files are none."""
    left = left_of(before)
    texts = dict(enumerate(before.values(), 1))
    found = match(files_of(after), left, lambda wanted: {each.page: texts[each.page] for each in wanted})
    gone = {entry.title for entry in found.gone}
    assert gone == before.keys() - {entry.title for entry in found.pages.values()}
    return {path: entry.title for path, entry in found.pages.items()}


@pytest.mark.parametrize(
    ("before", "after", "pages"),
    [
        ({"A": "a", "B": "b"}, {"A.md": "a", "B.md": "other"}, {"A.md": "A", "B.md": "B"}),
        ({"A": "a", "B": "b"}, {"A.md": "a", "C.md": "b"}, {"A.md": "A", "C.md": "B"}),
        ({"A": "a", "B": "b"}, {"A.md": "b", "B.md": "a"}, {"A.md": "B", "B.md": "A"}),
        ({"A": "a", "B": "b"}, {"A.md": "a", "B.md": "b", "C.md": "b"}, {"A.md": "A", "B.md": "B"}),
        ({"A": "a", "B": "b"}, {"A.md": "b", "B.md": "b"}, {"A.md": "A", "B.md": "B"}),
        ({"A": "a", "B": "b"}, {"A.md": "b"}, {"A.md": "A"}),
        ({"A": "a", "B": LONG}, {"A.md": "a", "C.md": LONG + "More.\n"}, {"A.md": "A", "C.md": "B"}),
        ({"A": "a", "B": LONG}, {"A.md": "a", "C.md": "Nothing of it.\n"}, {"A.md": "A"}),
        (
            {"A": "a", "B": "b", "C": "c"},
            {"A.md": "b", "B.md": "c", "C.md": "a"},
            {"A.md": "B", "B.md": "C", "C.md": "A"},
        ),
    ],
    ids=[
        "edited", "renamed", "exchanged", "copied", "one copied over another", "one moved over another",
        "renamed and edited", "another in its place", "all three moved on",
    ],
)  # fmt: skip
def test_a_file_is_the_page_that_it_was_whatever_it_is_called(
    before: Mapping[str, str], after: Mapping[str, str], pages: Mapping[str, str]
) -> None:
    assert matched(before, after) == pages


def guide(**texts: str) -> MemoryWiki:
    return wiki_of({"Guide": {title.replace("_", " "): text for title, text in texts.items()}})


def left_from(wiki: MemoryWiki) -> list[Left]:
    return [as_left(page) for page in wiki.pages_by_id.values()]


def folder_of(wiki: MemoryWiki, **changed: tuple[str, str] | None) -> list[Brought]:
    """The pages as files; ``changed`` says of some their title and text, or None for no file."""
    found = []
    for page in wiki.pages_by_id.values():
        given = changed.pop(page.head.title, (page.head.title, page.text))
        if given is not None:
            found.append(Brought(f"{page.head.id}.md", given[0], given[1], hashed(given[1])))
    return found + [
        Brought(f"{path}.md", *given, hashed(given[1]))
        for path, given in changed.items()
        if given is not None
    ]


def compared(
    then: MemoryWiki, now: MemoryWiki, files: Sequence[Brought], *, based: bool = True, **choices: Side
) -> Comparison:
    texts = {page.head.id: page.text for page in then.pages_by_id.values()}
    left = left_from(then) if based else []
    return compare(Memory(now, texts), files, left, choices, based=based)


def test_both_changed_other_lines_and_both_changes_are_there() -> None:
    then = guide(A="One.\nTwo.\nThree.\n")
    now = guide(A="One, here.\nTwo.\nThree.\n")
    found = compared(then, now, folder_of(then, A=("A", "One.\nTwo.\nThree, there.\n")))
    (item,) = found.items
    assert (item.clash, item.text) == ("", "One, here.\nTwo.\nThree, there.\n")


@pytest.mark.parametrize(
    ("side", "text"), [("folder", "One, there.\nTwo.\n"), ("wiki", "One, here.\nTwo.\n")]
)
def test_both_changed_the_same_line_and_one_side_is_chosen(side: Side, text: str) -> None:
    then, now = guide(A="One.\nTwo.\n"), guide(A="One, here.\nTwo.\n")
    files = folder_of(then, A=("A", "One, there.\nTwo.\n"))
    (item,) = compared(then, now, files).open
    assert (item.clash, item.passages[0].here, item.passages[0].there) == (
        "text", "One, here.\n", "One, there.\n",
    )  # fmt: skip
    undecided = bring(now, 1, compared(then, now, files), folder="f")
    assert [page.title for page in undecided.conflicts] == ["A"]
    chosen = compare(Memory(now, {1: "One.\nTwo.\n"}), files, left_from(then), {"1.md": side}, based=True)
    assert not chosen.open
    after = applied(now, bring(now, 1, chosen, folder="f"))
    assert page_called(after, "A").text == text


def test_what_was_renamed_here_is_called_so_in_what_was_written_there() -> None:
    then = guide(A="Text.\n", B="See [[A]].\n")
    now = guide(Pump="Text.\n", B="See [[Pump]].\n")
    found = compared(then, now, folder_of(then, B=("B", "See [[A]].\nMore of [[a#Top|it]].\n")))
    after = applied(now, bring(now, 1, found, folder="f"))
    assert page_called(after, "B").text == "See [[Pump]].\nMore of [[pump#Top|it]].\n"


def test_what_was_renamed_there_is_called_so_wherever_it_is_referred_to() -> None:
    then = wiki_of({"Guide": {"A": "Text.\n", "B": "See [[A]].\n"}, "Other": {"C": "[[Guide/A]]\n"}})
    files = [
        Brought("Pump.md", "Pump", "Text.\n", hashed("Text.\n")),
        Brought("2.md", "B", "New. See [[A]]. [[A]]!\n", hashed("x")),
    ]
    left = [as_left(page) for page in then.pages_by_id.values() if page.head.volume == 1]
    found = compare(Memory(then, {1: "Text.\n", 2: "See [[A]].\n"}), files, left, {}, based=True)
    after = applied(then, bring(then, 1, found, folder="f"))
    assert page_called(after, "B").text == "New. See [[Pump]]. [[Pump]]!\n"
    assert page_called(after, "C").text == "[[Guide/Pump]]\n"


def test_a_page_that_was_changed_there_and_is_gone_here_comes_only_if_that_is_chosen() -> None:
    then, now = guide(A="Text.\n", B="b"), guide(B="b")
    now = MemoryWiki(list(then.volumes.values()), [page_called(then, "B")])
    files = folder_of(then, A=("A", "Another.\n"))
    (item,) = compared(then, now, files).open
    assert (item.clash, item.page) == ("gone here", None)
    chosen = compare(Memory(now, {1: "Text.\n"}), files, left_from(then), {"1.md": "folder"}, based=True)
    assert page_called(applied(now, bring(now, 1, chosen, folder="f")), "A").text == "Another.\n"


def test_a_page_whose_file_is_gone_goes_unless_it_was_changed_here() -> None:
    then = guide(A="Text.\n", B="b", C="c")
    assert [(i.kind, i.done) for i in compared(then, then, folder_of(then, A=None)).items] == [("gone", True)]
    now = applied(then, save(then, page_called(then, "A").head.id, "Text, longer.\n"))
    (item,) = compared(then, now, folder_of(then, A=None)).open
    assert (item.kind, item.clash) == ("gone", "changed here")


def test_without_knowing_how_pages_left_titles_are_compared_and_nothing_goes() -> None:
    now = guide(A="Text.\n", B="b", C="c")
    files = [Brought("a.md", "a", "Other.\n", ""), Brought("d.md", "D", "New.\n", "")]
    found = compared(now, now, files, based=False)
    assert [(i.kind, i.title, i.clash) for i in found.items] == [("changed", "A", ""), ("new", "D", "")]
    after = applied(now, bring(now, 1, found, folder="f"))
    assert {p.head.title: p.text for p in after.pages_by_id.values()} == {
        "A": "Other.\n", "B": "b", "C": "c", "D": "New.\n",
    }  # fmt: skip


def test_a_title_that_another_page_has_by_now_is_not_given_and_its_text_comes_all_the_same() -> None:
    then = guide(A="Text.\n", B="b")
    now = guide(A="Text.\n", Pump="b")
    found = compared(then, now, folder_of(then, A=("Pump", "Text, new.\n"), N=("pump", "Another.\n")))
    assert {item.id: (item.taken, item.done, item.title) for item in found.items} == {
        "1.md": (True, True, "A"), "N.md": (True, False, "pump"),
    }  # fmt: skip
    after = applied(now, bring(now, 1, found, folder="f"))
    assert {p.head.title: p.text for p in after.pages_by_id.values()} == {"A": "Text, new.\n", "Pump": "b"}


def test_titles_can_be_exchanged_and_references_go_with_their_pages() -> None:
    then = guide(A="a", B="b", C="[[A]] [[B]]")
    found = compared(then, then, folder_of(then, A=("B", "a"), B=("A", "b")))
    after = applied(then, bring(then, 1, found, folder="f"))
    assert (page_called(after, "B").text, page_called(after, "C").text) == ("a", "[[B]] [[A]]")


# ---- contents --------------------------------------------------------------------

TREE = "A, B > C > D, E"


def rows_of(tree: str) -> list[tuple[int, str]]:
    """“A, B > C” is A, and B with C below it."""
    found = []
    for branch in tree.split(", "):
        found += [(depth, title) for depth, title in enumerate(branch.split(" > "))]
    return found


def sorted_(
    listed: str | None,
    *,
    now: str = TREE,
    files: Mapping[str, tuple[str, str] | None] | None = None,
    chosen: Side | None = None,
) -> tuple[list[tuple[int, str]], Order]:
    wiki = guide(**{title: title for _, title in rows_of(TREE)})
    found = compared(wiki, wiki, folder_of(wiki, **(files or {})))
    here = {page.head.key: page.head.id for page in wiki.pages_by_id.values()}
    rows = [Row.of(depth, title) for depth, title in rows_of(now)]
    order = brought_order(
        1, found, rows, here, None if listed is None else rows_of(listed), rows_of(TREE), chosen
    )
    after, _ = place(rows, order.placings)
    return [(row.depth, row.title) for row in after], order


def test_the_order_of_the_folder_comes_and_one_that_is_as_it_left_leaves_all_here() -> None:
    assert sorted_("E, A > B, C > D")[0] == rows_of("E, A > B, C > D")
    assert sorted_(TREE, now="E, A, B > C > D")[0] == rows_of("E, A, B > C > D")
    assert sorted_(None)[1].placings == ()


def test_what_both_sorted_elsewhere_is_brought_together() -> None:
    found, order = sorted_("A, B > C > D, E > X", now="E, A, B > C > D")
    assert not order.clash or found
    assert sorted_("B, A > C > D, E", now="A, B > C > D, E, Unwritten")[0] == rows_of(
        "B, A > C > D, E, Unwritten"
    )


@pytest.mark.parametrize(("chosen", "tree"), [(None, "B, A, C > D, E"), ("folder", "C > D, A, B, E")])
def test_where_both_sorted_the_same_one_order_counts(chosen: Side | None, tree: str) -> None:
    found, order = sorted_("C > D, A, B, E", now="B, A, C > D, E", chosen=chosen)
    assert order.clash
    assert found == rows_of(tree)


def test_places_go_by_the_page_whatever_it_is_called() -> None:
    changed = {"A": ("Alpha", "A"), "C": None, "N": ("New", "n")}
    assert sorted_("E, A, B > D", files=changed)[0] == rows_of("E, Alpha, B > D, New")
    assert sorted_(TREE, files=changed)[0] == rows_of("Alpha, B > D, E, New")
    exchanged = {"A": ("E", "A"), "E": ("A", "E")}
    assert sorted_(TREE, files=exchanged)[0] == rows_of(TREE), (
        "a name means the page that the folder calls so"
    )
    assert names.key("New") in {p.key for p in sorted_(TREE, files=changed)[1].placings}
