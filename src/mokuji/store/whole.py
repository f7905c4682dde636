"""All that a wiki keeps, table by table, so that it can be put into an empty one: what of the tables is that, what is
not, and why.

Every table of ``store.tables`` has to be in one of the groups here; a test says which one is not.
"""

from __future__ import annotations

import base64
import binascii
from collections.abc import Iterable, Iterator, Mapping
from datetime import datetime
from typing import Any

from psycopg.types.json import Json, Jsonb
from sqlalchemy import ARRAY as GenericArray
from sqlalchemy import JSON, Column, Connection, DateTime, LargeBinary, cast, func, select
from sqlalchemy.dialects.postgresql import JSONB, REGCLASS

from mokuji.core.base.errors import BadFile
from mokuji.core.base.names import is_storable
from mokuji.store.tables import metadata

KEPT = frozenset(
    """volume person membership kept_question former_handle former_volume blob file file_version source house_style
    put_aside watch muted change_set change_set_reach change_set_person page revision contents trash former
    draft""".split()
)
"""What belongs to the whole."""
ON_REQUEST = frozenset({"audit"})
"""Who did what with rights and keys, and from where: only if it is asked for."""
DERIVED = frozenset(
    """alias field filing held name page_name page_refs page_search section_ref task scaled kept_report asked led orphan
    stale unplaced unfiled unsearched volume_size word""".split()
)
"""What is made of the rest again."""
SECRET = frozenset(
    "telling session sign_in_try invitation invitation_role offer password_link program_key".split()
)
"""What lets somebody in, or tells of tries: worth nothing elsewhere, or too much."""
PASSING = frozenset("brought brought_file staged untold told letter".split())
"""What waits to be taken in, and can be brought again; what people were told, and mail that waits."""
NO_PASSWORD = "!"  # noqa: S105 - no hash is like this, so nobody signs in with it
BATCH = 500


def tables(*, audit: bool) -> list[str]:
    """The names of the tables of the whole, those first that others point to."""
    wanted = KEPT | ON_REQUEST if audit else KEPT
    return [table.name for table in metadata.sorted_tables if table.name in wanted]


def rows(connection: Connection, name: str, *, passwords: bool) -> Iterator[dict[str, Any]]:
    """The rows of a table as JSON can say them, by their keys; bytes of files are left out (``blob.data``), and hashes
    of passwords unless they are asked for."""
    table = metadata.tables[name]
    columns = [column for column in table.columns if (table.name, column.name) != ("blob", "data")]
    asked = select(*columns).order_by(*table.primary_key.columns)
    result = connection.execute(asked, execution_options={"yield_per": BATCH})
    for row in result.mappings():
        told = {column: _told(value) for column, value in row.items()}
        if table.name == "person" and not passwords:
            told["password"] = NO_PASSWORD
        yield told


def _told(value: Any) -> Any:
    if isinstance(value, bytes):
        return base64.b64encode(value).decode()
    return value.isoformat() if isinstance(value, datetime) else value


def is_empty(connection: Connection) -> bool:
    """Whether a wiki has neither volumes nor people."""
    return not any(
        connection.execute(select(func.count()).select_from(metadata.tables[name])).scalar_one()
        for name in ("volume", "person", "change_set")
    )


def last_number(connection: Connection, name: str) -> int:
    """The last number that a table gave to a row, also to one that is gone: none gets it again. 0 for a table that
    gives none."""
    identity = _identity(name)
    if identity is None:
        return 0
    sequence = cast(func.pg_get_serial_sequence(name, identity.name), REGCLASS)
    return connection.execute(select(func.pg_sequence_last_value(sequence))).scalar() or 0


def _identity(name: str) -> Column[Any] | None:
    return next((column for column in metadata.tables[name].columns if column.identity is not None), None)


def put(
    connection: Connection, name: str, found: Iterable[tuple[str, Mapping[str, Any]]], last: int = 0
) -> int:
    """Writes rows into a table, with the keys that they had; how many. ``found`` says of each where it stands, ``last``
    is the last number that was given. BadFile for what is no row of it, or does not fit the rest."""
    table = metadata.tables[name]
    columns = list(table.columns)
    named = ", ".join(f'"{column.name}"' for column in columns)
    number = 0
    # COPY writes keys as they are given, also those that the database makes itself; names are of our own tables.
    with connection.connection.cursor() as cursor:  # type: ignore[attr-defined]
        try:
            with cursor.copy(f'COPY "{table.name}" ({named}) FROM STDIN') as copy:
                for where, told in found:
                    copy.write_row([_value(where, column, told) for column in columns])
                    number += 1
        except Exception as fault:
            if isinstance(fault, BadFile) or getattr(fault, "sqlstate", None) is None:
                raise
            raise BadFile(
                f"What is said of “{table.name}” does not fit together ({str(fault).splitlines()[0]}), so nothing was "
                "brought in. Export it anew.",
                code="bad_whole",
            ) from fault
    identity = _identity(name)
    highest = connection.execute(select(func.max(identity))).scalar() if identity is not None else None
    if identity is not None and max(last, highest or 0) > 0:
        sequence = func.pg_get_serial_sequence(name, identity.name)
        connection.execute(select(func.setval(sequence, max(last, highest or 0))))
    return number


def _value(where: str, column: Any, told: Mapping[str, Any]) -> Any:
    """A value as the driver takes it. BadFile for one that the column cannot hold."""
    value, kind = told.get(column.name), column.type
    if value is None:
        if column.nullable and column.name in told:
            return Json(None) if isinstance(kind, JSON) and not kind.none_as_null else None
        raise _wrong(where, column.name)
    if isinstance(kind, JSONB):
        return Jsonb(value)
    if isinstance(kind, JSON):
        return Json(value)
    if isinstance(kind, LargeBinary):
        return _bytes(where, column.name, value)
    if isinstance(kind, DateTime):
        try:
            return datetime.fromisoformat(value)
        except (TypeError, ValueError):
            raise _wrong(where, column.name) from None
    if isinstance(kind, GenericArray):
        inner = kind.item_type.python_type
        if isinstance(value, list) and all(type(each) is inner for each in value):
            return value
        raise _wrong(where, column.name)
    if type(value) is not kind.python_type and not (kind.python_type is float and type(value) is int):
        raise _wrong(where, column.name)
    if isinstance(value, str) and not is_storable(value):
        raise _wrong(where, column.name)
    return value


def as_bytes(value: Any) -> bytes:
    """Bytes from how they are told; none for what is no such thing."""
    try:
        return base64.b64decode(value, validate=True)
    except (TypeError, ValueError, binascii.Error):
        return b""


def _bytes(where: str, name: str, value: Any) -> bytes:
    if isinstance(value, bytes):
        return value
    try:
        return base64.b64decode(value, validate=True)
    except (TypeError, ValueError, binascii.Error):
        raise _wrong(where, name) from None


def _wrong(where: str, name: str) -> BadFile:
    return BadFile(
        f"{where}: “{name}” is missing, or is no value of its kind. Nothing was brought in.", code="bad_whole"
    )
