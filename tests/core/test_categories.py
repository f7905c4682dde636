"""What pages say of categories, and the tree that broader ones make."""

from __future__ import annotations

import networkx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.language.scan import scan
from mokuji.core.model.categories import Filing, filed, tree


def test_a_page_is_filed_by_its_front_matter_and_by_its_marks_and_case_never_makes_two() -> None:
    text = (
        "---\ncategories: [Sea trial, sea-trial, Sensors]\ngives: Notices\nbroader: [Equipment]\n---\n"
        "a #sea-trial b\n\nc #Sea_Trial\n\n#New-one"
    )
    assert [(each.key, each.how, each.name, each.count) for each in filed(scan(text))] == [
        ("equipment", Filing.BROADER, "Equipment", 1),
        ("new one", Filing.MARK, "New one", 1),
        ("notices", Filing.GIVES, "Notices", 1),
        ("sea trial", Filing.PAGE, "Sea trial", 1),
        ("sea trial", Filing.MARK, "sea trial", 2),
        ("sensors", Filing.PAGE, "Sensors", 1),
    ]
    (template,) = filed(scan("---\nslots: [a, b]\n---\n"))
    assert (template.how, template.count) == (Filing.TEMPLATE, 2)


@pytest.mark.parametrize(
    ("broader", "said"),
    [
        ({"b": ["a"], "c": ["b"]}, "a(b(c)) x"),
        ({"c": ["a", "b"]}, "a(c) b(c) x"),
        ({"c": ["a", "b"], "d": ["c"]}, "a(c(d)) b(c…) x"),
        ({"a": ["b"], "b": ["a"]}, "a(b(a…)) x"),
        ({"a": ["a"]}, "a(a…) x"),
    ],
)
def test_categories_stand_below_their_broader_ones(broader: dict[str, list[str]], said: str) -> None:
    nodes, _ = tree(["x"], broader)
    words, depth = "", 0
    for node in nodes:
        words += (
            "(" * (node.depth - depth)
            + ")" * (depth - node.depth)
            + f" {node.key}{'…' if node.again else ''}"
        )
        depth = node.depth
    assert (words + ")" * depth).replace("( ", "(").strip() == said


LETTERS = st.sampled_from("abcdefgh")


@given(st.dictionaries(LETTERS, st.lists(LETTERS, max_size=3, unique=True)))
def test_cycles_are_those_of_networkx_and_every_category_is_shown(broader: dict[str, list[str]]) -> None:
    nodes, cycles = tree([], broader)
    graph = networkx.DiGraph([(key, each) for key, wider in broader.items() for each in wider])
    graph.add_nodes_from(broader)
    expected = {
        tuple(sorted(component))
        for component in networkx.strongly_connected_components(graph)
        if len(component) > 1 or graph.has_edge(*[next(iter(component))] * 2)
    }
    assert set(cycles) == expected
    assert {node.key for node in nodes} == set(graph.nodes)


def test_a_long_chain_needs_no_recursion() -> None:
    broader = {f"{n:05}": [f"{n + 1:05}"] for n in range(20_000)}
    nodes, cycles = tree([], broader)
    assert len(nodes) == 20_001 and not cycles
