"""Commands that look at a plain folder, without a database: check, render, uses, repeats, categories, tasks, fields.

All acts have commands of their own (``act_commands``). What one of them needs it imports itself: a check of a small
folder should not wait for calendars, a word of help for nothing.
"""

from __future__ import annotations

import csv
import io
import sys
from enum import StrEnum
from typing import Annotated

import typer

from mokuji.cli.on_folder import Folder, InVolume, on_folder


class Format(StrEnum):
    """How findings are written."""

    TEXT = "text"
    JSON = "json"


@on_folder
def check(
    folder: Folder,
    format_: Annotated[
        Format, typer.Option("--format", help="Lines for people and editors, or one JSON object.")
    ] = Format.TEXT,
    anew: Annotated[
        bool, typer.Option("--anew", help="Read all pages again, also those that did not change since.")
    ] = False,
) -> None:
    """Check a folder of pages: what leads nowhere, what nothing leads to. Exit status 0 sound, 1 findings."""
    from mokuji.formats.check import as_json, as_lines
    from mokuji.services.folders import checking

    found = checking.check(folder, anew=anew)
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    if format_ is Format.JSON:
        typer.echo(as_json(found))
    else:
        for line in as_lines(found):
            typer.echo(line)
    if not found.sound:
        raise typer.Exit(1)


@on_folder
def render(
    folder: Folder,
    page: Annotated[str, typer.Argument(help="The page: its title, “Volume/Title”, or its file.")],
) -> None:
    """Print a page of a folder as HTML, with what it inserts. Its problems go to standard error; exit status 1 if it
    has any."""
    from mokuji.services.folders import folders

    html, problems = folders.render(folder, page)
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    typer.echo(html, nl=False)
    for problem in problems:
        typer.echo(
            f"{problem.path}:{problem.line}:{problem.column}: {problem.message} [{problem.code}]", err=True
        )
    if problems:
        raise typer.Exit(1)


@on_folder
def uses(
    folder: Folder,
    template: Annotated[str, typer.Argument(help="The page: its title, “Volume/Title”, or its file.")],
) -> None:
    """List where a page is put in, with the values given there. Exit status 1 if some do not fit."""
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    faulty = False
    from mokuji.services.folders import folder_reuse

    for path, line, values, faults in folder_reuse.uses_in(folder, template):
        typer.echo(f"{path}:{line}: " + " | ".join(f"{n}: {' '.join(v.split())}" for n, v in values.items()))
        for fault in faults:
            faulty = True
            typer.echo(f"{path}:{line}: {fault.message} [{fault.code}]", err=True)
    if faulty:
        raise typer.Exit(1)


@on_folder
def repeats(folder: Folder) -> None:
    """List text that stands in several places, by the lines that saying it once would save. Exit status 1 if any."""
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    any_ = False
    from mokuji.services.folders import folder_reuse

    for each, places in folder_reuse.repeats_in(folder):
        any_ = True
        typer.echo(f"{each.saved} fewer lines: {' '.join(each.words.split())[:100]}")
        for path, line in places:
            typer.echo(f"  {path}:{line}")
    if any_:
        raise typer.Exit(1)


@on_folder
def categories(folder: Folder, volume: InVolume = "") -> None:
    """Print the categories of a volume as a tree, with the number of pages filed under each."""
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    from mokuji.services.folders import folder_reuse

    for node, name, pages in folder_reuse.categories_in(folder, volume=volume):
        typer.echo(f"{'  ' * node.depth}{name}  {pages}")


class TaskForm(StrEnum):
    """How tasks are told."""

    TEXT = "text"
    TODO = "todo.txt"
    CALENDAR = "ics"


@on_folder
def tasks(
    folder: Folder,
    person: Annotated[str, typer.Option("--person", help="Only those that name this handle.")] = "",
    done: Annotated[bool, typer.Option("--done", help="Those that are done.")] = False,
    format_: Annotated[
        TaskForm, typer.Option("--format", help="Lines with their places, todo.txt, or iCalendar.")
    ] = TaskForm.TEXT,
) -> None:
    """List the tasks of all pages, by day and priority."""
    from mokuji.formats.tasks import calendar, todo_txt
    from mokuji.services.folders import folder_lists

    told = folder_lists.tasks_in(folder, person=person.removeprefix("@"), done=done)
    if format_ is TaskForm.CALENDAR:
        typer.echo(calendar((line for _, _, line in told), folder.resolve().name), nl=False)
        return
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    if format_ is TaskForm.TODO:
        typer.echo(todo_txt(line for _, _, line in told), nl=False)
        return
    for path, number, line in told:
        lead = f"({line.priority}) " if line.priority else ""
        due = f" due:{line.due}" if line.due else ""
        whom = "".join(f" @{each}" for each in line.people)
        typer.echo(f"{path}:{number}: {lead}{line.words}{due}{whom}")


@on_folder
def fields(
    folder: Folder,
    field: Annotated[str, typer.Argument(help="A field of the front matter.")],
    show: Annotated[str, typer.Option("--show", help="Other fields beside it, with commas between.")] = "",
    value: Annotated[str, typer.Option("--value", help="Only pages where it says this.")] = "",
    sort: Annotated[
        str, typer.Option("--sort", help="A field or “title”; “-” before it turns it round.")
    ] = "",
    volume: InVolume = "",
) -> None:
    """Print the pages of a volume that have a field as CSV."""
    columns = tuple(each.strip() for each in show.split(",") if each.strip())
    from mokuji.services.folders import folder_lists

    table = folder_lists.table_of(folder, field, volume=volume, columns=columns, value=value, sort=sort)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["title", *table.columns, "file"])
    for row in table.rows:
        told = [row.fields.get(name, "") for name in table.columns]
        writer.writerow([row.head.title, *told, table.paths[row.head.id]])
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    typer.echo(out.getvalue(), nl=False)


def add_to(app: typer.Typer) -> None:
    """Adds the commands."""
    for command in (check, render, uses, repeats, categories, tasks, fields):
        app.command(command.__name__)(command)
