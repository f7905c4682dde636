"""A command for each act that folders can have: its arguments and options are the fields of its request.

What an act is called, and what its fields are, stands in its module in ``acts``; nothing here knows a single one.
"""

from __future__ import annotations

import inspect
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, Literal, get_args, get_origin, get_type_hints

import typer
from pydantic import ValidationError
from pydantic.fields import FieldInfo

from mokuji.acts import on_folders
from mokuji.acts.act import About, Act
from mokuji.acts.command import EVERY_ROW, PAGE, FromCommand, Given, Kind, option
from mokuji.acts.folder_registry import ON_FOLDERS
from mokuji.cli.on_folder import Folder, InVolume, PlanOnly, finish, on_folder
from mokuji.core.base.errors import BadFields, BadText
from mokuji.core.language.page import PageHead
from mokuji.services.folders.context import FolderContext

SUBJECTS: dict[About, tuple[str, str, str]] = {
    About.PAGE: ("page", "PAGE", PAGE),
    About.NAME: ("page", "NAME", "A page, or a name that is not written."),
    About.CATEGORY: ("page", "CATEGORY", "The category as it is called now."),
    About.FILE: ("file", "FILE", "The file, as it is called in files/ of its volume."),
    About.SOURCE: ("source", "SOURCE", "The source, as it is cited."),
}
"""By what an act is about: the field of its request that names that, how usage calls it, and what is said of it."""
_WITH_VOLUME = {About.NAME, About.CATEGORY, About.FILE, About.VOLUME}
"""What is named beside the volume that it is in."""
_TYPES: dict[Kind, tuple[Any, Any]] = {
    "words": (str, ""),
    "flag": (bool, False),
    "list": (list[str] | None, None),
    "number": (int, 0),
    "file": (Path | None, None),
}
"""Types of options and arguments, with what they are if nothing is typed."""


@dataclass(frozen=True)
class Asked:
    """A field of a request as a command asks for it: what kind of value, under which names, and its type there."""

    field: str
    kind: Kind
    how: FromCommand
    type: Any
    default: Any

    def parameters(self) -> Iterator[inspect.Parameter]:
        """The arguments and options that it takes."""
        for name in self.how.names:
            if name.startswith("--"):
                told = typer.Option(name, help=self.how.help)
                yield _parameter(_in_code(name), Annotated[self.type, told], self.default)
            else:
                kind = Path if self.kind == "file" else self.type
                yield _parameter(_in_code(name), Annotated[kind, typer.Argument(help=self.how.help)])

    def typed(self, values: dict[str, Any]) -> tuple[Any, ...]:
        """What was typed for it."""
        return tuple(_taken(self.kind, values[_in_code(name)]) for name in self.how.names)


def _in_code(name: str) -> str:
    return name.removeprefix("--").replace("-", "_")


def _parameter(name: str, annotation: Any, default: Any = inspect.Parameter.empty) -> inspect.Parameter:
    return inspect.Parameter(name, inspect.Parameter.KEYWORD_ONLY, default=default, annotation=annotation)


def _taken(kind: Kind, value: Any) -> Any:
    if kind == "list":
        return tuple(value or ())
    if kind != "file" or value is None:
        return value
    try:
        data = sys.stdin.buffer.read() if str(value) == "-" else value.read_bytes()
        return data.decode()
    except (OSError, UnicodeDecodeError) as fault:
        raise BadText(f"The text cannot be read: {fault}.") from fault


def asked(act: Act[Any, Any], optional: str = "") -> list[Asked]:
    """The fields that the command of an act asks for, beside what the act is about; one of them need not be given."""
    hints = get_type_hints(act.request, include_extras=True)
    known = {"act", "volume", *SUBJECTS.get(act.about, ())[:1]}
    named = inspect.signature(act.request).parameters.values()
    found = (
        _asked(each, hints[each.name], optional=each.name == optional)
        for each in named
        if each.name not in known
    )
    return [each for each in found if each.how.names]


