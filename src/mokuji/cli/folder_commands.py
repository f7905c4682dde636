"""Commands that work on a plain folder, without a database: check, render, rename, move, merge, category, slot,
extract, inline, uses, repeats, categories, rename-file, rename-source, tasks, fields.

Exit status 0 sound or done, 1 findings or refused, 2 cannot run.
"""

from __future__ import annotations

import csv
import io
import sys
from collections.abc import Callable
from enum import StrEnum
from functools import wraps
from pathlib import Path
from typing import Annotated, ParamSpec, TypeVar

import typer

from mokuji.core.base.errors import BadName, BadText, MokujiError, Refused
from mokuji.formats.check import as_json, as_lines
from mokuji.formats.tasks import calendar, todo_txt
from mokuji.services.folders import folder_reuse, folder_shaping, folder_things, folder_writing, folders

P = ParamSpec("P")
R = TypeVar("R")

Folder = Annotated[Path, typer.Argument(help="A folder of .md files, or of such folders: one volume each.")]
PlanOnly = Annotated[bool, typer.Option("--plan", help="Show what would change, and write nothing.")]
KeepWords = Annotated[
    bool, typer.Option("--keep-words", help="Readers go on seeing the words they see now (labels are added).")
]

InVolume = Annotated[str, typer.Option("--volume", help="The volume, where the folder holds several.")]


