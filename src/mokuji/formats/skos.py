"""Categories as SKOS concepts (W3C Recommendation of 18 August 2009), in Turtle and JSON-LD, through rdflib."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from rdflib import Graph, URIRef
from rdflib import Literal as Words
from rdflib.namespace import RDF, SKOS
from rdflib.plugins.shared.jsonld import context as context_module

from mokuji.core.base.errors import BadText
from mokuji.core.language.scan import check as check_text
from mokuji.formats import apart

Form = Literal["turtle", "json-ld"]
MEDIA = {"turtle": "text/turtle", "json-ld": "application/ld+json"}
LARGEST = 5_000_000
"""Maximum number of characters that are read."""
SECONDS = 30.0
"""So long reading may take."""
_ELSEWHERE = "The JSON-LD names a context elsewhere, and nothing is fetched. Write the context into the text."


@dataclass(frozen=True, slots=True)
class Concept:
    """A category: its address, its name, other names, what it is, the addresses of broader ones."""

    address: str
    name: str
    other_names: tuple[str, ...] = ()
    definition: str = ""
    broader: tuple[str, ...] = ()


def write(concepts: Iterable[Concept], scheme: str, title: str, form: Form) -> str:
    """The concepts of a scheme (its address and title), in the order of their addresses."""
    graph = Graph()
    graph.bind("skos", SKOS)
    whole = URIRef(scheme)
    graph.add((whole, RDF.type, SKOS.ConceptScheme))
    graph.add((whole, SKOS.prefLabel, Words(title)))
    for each in concepts:
        concept = URIRef(each.address)
        graph.add((concept, RDF.type, SKOS.Concept))
        graph.add((concept, SKOS.inScheme, whole))
        graph.add((concept, SKOS.prefLabel, Words(each.name)))
        for name in each.other_names:
            graph.add((concept, SKOS.altLabel, Words(name)))
        if each.definition:
            graph.add((concept, SKOS.definition, Words(each.definition)))
        for wider in each.broader:
            graph.add((concept, SKOS.broader, URIRef(wider)))
        if not each.broader:
            graph.add((concept, SKOS.topConceptOf, whole))
    # Nothing is fetched: the words of SKOS stand in the text itself.
    return graph.serialize(format=form)


def read(data: str, form: Form) -> list[Concept]:
    """The concepts of a text, by name. BadText says what is wrong with it, OverTime that it takes too long.

    Of labels in several languages the one without a language counts, else the first by language. It is read by a
    process of its own, which loads nothing: no context, no ontology, whatever the text names.
    """
    if len(data) > LARGEST:
        raise BadText(f"The text has {len(data):,} characters; {LARGEST:,} is the most.", code="text_large")
    check_text(data)
    _, found = apart.do("skos", {"form": form}, data.encode(), seconds=SECONDS)
    concepts = (
        Concept(a, name, tuple(others), d, tuple(wider)) for a, name, others, d, wider in json.loads(found)
    )
    return [concept for concept in concepts if _check_concept(concept)]


def _check_concept(concept: Concept) -> bool:
    """True; BadText if it holds what cannot be stored: an escape may name what could not be typed."""
    for words in (concept.name, concept.definition, *concept.other_names):
        check_text(words)
    return True


def read_here(data: str, form: Form) -> list[Concept]:
    """As ``read``, in this very process: for ``apart`` only."""
    if form == "json-ld":
        _check_contexts(data)
    graph = Graph()
    try:
        graph.parse(data=data, format=form)
    except BadText:
        raise
    except Exception as fault:  # rdflib's parsers raise what their tokenizers do
        first = str(fault).strip().splitlines()[0] if str(fault).strip() else type(fault).__name__
        raise BadText(f"This is no {form.capitalize()}: {first[:200]}") from fault
    broader: dict[URIRef, set[str]] = {}
    for one, _, wider in graph.triples((None, SKOS.broader, None)):
        broader.setdefault(URIRef(str(one)), set()).add(str(wider))
    for wider, _, one in graph.triples((None, SKOS.narrower, None)):
        broader.setdefault(URIRef(str(one)), set()).add(str(wider))
    concepts: list[Concept] = []
    for subject in set(graph.subjects(RDF.type, SKOS.Concept)):
        names = _words(graph, URIRef(str(subject)), SKOS.prefLabel)
        if names:
            concept = URIRef(str(subject))
            definition = next(iter(_words(graph, concept, SKOS.definition)), "")
            others = tuple(_words(graph, concept, SKOS.altLabel))
            concepts.append(
                Concept(str(subject), names[0], others, definition, tuple(sorted(broader.get(concept, ()))))
            )
    return sorted(concepts, key=lambda each: (each.name, each.address))


def _refuse(*_: object, **__: object) -> None:
    """In the place of what loads documents for JSON-LD (“documentLoader” in its API): nothing is ever loaded."""
    raise BadText(_ELSEWHERE)


context_module.source_to_json = _refuse  # type: ignore[assignment, attr-defined]


def _check_contexts(data: str) -> None:
    """BadText if a JSON-LD text would have its reader fetch something. What is overlooked here is refused by
    ``_refuse``; this gives the sentence."""
    try:
        pending = [json.loads(data)]
    except (ValueError, RecursionError) as fault:
        raise BadText(f"This is no JSON: {fault}.") from fault
    while pending:
        value = pending.pop()
        if isinstance(value, list):
            pending += value
        elif isinstance(value, dict):
            if "@import" in value or _named(value.get("@context")):
                raise BadText(_ELSEWHERE)
            pending += value.values()


def _named(context: object) -> bool:
    """Whether a context is named, rather than written out: alone, or in lists of lists."""
    waiting = [context]
    while waiting:
        value = waiting.pop()
        if isinstance(value, str):
            return True
        if isinstance(value, list):
            waiting += value
    return False


def _words(graph: Graph, subject: URIRef, predicate: URIRef) -> list[str]:
    words = [node for node in graph.objects(subject, predicate) if isinstance(node, Words)]
    words.sort(key=lambda each: (each.language or "", str(each)))
    return [" ".join(str(word).split()) for word in words]
