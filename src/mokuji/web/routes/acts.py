"""Renaming, undoing, history, changes."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from mokuji.core.diff import changed_lines
from mokuji.services import history, refactor
from mokuji.web import addresses
from mokuji.web.pages import Form, Visitor, Who, see

router = APIRouter()

SHOWN_PAGES = 25
SHOWN_LINES = 6


@router.get("/-/rename/{volume}/{page:path}")
def plan_rename(
    who: Who, volume: str, page: str, title: str = "", words: str = "title", more: int = 0
) -> Response:
    """The plan of a rename; without a title, the question for one."""
    view = refactor.plan_rename(
        who.desk, who.actor, volume, page, title or page, present_words=words == "present"
    )
    return _rename_page(who, view, title, words, more, stale=False)


def _rename_page(
    who: Visitor, view: refactor.RenameView, title: str, words: str, more: int, *, stale: bool
) -> Response:
    most = SHOWN_PAGES * (max(0, min(more, 400)) + 1)
    lines = {c.head.id: changed_lines(c.before, c.edits, SHOWN_LINES + 1) for c in view.changes[:most]}
    refused = title and view.refusal is not None
    return who.page(
        "rename.html",
        409 if refused or stale else 200,
        view=view,
        title=title,
        words=words,
        lines=lines,
        shown=view.changes[:most],
        more=more,
        most_lines=SHOWN_LINES,
        stale=stale,
    )


@router.post("/-/rename/{volume}/{page:path}")
def rename(who: Who, form: Form, volume: str, page: str) -> Response:
    """Does the rename that was seen; shows the fresh plan if it is another one by now."""
    title, words = form.get("title", ""), form.get("words", "title")
    done = refactor.apply_rename(
        who.desk,
        who.actor,
        volume,
        page,
        title,
        form.get("digest", ""),
        present_words=words == "present",
        note=form.get("note", ""),
    )
    if isinstance(done, refactor.Applied):
        return see(addresses.change(done.change_set) + "?done=1")
    return _rename_page(who, done, title, words, 0, stale=True)


@router.get("/-/changes")
def changes(who: Who, before: int | None = None) -> Response:
    """What was done lately in all volumes one may read."""
    acts, volumes, more = history.acts(who.desk, who.actor, before)
    return who.page("changes.html", acts=acts, volumes=volumes, more=more, lit="changes")


@router.get("/-/changes/{number}")
def change(who: Who, number: int, done: bool = False) -> Response:
    """One act with the pages it changed."""
    view = history.one_act(who.desk, who.actor, number)
    return who.page("change.html", view=view, done=done, lit="changes")


@router.get("/-/changes/{number}/undo")
def plan_undo(who: Who, number: int) -> Response:
    """What undoing would do."""
    return _undo_page(who, refactor.plan_undo(who.desk, who.actor, number), stale=False)


def _undo_page(who: Visitor, view: refactor.UndoView, *, stale: bool) -> Response:
    shown = view.changes[:SHOWN_PAGES]
    lines = {c.head.id: changed_lines(c.before, c.edits, SHOWN_LINES + 1) for c in shown}
    status = 409 if stale or view.refusal else 200
    return who.page(
        "undo.html",
        status,
        view=view,
        shown=shown,
        lines=lines,
        most_lines=SHOWN_LINES,
        stale=stale,
        lit="changes",
    )


@router.post("/-/changes/{number}/undo")
def undo(who: Who, form: Form, number: int) -> Response:
    """Undoes the act whose undoing was seen."""
    done = refactor.apply_undo(who.desk, who.actor, number, form.get("digest", ""))
    if isinstance(done, refactor.Applied):
        return see(addresses.change(done.change_set) + "?done=1")
    return _undo_page(who, done, stale=True)


@router.get("/-/history/{volume}/{page:path}")
def revisions(who: Who, volume: str, page: str, before: int | None = None) -> Response:
    """The revisions of a page."""
    return who.page("history.html", view=history.revisions(who.desk, who.actor, volume, page, before))


@router.get("/-/compare/{volume}/{page:path}")
def compare(who: Who, volume: str, page: str, older: int = 1, newer: int = 1) -> Response:
    """Two revisions and what differs."""
    return who.page(
        "compare.html", view=history.compare_revisions(who.desk, who.actor, volume, page, older, newer)
    )


@router.get("/-/revision/{volume}/{page:path}")
def revision(who: Who, volume: str, page: str, number: int = 1) -> Response:
    """One revision as typed."""
    return who.page("revision.html", view=history.one_revision(who.desk, who.actor, volume, page, number))