def _on_folder(command: Callable[P, R]) -> Callable[P, R]:
    """On folders: exit status 1 if it is refused, 2 if it cannot run at all."""

    @wraps(command)
    def run(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            if isinstance(folder := kwargs.get("folder"), Path):
                put_in_order(folder)
            return command(*args, **kwargs)
        except (Refused, BadName) as fault:
            typer.echo(fault.message, err=True)
            raise typer.Exit(1) from fault
        except MokujiError as fault:
            typer.echo(fault.message, err=True)
            raise typer.Exit(2) from fault

    return run


def put_in_order(folder: Path) -> None:
    """Finishes or takes back what a command before this one could not end, and says so."""
    if said := folder_writing.recover(folder):
        typer.echo(said, err=True)


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


Page = Annotated[str, typer.Argument(help="The page: its title, “Volume/Title”, or its file.")]
Heading = Annotated[
    str, typer.Argument(help="The section: its words, “#identifier”, or its number and a full stop, as “2.”.")
]


class Left(StrEnum):
    """What stays in the place of a section."""

    LINK = "link"
    INSERT = "insert"


@_on_folder
def split_in_folder(
    folder: Folder,
    page: Page,
    section: Heading,
    title: Annotated[
        str, typer.Option("--title", help="Its title; as it is, the words of its heading.")
    ] = "",
    leave: Annotated[
        Left, typer.Option("--leave", help="What stays there: a link, or an insert.")
    ] = Left.LINK,
    plan: PlanOnly = False,
    keep_words: KeepWords = False,
) -> None:
    """Make a page of a section; references to it follow."""
    made = folder_shaping.plan_split(
        folder, page, section, title, leave=leave.value, present_words=keep_words
    )
    _finish(made, plan)


@_on_folder
def join_in_folder(
    folder: Folder,
    page: Page,
    into: Annotated[str, typer.Argument(help="The page that it becomes a section of.")],
    plan: PlanOnly = False,
    keep_words: KeepWords = False,
) -> None:
    """Make a page a section of another; references to it follow."""
    _finish(folder_shaping.plan_join(folder, page, into, present_words=keep_words), plan)


class Fate(StrEnum):
    """What becomes of references to what is deleted."""

    LEAVE = "leave"
    WORDS = "words"
    RETARGET = "retarget"


@_on_folder
def delete_in_folder(
    folder: Folder,
    page: Page,
    references: Annotated[
        Fate,
        typer.Option("--references", help="References to it stay, become words, or lead elsewhere (--to)."),
    ] = Fate.LEAVE,
    to: Annotated[str, typer.Option("--to", help="The page that references lead to then.")] = "",
    branch: Annotated[
        bool, typer.Option("--branch", help="Also what stands below it in contents.md.")
    ] = False,
    plan: PlanOnly = False,
) -> None:
    """Take a page away; what leads nowhere then is listed."""
    _finish(folder_shaping.plan_delete(folder, page, references=references.value, to=to, branch=branch), plan)


@_on_folder
def retarget_in_folder(
    folder: Folder,
    name: Annotated[str, typer.Argument(help="A page, or a name that is not written.")],
    to: Annotated[str, typer.Argument(help="The page that references to it are to lead to.")],
    volume: InVolume = "",
    plan: PlanOnly = False,
    keep_words: KeepWords = False,
) -> None:
    """Lead all references to a name to another page."""
    made = folder_shaping.plan_retarget(folder, name, to, volume=volume, present_words=keep_words)
    _finish(made, plan)


@_on_folder
def section_in_folder(
    folder: Folder,
    page: Page,
    section: Heading,
    words: Annotated[str, typer.Argument(help="Its new words.")],
    plan: PlanOnly = False,
    keep_words: KeepWords = False,
) -> None:
    """Give a section other words; references to it follow."""
    _finish(folder_shaping.plan_section(folder, page, section, words, present_words=keep_words), plan)


@_on_folder
def names_in_folder(
    folder: Folder,
    page: Page,
    add: Annotated[list[str] | None, typer.Option("--add", help="One more; several times.")] = None,
    drop: Annotated[list[str] | None, typer.Option("--drop", help="One less; several times.")] = None,
    plan: PlanOnly = False,
) -> None:
    """Give a page other names, or take some from it."""
    _finish(folder_shaping.plan_aliases(folder, page, add=add or (), drop=drop or ()), plan)


@_on_folder
def create_in_folder(
    folder: Folder,
    title: Annotated[str, typer.Argument(help="The title of the page.")],
    text: Annotated[
        Path | None, typer.Option("--text", help="A file with its text; “-” reads it from standard input.")
    ] = None,
    under: Annotated[str, typer.Option("--under", help="The name in the contents that it goes below.")] = "",
    volume: InVolume = "",
    plan: PlanOnly = False,
) -> None:
    """Write a new page; references that asked for its name lead to it."""
    try:
        data = b"" if text is None else sys.stdin.buffer.read() if str(text) == "-" else text.read_bytes()
        body = data.decode()
    except (OSError, UnicodeDecodeError) as fault:
        raise BadText(f"The text cannot be read: {fault}.") from fault
    _finish(folder_shaping.plan_create(folder, title, body, volume=volume, under=under), plan)


@_on_folder
def rename_category(
    folder: Folder,
    old: Annotated[str, typer.Argument(help="The category as it is called now.")],
    new: Annotated[str, typer.Argument(help="Its new name, or that of another one to make them one.")],
    volume: InVolume = "",
    plan: PlanOnly = False,
) -> None:
    """Rename a category of a folder, in front matter and marks."""
    _finish(folder_reuse.plan_category(folder, old, new, volume=volume), plan)


@_on_folder
def rename_slot(
    folder: Folder,
    template: Annotated[str, typer.Argument(help="The template: its title, “Volume/Title”, or its file.")],
    old: Annotated[str, typer.Argument(help="The slot as it is called now.")],
    new: Annotated[str, typer.Argument(help="Its new name.")],
    plan: PlanOnly = False,
) -> None:
    """Rename a slot of a template; all places that use it follow."""
    _finish(folder_reuse.plan_slot(folder, template, old, new), plan)


@_on_folder
def inline(
    folder: Folder,
    page: Annotated[
        str, typer.Argument(help="The page that is put in: its title, “Volume/Title”, or its file.")
    ],
    trash: Annotated[
        bool, typer.Option("--remove", help="Remove its file if no insert of it is left.")
    ] = False,
    plan: PlanOnly = False,
) -> None:
    """Replace all inserts of a page by its text; readers see the same."""
    _finish(folder_reuse.plan_inline(folder, page, trash=trash), plan)


@_on_folder
def extract(
    folder: Folder,
    page: Annotated[str, typer.Argument(help="The page: its title, “Volume/Title”, or its file.")],
    title: Annotated[str, typer.Argument(help="The title of the template.")],
    lines: Annotated[str, typer.Option("--lines", help="Its lines, such as 5-9.")],
    slot: Annotated[
        list[str] | None,
        typer.Option("--slot", help="Words that become a slot, as “name: words”; several times."),
    ] = None,
    as_page: Annotated[bool, typer.Option("--page", help="Make it a page, not a template.")] = False,
    everywhere: Annotated[
        bool, typer.Option("--everywhere", help="Replace it wherever the same is said.")
    ] = False,
    plan: PlanOnly = False,
) -> None:
    """Make a template of some lines of a page, and put it in where they stood."""
    first, _, last = lines.partition("-")
    numbers = (int(first), int(last or first)) if (first + last).isdecimal() else (0, 0)
    pairs = [(name.strip(), words.strip()) for name, _, words in (each.partition(":") for each in slot or [])]
    made = folder_reuse.plan_extract(
        folder, page, title, numbers, template=not as_page, slots=pairs, everywhere=everywhere
    )
    _finish(made, plan)


@_on_folder
def uses(
    folder: Folder,
    template: Annotated[str, typer.Argument(help="The page: its title, “Volume/Title”, or its file.")],
) -> None:
    """List where a page is put in, with the values given there. Exit status 1 if some do not fit."""
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    faulty = False
    for path, line, values, faults in folder_reuse.uses_in(folder, template):
        typer.echo(f"{path}:{line}: " + " | ".join(f"{n}: {' '.join(v.split())}" for n, v in values.items()))
        for fault in faults:
            faulty = True
            typer.echo(f"{path}:{line}: {fault.message} [{fault.code}]", err=True)
    if faulty:
        raise typer.Exit(1)


@_on_folder
def repeats(folder: Folder) -> None:
    """List text that stands in several places, by the lines that saying it once would save. Exit status 1 if any."""
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    any_ = False
    for each, places in folder_reuse.repeats_in(folder):
        any_ = True
        typer.echo(f"{each.saved} fewer lines: {' '.join(each.words.split())[:100]}")
        for path, line in places:
            typer.echo(f"  {path}:{line}")
    if any_:
        raise typer.Exit(1)


@_on_folder
def categories(folder: Folder, volume: InVolume = "") -> None:
    """Print the categories of a volume as a tree, with the number of pages filed under each."""
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    for node, name, pages in folder_reuse.categories_in(folder, volume=volume):
        typer.echo(f"{'  ' * node.depth}{name}  {pages}")


@_on_folder
def rename_file(
    folder: Folder,
    old: Annotated[str, typer.Argument(help="The file, as it is called in files/ of its volume.")],
    new: Annotated[str, typer.Argument(help="Its new name; the ending stays.")],
    volume: InVolume = "",
    plan: PlanOnly = False,
) -> None:
    """Give a file another name; whatever names it follows."""
    _finish(folder_things.plan_file(folder, old, new, volume=volume), plan)


@_on_folder
def rename_source(
    folder: Folder,
    old: Annotated[str, typer.Argument(help="The source, as it is cited.")],
    new: Annotated[str, typer.Argument(help="Its new name.")],
    plan: PlanOnly = False,
) -> None:
    """Give a source of sources.json or sources.bib another name; whatever cites it follows."""
    _finish(folder_things.plan_source(folder, old, new), plan)


class TaskForm(StrEnum):
    """How tasks are told."""

    TEXT = "text"
    TODO = "todo.txt"
    CALENDAR = "ics"


@_on_folder
def tasks(
    folder: Folder,
    person: Annotated[str, typer.Option("--person", help="Only those that name this handle.")] = "",
    done: Annotated[bool, typer.Option("--done", help="Those that are done.")] = False,
    format_: Annotated[
        TaskForm, typer.Option("--format", help="Lines with their places, todo.txt, or iCalendar.")
    ] = TaskForm.TEXT,
) -> None:
    """List the tasks of all pages, by day and priority."""
    told = folder_things.tasks_in(folder, person=person.removeprefix("@"), done=done)
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


@_on_folder
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
    table = folder_things.table_of(folder, field, volume=volume, columns=columns, value=value, sort=sort)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["title", *table.columns, "file"])
    for row in table.rows:
        told = [row.fields.get(name, "") for name in table.columns]
        writer.writerow([row.head.title, *told, table.paths[row.head.id]])
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    typer.echo(out.getvalue(), nl=False)


