"""The commands that other modules hold, listed without loading them: `mokuji --help` and a completion ask for no more
than their names and what each does, and what they need takes a second to load."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, NamedTuple

import typer
from typer.core import TyperGroup
from typer.main import get_group

if TYPE_CHECKING:
    from collections.abc import Mapping

    from typer._click import Command, Context, HelpFormatter


class Listed(NamedTuple):
    """Which module of ``cli`` adds a command, and the first sentence of its help."""

    module: str
    help: str


ELSEWHERE: dict[str, Listed] = {
    "create": Listed("act_commands", "Write a new page; references that asked for its name lead to it."),
    "edit": Listed(
        "act_commands", "Give a page another text; references to its sections and other names follow."
    ),
    "rename": Listed("act_commands", "Give a page another title."),
    "replace": Listed("act_commands", "Replace words in the pages of a volume."),
    "names": Listed("act_commands", "Give a page other names beside its title."),
    "place": Listed("act_commands", "Give a name, with its branch, another place in the contents."),
    "move": Listed("act_commands", "Move a page to another volume."),
    "merge": Listed("act_commands", "Merge a page into another; references lead there."),
    "split": Listed("act_commands", "Make a page of a section."),
    "join": Listed("act_commands", "Make a page a section of another."),
    "section": Listed("act_commands", "Give a section other words."),
    "retarget": Listed("act_commands", "Lead references to a name (written or not) to another page."),
    "delete": Listed("act_commands", "Put a page into the trash."),
    "category": Listed(
        "act_commands", "Give a category of a volume another name; the name of another one makes the two one."
    ),
    "slot": Listed("act_commands", "Give a slot of a template another name; all places that use it follow."),
    "extract": Listed("act_commands", "Make a passage a template or a page of its own."),
    "inline": Listed("act_commands", "Put the text of a page in the place of all its inserts."),
    "rename-file": Listed("act_commands", "Give a file of a volume another name; its ending stays."),
    "rename-source": Listed("act_commands", "Give a source another name; whatever cites it follows."),
    "check": Listed("folder_commands", "Check a folder of pages: what leads nowhere, what nothing leads to."),
    "render": Listed("folder_commands", "Print a page of a folder as HTML, with what it inserts."),
    "uses": Listed("folder_commands", "List where a page is put in, with the values given there."),
    "repeats": Listed(
        "folder_commands",
        "List text that stands in several places, by the lines that saying it once would save.",
    ),
    "categories": Listed(
        "folder_commands",
        "Print the categories of a volume as a tree, with the number of pages filed under each.",
    ),
    "tasks": Listed("folder_commands", "List the tasks of all pages, by day and priority."),
    "fields": Listed("folder_commands", "Print the pages of a volume that have a field as CSV."),
}
"""In the order in which they are shown; a test compares it with what the modules add."""


WHOLE = 10_000
"""So many characters of a sentence are shown: all."""


class Commands(TyperGroup):
    """Commands, those among them that are loaded only when they are asked for."""

    def list_commands(self, ctx: Context) -> list[str]:
        """The names, those of this module first."""
        return [*super().list_commands(ctx), *ELSEWHERE]

    def get_command(self, ctx: Context, cmd_name: str) -> Command | None:
        """A command, loaded."""
        if cmd_name not in ELSEWHERE:
            return super().get_command(ctx, cmd_name)
        return loaded(ELSEWHERE[cmd_name].module).get(cmd_name)

    def format_commands(self, ctx: Context, formatter: HelpFormatter) -> None:
        """The list of commands, each with a whole sentence of what it does."""
        rows = [
            (
                name,
                ELSEWHERE[name].help if name in ELSEWHERE else self.commands[name].get_short_help_str(WHOLE),
            )
            for name in self.list_commands(ctx)
        ]
        with formatter.section("Commands"):
            formatter.write_dl(rows)


def loaded(module: str) -> Mapping[str, Command]:
    """The commands of a module of ``cli``, by name."""
    app = typer.Typer(rich_markup_mode=None)
    # With one command only there would be no group.
    app.callback()(lambda: None)
    import_module(f"mokuji.cli.{module}").add_to(app)
    return get_group(app).commands
