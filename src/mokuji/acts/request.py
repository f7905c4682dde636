"""Requests: what a person asks for, as values of pydantic dataclasses.

A request names things as addresses do (keys of volumes and pages), so that the same one can be made again under the
write lock. JSON takes the fields by their names; forms and addresses take them by the names and ways that ``Annotated``
gives them here, where these differ. ``from_fields`` reads a form, ``as_fields`` writes one.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import MISSING, dataclass, fields
from types import UnionType
from typing import (
    Any,
    Literal,
    Protocol,
    TypeVar,
    Union,
    dataclass_transform,
    get_args,
    get_origin,
    get_type_hints,
)

from pydantic import ConfigDict, Field, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass as pydantic_dataclass
from pydantic_core import from_json

from mokuji.core.base.errors import BadFields

Fields = Mapping[str, str]
"""The fields of a form or an address; of one that comes several times all, one a line."""
T = TypeVar("T")


class Request(Protocol):
    """What is asked for. ``act`` is its name in JSON, ``volume`` the key of the volume in hand (empty: none yet)."""

    @property
    def act(self) -> str: ...

    @property
    def volume(self) -> str: ...


def _with_act(schema: dict[str, Any]) -> None:
    schema["required"] = ["act", *schema.get("required", [])]


@dataclass_transform(frozen_default=True, field_specifiers=(Field,))
def request(cls: type[T]) -> type[T]:
    """Makes a class one of requests: frozen, checked, with no fields but its own."""
    config = ConfigDict(extra="forbid", json_schema_extra=_with_act)
    return pydantic_dataclass(frozen=True, config=config)(cls)  # type: ignore[return-value]


@dataclass(frozen=True)
class FromForm:
    """How a form gives a value: ``read`` takes it from the fields, ``write`` is the fields that say it."""

    read: Callable[[Fields], Any]
    write: Callable[[Any], Fields]


def called(name: str) -> FromForm:
    """Words under another name than the field has."""
    return FromForm(lambda given: given.get(name, ""), lambda value: {name: str(value)})


def ticked(name: str) -> FromForm:
    """True if a box of this name is ticked."""
    return FromForm(lambda given: name in given, lambda value: {name: "1"} if value else {})


def unless(name: str) -> FromForm:
    """True unless a box of this name is ticked."""
    return FromForm(lambda given: name not in given, lambda value: {} if value else {name: "1"})


def chosen(name: str, value: str, otherwise: str) -> FromForm:
    """True if ``value`` is the choice of this name, false with ``otherwise`` (the first one of both is taken for what
    is neither)."""
    return FromForm(lambda given: given.get(name) == value, lambda says: {name: value if says else otherwise})


def lines(name: str) -> FromForm:
    """The lines of a field, without those that are empty."""
    return FromForm(
        lambda given: tuple(each.strip() for each in given.get(name, "").splitlines() if each.strip()),
        lambda values: {name: "\n".join(values)},
    )


def from_lines(typed: str) -> list[object]:
    """Values that stand in a field as JSON, one a line; a line that is none is a value that no request takes."""
    values: list[object] = []
    for line in typed.splitlines():
        try:
            values.append(from_json(line))
        except ValueError:
            values.append(None)
    return values


def as_lines(values: Sequence[Any]) -> str:
    """Values as JSON, one a line, without what is as it is when it is not said."""
    said: list[str] = []
    for each in values:
        fields = TypeAdapter(type(each)).dump_python(each, mode="json", exclude_defaults=True)
        # Which act it is stands first, though nobody need say it of a request by itself.
        named = {"act": each.act} if hasattr(each, "act") else {}
        said.append(json.dumps(named | fields, ensure_ascii=False, separators=(",", ":")))
    return "\n".join(said)


READERS_SEE = chosen("words", "present", "title")
"""Whether readers go on seeing the words that they see now."""


def number(given: Fields, name: str) -> int:
    """A number from 0, 0 for what is none."""
    typed = given.get(name, "")
    return int(typed) if typed.isdecimal() and typed.isascii() and len(typed) < 18 else 0


def from_fields(kind: type[T], given: Fields, *subject: str) -> T:
    """A request from a form or an address; ``subject`` are its first fields, as the path of the address says them.
    BadFields for a value that it cannot have."""
    hints = get_type_hints(kind, include_extras=True)
    named = [field for field in fields(kind) if field.name != "act"]  # type: ignore[arg-type]
    values: dict[str, Any] = dict(zip((each.name for each in named), subject, strict=False))
    for each in named[len(subject) :]:
        value = _read(each.name, hints[each.name], given, each.default)
        if value is not MISSING:
            values[each.name] = value
    try:
        return kind(**values)
    except ValidationError as fault:
        wrong = {".".join(map(str, error["loc"])): error["msg"] for error in fault.errors()}
        raise BadFields(wrong) from None


def as_fields(request: Request, subject: int, answered: str = "") -> dict[str, str]:
    """What an address must hold so that it says a request, without its first ``subject`` fields; fields that are as
    they are without being said are left out, but for the one that says that a question was ``answered``."""
    kind = type(request)
    hints = get_type_hints(kind, include_extras=True)
    said: dict[str, str] = {}
    for each in [field for field in fields(kind) if field.name != "act"][subject:]:  # type: ignore[arg-type]
        value = getattr(request, each.name)
        form = _form(hints[each.name])
        written = form.write(value) if form is not None and value is not None else {}
        if value == each.default and answered not in {*written, each.name}:
            continue
        if form is not None:
            said |= written
        elif isinstance(value, tuple):
            said[each.name] = "\n".join(map(str, value))
        elif isinstance(value, bool):
            said |= {each.name: "1"} if value else {}
        else:
            said[each.name] = str(value)
    if answered:
        said.setdefault(answered, "1")
    return said


def _form(hint: Any) -> FromForm | None:
    if get_origin(hint) is None or not hasattr(hint, "__metadata__"):
        return None
    return next((each for each in hint.__metadata__ if isinstance(each, FromForm)), None)


def _read(name: str, hint: Any, given: Fields, default: Any) -> Any:
    form = _form(hint)
    if form is not None:
        return form.read(given)
    if hasattr(hint, "__metadata__"):
        hint = get_args(hint)[0]
    origin, inside = get_origin(hint), get_args(hint)
    if origin is Literal:
        return given[name] if given.get(name) in inside else MISSING if default is not MISSING else inside[0]
    if origin in (Union, UnionType):
        return given.get(name)
    if origin is tuple:
        return lines(name).read(given)
    if hint is bool:
        return name in given
    if hint is int:
        return number(given, name)
    return given.get(name, "")
