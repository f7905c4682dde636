"""Give a page another text: what its sections were called, and its other names, still lead there.

A writer does so on the page for writing, where texts that were begun in an older revision are brought together with the
newest (``services.writing.writing``); this is the plan of such a save, for whoever asks for it as for any other act.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.command import option
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import Conflict
from mokuji.core.base.phrases import Phrase
from mokuji.core.language.scan import check_page
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import save as core
from mokuji.core.refactor.plans.save import Edited

if TYPE_CHECKING:
    from mokuji.acts.stored_context import StoredContext


@request
class Edit:
    """Give a page another text; references to its sections and other names follow."""

    volume: str
    page: str
    text: Annotated[
        str,
        Field(description="The whole text"),
        option("--text", help="A file with the whole text; “-” reads it from standard input.", kind="file"),
    ]
    revision: Annotated[
        int, Field(ge=0, description="The revision that the writer began with; 0: the newest")
    ] = 0
    act: Literal["edit"] = Field(default="edit", kw_only=True)


def plan(context: PlanningContext, request: Edit) -> Plan:
    head = context.page(request.volume, request.page, Permission.WRITE)
    check_page(request.text)
    if request.revision and request.revision != head.revision:
        raise Conflict(
            f"“{head.title}” was saved by somebody else since. Open the newest revision, and begin with that.",
            code="edited_meanwhile",
        )
    return core.save(context.wiki, head.id, request.text)


def sentence(_: PlanView, __: Edit, facts: Edited) -> str:
    return "The page will have another text."


def nothing_proposed(_: Any) -> Phrase:
    """A save says nothing of itself but what its writer notes."""
    return ""


def no_draft_any_more(context: StoredContext, request: Edit, *_: Any) -> None:
    """What was saved is no draft any more."""
    from mokuji.store import drafts  # only on a database, and folders are to do without

    head = context.page(request.volume, request.page, Permission.READ)
    if context.actor.person is not None:
        drafts.drop(context.connection, context.actor.person, head.volume, head.id, head.key)


ACT = Act(
    Edit,
    Edited,
    About.PAGE,
    plan,
    sentence,
    nothing_proposed,
    heading="Save another text",
    done="Edited",
    button="Save",
    permission=Permission.WRITE,
    afterwards=no_draft_any_more,
    command="edit",
)
