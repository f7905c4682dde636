"""What goes in and out of the JSON interface."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field


class Schema(BaseModel):
    """Unknown fields are refused, so that a misspelt one is noticed."""

    model_config = ConfigDict(extra="forbid")


class Problem(BaseModel):
    """A fault, as RFC 9457 has it."""

    type: str
    title: str
    status: int
    detail: str
    code: str


class Volume(Schema):
    """A volume that may be read."""

    key: str
    title: str
    summary: str
    closed: bool
    language: str = Field(
        description="The language it is written in, as a tag of BCP 47; empty if it is not said"
    )
    pages: int
    may_write: bool


class ContentsEntry(Schema):
    """A row of the contents."""

    number: str
    title: str
    key: str
    written: bool
    led_to_by: int


class Contents(Schema):
    """The contents of a volume, in order."""

    volume: str
    title: str
    entries: list[ContentsEntry]
    whole: bool = Field(description="False when folded branches of a large volume were left out")


class Reference(Schema):
    """A reference as it stands in the text; offsets in code points."""

    start: int
    end: int
    kind: Literal["link", "insert", "listing"]
    state: Literal["page", "unwritten", "broken", "listing"]
    volume: str
    title: str
    section: str | None


class TextProblem(Schema):
    """Something on the page that could not be understood."""

    line: int
    code: str
    message: str


class Page(Schema):
    """A page with its text and what was read from it."""

    volume: str
    key: str
    title: str
    revision: int
    changed: datetime
    author: str
    note: str
    text: str
    html: str
    references: list[Reference]
    headings: list[str]
    problems: list[TextProblem]
    categories: list[str] = Field(description="Names, also of those that marks and templates file it under")


class Save(Schema):
    """A text to be saved. ``revision`` is the one you began with; 0 for a new page. If-Match and If-None-Match say the
    same (RFC 9110, 13.1)."""

    title: str = Field(
        "", description="Title of a new page, as its address; the title of a page is changed by a rename"
    )
    text: str
    revision: int | None = Field(None, ge=0)
    note: str = ""
    under: str = Field(
        default="", description="For a new page: the page below which it stands in the contents"
    )
    follow: bool = Field(
        True, description="References elsewhere that the text would take away from what they lead to follow"
    )


class Saved(Schema):
    """What a save came to."""

    volume: str
    key: str
    title: str
    revision: int
    created: bool
    unchanged: bool
    followed: list[str] = Field(description="Titles of pages of the volume in which references followed")


class Done(Schema):
    """An act that was done; it can be undone by its number."""

    change_set: int
    volume: str | None = Field(description="Where to go on; null where there is no such page")
    key: str | None
    title: str | None


class Trashed(Schema):
    """A page in the trash; restore it by its number."""

    page: int
    volume: str
    key: str
    title: str
    change_set: int
    at: datetime
    author: str


class TrashedVolume(Schema):
    """A volume in the trash; undo the change set to bring it back."""

    title: str
    change_set: int
    at: datetime


class Trash(Schema):
    """What lies in the trash, the newest act first, and volumes of yours."""

    entries: list[Trashed]
    volumes: list[TrashedVolume]
    more_before: int | None
    kept_days: int


class Upkeep(Schema):
    """How much each report of a volume holds, or of all (volume is null); null where it was not made yet."""

    volume: str | None
    reports: dict[str, int | None]


class Spot(Schema):
    """A place where a finding shows; the range is in code points of the page's text."""

    volume: str
    key: str
    title: str
    page: int
    line: int
    start: int
    end: int
    sentence: str


class Mending(Schema):
    """Something that mends a finding: a request, to be planned as any other."""

    words: str
    wish: dict[str, Any]


class Finding(Schema):
    """Something to mend. ``pages`` is how many pages ask for it; ``other`` the second of two names, or the page
    that is meant. ``mark`` names the finding as it is listed: by it, it is put aside."""

    mark: str
    volume: str
    name: str
    key: str | None
    page: int | None
    other: str | None
    target: int | None
    reason: str
    confidence: float | None
    pages: int | None
    spots: list[Spot]
    mends: list[Mending] = Field(description="Acts that mend it and ask for nothing more")


class Made(Schema):
    """When a report that reads texts was made, and over how many pages; ``fresh`` if nothing was changed since,
    ``whole`` if it is all there is."""

    at: datetime
    pages: int
    fresh: bool
    whole: bool


class PutAside(Schema):
    """Findings that are not to be mended, and why."""

    marks: list[str] = Field(min_length=1, max_length=1000)
    reason: str = Field(min_length=1, max_length=500)


class TakeBack(Schema):
    """Findings that are to be listed again."""

    marks: list[str] = Field(min_length=1, max_length=1000)


class Aside(Schema):
    """A finding that was put aside."""

    mark: str
    volume: str
    title: str
    reason: str
    person: str
    at: datetime


class Findings(Schema):
    """One page of a report; ask again with ``after`` for the next."""

    findings: list[Finding]
    more_after: str | None
    held_back: dict[str, int] = Field(
        description="Names too common to be listed, and how many pages say them"
    )
    made: Made | None = Field(
        description="Null for a report that is right after every write, or was not made yet"
    )
    being_made: bool


class PreferredWords(Schema):
    """The words to use (empty: none) and those that they replace."""

    use: str = ""
    instead: list[str]


