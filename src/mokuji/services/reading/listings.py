"""Lists of pages that a page shows, made anew at each view, of what its reader may see."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from mokuji.core.assembly.inserts import Fault
from mokuji.core.assembly.listing import ListedPage, Listing, Query, arrange, read
from mokuji.core.base import names
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.reading.categories import ids_under
from mokuji.services.reading.questions import shared_as
from mokuji.services.reading.searching import answering
from mokuji.store.database import reading
from mokuji.store.index import memberships

MOST_LOOKED_AT = 5_000
"""Maximum number of pages that a list chooses from."""


def listing(
    app: AppContext, actor: Actor, home: int, values: Iterable[tuple[str | None, str]]
) -> Listing | None:
    """The pages that a list is of; ``home`` is the volume where it is typed. None if the reader may not see that."""
    query, faults = read(values)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = next((each for each in context.volumes.values() if each.id == home), None)
        if query.volume:
            volume = context.volumes.get(names.key(query.volume))
            if volume is None:
                faults.append(Fault("listing", f"There is no volume “{query.volume}”."))
        if volume is None or faults:
            return (
                None
                if volume is None and not faults
                else Listing(query, volume or _none(), (), tuple(faults))
            )
        line = query.find or (shared_as(context, volume, query.question) if query.question else "")
        if line is None:
            said = f"No question “{query.question}” is shared in “{volume.title}”."
            return Listing(query, volume, (), (Fault("listing", said),))
        ids = _chosen(context, volume, query, answering(context, volume, line) if line else None)
        rows = _rows(context, ids[:MOST_LOOKED_AT])
        listed, more = arrange(rows, query)
        if len(ids) > MOST_LOOKED_AT:
            said = f"This list is of {MOST_LOOKED_AT:,} of {len(ids):,} pages. Narrow it by another category or field."
            more.append(Fault("listing", said))
        if not rows:
            more += _unknown(context, volume, query)
        return Listing(query, volume, tuple(listed), tuple(more))


def _none() -> Volume:
    return Volume(0, "", "")


def _chosen(
    context: ReadContext, volume: Volume, query: Query, answer: Sequence[int] | None = None
) -> list[int]:
    """The pages that fit a query; of those that answer its question, in their order."""
    found: set[int] | None = None if answer is None else set(answer)
    for key in query.categories:
        under = ids_under(context, volume, key)
        found = under if found is None else found & under
    for name, value in query.filters.items():
        having = memberships.having(context.connection, volume.id, name, value)
        found = having if found is None else found & having
    return [each for each in answer if each in (found or ())] if answer else sorted(found or ())


def _rows(context: ReadContext, ids: Sequence[int]) -> list[ListedPage]:
    if not ids:
        return []
    told = memberships.fields_of(context.connection, ids)
    listed = {
        head.id: (head, summary, day) for head, summary, day in memberships.listed(context.connection, ids)
    }
    return [
        ListedPage(
            head, summary, {name: ", ".join(said) for name, said in told.get(head.id, {}).items()}, day
        )
        for head, summary, day in (listed[id_] for id_ in ids if id_ in listed)
    ]


def _unknown(context: ReadContext, volume: Volume, query: Query) -> list[Fault]:
    """Why a list is empty, where a word of it means nothing in the volume."""
    faults = [
        Fault("listing", f"Nothing in “{volume.title}” is filed under “{key}”.")
        for key in query.categories
        if not ids_under(context, volume, key)
    ]
    for name in query.filters:
        if not memberships.is_field(context.connection, volume.id, name):
            faults.append(Fault("listing", f"No page of “{volume.title}” has a field “{name}”."))
    return faults
