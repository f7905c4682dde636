"""What finding takes and answers with, in JSON."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from mokuji.api.schemas import Schema


class FoundSentence(Schema):
    """A sentence that answers: the anchor of its section and the words of that heading, its own words, and which of
    them were looked for."""

    section: str
    heading: str
    words: str
    found: list[str]


class FoundPage(Schema):
    """A page that was found, and why: by its title, another name, a near spelling, a heading, its words, or by what it
    puts in of another page. ``by_part`` says that a part of a word of its name was asked for."""

    volume: str
    key: str
    title: str
    by: Literal["name", "alias", "near", "heading", "words", "put_in", "by_part"]
    sentences: list[FoundSentence]
    put_in_from: str | None = Field(
        description="the title of the page that the sentences stand on, if it is another"
    )
    led_to_by: int = Field(description="how many pages lead to it")


class QuestionToKeep(Schema):
    """A question to be kept by a name: a line (docs/finding.md), for one volume or for all; ``shared`` with all who may
    read that."""

    name: str = Field(max_length=200)
    line: str = Field(max_length=500)
    volume: str = ""
    shared: bool = False


class KeptQuestion(Schema):
    """A question that is kept: your own, or one that somebody shares."""

    number: int
    name: str
    line: str
    volume: str | None
    shared: bool
    own: bool
    by: str


class FoundFile(Schema):
    """A file whose name holds all the words."""

    volume: str
    name: str
    type: str
    size: int = Field(description="bytes")


class FoundNumber(Schema):
    """How many of the pages that were found are so."""

    value: str
    name: str
    pages: int


class FoundCounts(Schema):
    """How many pages were found, up to 2,000 in all: by volume, among all that you may read; by category, field and who
    changed them last in the volumes asked for."""

    volumes: list[FoundNumber]
    categories: list[FoundNumber]
    fields: list[FoundNumber]
    people: list[FoundNumber]


class FoundPages(Schema):
    """What a question comes to, best first. ``problem`` says why it was read as plain words, if it was; ``instead`` are
    words that no page holds, each with those that it was looked for as."""

    pages: list[FoundPage]
    files: list[FoundFile]
    more: bool
    problem: str
    instead: dict[str, list[str]]
    counts: FoundCounts
