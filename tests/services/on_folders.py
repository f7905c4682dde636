"""Plans of acts on a folder, asked for as a command asks for them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from mokuji.acts import on_folders
from mokuji.acts.command import Given
from mokuji.acts.pages import aliases, headings
from mokuji.acts.requests import Aliases, Request
from mokuji.services.folders.context import FolderContext
from mokuji.services.folders.folder_plan import FolderPlan


def planned(folder: Path, request: Request, **how: Any) -> FolderPlan:
    """The plan of an act on a folder."""
    return on_folders.plan(FolderContext.of(folder), request, **how)


def section(folder: Path, page: str, typed: str) -> int:
    """The heading of a page that is meant by what is typed."""
    context = FolderContext.of(folder)
    return headings.named(context, context.page(*context.page_address(page)), typed)


def other_names(folder: Path, page: str, *, add: tuple[str, ...] = (), drop: tuple[str, ...] = ()) -> Aliases:
    """What asks for some names more and others less."""
    context = FolderContext.of(folder)
    head = context.page(*context.page_address(page))
    return Aliases("", page, aliases.changed(Given(context, head, (add, drop))))
