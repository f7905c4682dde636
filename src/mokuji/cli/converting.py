"""``mokuji convert``: a folder of plain Markdown becomes pages, and what became of its links is said."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

import typer

from mokuji.core.base.phrases import counted
from mokuji.services.folders import converting


def convert(folder: Path, into: Path, *, only_plan: bool) -> None:
    """Writes the pages, unless only the plan was asked for; says each link that is lost, with file and line."""
    made = converting.converted(folder)
    for fate in made.links:
        if fate.became in {"lost", "section lost"}:
            typer.echo(str(fate))
    for problem in made.problems:
        typer.echo(problem, err=True)
    number = Counter(fate.became for fate in made.links)
    said = [
        f"references: {number['reference'] + number['section lost']:,}"
        f" ({number['section lost']:,} without their section)",
        f"to files: {number['file']:,} (to {counted(len(made.files), 'file')})",
        f"outside: {number['outside']:,}",
        f"left as they are: {number['lost']:,}",
    ]
    typer.echo(f"{counted(len(made.pages), 'page')}. Links: {'; '.join(said)}.")
    if not only_plan:
        written = converting.write(made, folder, into)
        typer.echo(f"{counted(written, 'file')} {'was' if written == 1 else 'were'} written.")
