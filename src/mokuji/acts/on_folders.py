"""Acts on folders: the same modules, planned on what lies in a folder, without a database and without rights."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import cast

from mokuji.acts import words
from mokuji.acts.act import About
from mokuji.acts.context import PlanningContext
from mokuji.acts.files_along import with_files
from mokuji.acts.folder_registry import act_of
from mokuji.acts.request import Request
from mokuji.acts.view import PlanView
from mokuji.acts.visible import seen
from mokuji.core.base.phrases import counted, told
from mokuji.core.refactor.plan import Plan
from mokuji.services.folders.context import FolderContext
from mokuji.services.folders.folder_plan import FolderPlan, made


def addressed(context: FolderContext, request: Request) -> Request:
    """A request whose volume and page are as they were typed, with the keys that they mean. Missing or Refused if
    nothing, or several things, are called so."""
    about = act_of(request).about
    page = getattr(request, "page", "")
    if about is About.PAGE:
        volume, page = context.page_address(f"{request.volume}/{page}" if request.volume else page)
        return replace(request, volume=volume, page=page)  # type: ignore[type-var]
    if about is About.NAME:
        volume, page = context.name_address(page, request.volume)
        return replace(request, volume=volume, page=page)  # type: ignore[type-var]
    # The list of sources is one for all volumes; any of them will do.
    typed = request.volume or (
        next(iter(context.wiki.volumes.values())).title if about is About.SOURCE else ""
    )
    return replace(request, volume=context.volume_address(typed))  # type: ignore[type-var]


def plan(context: FolderContext, request: Request, *, everywhere: bool = False) -> FolderPlan:
    """What an act makes of a folder; with ``everywhere`` all that its plan offers is done as well. A MokujiError says
    why it cannot be."""
    request = addressed(context, request)
    found = _plan(context, request)
    if everywhere and found.rows:
        rows = tuple(row.id for row in found.rows)
        found = _plan(context, replace(request, rows=rows))  # type: ignore[type-var]
    return made(context, found)


def _plan(context: FolderContext, request: Request) -> Plan:
    # Acts with a command ask for no more than a PlanningContext gives (a test holds them to it).
    planned = cast("Callable[[PlanningContext, Request], Plan]", act_of(request).plan)
    return with_files(context, planned(context, request))


def sentence(context: FolderContext, request: Request, made: FolderPlan) -> str:
    """What a plan will do, as its page says it."""
    volumes = {volume.id: volume for volume in context.wiki.volumes.values()}
    empty = PlanView(act_of(request), request, None, made.plan.page, volumes)
    home = made.plan.page.volume if made.plan.page is not None else 0
    said = words.sentence(seen(empty, made.plan, context.wiki, home=home))
    left = len(made.plan.rows) - len(getattr(request, "rows", ()))
    if left > 0:
        it = "it" if left == 1 else "them"
        said += f" {counted(left, 'more place')} could change and {'stays' if left == 1 else 'stay'}; "
        said += f"--everywhere changes {it} too."
    return said


def note(request: Request, made: FolderPlan) -> str:
    """What was done, as the log would say it."""
    return told(act_of(request).note(made.plan.facts))
