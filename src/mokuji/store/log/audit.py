"""The audit trail: who did what with people, rights and keys."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, delete, insert, or_, select

from mokuji.store.statements import among, value
from mokuji.store.tables import audit, person, volume


@dataclass(frozen=True, slots=True)
class Entry:
    """What was done: by whom, about whom and in which volume, as far as there is one; from which address; the number of
    the change that was made by it."""

    at: datetime
    kind: str
    by_person: int | None = None
    person: int | None = None
    volume: int | None = None
    change_set: int | None = None
    address: str = ""
    said: str = ""


@dataclass(frozen=True, slots=True)
class Listed:
    """An entry with the handles of its people, and the title and key of its volume, as they are now."""

    id: int
    at: datetime
    kind: str
    by: str | None
    by_name: str | None
    about: str | None
    about_name: str | None
    volume: int | None
    volume_title: str | None
    volume_key: str | None
    change_set: int | None
    address: str
    said: str


_RECORD = insert(audit)
_FORGET = delete(audit).where(audit.c.at < value("before"))
_by, _about = person.alias("by_whom"), person.alias("about_whom")
_listed = (
    select(
        audit.c.id,
        audit.c.at,
        audit.c.kind,
        _by.c.handle,
        _by.c.name,
        _about.c.handle,
        _about.c.name,
        audit.c.volume,
        volume.c.title,
        volume.c.key,
        audit.c.change_set,
        audit.c.address,
        audit.c.said,
    )
    .select_from(
        audit.outerjoin(_by, _by.c.id == audit.c.by_person)
        .outerjoin(_about, _about.c.id == audit.c.person)
        .outerjoin(volume, volume.c.id == audit.c.volume)
    )
    .where(audit.c.id < value("before"))
    .order_by(audit.c.id.desc())
    .limit(value("most"))
)
_id = select(person.c.id).where(person.c.handle == value("handle")).scalar_subquery()
_concerns = or_(audit.c.by_person == _id, audit.c.person == _id)
_inside = among(audit.c.volume, "volumes")
_kind = audit.c.kind == value("kind")
_since, _until = audit.c.at >= value("since"), audit.c.at < value("until")
_period = _listed.where(_since, _until)
LISTED = {
    "": _period,
    "volumes": _period.where(_inside),
    "kind": _period.where(_kind),
    "kind volumes": _period.where(_kind, _inside),
    "person": _period.where(_concerns),
    "person volumes": _period.where(_concerns, _inside),
    "kind person": _period.where(_kind, _concerns),
    "kind person volumes": _period.where(_kind, _concerns, _inside),
}
"""The list by what it is asked for."""


def record(connection: Connection, entries: Collection[Entry]) -> None:
    """Writes down what was done."""
    if entries:
        connection.execute(
            _RECORD, [{name: getattr(entry, name) for name in entry.__slots__} for entry in entries]
        )


def forget(connection: Connection, before: datetime) -> None:
    """Takes away what is older."""
    connection.execute(_FORGET, {"before": before})


def listed(
    connection: Connection,
    *,
    kind: str,
    handle: str,
    volumes: Collection[int] | None,
    since: datetime,
    until: datetime,
    before: int,
    most: int,
) -> list[Listed]:
    """The newest entries before one: of a kind (empty: of all), about or by a person, in some volumes (None: in all and
    in none), of a time."""
    wanted = {"kind": bool(kind), "person": bool(handle), "volumes": volumes is not None}
    which = " ".join(name for name, there in wanted.items() if there)
    values: dict[str, Any] = {"since": since, "until": until, "before": before, "most": most}
    values |= {name: given for name, given in {"kind": kind, "handle": handle}.items() if given}
    if volumes is not None:
        values["volumes"] = volumes
    return [Listed(*tuple(row)) for row in connection.execute(LISTED[which], values)]
