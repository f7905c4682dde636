"""Acts as JSON: what can be asked for, as the registry has it, and what a plan says it would change."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal, Union

from pydantic import Field

from mokuji.acts import registry
from mokuji.api.schemas import Schema

if TYPE_CHECKING:
    ActRequest = Any
else:
    ActRequest = Annotated[
        Union[tuple(act.request for act in registry.ACTS if act.in_json)],  # noqa: UP007
        Field(discriminator="act"),
    ]


class Do(Schema):
    """A request whose plan was seen: ``digest`` is that plan's."""

    wish: ActRequest
    digest: str
    note: str = Field("", description="What changed, and why; a plain sentence is made without it")


class ChangedLine(Schema):
    """A line before and after; one of the two is null where a whole line comes or goes."""

    line: int
    before: str | None
    after: str | None


class ChangedPage(Schema):
    """A page that a plan changes."""

    volume: str
    title: str
    title_after: str
    lines: list[ChangedLine]


class Reference(Schema):
    """A reference that leads elsewhere afterwards."""

    volume: str
    title: str
    line: int
    words: str


class Row(Schema):
    """A place that can be changed too: words that say the old name without referring to it, or a passage that says
    the same; changed only if chosen."""

    id: str
    kind: Literal[
        "text", "heading", "link", "picture", "file", "value", "passage", "title", "code", "field", "left out"
    ]
    title: str
    line: int
    before: str
    after: str


class NamedPage(Schema):
    """A page by its address."""

    volume: str
    key: str
    title: str


class Plan(Schema):
    """What an act will change. Send its digest to have exactly this done."""

    act: str
    sentence: str
    digest: str
    can_be_done: bool
    readers: list[str] = Field(description="Who will read more by it, and who less, in sentences")
    references: int
    sections: int
    pages: list[ChangedPage]
    removed: list[NamedPage]
    captured: list[Reference] = Field(description="Led nowhere, will lead to a page")
    lost: list[Reference] = Field(description="Will be left without a page")
    lost_sections: list[Reference]
    resettled: list[Reference] = Field(
        description="Unwritten names that would be written in another volume then"
    )
    released: list[Reference] = Field(description="Captured by the act that is undone; lead nowhere again")
    returned: list[Reference] = Field(
        description="Fell to another page when one went that comes back; lead to that again"
    )
    other_texts: list[Reference] = Field(
        description="Inserts that will put in another page's text, or become words: their readers see other text"
    )
    crossing: list[Reference] = Field(
        description="Lead into a volume that closes or opens, from pages that others read"
    )
    conflicts: list[NamedPage] = Field(description="Changed by others in the same places")
    contents: list[str]
    files: list[str] = Field(description="Files that are copied along, by name")
    rows: list[Row]
    hidden_pages: int
    hidden_references: int
