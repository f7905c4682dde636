"""What was asked of the database to make something, so that it can be asked again, all in one way there and back.

What is made of answers alone is the same as long as they are: the same first answer leads to the same second question,
and so on. So whoever keeps it need not be told of what is written, and nothing has to be invalidated.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from psycopg import Error
from psycopg.pq import ExecStatus, Format
from sqlalchemy import Engine
from sqlalchemy.dialects.postgresql import psycopg

from mokuji.store.database import hearing, reading
from mokuji.store.moments import MOMENT

_MOMENT = str(MOMENT.compile(dialect=psycopg.dialect(), compile_kwargs={"literal_binds": True}))  # type: ignore[no-untyped-call]
MOST = 60
"""Number of questions from which on they are not kept: asking them again takes as long as making anew."""
Question = tuple[str, Mapping[str, Any]]


@dataclass(frozen=True, slots=True)
class Asked:
    """Questions, as the driver is asked them, and a digest of all that they were answered with."""

    questions: tuple[Question, ...]
    digest: bytes

    @property
    def size(self) -> int:
        """About how many bytes it takes to keep."""
        values = (value for _, given in self.questions for value in given.values())
        return 300 * len(self.questions) + sum(len(value) for value in values if isinstance(value, str))


@dataclass(slots=True)
class Notes:
    """Questions as they are being asked."""

    questions: list[Question] = field(default_factory=list)
    fit: bool = True
    _hasher: Any = field(default_factory=hashlib.blake2b)

    def hear(self, statement: str, values: Any, result: Any) -> None:
        """Notes a question and its answer (``database.Listener``)."""
        if (
            len(self.questions) == MOST
            or result is None
            or result.status != ExecStatus.TUPLES_OK
            or not (result.command_status or b"").startswith(b"SELECT")
            or any(result.fformat(column) != Format.TEXT for column in range(result.nfields))
            or not isinstance(values, Mapping)
            # What is asked of a moment is answered otherwise by a later one.
            or any(isinstance(value, date) for value in values.values())
        ):
            self.fit = False
        if self.fit:
            self.questions.append((statement, dict(values)))
            self._hasher.update(_all_of(result))

    def asked(self) -> Asked | None:
        """What was asked until now; None if it cannot be asked again."""
        return Asked(tuple(self.questions), self._hasher.digest()) if self.fit else None


def _all_of(result: Any) -> bytes:
    """All values of an answer as text, one behind the other: none holds a NUL (PostgreSQL 15, 8.3), nor a byte that no
    UTF-8 has."""
    columns, value = range(result.nfields), result.get_value
    values = [value(row, column) for row in range(result.ntuples) for column in columns]
    if None in values:
        values = [b"\xff" if each is None else each for each in values]
    return b"%d %d\0%s\0" % (result.ntuples, result.nfields, b"\0".join(values))


@contextmanager
def noting() -> Iterator[Notes]:
    """Notes what is asked within, in this thread; what is written within makes it unfit."""
    notes = Notes()
    token = hearing.set(notes.hear)
    try:
        yield notes
    finally:
        hearing.reset(token)


@contextmanager
def unheard() -> Iterator[None]:
    """For what never changes: it is not asked again."""
    token = hearing.set(None)
    try:
        yield
    finally:
        hearing.reset(token)


def same_again(engine: Engine, asked: Asked) -> str | None:
    """Asks again. The moment at which all was answered as before (``moments``); None if anything was not."""
    with reading(engine) as connection:
        driver: Any = connection.connection.driver_connection
        first = driver.cursor()
        cursors = [driver.cursor() for _ in asked.questions]
        try:
            with driver.pipeline():
                first.execute(_MOMENT)
                for cursor, (statement, values) in zip(cursors, asked.questions, strict=True):
                    cursor.execute(statement, values)
                driver.commit()
        except Error:
            # Whoever makes it anew is told what is wrong.
            connection.invalidate()
            return None
        hasher = hashlib.blake2b()
        for cursor in cursors:
            hasher.update(_all_of(cursor.pgresult))
        return str(first.fetchone()[0]) if hasher.digest() == asked.digest else None
