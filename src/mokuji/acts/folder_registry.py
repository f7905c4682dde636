"""The acts that folders can have as well, a line each: the part of the registry that needs no database."""

from __future__ import annotations

from typing import Any

from mokuji.acts.act import Act
from mokuji.acts.assets import file_rename, source_rename
from mokuji.acts.pages import (
    aliases,
    create,
    delete,
    edit,
    join,
    merge,
    move,
    place,
    rename,
    replace,
    retarget,
    section,
    split,
)
from mokuji.acts.request import Request
from mokuji.acts.reuse import category, extract, inline_everywhere, slot

ON_FOLDERS: tuple[Act[Any, Any], ...] = (
    create.ACT,
    edit.ACT,
    rename.ACT,
    replace.ACT,
    aliases.ACT,
    place.ACT,
    move.ACT,
    merge.ACT,
    split.ACT,
    join.ACT,
    section.ACT,
    retarget.ACT,
    delete.ACT,
    category.ACT,
    slot.ACT,
    extract.ACT,
    inline_everywhere.ACT,
    file_rename.ACT,
    source_rename.ACT,
)
_BY_REQUEST = {act.request: act for act in ON_FOLDERS}


def act_of(request: Request) -> Act[Any, Any]:
    """The act that a request asks for."""
    return _BY_REQUEST[type(request)]
