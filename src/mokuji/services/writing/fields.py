"""Fields of the front matter: of one page, changed beside it; of all pages of a volume, as a table."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from mokuji.core.assembly.listing import NOT_FIELDS, ListedPage, Query, arrange
from mokuji.core.base import names
from mokuji.core.base.edits import apply
from mokuji.core.edit.field_edit import check_field, set_field
from mokuji.core.language.page import Page
from mokuji.core.model.policy import Actor, Permission
from mokuji.services.app_context import AppContext, ReadContext, need_head
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.services.writing import writing
from mokuji.store.database import reading
from mokuji.store.index import memberships

SCREEN = 200
"""Rows of the table on one screen."""
MOST_PAGES = 5_000
"""Maximum number of pages of one table."""
MOST_COLUMNS = 8


@dataclass(frozen=True, slots=True)
class Field:
    """A field of a page as it stands beside it: its values as words; ``plain`` ones can be changed there."""

    name: str
    values: tuple[str, ...]
    plain: bool
    listed: bool


@dataclass(frozen=True, slots=True)
class Known:
    """A field that pages of a volume have: on how many, and its values with their numbers, the most frequent first."""

    name: str
    pages: int
    values: tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class Table:
    """The pages of a volume that have a field, with others of their fields as columns, in an order; ``number`` are all
    that fit, ``more`` says that not all of them are rows here."""

    place: VolumeView
    known: tuple[Known, ...]
    field: str
    columns: tuple[str, ...]
    rows: tuple[ListedPage, ...]
    number: int
    value: str
    sort: str
    more: bool


def of_page(page: Page) -> tuple[Field, ...]:
    """The fields of a page, in the order of its front matter; what only says how a page is made is left out."""
    fields: list[Field] = []
    for name, value in page.content.front_matter.fields.items():
        if name in NOT_FIELDS or name == "summary":
            continue
        listed = isinstance(value, list)
        plain = isinstance(value, str) or (listed and all(isinstance(each, str) for each in value))
        values = tuple(value) if listed and plain else (value,) if plain else ("…",)
        fields.append(Field(name, values, plain, listed))
    return tuple(fields)


def change(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    page_key: str,
    name: str,
    value: str,
    *,
    remove: bool = False,
) -> str:
    """Sets a field of a page, adds it or takes it away, as a revision; a list is written with commas. The key of the
    page. BadName or Refused say why it cannot be."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key, Permission.WRITE)
        head = need_head(connection, volume, page_key)
        page = context.wiki.pages([head.id])[head.id]
    name = check_field(name)
    now = page.content.front_matter.fields.get(name)
    words = " ".join(value.split())
    wanted: str | list[str] | None = None if remove else words
    if isinstance(now, list) and not remove:
        wanted = [part for each in words.split(",") if (part := each.strip())]
    text = apply(page.text, set_field(page.text, name, wanted, head.title))
    if text != page.text:
        note = f"{name} taken away" if remove else f"{name}: {words}"
        writing.save(
            app,
            actor,
            writing.Save(volume_key, head.title, text, revision=head.revision, note=note[:300], follow=False),
        )
    return head.key


def table(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    field: str = "",
    *,
    columns: tuple[str, ...] = (),
    value: str = "",
    sort: str = "",
    screen: int = 0,
    whole: bool = False,
) -> Table:
    """The pages of a volume that have a field. ``value`` chooses those where it says that, ``sort`` is a column or
    “title”, with “-” before it the other way round; ``whole`` gives all rows at once."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        known = _known(memberships.all_fields(connection, volume.id))
        field = field if any(each.name == field for each in known) else (known[0].name if known else "")
        if not field:
            return Table(volume_view(context, volume), (), "", (), (), 0, "", "", False)
        ids = (
            memberships.having(connection, volume.id, field, names.key(value))
            if value
            else memberships.with_field(connection, volume.id, field, MOST_PAGES)
        )
        chosen = sorted(ids)[:MOST_PAGES]
        told = memberships.fields_of(connection, chosen)
        rows = [
            ListedPage(
                head, summary, {name: ", ".join(said) for name, said in told.get(head.id, {}).items()}, day
            )
            for head, summary, day in memberships.listed(connection, chosen)
        ]
        beside = [column for column in columns if column != field and any(k.name == column for k in known)]
        shown = (field, *dict.fromkeys(beside))[:MOST_COLUMNS]
        sort = sort if sort.removeprefix("-") in {"title", "changed", *shown} else field
        ordered, _ = arrange(rows, Query(sort=sort, limit=MOST_PAGES))
        start = 0 if whole else min(max(0, screen), MOST_PAGES // SCREEN) * SCREEN
        listed = ordered if whole else ordered[start : start + SCREEN]
        return Table(
            volume_view(context, volume),
            known,
            field,
            shown,
            tuple(listed),
            len(ordered),
            value,
            sort,
            not whole and len(ordered) > start + SCREEN,
        )


def _known(told: Mapping[str, list[tuple[str, int]]]) -> tuple[Known, ...]:
    knowns = [
        Known(name, sum(number for _, number in values), tuple(values[:30])) for name, values in told.items()
    ]
    return tuple(sorted(knowns, key=lambda each: (-each.pages, each.name)))
