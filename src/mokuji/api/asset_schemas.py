"""Shapes of what pages hold: files, sources, tasks, fields."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from pydantic import Field

from mokuji.api.schemas import Schema


class Named(Schema):
    """A name, and on how many pages it stands."""

    name: str
    pages: int


class Place(Schema):
    """A place on a page: its line, and the sentence around it."""

    volume: str
    title: str
    line: int
    words: str


class File(Schema):
    """A file of a volume; ``width`` and ``height`` are 0 for what is no picture."""

    name: str
    type: str
    size: int
    width: int
    height: int
    at: datetime


class ListedFile(File):
    """A file with the number of pages that name it."""

    pages: int


class Files(Schema):
    """Files of a volume by name; ask again with ``after`` for the next. ``missing`` are named and not there."""

    files: list[ListedFile]
    missing: list[Named]
    more_after: str | None


class BroughtFile(File):
    """A file that was brought: ``known`` says that its content was there already, under this name."""

    known: bool


class Staged(Schema):
    """What is to take the place of a file, by the SHA-256 of its content in hexadecimal digits."""

    content: str


class FileVersion(File):
    """What a file was until a moment; ``content`` brings it back by the act “file replace”."""

    number: int
    content: str
    until: datetime


class AboutFile(ListedFile):
    """A file with the places that name it, its former versions, and others of the same content."""

    places: list[Place]
    versions: list[FileVersion]
    same: list[str]


class Source(Schema):
    """A source: its name, its fields as a CSL-JSON item, how it reads, and on how many pages it is cited."""

    name: str
    item: dict[str, Any]
    reads: str
    pages: int
    revision: str = Field(description="To be given with a change, so that nobody else's is lost")


class Alike(Schema):
    """Two sources that may be one, and why."""

    one: str
    other: str
    reason: str


class Sources(Schema):
    """Sources by name; ask again with ``after`` for the next."""

    sources: list[Source]
    missing: list[Named]
    alike: list[Alike]
    more_after: str | None


class AboutSource(Source):
    """A source with the places that cite it."""

    places: list[Place]


class SourceFields(Schema):
    """A source as its form has it."""

    type: str = "document"
    author: str = Field("", description="One a line: “Family, Given”; without a comma an institution")
    title: str
    container_title: str = ""
    publisher: str = ""
    issued: str = Field("", description="2019, 2019-03 or 2019-03-14")
    address: str = Field("", description="On the web")
    accessed: str = Field("", description="The day it was read")
    identifier: str = Field("", description="DOI, ISBN, or a number of its own")
    revision: str = Field("", description="The one that the change began with; without it the last one wins")


class SavedSource(Schema):
    """The name that a source has, and whether it is new."""

    name: str
    new: bool


class BroughtSources(Schema):
    """What became of a file of sources, by name."""

    new: list[str]
    same: list[str]
    other: list[str] = Field(description="There already with other fields, which stayed")
    problems: list[str]


class Task(Schema):
    """A task: its page and its number there in this revision, both of which ticking it asks for."""

    volume: str
    page: str
    number: int
    revision: int
    line: int
    words: str
    done: bool
    priority: str
    due: date | None
    people: list[str]


class TaskGroup(Schema):
    """Tasks that have something in common."""

    name: str
    late: bool
    tasks: list[Task]


class Tasks(Schema):
    """Tasks in groups; ``number`` are all that fit."""

    number: int
    more: bool
    groups: list[TaskGroup]


class Tick(Schema):
    """Which task of a page, as it was seen, and what becomes of it."""

    number: int
    revision: int
    done: bool = True


class Ticked(Schema):
    """The key of the page that was changed."""

    page: str


class FieldRow(Schema):
    """A page with some of its fields."""

    page: str
    title: str
    fields: dict[str, str]


class FieldTable(Schema):
    """The fields of a volume, and the pages that have one of them."""

    known: list[Named]
    field: str
    rows: list[FieldRow]


class FieldValue(Schema):
    """What a field is to say; nothing takes it away."""

    name: str
    value: str | None
