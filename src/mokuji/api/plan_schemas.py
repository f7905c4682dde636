"""Acts as JSON: what can be wished for, and what a plan says it would change."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.api.schemas import Schema


class _OnPage(Schema):
    """A wish that is about a page."""

    volume: str
    page: str


class Rename(_OnPage):
    """Give a page another title."""

    act: Literal["rename"]
    title: str
    present_words: bool = Field(False, description="Readers go on seeing the words they see now")
    keep_alias: bool = Field(False, description="The old title becomes an alias")
    rows: list[str] = Field([], description="Ids of the rows (of the plan) to be exchanged as well")


class Place(_OnPage):
    """Give a name, with its branch, another place in the contents."""

    act: Literal["place"]
    under: str = Field("", description="Key of the name it goes below; empty: the top")
    after: str = Field("last", description="“first”, “last”, or the key of the sibling it goes behind")


class Contents(Schema):
    """Write the contents of a volume (or, with a page, of its branch) as a list of “- [[Title]]” lines."""

    act: Literal["contents"]
    volume: str
    page: str = ""
    text: str


class Outline(Schema):
    """Put names to be written into the contents: one a line, indented; list marks, numbers and headings may stand."""

    act: Literal["outline"]
    volume: str
    text: str
    under: str = Field("", description="Key of the name that they go below; empty: the volume itself")


class Move(_OnPage):
    """Move a page to another volume."""

    act: Literal["move"]
    to: str = Field(description="Key of the volume")
    branch: bool = Field(True, description="Also what stands below it in the contents")
    under: str = ""
    revisions: Literal["", "along"] = Field(
        "", description="“along”: readers of the other volume read older revisions, too"
    )


class Merge(_OnPage):
    """Merge a page into another; references lead there."""

    act: Literal["merge"]
    into: str = Field(description="“Title” or “Volume/Title”")
    texts: Literal["after", "before", "keep", "edited"] = "after"
    edited: str | None = Field(None, description="The whole text afterwards, if texts is “edited”")
    present_words: bool = False
    alias: bool = Field(True, description="The old title becomes an alias")


class Split(_OnPage):
    """Make a page of a section."""

    act: Literal["split"]
    section: int = Field(ge=0, description="Which heading of the page, counted from 0")
    title: str
    leave: Literal["link", "insert"] = "link"
    present_words: bool = False


class Join(_OnPage):
    """Make a page a section of another."""

    act: Literal["join"]
    into: str
    present_words: bool = False


class Section(_OnPage):
    """Give a section other words."""

    act: Literal["section"]
    section: int = Field(ge=0, description="Which heading of the page, counted from 0")
    words: str
    present_words: bool = False


class Chosen(Schema):
    """A reference as a plan lists it."""

    page: int
    start: int
    end: int


class Retarget(_OnPage):
    """Lead references to a name (written or not) to another page."""

    act: Literal["retarget"]
    to: str
    present_words: bool = False
    only: list[Chosen] | None = Field(None, description="Only these references; all without it")
    absolute: bool = Field(
        False, description="The page is “Volume/Title”, as typed with a volume that does not exist"
    )


class Category(_OnPage):
    """Give a category of a volume another name, or that of another one; ``page`` is its name."""

    act: Literal["category"]
    to: str


class CategoryMove(_OnPage):
    """Let a category stand below others; none puts it at the top. Page is the name of the category."""

    act: Literal["category move"]
    under: list[str] = Field(default_factory=list, max_length=40)


class File(_OnPage):
    """File a page under one more category, and under one less."""

    act: Literal["file"]
    add: str = ""
    drop: str = ""


class FileRename(Schema):
    """Give a file of a volume another name; whatever names it follows."""

    act: Literal["file rename"]
    volume: str
    file: str
    to: str


class FileReplace(Schema):
    """Put other bytes in the place of a file: what was staged for it, or a former version."""

    act: Literal["file replace"]
    volume: str
    file: str
    content: str = Field(description="SHA-256 in hexadecimal digits")


class FileDelete(Schema):
    """Take a file away; without one that takes its place, what names it names what is missing."""

    act: Literal["file delete"]
    volume: str
    file: str
    instead: str = ""


class SourceRename(Schema):
    """Give a source another name; whatever cites it follows. The volume is the one in whose history it stands."""

    act: Literal["source rename"]
    volume: str
    source: str
    to: str


class SourceDelete(Schema):
    """Take a source off the list, or let another be cited in its place."""

    act: Literal["source delete"]
    volume: str
    source: str
    instead: str = ""


class PersonRename(Schema):
    """Give a person another handle; whatever names them follows."""

    act: Literal["person rename"]
    volume: str
    person: str
    to: str


class Slot(_OnPage):
    """Give a slot of a template another name; all places that use it follow."""

    act: Literal["slot"]
    slot: str
    to: str


class SlotValue(_OnPage):
    """Give a value in all places that use a template and give none for a slot."""

    act: Literal["slot value"]
    slot: str
    value: str


class SlotOf(Schema):
    """Words of a passage that become a slot."""

    name: str
    words: str


class Extract(_OnPage):
    """Make a passage a template or a page of its own, with an insert in its place."""

    act: Literal["extract"]
    start: int = Field(ge=0, description="Code points of the text as stored")
    end: int = Field(ge=0)
    title: str
    template: bool = True
    slots: list[SlotOf] = Field(default_factory=list, max_length=40)
    revision: int = Field(0, description="Of the text that start and end belong to; 0 for the newest")
    rows: list[str] = Field(
        default_factory=list, description="Ids of rows of the plan: places that say the same"
    )


class Inline(_OnPage):
    """Replace an insert by its text."""

    act: Literal["inline"]
    insert: int = Field(ge=0, description="Which of the page's references, counted from 0")
    revision: int = 0


class InlineEverywhere(_OnPage):
    """Replace all inserts of a page by its text."""

    act: Literal["inline everywhere"]
    trash: bool = Field(False, description="Put the page into the trash if no insert of it is left")


class Delete(_OnPage):
    """Put a page into the trash."""

    act: Literal["delete"]
    branch: bool = Field(False, description="Also what stands below it in the contents")
    references: Literal["leave", "words", "retarget"] = "leave"
    target: str = ""


class Restore(Schema):
    """Bring pages back from the trash."""

    act: Literal["restore"]
    volume: str
    pages: list[int]
    titles: dict[int, str] = Field({}, description="Another title for some, where theirs is taken")


class Aliases(_OnPage):
    """Give a page exactly these other names."""

    act: Literal["aliases"]
    aliases: list[str]


class AddAlias(_OnPage):
    """Let a name be another name of a page."""

    act: Literal["add alias"]
    of: str = Field(description="“Title” or “Volume/Title” of the page")


class Mention(Schema):
    """Words on a page (by its number, and range in code points) that are to lead to a page (by its number)."""

    page: int
    start: int
    end: int
    target: int


class Link(Schema):
    """Make references of words that name a page: of one page the first on each page or all; or those given."""

    act: Literal["link"]
    volume: str
    page: str = ""
    first: bool = Field(False, description="Only the first on each page")
    only: list[Mention] | None = Field(None, description="These, as a report lists them")


class LinkFrom(_OnPage):
    """Refer to a page at the end of another."""

    act: Literal["link from"]
    source: str = Field(description="“Title” or “Volume/Title” of the page that will refer to it")


class CreateVolume(Schema):
    """Make a volume."""

    act: Literal["create volume"]
    title: str
    closed: bool = False


class RenameVolume(Schema):
    """Give a volume another name."""

    act: Literal["rename volume"]
    volume: str
    title: str


class Libraries(Schema):
    """Say in which volumes the inserts of one look after their own."""

    act: Literal["libraries"]
    volume: str
    libraries: list[str]


class Language(Schema):
    """Say which language a volume is written in: a tag of BCP 47 such as de or en-GB, empty for none."""

    act: Literal["language"]
    volume: str
    language: str


class DeleteVolume(Schema):
    """Put a volume with all its pages into the trash."""

    act: Literal["delete volume"]
    volume: str


class Undo(Schema):
    """Take an act back."""

    act: Literal["undo"]
    change_set: int
    keep: list[int] = Field([], description="Pages in conflict whose text is to stay as it is")


Wish = Annotated[
    Rename
    | Place
    | Contents
    | Outline
    | Move
    | Merge
    | Split
    | Join
    | Section
    | Retarget
    | Category
    | CategoryMove
    | File
    | FileRename
    | FileReplace
    | FileDelete
    | SourceRename
    | SourceDelete
    | PersonRename
    | Slot
    | SlotValue
    | Extract
    | Inline
    | InlineEverywhere
    | Delete
    | Restore
    | Aliases
    | AddAlias
    | Link
    | LinkFrom
    | CreateVolume
    | RenameVolume
    | Libraries
    | Language
    | DeleteVolume
    | Undo,
    Field(discriminator="act"),
]


class Do(Schema):
    """A wish whose plan was seen: ``digest`` is that plan's."""

    wish: Wish
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
    kind: Literal["text", "heading", "link", "picture", "file", "value", "passage"]
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
    conflicts: list[NamedPage] = Field(description="Changed by others in the same places")
    contents: list[str]
    rows: list[Row]
    hidden_pages: int
    hidden_references: int
