"""What is known of an act: how it is asked for, planned and told.  Each has a module of its own that ends in one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from enum import Enum
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from mokuji.core.base.phrases import Phrase
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan

if TYPE_CHECKING:
    from mokuji.acts.request import Request
    from mokuji.acts.stored_context import StoredContext
    from mokuji.acts.view import PlanView
    from mokuji.services.folders.coming_back import Coming
    from mokuji.services.reading.reading import VolumeView
    from mokuji.store.acts.acting import Done
    from mokuji.store.log.history import LoggedAct

R = TypeVar("R", bound="Request")
F = TypeVar("F", bound=Facts)


class About(Enum):
    """What an act is about: what its address names, and what it is shown under."""

    PAGE = "page"
    NAME = "name"
    """A name that need not be that of a page."""
    CATEGORY = "category"
    FILE = "file"
    SOURCE = "source"
    PERSON = "person"
    VOLUME = "volume"
    WIKI = "wiki"
    TRASH = "trash"
    CHANGE = "change"


@dataclass(frozen=True, slots=True)
class Choices:
    """What the question of an act offers: headings, other names, slots of the page in hand; the text of two pages,
    joined; the passage in hand; categories of the volume; titles of pages in the trash, by id; the contents as text."""

    headings: tuple[str, ...] = ()
    aliases: tuple[str, ...] = ()
    slots: tuple[str, ...] = ()
    joined: str | None = None
    passage: str = ""
    categories: tuple[str, ...] = ()
    trashed: dict[int, str] = field(default_factory=dict)
    text: str = ""
    first: int = 0
    """A later change that is to be taken back before (0: none is known)."""
    coming: Coming | None = None
    """A folder that was brought, compared."""


NO_CHOICES = Choices()
GENERAL_HINT = "The plan then shows everything that changes, before anything does."


def _no_choices(*_: Any) -> Choices:
    return NO_CHOICES


def _nothing(*_: Any) -> None:
    return None


@dataclass(frozen=True)
class Act(Generic[R, F]):
    """An act.

    ``plan`` finds what the request names, checks rights and asks the core for a plan, or raises a MokujiError that
    says why it cannot be. ``sentence`` says what a plan will do, ``note`` what the log proposes to say of it,
    ``button`` what doing it is called. ``address`` is its name in the address of its plan, ``asked`` the field without
    which its question was not answered yet (empty: there is no question). ``logged`` is what its change sets are
    called.
    """

    request: type[R]
    facts: type[F]
    about: About
    plan: Callable[[StoredContext, R], Plan]
    sentence: Callable[[PlanView, R, F], str]
    note: Callable[[F], Phrase]
    heading: str | Callable[[R], str]
    """Over its plan."""
    done: str
    """What the log calls it."""
    button: str | Callable[[PlanView, R, F], str]
    address: str = ""
    asked: str = ""
    logged: str = ""
    question: str = ""
    """The template of its question, in ``web/templates/acts``; none if it has no question."""
    after: str = ""
    """A template of what stands behind its sentence."""
    refused: str = ""
    """A template of what stands behind the reason why it was refused."""
    hint: str = GENERAL_HINT
    """What is said while its question is open."""
    choices: Callable[[StoredContext, R, VolumeView | None, PageHead | None], Choices] = _no_choices
    permission: Permission = Permission.RENAME
    """What an actor must be allowed in the volume that it is about."""
    menu: str = ""
    """What it is called in the menu of what it is about; empty: it is found in other places."""
    shortcut: str = ""
    of_sections: bool = False
    """Whether a page must have sections for it."""
    taken_back: Callable[[StoredContext, R], LoggedAct | None] = _nothing
    """The change that it is about, if it is about one."""
    beforehand: Callable[[StoredContext, R, Plan], None] = _nothing
    """What else is written before it is done."""
    afterwards: Callable[[StoredContext, R, Done, LoggedAct | None], None] = _nothing
    """What else is written once it is done."""
    instead: Callable[[PlanView, R], tuple[str, Request] | None] = _nothing
    """What can be asked for instead of what was refused, in words and as a request."""
    counts_references: bool = True
    """Whether its sentence leaves it to be said how many references follow."""
    button_counts: bool = True
    """Whether its button says how many references follow."""
    rows_heading: str = "Says the old name without referring to it"
    rows_alike: bool = False
    """Whether its rows are all of one sort, to be marked at once, and shown as they will be."""
    rows_left: bool = False
    """Whether its rows are done unless they are marked to stay as they are."""
    captured_heading: str = "Now unwritten, will lead to a page"
    tells_places: bool = True
    tells_copies: bool = True
    """Whether files that come about by it are told as copied along."""
    for_volumes: bool = False
    """Whether there is a plan of it for a whole volume, too."""
    command: str = ""
    """What the command is called that does it on folders; empty: folders cannot have it, or have it otherwise."""
    command_without: tuple[str, Act[Any, Any]] | None = None
    """A field of the request, and the act that the command asks for without it."""
    together: Callable[[Sequence[R]], Sequence[R]] | None = None
    """Makes as few requests of several as can be, of acts that name places by where they stand in a text: each of these
    is planned at once."""
    in_json: bool = True
    """Whether JSON can ask for it (by its request) rather than in a way of its own."""

    @property
    def name(self) -> str:
        """Its name in JSON, and of its facts in the log."""
        return str(self.request.act)

    @property
    def change(self) -> str:
        """What change sets are called that it makes."""
        return self.logged or self.name

    def asks(self, request: R) -> bool:
        """Whether it has a question."""
        return bool(self.question) and not (self.for_volumes and not getattr(request, "page", ""))

    def heading_of(self, request: R) -> str:
        """What stands over its plan."""
        return self.heading if isinstance(self.heading, str) else self.heading(request)
