"""Categories as SKOS concepts (W3C Recommendation of 18 August 2009), in Turtle and JSON-LD, through rdflib."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from rdflib import Graph, URIRef
from rdflib import Literal as Words
from rdflib.namespace import RDF, SKOS

from mokuji.core.errors import BadText

Form = Literal["turtle", "json-ld"]
MEDIA = {"turtle": "text/turtle", "json-ld": "application/ld+json"}
LARGEST = 5_000_000
"""Most characters that are read."""


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
    """The concepts of a text, by name. BadText says what is wrong with it.

    Of labels in several languages the one without a language counts, else the first by language.
    """
    if len(data) > LARGEST:
        raise BadText(f"The text has {len(data):,} characters; {LARGEST:,} is the most.", code="text_large")
    if form == "json-ld":
        _check_contexts(data)
    graph = Graph()
    try:
        graph.parse(data=data, format=form)
    except Exception as fault:  # rdflib's parsers raise what their tokenizers do
        first = str(fault).strip().splitlines()[0] if str(fault).strip() else type(fault).__name__
        raise BadText(f"This is no {form.capitalize()}: {first[:200]}") from fault
    broader: dict[URIRef, set[str]] = {}
    for one, _, wider in graph.triples((None, SKOS.broader, None)):
        broader.setdefault(URIRef(str(one)), set()).add(str(wider))
    for wider, _, one in graph.triples((None, SKOS.narrower, None)):
        broader.setdefault(URIRef(str(one)), set()).add(str(wider))
    found: list[Concept] = []
    for subject in set(graph.subjects(RDF.type, SKOS.Concept)):
        names = _words(graph, URIRef(str(subject)), SKOS.prefLabel)
        if names:
            concept = URIRef(str(subject))
            definition = next(iter(_words(graph, concept, SKOS.definition)), "")
            others = tuple(_words(graph, concept, SKOS.altLabel))
            found.append(
                Concept(str(subject), names[0], others, definition, tuple(sorted(broader.get(concept, ()))))
            )
    return sorted(found, key=lambda each: (each.name, each.address))


def _check_contexts(data: str) -> None:
    """BadText if a JSON-LD text would have its reader fetch something."""
    try:
        pending = [json.loads(data)]
    except ValueError as fault:
        raise BadText(f"This is no JSON: {fault}.") from fault
    while pending:
        value = pending.pop()
        if isinstance(value, list):
            pending += value
        elif isinstance(value, dict):
            context = value.get("@context")
            contexts = context if isinstance(context, list) else [context]
            if "@import" in value or any(isinstance(each, str) for each in contexts):
                raise BadText(
                    "The JSON-LD names a context elsewhere, and nothing is fetched. Write the context into the text."
                )
            pending += value.values()


def _words(graph: Graph, subject: URIRef, predicate: URIRef) -> list[str]:
    words = [each for each in graph.objects(subject, predicate) if isinstance(each, Words)]
    words.sort(key=lambda each: (each.language or "", str(each)))
    return [" ".join(str(each).split()) for each in words]
