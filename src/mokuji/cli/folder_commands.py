"""``mokuji check|rename|move|merge FOLDER``: work on a plain folder, without a database.

Exit status 0 sound or done, 1 findings or refused, 2 cannot run.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from enum import StrEnum
from functools import wraps
from pathlib import Path
from typing import Annotated, ParamSpec, TypeVar

import typer

from mokuji.core.errors import BadName, MokujiError, Refused
from mokuji.formats.check import as_json, as_lines
from mokuji.services import folders

P = ParamSpec("P")
R = TypeVar("R")

Folder = Annotated[Path, typer.Argument(help="A folder of .md files, or of such folders: one volume each.")]
PlanOnly = Annotated[bool, typer.Option("--plan", help="Show what would change, and write nothing.")]
KeepWords = Annotated[
    bool, typer.Option("--keep-words", help="Readers go on seeing the words they see now (labels are added).")
]


def _on_folder(command: Callable[P, R]) -> Callable[P, R]:
    """On folders: exit status 1 if it is refused, 2 if it cannot run at all."""

    @wraps(command)
    def run(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            return command(*args, **kwargs)
        except (Refused, BadName) as fault:
            typer.echo(fault.message, err=True)
            raise typer.Exit(1) from fault
        except MokujiError as fault:
            typer.echo(fault.message, err=True)
            raise typer.Exit(2) from fault

    return run


class Format(StrEnum):
    """How findings are written."""

    TEXT = "text"
    JSON = "json"


@_on_folder
def check(
    folder: Folder,
    format_: Annotated[
        Format, typer.Option("--format", help="Lines for people and editors, or one JSON object.")
    ] = Format.TEXT,
) -> None:
    """Check a folder of pages: what leads nowhere, what nothing leads to. Exit status 0 sound, 1 findings."""
    found = folders.check(folder)
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    if format_ is Format.JSON:
        typer.echo(as_json(found))
    else:
        for line in as_lines(found):
            typer.echo(line)
    if not found.sound:
        raise typer.Exit(1)


@_on_folder
def render(
    folder: Folder,
    page: Annotated[str, typer.Argument(help="The page: its title, “Volume/Title”, or its file.")],
) -> None:
    """Print a page of a folder as HTML, with what it inserts. Its problems go to standard error; exit status 1 if it
    has any."""
    html, problems = folders.render(folder, page)
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    typer.echo(html, nl=False)
    for each in problems:
        typer.echo(f"{each.path}:{each.line}:{each.column}: {each.message} [{each.code}]", err=True)
    if problems:
        raise typer.Exit(1)


@_on_folder
def rename_in_folder(
    folder: Folder,
    old: Annotated[str, typer.Argument(help="The page: its title, “Volume/Title”, or its file.")],
    new: Annotated[str, typer.Argument(help="Its new title.")],
    plan: PlanOnly = False,
    keep_words: KeepWords = False,
    alias: Annotated[bool, typer.Option("--alias", help="The old title stays as another name.")] = False,
) -> None:
    """Rename a page of a folder; every reference follows."""
    _finish(folders.plan_rename(folder, old, new, present_words=keep_words, keep_alias=alias), plan)


@_on_folder
def move_in_folder(
    folder: Folder,
    page: Annotated[str, typer.Argument(help="The page: its title, “Volume/Title”, or its file.")],
    to: Annotated[str, typer.Option("--to", help="Another volume.")] = "",
    under: Annotated[str, typer.Option("--under", help="The name in the contents that it goes below.")] = "",
    after: Annotated[str, typer.Option("--after", help="The name in the contents that it goes behind.")] = "",
    plan: PlanOnly = False,
) -> None:
    """Move a page of a folder to another volume, or to another place in contents.md."""
    _finish(folders.plan_move(folder, page, to=to, under=under or None, after=after or None), plan)


class Joined(StrEnum):
    """How the texts of two pages are joined."""

    AFTER = "after"
    BEFORE = "before"
    KEEP = "keep"


@_on_folder
def merge_in_folder(
    folder: Folder,
    page: Annotated[str, typer.Argument(help="The page that goes.")],
    into: Annotated[str, typer.Argument(help="The page that stays.")],
    texts: Annotated[
        Joined, typer.Option("--texts", help="Its text comes after or before the other, or is not kept.")
    ] = Joined.AFTER,
    plan: PlanOnly = False,
    keep_words: KeepWords = False,
) -> None:
    """Merge a page of a folder into another; every reference follows."""
    _finish(
        folders.plan_merge(folder, page, into, texts=texts.value, present_words=keep_words),
        plan,
    )


def _finish(made: folders.FolderPlan, plan_only: bool) -> None:
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    if not made.files:
        typer.echo("That is so already; nothing would change.")
        return
    if plan_only:
        for line in folders.as_diff(made):
            typer.echo(line)
    else:
        folders.apply(made)
    for sentence in folders.told(made):
        typer.echo(sentence)
    files = f"{len(made.files)} file{'' if len(made.files) == 1 else 's'}"
    typer.echo(f"{files} would change; nothing was written." if plan_only else f"{files} changed.")


def add_to(app: typer.Typer) -> None:
    """Adds the commands."""
    app.command("check")(check)
    app.command("render")(render)
    app.command("rename")(rename_in_folder)
    app.command("move")(move_in_folder)
    app.command("merge")(merge_in_folder)
