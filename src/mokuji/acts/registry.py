"""All acts, a line each. What is known of an act anywhere else is read from here."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from mokuji.acts import several, undo
from mokuji.acts.act import About, Act
from mokuji.acts.assets import (
    file_delete,
    file_replace,
    person_rename,
    source_delete,
    source_edit,
)
from mokuji.acts.folder_registry import ON_FOLDERS
from mokuji.acts.pages import (
    add_alias,
    aliases,
    amend,
    delete,
    join,
    lead_to_section,
    link,
    link_addresses,
    link_from,
    merge,
    move,
    place,
    rename,
    replace,
    restore,
    section,
    split,
    term,
)
from mokuji.acts.request import Request
from mokuji.acts.reuse import (
    category_move,
    file,
    inline,
    slot_value,
)
from mokuji.acts.volumes import access, bring_back, contents, create, language, libraries, outline, role
from mokuji.acts.volumes import delete as delete_volume
from mokuji.acts.volumes import rename as rename_volume

ACTS: tuple[Act[Any, Any], ...] = (
    *ON_FOLDERS,
    add_alias.ACT,
    restore.ACT,
    link.ACT,
    link_from.ACT,
    link_addresses.ACT,
    lead_to_section.ACT,
    amend.ACT,
    category_move.ACT,
    file.ACT,
    slot_value.ACT,
    inline.ACT,
    file_replace.ACT,
    file_delete.ACT,
    source_edit.ACT,
    source_delete.ACT,
    person_rename.ACT,
    contents.ACT,
    bring_back.ACT,
    outline.ACT,
    create.ACT,
    rename_volume.ACT,
    libraries.ACT,
    language.ACT,
    access.ACT,
    role.ACT,
    delete_volume.ACT,
    term.ACT,
    several.ACT,
    undo.ACT,
)
_BY_NAME = {act.name: act for act in ACTS}
_BY_REQUEST = {act.request: act for act in ACTS}
PAGE_MENU = (
    (rename.ACT, aliases.ACT, term.ACT),
    (place.ACT, move.ACT),
    (merge.ACT, join.ACT, split.ACT, section.ACT),
    (delete.ACT,),
)
"""The menu of a page, in groups."""
VOLUME_MENU = (
    outline.ACT,
    contents.ACT,
    replace.ACT,
    rename_volume.ACT,
    libraries.ACT,
    language.ACT,
    delete_volume.ACT,
)
WITHOUT_PLAN = {"import": "Brought in", "secret": "Secret taken out"}
"""What the log calls changes that are no acts of these: folders that were brought in, secrets taken out."""
_DONE = WITHOUT_PLAN | {act.change: act.done for act in ACTS}


KINDS = dict(sorted(_DONE.items(), key=lambda named: named[1]))
"""What the log calls the kinds of change sets, by their names."""


def act_of(request: Request) -> Act[Any, Any]:
    """The act that a request asks for."""
    return _BY_REQUEST[type(request)]


def named(name: str) -> Act[Any, Any] | None:
    """The act of this name in JSON and in the log, if there is one."""
    return _BY_NAME.get(name)


def on_pages() -> Iterator[Act[Any, Any]]:
    """The acts whose plan has an address with the name of something in a volume."""
    shared = {About.VOLUME, About.WIKI, About.TRASH, About.CHANGE}
    return (act for act in ACTS if act.address and act.about not in shared)


def on_volumes() -> Iterator[Act[Any, Any]]:
    """The acts whose plan has an address with the name of a volume only."""
    return (act for act in ACTS if act.address and (act.about is About.VOLUME or act.for_volumes))


def done(change: str) -> str:
    """What the log calls a change set."""
    return _DONE.get(change, change)