def _finish(made: folders.FolderPlan, plan_only: bool) -> None:
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    if not made.files and not made.moved:
        typer.echo("That is so already; nothing would change.")
        return
    if plan_only:
        for line in folders.as_diff(made):
            typer.echo(line)
    else:
        folders.apply(made)
    for new, old in (*made.moved.items(), *made.copied.items()):
        typer.echo(f"{old} → {new}")
    for sentence in folders.told(made):
        typer.echo(sentence)
    number = len(made.files) + len(made.moved) + len(made.copied)
    files = f"{number} file{'' if number == 1 else 's'}"
    typer.echo(f"{files} would change; nothing was written." if plan_only else f"{files} changed.")


def add_to(app: typer.Typer) -> None:
    """Adds the commands."""
    app.command("check")(check)
    app.command("render")(render)
    app.command("rename")(rename_in_folder)
    app.command("move")(move_in_folder)
    app.command("merge")(merge_in_folder)
    app.command("split")(split_in_folder)
    app.command("join")(join_in_folder)
    app.command("delete")(delete_in_folder)
    app.command("retarget")(retarget_in_folder)
    app.command("section")(section_in_folder)
    app.command("names")(names_in_folder)
    app.command("create")(create_in_folder)
    app.command("category")(rename_category)
    app.command("slot")(rename_slot)
    app.command("extract")(extract)
    app.command("inline")(inline)
    app.command("uses")(uses)
    app.command("repeats")(repeats)
    app.command("categories")(categories)
    app.command("rename-file")(rename_file)
    app.command("rename-source")(rename_source)
    app.command("tasks")(tasks)
    app.command("fields")(fields)
