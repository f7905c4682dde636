"""Parts of statements that the store's modules share: values by name, and lists of values.

Statements are made once, as constants of their modules: so they are compiled
once, and a test finds and explains every one of them. Text stands only where
SQLAlchemy's expressions cannot say it, with its reason beside it.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from typing import Any

from sqlalchemy import (
    BindParameter,
    ColumnElement,
    Integer,
    TypeCoerce,
    any_,
    bindparam,
    literal_column,
    type_coerce,
)
from sqlalchemy.sql.elements import SQLCoreOperations
from sqlalchemy.types import UserDefinedType


class _Listed(UserDefinedType[Collection[Any]]):
    """A list as PostgreSQL writes an array: the driver takes long over lists."""

    render_bind_cast = True


class _Numbers(_Listed):
    cache_ok = True

    def get_col_spec(self, **_: Any) -> str:
        return "BIGINT[]"

    def bind_processor(self, _: Any) -> Callable[[Any], str]:
        return array


class _Texts(_Listed):
    cache_ok = True

    def get_col_spec(self, **_: Any) -> str:
        return "TEXT[]"

    def bind_processor(self, _: Any) -> Callable[[Any], str]:
        return text_array


class _AsSent(UserDefinedType[Sequence[int]]):
    """Numbers as the driver makes a list of them: SQLAlchemy would look at each again."""

    cache_ok = True

    def get_col_spec(self, **_: Any) -> str:
        return "BIGINT[]"


class _Query(UserDefinedType[str]):
    """A full-text query, sent as one: as words it would be read again for each row."""

    cache_ok = True
    render_bind_cast = True

    def get_col_spec(self, **_: Any) -> str:
        return "TSQUERY"


def query(said: str) -> BindParameter[str]:
    """A full-text query as a value of its own."""
    return bindparam(None, said, type_=_Query(), unique=True)


def as_sent(column: SQLCoreOperations[Sequence[int]]) -> TypeCoerce[Sequence[int]]:
    """A column of numbers, many of which are read at once."""
    return type_coerce(column, _AsSent())


def array(numbers: Iterable[int]) -> str:
    """Numbers as PostgreSQL writes an array of them."""
    return f"{{{','.join(map(str, numbers))}}}"


def arrays(rows: Iterable[Sequence[int]]) -> str:
    """Lists of numbers of different lengths, each as PostgreSQL writes an array, with semicolons between: written by
    Python all at once, since there are many."""
    return repr([*map(list, rows)])[1:-1].replace("], [", "};{").replace("[", "{").replace("]", "}")


def text_array(texts: Iterable[str]) -> str:
    """Texts as PostgreSQL writes an array of them."""
    quoted = (each.replace("\\", "\\\\").replace('"', '\\"') for each in texts)
    return "{" + ",".join(f'"{each}"' for each in quoted) + "}"


def value(name: str) -> BindParameter[Any]:
    """A value that is given when the statement is asked; what it is compared with says its type."""
    return bindparam(name)


def fixed(number: int) -> ColumnElement[int]:
    """A number that belongs to the statement, not to its values: an index may be there for it alone."""
    return literal_column(str(int(number)), Integer())


def numbers(name: str) -> BindParameter[Collection[int]]:
    """Numbers that are given when the statement is asked."""
    return bindparam(name, type_=_Numbers())


def texts(name: str) -> BindParameter[Collection[str]]:
    """Texts that are given when the statement is asked."""
    return bindparam(name, type_=_Texts())


def among(column: SQLCoreOperations[int] | SQLCoreOperations[int | None], name: str) -> ColumnElement[bool]:
    """Whether a column is one of the numbers that are given by a name."""
    return column == any_(numbers(name))


def among_texts(column: SQLCoreOperations[str], name: str) -> ColumnElement[bool]:
    """Whether a column is one of the texts that are given by a name."""
    return column == any_(texts(name))
