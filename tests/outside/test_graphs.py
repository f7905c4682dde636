"""Counting agrees with networkx (PyPI, BSD licence): an independent library of graph algorithms."""

from __future__ import annotations

import networkx as nx
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.model import graph
from mokuji.core.model.graph import Graph
from mokuji.core.model.references import Resolver, volumes_by_id
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.reports import reach
from mokuji.core.syntax.reference import Kind
from tests.outside.jargon import jargon_wiki
from tests.wikis import wikis


def _graph(wiki: MemoryWiki) -> Graph:
    pages = wiki.pages_by_id.values()
    return graph.build(
        wiki.volumes,
        (page.head for page in pages),
        ((page.head.id, key) for page in pages for key in page.alias_keys),
        graph.uses_in((page.head, ((k, n) for k, n, _ in wiki.names_on(page))) for page in pages),
    )


def _outside(wiki: MemoryWiki) -> tuple[nx.DiGraph[int], set[tuple[int, str]], int]:
    """The same as networkx sees it: every reference resolved by itself; the unwritten places; how many references."""
    found: nx.DiGraph[int] = nx.DiGraph()
    found.add_nodes_from(wiki.pages_by_id)
    homes = volumes_by_id(wiki)
    unwritten: set[tuple[int, str]] = set()
    number = 0
    for page in wiki.pages_by_id.values():
        home = homes[page.head.volume]
        references = [r for r in page.content.references if r.kind is not Kind.LISTING]
        resolver = Resolver.of(wiki, ((home, reference) for reference in references))
        for reference in references:
            if reference.name is None:
                continue
            number += 1
            to = resolver.resolve(reference.name, home, insert=reference.kind is Kind.INSERT)
            if to.page is None:
                unwritten.add(to.place)
            elif to.page.id != page.head.id:
                found.add_edge(page.head.id, to.page.id)
    return found, unwritten, number


def _agree(wiki: MemoryWiki, roots: set[int]) -> None:
    ours = _graph(wiki)
    theirs, unwritten, _ = _outside(wiki)
    ids = ours.ids.tolist()
    assert set(ids) == set(theirs.nodes)
    pairs = {(ids[a], ids[b]) for a, b in zip(ours.sources, ours.targets, strict=True)}
    assert pairs == set(theirs.edges)
    assert len(ours.sources) == theirs.number_of_edges()
    assert dict(zip(ids, ours.led_to(), strict=True)) == dict(theirs.in_degree())
    assert set(reach.orphans(ours).tolist()) == {n for n, d in theirs.in_degree() if d == 0}
    assert set(ours.places) == unwritten
    reached = ours.reached(graph.ints(ids.index(root) for root in roots))
    expected = set(roots).union(*(nx.descendants(theirs, root) for root in roots)) if roots else set()
    assert {id_ for id_, there in zip(ids, reached, strict=True) if there} == expected


@given(wikis(), st.data())
def test_edges_orphans_unwritten_names_and_reach_agree_on_random_wikis(
    wiki: MemoryWiki, data: st.DataObject
) -> None:
    roots = data.draw(st.sets(st.sampled_from(sorted(wiki.pages_by_id)), max_size=3))
    _agree(wiki, roots)


def test_they_agree_on_a_real_body_of_text_that_refers_to_itself() -> None:
    """Debian's dict-jargon: 2,300 entries with some 9,000 references between them, as pages."""
    wiki = jargon_wiki()
    assert len(wiki.pages_by_id) > 2_000
    _agree(wiki, {1, 7, 100})


@given(wikis())
def test_out_of_reach_is_what_networkx_does_not_reach_from_front_and_contents(wiki: MemoryWiki) -> None:
    ours = _graph(wiki)
    theirs, _, _ = _outside(wiki)
    heads = [page.head for page in wiki.pages_by_id.values()]
    roots = {head.id for head in heads if head.id % 3 == 1 or head.key == "pump"}
    expected = set()
    for volume in wiki.volumes.values():
        inside = {head.id for head in heads if head.volume == volume.id}
        begins = inside & roots
        expected |= inside - begins.union(*(nx.descendants(theirs, root) for root in begins))
    assert set(reach.out_of_reach(ours, graph.ints(sorted(roots))).tolist()) == expected
