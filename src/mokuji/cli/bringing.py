"""``mokuji import``: a folder becomes new volumes, comes back into one that is there as an act of somebody, or is the
whole of a wiki."""

from __future__ import annotations

from pathlib import Path

import typer

from mokuji.acts import doing, words
from mokuji.acts.requests import BringBack
from mokuji.acts.view import Applied
from mokuji.core.base import names
from mokuji.core.base.errors import Conflict, MokujiError, Refused
from mokuji.core.base.phrases import counted
from mokuji.core.model.policy import Actor
from mokuji.core.refactor.bringing.comparing import SIDES
from mokuji.services import people
from mokuji.services.app_context import AppContext
from mokuji.services.folders import brought, importing, whole
from mokuji.services.folders.coming_back import Coming

SHOWN = 100
"""Things of a sort that are listed, the others counted."""
_REASONS = {
    "text": "both changed the same lines",
    "title": "both gave it another title",
    "both new": "both wrote a page of this name",
    "gone here": "changed in the folder, and gone here",
    "changed here": "without a file, and changed here since it left",
}


def bring_new(app: AppContext, folder: Path, *, owner: str, by: str, note: str, leave_out: bool) -> None:
    """Brings a folder as new volumes, all of it or nothing; what is left out is said."""
    wiki = importing.read_folder(folder)
    person = people.person_id(app, owner) if owner else None
    author = people.person_id(app, by) if by else person
    said = note or f"Imported from {folder.name}"
    try:
        problems = importing.import_now(
            app, folder, wiki, said, owner=person, author=author, leave_out=leave_out
        )
    except importing.NotWhole as fault:
        for problem in fault.problems:
            typer.echo(str(problem), err=True)
        raise
    for problem in problems:
        typer.echo(f"{problem} Left out.", err=True)
    pages = sum(len(volume.pages) for volume in wiki.volumes)
    came = f"{counted(len(wiki.volumes), 'volume')} with {counted(pages, 'page')}"
    typer.echo(f"{came} {'was' if len(wiki.volumes) == 1 else 'were'} imported.")


def bring_whole(app: AppContext, folder: Path) -> None:
    """Brings the whole of a wiki into this one, which is empty."""
    counts = whole.bring_whole(app, folder)
    came = f"{counted(counts['volume'], 'volume')}, {counted(counts['page'], 'page')}"
    known = f"{counted(counts['change_set'], 'change')}, {counted(counts['person'], 'person', 'people')}"
    typer.echo(f"The whole wiki was imported: {came}, {known}.")
    typer.echo("Who has no password here gets one: mokuji reset-person HANDLE.")


def bring_back(
    app: AppContext, actor: Actor, folder: Path, volume: str, *, prefer: str, only_plan: bool, note: str
) -> None:
    """Brings a folder back, or says what it would change. Refused, with the folder left waiting, while something has
    to be chosen that ``prefer`` does not say."""
    if prefer and prefer not in SIDES:
        raise Refused("--prefer is “folder” or “wiki”.", code="bad_choice")
    key = names.key(volume)
    if folder.suffix == ".zip" and folder.is_file():
        with folder.open("rb") as opened:
            number = brought.receive_zip(app, actor, key, folder.name, opened)
    else:
        number = brought.receive_folder(app, actor, key, folder)
    try:
        if prefer:
            brought.choose_all(app, actor, key, number, prefer)
        coming = brought.compared(app, actor, key, number)
        _say(coming)
        if only_plan:
            brought.discard(app, actor, key, number)
            return
        if coming.comparison.open:
            raise Refused(
                f"{counted(coming.open, 'thing')} {'has' if coming.open == 1 else 'have'} to be chosen. Say --prefer "
                "folder or --prefer wiki; or choose one by one in the browser, where the folder waits now: volume "
                f"“{coming.volume.title}”, “Bring it back from files”.",
                code="conflict",
            )
        _do(app, actor, key, number, note)
    except Refused as refused:
        if refused.code != "conflict":
            brought.discard(app, actor, key, number)
        raise
    except MokujiError:
        brought.discard(app, actor, key, number)
        raise


def _do(app: AppContext, actor: Actor, key: str, number: int, note: str) -> None:
    asked = BringBack(key, number)
    view = doing.plan(app, actor, asked)
    if view.refusal is not None:
        raise view.refusal
    if not view.can_be_done:
        brought.discard(app, actor, key, number)
        typer.echo("Nothing would change.")
        return
    typer.echo(words.sentence(view))
    done = doing.apply(app, actor, asked, view.digest, note=note)
    if not isinstance(done, Applied):
        raise Conflict("The wiki was changed meanwhile. Nothing was done; try again.", code="plan_stale")
    typer.echo("It was taken in.")


def _say(coming: Coming) -> None:
    """What would come, a line each."""
    lines = []
    for item in coming.comparison.items:
        was = f" (was “{item.page.title}”)" if item.renamed and item.page is not None else ""
        why = f", {_REASONS[item.clash]}: {item.chosen or 'to be chosen'}" if item.clash else ""
        taken = ", another page has the title" if item.taken else ""
        lines.append(f"{item.kind}: “{item.title}”{was}{why}{taken}")
    lines += [
        f"{item.sort} {item.what}: {item.name}"
        + (f", changed here, too: {item.chosen or 'to be chosen'}" if item.clash else "")
        for item in coming.assets
    ]
    for line in lines[:SHOWN]:
        typer.echo(line)
    if len(lines) > SHOWN:
        typer.echo(f"and {len(lines) - SHOWN} more")
    if coming.order.clash:
        typer.echo(
            f"contents: both put the same names in another order: {coming.order.chosen or 'as it is here'}"
        )
    for said in coming.said:
        typer.echo(f"Does not come: {said}", err=True)
