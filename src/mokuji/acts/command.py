"""How a command on a folder takes the values of a request.

By itself a field without a default is an argument and one with a default an option of its name; ``Annotated`` gives a
field a ``FromCommand`` where that is otherwise.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from mokuji.acts.context import PlanningContext
from mokuji.core.language.page import PageHead

Kind = Literal["words", "flag", "list", "choice", "number", "file"]
"""Words, a flag, words that can be given several times, one of some words, a number, or a file whose text is taken."""


@dataclass(frozen=True, slots=True)
class Given:
    """What was typed for a field: the values of its options in order, beside the page in hand, if there is one."""

    context: PlanningContext
    head: PageHead | None
    values: tuple[Any, ...]


@dataclass(frozen=True, slots=True)
class FromCommand:
    """How a command takes a field: the names of its options (``--keep-words``), or of an argument; without names the
    field is not asked for. ``read`` makes its value of what was typed; without it that is the value."""

    names: tuple[str, ...]
    help: str = ""
    kind: Kind | None = None
    read: Callable[[Given], Any] | None = None


def option(
    *names: str, help: str = "", kind: Kind | None = None, read: Callable[[Given], Any] | None = None
) -> FromCommand:
    """A field by other names, of another kind, or read in another way."""
    return FromCommand(names, help, kind, read)


NOT_ASKED = FromCommand(())
"""A field that commands leave as it is."""
KEEP_WORDS = option("--keep-words", help="Readers go on seeing the words they see now (labels are added).")
EVERY_ROW = option(
    "--everywhere", help="Do the same wherever the plan finds that it could be done.", kind="flag"
)
"""Rows are chosen from a plan; a command takes all of them."""
PAGE = "The page: its title, “Volume/Title”, or its file."
