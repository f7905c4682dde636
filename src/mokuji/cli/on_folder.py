"""What all commands on a plain folder share: the folder, faults as sentences, and how a plan is shown and done.

Exit status 0 sound or done, 1 findings or refused, 2 cannot run.
"""

from __future__ import annotations

import gc
import sys
from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, ParamSpec, TypeVar

import typer

from mokuji.core.base.errors import BadName, MokujiError, Refused
from mokuji.core.base.phrases import counted

if TYPE_CHECKING:
    from mokuji.services.folders.folder_plan import FolderPlan

P = ParamSpec("P")
R = TypeVar("R")

Folder = Annotated[Path, typer.Argument(help="A folder of .md files, or of such folders: one volume each.")]
PlanOnly = Annotated[bool, typer.Option("--plan", help="Show what would change, and write nothing.")]
InVolume = Annotated[str, typer.Option("--volume", help="The volume, where the folder holds several.")]


def on_folder(command: Callable[P, R]) -> Callable[P, R]:
    """On folders: exit status 1 if it is refused, 2 if it cannot run at all."""

    @wraps(command)
    def run(*args: P.args, **kwargs: P.kwargs) -> R:
        collects = gc.isenabled()
        # What is read stays until the command ends: the collector would look through all of it again and again.
        gc.disable()
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
        finally:
            if collects:
                gc.enable()

    return run


def put_in_order(folder: Path) -> None:
    """Finishes or takes back what a command before this one could not end, and says so."""
    from mokuji.services.folders import folder_writing

    if said := folder_writing.recover(folder):
        typer.echo(said, err=True)


def finish(made: FolderPlan, *, will: str, was: str, plan_only: bool) -> None:
    """Shows a plan, or does it; ``will`` and ``was`` say in sentences what it will do, and what was done."""
    from mokuji.services.folders import folder_plan

    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    if not made.files and not made.moved:
        typer.echo("That is so already; nothing would change.")
        return
    if plan_only:
        for line in folder_plan.as_diff(made):
            typer.echo(line)
    else:
        folder_plan.apply(made)
    for new, old in (*made.moved.items(), *made.copied.items()):
        typer.echo(f"{old} → {new}")
    for line in folder_plan.lines_of(made):
        typer.echo(line)
    number = len(made.files) + len(made.moved) + len(made.copied)
    files = counted(number, "file")
    if plan_only:
        typer.echo(f"{will} {files} would change; nothing was written.")
    else:
        typer.echo(f"{was}. {files} changed." if was else f"{files} changed.")
