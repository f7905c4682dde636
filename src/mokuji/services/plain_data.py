"""Values as plain data and back (cattrs), for what is kept in the database as JSON."""

from __future__ import annotations

from typing import Any, TypeVar

from cattrs.preconf.json import make_converter

from mokuji.core.base.spans import Span

T = TypeVar("T")
_converter = make_converter()
_converter.register_structure_hook(Span, lambda data, _: Span(*data))
_converter.register_unstructure_hook(Span, list)


def unstructured(value: object) -> Any:
    """A value of dataclasses as what JSON can hold."""
    return _converter.unstructure(value)


def structured(data: Any, kind: type[T]) -> T:
    """What ``unstructured`` made, as a value again."""
    return _converter.structure(data, kind)