class HouseStyle(Schema):
    """The house style of a volume. What is empty or 0 is no rule. ``revision`` is that of the rules as they were read:
    a change of rules that somebody else changed since is refused."""

    headings: Literal["", "sentence", "title"] = ""
    titles: Literal["", "sentence", "title"] = ""
    names: list[str] = []
    longest_step: int = Field(0, ge=0, le=9999, description="Most words of a sentence in numbered lists")
    longest_sentence: int = Field(0, ge=0, le=9999, description="Most words of a sentence elsewhere")
    preferred: list[PreferredWords] = []
    spelling: str = Field("", description="The language of the dictionary, as a BCP 47 tag such as en-GB")
    words: list[str] = Field([], description="Words of the volume beside the dictionary")
    revision: int = 0


class Sentence(Schema):
    """A place that leads to a page, in its sentence."""

    before: str
    words: str
    after: str


class Category(Schema):
    """A category of a volume, with how many pages are filed under it and how many marks there are."""

    key: str
    name: str
    described: bool = Field(description="Whether a page of its name describes it")
    pages: int
    marks: int
    broader: list[str] = Field(description="Keys of the broader ones")


class Skos(Schema):
    """Concepts of SKOS as a text."""

    form: Literal["turtle", "json-ld"]
    data: str


class BroughtIn(Schema):
    """Titles of the pages that were written, changed, and left as they are."""

    written: list[str]
    changed: list[str]
    same: list[str]


class MarkedPassage(Schema):
    """A passage that a mark files: the line of the mark, and its words."""

    line: int
    words: str


class FiledPage(Schema):
    """A page filed under a category: whole, through templates, or passages of it."""

    key: str
    title: str
    summary: str
    whole: bool
    through: list[str] = Field(description="Titles of the templates that file it")
    passages: list[MarkedPassage]


class CategoryPages(Schema):
    """A category with pages; ask again with ``after`` = ``more_after`` for the next."""

    category: Category
    narrower: list[str]
    entries: list[FiledPage]
    more_after: str | None


class PlaceOfUse(Schema):
    """A place that puts a page in, with the values given there by slot and what is wrong about them."""

    volume: str
    key: str
    title: str
    section: str | None
    values: dict[str, str]
    faults: list[str]


class Uses(Schema):
    """Where a page is put in, faults first; ask again with ``skip`` for the next."""

    slots: list[str]
    places: int
    pages: int
    faulty: int
    entries: list[PlaceOfUse]
    more: bool


class Backlink(Schema):
    """A page that leads to one."""

    volume: str
    key: str
    title: str
    places: int
    sentences: list[Sentence]


class Backlinks(Schema):
    """The pages that lead to one; ask again with ``after`` = ``more_after`` for the next."""

    pages: int
    places: int
    entries: list[Backlink]
    more_after: str | None


class Revision(Schema):
    """A state of a page."""

    number: int
    author: str
    at: datetime
    note: str
    title: str
    size: int
    act: str


class Revisions(Schema):
    """The revisions of a page, newest first."""

    entries: list[Revision]
    more_before: int | None


class RevisionText(Revision):
    """A state of a page with its text."""

    text: str
    html: str | None = Field(description="the text as it is read; null if that was not asked for")


class Text(Schema):
    """A text as typed."""

    text: str


class Unwritten(Schema):
    """A name in a text that has no page, where it stands first."""

    title: str
    line: int


class Preview(Schema):
    """A text as it would be read if it were saved now."""

    html: str
    problems: list[TextProblem]
    unwritten: list[Unwritten]
    references: int
    words: int


class LineRun(Schema):
    """A run of lines that are the same or changed."""

    kind: Literal["same", "changed"]
    line: int
    before: list[str]
    after: list[str]


class Comparison(Schema):
    """Two revisions and what differs."""

    older: int
    newer: int
    passages: list[LineRun]


class Act(Schema):
    """Something that was done."""

    change_set: int
    act: str
    volume: str | None = Field(description="in whose log it stands; null if that is closed to you")
    title: str | None
    author: str
    at: datetime
    note: str
    undone: bool


class WrittenLines(Schema):
    """Lines one after the other that one revision wrote: the first and the last, from 1, and which they were there."""

    revision: int
    change_set: int
    author: str
    at: datetime
    note: str
    first: int
    last: int
    was: list[int]
    page: str | None = Field(
        description="the title of the other page that they were written on; null: this one"
    )


class Lines(Schema):
    """The lines of a revision by the revisions that wrote them."""

    revision: int
    runs: list[WrittenLines]
    cut: bool = Field(
        description="Whether the oldest lines may be older than is said: it was not looked further back"
    )


class Acts(Schema):
    """What was done lately, newest first."""

    entries: list[Act]
    more_before: int | None


class Secret(Schema):
    """Words to be taken out, as they were typed; ``digest`` of the plan that was seen."""

    words: str = Field(min_length=1, max_length=500)
    digest: str = ""


class SecretPage(Schema):
    """A page whose revisions hold the words."""

    title: str
    in_trash: bool
    revisions: list[int]


class SecretPlan(Schema):
    """Where the words stand. Titles must be changed first; files and sources stay as they are."""

    digest: str
    pages: list[SecretPage]
    drafts: int
    log: int
    names: int
    titles: list[str]
    files: list[str]
    sources: list[str]


class SecretDone(Schema):
    """It was taken out."""

    change_set: int


class TouchedPage(Schema):
    """A page that an act wrote, and the revision it made."""

    volume: str
    key: str
    title: str
    revision: int


class ActPages(Act):
    """An act with the pages it wrote that you may read."""

    pages: list[TouchedPage]
    more: bool = Field(description="True when there are more than are listed")