def _asked(field: inspect.Parameter, hint: Any, *, optional: bool) -> Asked:
    hint, more = (get_args(hint)[0], hint.__metadata__) if hasattr(hint, "__metadata__") else (hint, ())
    required = field.default is inspect.Parameter.empty
    by_name = option(field.name if required else f"--{field.name.replace('_', '-')}")
    how = next((each for each in more if isinstance(each, FromCommand)), by_name)
    said = next((each.description for each in more if isinstance(each, FieldInfo)), None)
    told = how.help or (f"{said}." if said else "")
    kind = how.kind or _kind(hint)
    shape, empty = (hint, field.default) if kind == "choice" else _TYPES[kind]
    if kind in ("words", "number") and isinstance(field.default, shape):
        empty = field.default
    if required and not optional and kind in ("words", "file"):
        empty = inspect.Parameter.empty
    return Asked(field.name, kind, FromCommand(how.names, told, kind, how.read), shape, empty)


def _kind(hint: Any) -> Kind:
    if get_origin(hint) is Literal:
        return "choice"
    if get_origin(hint) is tuple:
        return "list"
    return "flag" if hint is bool else "number" if hint is int else "words"


def command(act: Act[Any, Any]) -> Callable[..., None]:
    """The function of the command of an act."""
    field, instead = act.command_without or ("", act)
    mine, theirs = asked(act, field), asked(instead)
    parameters = {each.name: each for each in _about(act)}
    for one in (*mine, *theirs):
        for parameter in one.parameters():
            parameters.setdefault(parameter.name, parameter)
    parameters["plan"] = _parameter("plan", PlanOnly, default=False)
    decisive = [each for each in mine if each.field == field]

    def run(**values: Any) -> None:
        context = FolderContext.of(values["folder"])
        if decisive and not any(decisive[0].typed(values)):
            _do(context, instead, theirs, values)
        else:
            _do(context, act, mine, values)

    run.__doc__ = act.request.__doc__
    run.__signature__ = inspect.Signature(list(parameters.values()))  # type: ignore[attr-defined]
    run.__annotations__ = {each.name: each.annotation for each in parameters.values()}
    return on_folder(run)


def _about(act: Act[Any, Any]) -> Iterator[inspect.Parameter]:
    yield _parameter("folder", Folder)
    if act.about in SUBJECTS:
        _, metavar, told = SUBJECTS[act.about]
        yield _parameter("subject", Annotated[str, typer.Argument(help=told, metavar=metavar)])
    if act.about in _WITH_VOLUME:
        yield _parameter("volume", InVolume, default="")


def _do(context: FolderContext, act: Act[Any, Any], mine: list[Asked], values: dict[str, Any]) -> None:
    subject = {"volume": values.get("volume", "")}
    head: PageHead | None = None
    if act.about in SUBJECTS:
        subject[SUBJECTS[act.about][0]] = values["subject"]
    if act.about is About.PAGE:
        head = context.page(*context.page_address(values["subject"]))
    said: dict[str, Any] = {}
    everywhere = False
    for each in mine:
        typed = each.typed(values)
        if each.how.names == EVERY_ROW.names:
            everywhere = typed[0]
        elif each.how.read is not None:
            said[each.field] = each.how.read(Given(context, head, typed))
        elif typed[0] is not None:
            said[each.field] = typed[0]
    try:
        request = act.request(**subject, **said)
    except ValidationError as fault:
        wrong = {".".join(map(str, error["loc"])): error["msg"] for error in fault.errors()}
        raise BadFields(wrong) from None
    made = on_folders.plan(context, request, everywhere=everywhere)
    will, was = on_folders.sentence(context, request, made), on_folders.note(request, made)
    finish(made, will=will, was=was, plan_only=values["plan"])


def add_to(app: typer.Typer) -> None:
    """Adds a command for each act that folders can have."""
    for act in ON_FOLDERS:
        app.command(act.command)(command(act))
