"""Fields of the front matter: changed beside their page, and looked through as a table."""

from __future__ import annotations

from typing import Literal

from fastapi.responses import Response

from mokuji import routing
from mokuji.services.writing import fields
from mokuji.services.writing.fields import Table
from mokuji.web import addresses
from mokuji.web.pages import Form, Who, see
from mokuji.web.tables import as_csv, as_json

router = routing.router()


@router.post("/-/field/{volume}/{page:path}")
def change(who: Who, form: Form, volume: str, page: str) -> Response:
    """Sets, adds or takes away a field of a page."""
    name, value = form.get("name", ""), form.get("value", "")
    key = fields.change(who.app, who.actor, volume, page, name, value, remove="remove" in form)
    return see(addresses.page(volume, key) + "#margin")


@router.get("/-/fields/{volume}")
def table(
    who: Who,
    volume: str,
    field: str = "",
    show: str = "",
    value: str = "",
    sort: str = "",
    screen: int = 0,
    form: Literal["", "csv", "json"] = "",
) -> Response:
    """The pages of a volume that have a field, as a table or a file."""
    columns = tuple(each.strip() for each in show.split(",") if each.strip())
    view = fields.table(
        who.app,
        who.actor,
        volume,
        field,
        columns=columns,
        value=value,
        sort=sort,
        screen=screen,
        whole=bool(form),
    )
    if form:
        head = ("title", *view.columns, "summary", "changed")
        return as_csv(head, _rows(view)) if form == "csv" else as_json(_rows(view))
    kept = {"field": view.field, "show": ",".join(view.columns[1:]), "value": value, "sort": sort}
    return who.page("fields.html", view=view, place=view.place, kept=kept, screen=screen, lit="materials")


def _rows(view: Table) -> list[dict[str, str]]:
    return [
        {
            "title": row.head.title,
            **{name: row.fields.get(name, "") for name in view.columns},
            "summary": row.summary,
            "changed": row.changed,
        }
        for row in view.rows
    ]
