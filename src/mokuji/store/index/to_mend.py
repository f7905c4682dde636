"""How much there is to mend in a volume, for one who may read some volumes; and its orphans, pages out of reach and
unwritten names, as they were when they were last looked at (``upkeep`` keeps them)."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy import (
    ARRAY,
    BigInteger,
    ColumnElement,
    Connection,
    Integer,
    ScalarSelect,
    String,
    Subquery,
    Text,
    all_,
    cast,
    func,
    literal_column,
    not_,
    or_,
    select,
    tuple_,
    union_all,
)

from mokuji.core.language.page import PageHead
from mokuji.store.pages import HEAD_COLUMNS
from mokuji.store.statements import among, fixed, numbers, value
from mokuji.store.tables import alias, asked, name, orphan, page, page_name, put_aside, unplaced, volume

MANY = 1_000
"""So many of a sort are counted where their number stands beside something else: a volume may have tens of thousands,
and who reads a page of it does not wait for that."""


@dataclass(frozen=True, slots=True)
class Counts:
    """How much there is to mend in a volume, for one who may read some volumes."""

    orphans: int = 0
    out_of_reach: int = 0
    unwritten: int = 0

    @property
    def whole(self) -> int:
        """All together."""
        return self.orphans + self.out_of_reach + self.unwritten


_slash: ColumnElement[str] = literal_column("'/'", String())


def _stands(of: ColumnElement[int], key: ColumnElement[str]) -> ColumnElement[bool]:
    """Whether a name leads to a page of a volume. OFFSET 0 keeps it a look-up for each name."""
    titles = select(fixed(1)).where(page.c.volume == of, page.c.key == key)
    aliases = select(fixed(1)).where(alias.c.volume == of, alias.c.key == key)
    return or_(titles.offset(fixed(0)).exists(), aliases.offset(fixed(0)).exists())


def _wanted(of: ColumnElement[int]) -> Subquery:
    """What is asked for in a volume (key, pages); in one that is not there, by pages of this one; and in those closed
    to the reader, to whom they must look as if they were not there."""
    hidden = (
        select(volume.c.key)
        .where(volume.c.deleted_by.is_(None), volume.c.id != all_(numbers("visible")))
        .offset(fixed(0))
        .subquery("v")
    )
    into_hidden = (
        select(name.c.id, name.c.key, name.c.absolute)
        .where(name.c.vkey == hidden.c.key, name.c.home == of)
        .offset(fixed(0))
        .lateral("n")
    )
    using = (
        select(page_name.c.page).where(page_name.c.name == into_hidden.c.id).offset(fixed(0)).lateral("pn")
    )
    return union_all(
        select(asked.c.key, asked.c.pages).where(asked.c.volume == of, among(asked.c.home, "visible")),
        select(_slash.concat(asked.c.key), asked.c.pages).where(
            asked.c.volume == fixed(0), asked.c.home == of
        ),
        select(into_hidden.c.key, cast(func.count(using.c.page.distinct()), Integer))
        .select_from(hidden, into_hidden, using)
        .where(or_(into_hidden.c.absolute, not_(_stands(of, into_hidden.c.key))))
        .group_by(into_hidden.c.key),
    ).subquery("w")


def _open(of: ColumnElement[int], report: str, what: ColumnElement[str]) -> ColumnElement[bool]:
    """What nobody put aside, by what names a finding of the report."""
    return ~(
        select(fixed(1))
        .where(
            put_aside.c.volume == of,
            put_aside.c.report == literal_column(f"'{report}'", Text()),
            put_aside.c.what == what,
        )
        .exists()
    )


def _orphaned(of: ColumnElement[int]) -> tuple[ColumnElement[bool], ...]:
    led_to = orphan.c.homes.bool_op("&&")(cast(numbers("visible"), ARRAY(Integer)))
    return orphan.c.volume == of, not_(led_to)


def _away(of: ColumnElement[int]) -> tuple[ColumnElement[bool], ...]:
    return unplaced.c.volume == of, not_(unplaced.c.reached)


def numbers_of(
    of: ColumnElement[int], *, all_of_them: bool = True
) -> tuple[ScalarSelect[int], ScalarSelect[int], ScalarSelect[int]]:
    """Orphans, pages out of reach, and unwritten names of a volume: parts of statements. Where they stand beside
    something else, not ``all_of_them`` are counted, but ``MANY`` of each at most."""
    wanted = _wanted(of)
    each = (
        select(fixed(1))
        .select_from(orphan)
        .where(*_orphaned(of), _open(of, "orphans", cast(orphan.c.page, Text))),
        select(fixed(1))
        .select_from(unplaced)
        .where(*_away(of), _open(of, "out-of-reach", cast(unplaced.c.page, Text))),
        select(wanted.c.key).where(_open(of, "unwritten", wanted.c.key)).distinct(),
    )
    orphans, away, unwritten = (
        select(func.count()).select_from((one if all_of_them else one.limit(fixed(MANY))).subquery())
        for one in each
    )
    return orphans.scalar_subquery(), away.scalar_subquery(), unwritten.scalar_subquery()


_one: ColumnElement[int] = value("volume")
WANTED = _wanted(_one)
_each = func.unnest(numbers("volumes")).table_valued("id").render_derived("of_volume")
# By its name: a part of a statement in a FROM of its own could not refer to the column itself.
_each_id: ColumnElement[int] = literal_column("of_volume.id", Integer())
COUNTS = {
    all_of_them: select(_each_id, *numbers_of(_each_id, all_of_them=all_of_them)).select_from(_each)
    for all_of_them in (False, True)
}
ORPHANS = (
    select(*HEAD_COLUMNS)
    .join(orphan, orphan.c.page == page.c.id)
    .where(*_orphaned(_one), orphan.c.key > value("after"))
    .order_by(orphan.c.key)
    .limit(value("most"))
)
OUT_OF_REACH = (
    select(*HEAD_COLUMNS)
    .join(unplaced, unplaced.c.page == page.c.id)
    .where(*_away(_one), unplaced.c.key > value("after"))
    .order_by(unplaced.c.key)
    .limit(value("most"))
)
_asking = cast(func.sum(WANTED.c.pages), BigInteger)
ASKED = (
    select(WANTED.c.key, _asking)
    .group_by(WANTED.c.key)
    .having(tuple_(-_asking, WANTED.c.key) > tuple_(value("asked"), value("after")))
    .order_by(-_asking, WANTED.c.key)
    .limit(value("most"))
)


def counts(connection: Connection, volume: int, visible: Collection[int]) -> Counts:
    """The numbers of a volume, as they were when it was last looked at."""
    return counts_of(connection, [volume], visible)[volume]


def counts_of(
    connection: Connection, volumes: Collection[int], visible: Collection[int], *, all_of_them: bool = True
) -> dict[int, Counts]:
    """The same of several volumes; or ``MANY`` of each sort at most."""
    rows = connection.execute(COUNTS[all_of_them], {"volumes": volumes, "visible": visible})
    return {volume: Counts(*counted) for volume, *counted in rows}


def orphans(
    connection: Connection, volume: int, visible: Collection[int], *, after: str = "", most: int = 200
) -> list[PageHead]:
    """Pages to which no page leads that the reader may read, by key."""
    values = {"volume": volume, "visible": visible, "after": after, "most": most}
    return [PageHead(*row) for row in connection.execute(ORPHANS, values)]


def out_of_reach(connection: Connection, volume: int, *, after: str = "", most: int = 200) -> list[PageHead]:
    """Pages that are not come to from the front page or the contents, by key."""
    rows = connection.execute(OUT_OF_REACH, {"volume": volume, "after": after, "most": most})
    return [PageHead(*row) for row in rows]


def unwritten(
    connection: Connection,
    volume: int,
    visible: Collection[int],
    *,
    after: tuple[int, str] | None = None,
    most: int = 200,
) -> list[tuple[str, int]]:
    """Keys of names without a page with how many pages ask for them, those most asked for first; ``after`` is the last
    one of the page before (number and key). Keys in a volume that is not there begin with “/”."""
    number, key = after or (2**30, "")
    values = {"volume": volume, "visible": visible, "asked": -number, "after": key, "most": most}
    return [(row[0], row[1]) for row in connection.execute(ASKED, values)]
