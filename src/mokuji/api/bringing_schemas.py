"""The shapes of folders that are brought to a volume, as JSON says them."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field

from mokuji.api.schemas import Schema

Side = Literal["folder", "wiki"]


class Brought(Schema):
    """A folder that waits at a volume: its number, its name, how many files lie in it."""

    folder: int
    name: str
    at: datetime
    files: int


class Clashing(Schema):
    """A passage that both changed: as it was when the page left, as it is here, as the folder has it."""

    base: str
    here: str
    folder: str


class ComingPage(Schema):
    """What is to become of a page. ``item`` names it for a choice; ``clash`` says why somebody has to choose (empty: it
    need not be chosen), ``chosen`` the side that counts (empty: not chosen yet). ``taken``: another page has its title.
    """

    item: str
    kind: Literal["new", "changed", "renamed", "gone"]
    title: str
    page: str | None = Field(description="Key of the page here; none for a new one")
    path: str | None = Field(description="Path of its file; none for one that has none any more")
    clash: Literal["", "text", "title", "both new", "gone here", "changed here"]
    chosen: Side | Literal[""]
    taken: bool
    passages: list[Clashing]


class ComingFile(Schema):
    """What is to become of a file or a source."""

    item: str
    sort: Literal["file", "source"]
    kind: Literal["new", "changed", "renamed", "gone"]
    name: str
    here: str = Field(description="What it is called here; empty for a new one")
    clash: bool
    chosen: Side | Literal[""]


class Coming(Schema):
    """What a folder would change. ``based``: it is known how its pages left; else they are compared by titles, and none
    counts as gone. ``alike`` files bring nothing; ``left_out`` says what does not come, and why."""

    folder: int
    name: str
    based: bool
    pages: list[ComingPage]
    files: list[ComingFile]
    order_clashes: bool
    open: int
    alike: int
    left_out: list[str]


class Choices(Schema):
    """Which side counts, by the items of what comes (“contents” is the order of them); or for all that is open."""

    items: dict[str, Side] = Field(default_factory=dict, max_length=10_000)
    all_open: Side | None = None
