"""What the JSON interface says of what was: texts put back, changes looked for, volumes as they stood, the trash."""

from __future__ import annotations

from pydantic import Field

from mokuji.api.schemas import Acts, LineRun, Revision, Schema


class PutBack(Schema):
    """A text that puts back what a page said, to be saved upon ``revision``."""

    text: str
    revision: int
    note: str = Field(description="what may be said of the save")
    clash: bool = Field(
        description="Whether the same words were changed since: its save is answered with 409"
    )
    former_title: str = Field(description="what the page was called then, if that is something else than now")


class LookedThrough(Acts):
    """Changes that were looked for."""

    far: bool = Field(
        description="Whether so many were looked at that it was not gone on: ask on with more_before"
    )


class BecamePage(Schema):
    """What became of a page of a volume between two moments."""

    kinds: list[str] = Field(
        description="of “written”, “renamed”, “came”, “brought back”, “changed”, “moved away”, “gone”"
    )
    before: str | None = Field(description="its title then; null where it was not there")
    after: str | None
    older: int = Field(description="its revision then; 0 where it was not there")
    newer: int
    volume: str | None = Field(description="where it is now; null if that is nowhere, or closed to you")
    key: str | None
    words_came: int
    words_went: int


class Became(Schema):
    """What became of a volume between two moments."""

    counts: dict[str, int]
    pages: list[BecamePage]
    number: int = Field(description="how many pages are listed in all")
    skipped: int
    elsewhere_in_contents: list[str]
    cut: bool = Field(description="Whether too much was done since to look back so far: then nothing is told")


class PageThen(Schema):
    """A name of the contents, or a page, as it stood; revision 0: a name without a page."""

    number: str
    depth: int
    title: str
    revision: int
    volume: str | None = Field(description="where the page is now; null if that is nowhere, or closed to you")
    key: str | None


class Stood(Schema):
    """A volume as it stood: its contents, and its pages without a place."""

    contents: list[PageThen]
    unplaced: list[PageThen]
    cut: bool


class OtherComparison(Schema):
    """Two pages and what differs."""

    revision: int
    other_volume: str
    other_key: str
    other_revision: int
    passages: list[LineRun]


class PageName(Schema):
    """A page by its name."""

    volume: str
    key: str
    title: str


class TrashedPage(Schema):
    """A page in the trash, with one of its texts."""

    page: int
    volume: str
    title: str
    days_left: int
    restorable: bool
    revisions: list[Revision]
    revision: int
    text: str
    html: str
    waiting: list[PageName] = Field(description="pages whose references wait for its name")


class NamedInTrash(Schema):
    """A page in the trash, by its number and title."""

    page: int
    title: str


class VolumePages(Schema):
    """A volume in the trash, with the first of its pages."""

    title: str
    days_left: int
    pages: list[NamedInTrash]
    more: bool
