"""Places in the contents: the database does to them what the core says."""

from __future__ import annotations

from collections.abc import Sequence

from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import Connection, Engine, text

from mokuji.core.model.contents import LAST, Placing, Put, Rekey, Row, Take, place, rearrange
from mokuji.store import volumes
from mokuji.store.places import placing
from tests.store.filling import empty

KEYS = list("abcdefgh")
keys = st.sampled_from(KEYS)
placings = st.one_of(
    st.builds(
        Put,
        st.just(1),
        keys,
        keys.map(str.upper),
        st.one_of(st.none(), keys),
        st.one_of(st.none(), st.just(LAST), keys),
        st.booleans(),
    ),
    st.builds(Take, st.just(1), keys),
    st.builds(Rekey, st.just(1), keys, keys, keys.map(str.upper)),
)


@st.composite
def contents(draw: st.DrawFn) -> tuple[Row, ...]:
    """A list of names, each once, none more than one level deeper than the one before."""
    rows: list[Row] = []
    for key in draw(st.lists(keys, unique=True)):
        deepest = rows[-1].depth + 1 if rows else 0
        rows.append(Row(draw(st.integers(0, deepest)), key.upper(), key))
    return tuple(rows)


def _write(connection: Connection, rows: Sequence[Row]) -> None:
    connection.execute(text("DELETE FROM contents"))
    wished = rearrange(1, (), rows)
    placing.place(connection, wished)
    assert tuple(placing.rows(connection, 1)) == tuple(rows)


@given(contents(), st.lists(placings, min_size=1, max_size=5))
@settings(max_examples=80)
def test_the_database_places_as_the_core_does_and_can_take_it_back(
    engine: Engine, rows: tuple[Row, ...], wished: list[Placing]
) -> None:
    with engine.begin() as connection:
        empty(connection)
        assert volumes.add_volume(connection, "Guide") == 1
        _write(connection, rows)
        expected, _ = place(rows, wished)
        back = placing.place(connection, wished)
        assert tuple(placing.rows(connection, 1)) == expected
        placing.place(connection, back)
        assert tuple(placing.rows(connection, 1)) == rows
        connection.rollback()


@given(contents(), contents())
def test_any_list_can_be_made_of_any_other_and_back(rows: tuple[Row, ...], wished: tuple[Row, ...]) -> None:
    after, back = place(rows, rearrange(1, rows, wished))
    assert after == wished
    again, _ = place(after, back)
    assert again == rows
