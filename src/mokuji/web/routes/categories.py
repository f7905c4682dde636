"""Categories: all of a volume as a tree, and one with its pages and passages; each also as JSON."""

from __future__ import annotations

from typing import Any

from fastapi.responses import Response

from mokuji import routing
from mokuji.acts import doing
from mokuji.acts.requests import File
from mokuji.formats import skos
from mokuji.services import site
from mokuji.services.reading import categories, materials
from mokuji.services.writing import concepts
from mokuji.web import addresses
from mokuji.web.pages import Form, Who, see
from mokuji.web.tables import as_json

router = routing.router()
MOST_ROWS = 5_000
"""Maximum number of pages of a category that are given as one file."""


@router.get("/-/categories/{volume}")
def index(who: Who, volume: str, form: str = "") -> Response:
    """All categories of a volume; as SKOS with ``form`` turtle or json-ld."""
    if form in skos.MEDIA:
        told = concepts.export(
            who.app,
            who.actor,
            volume,
            form,  # type: ignore[arg-type]
            lambda volume_key, key: site.absolute(addresses.category(volume_key, key)),
            site.absolute(addresses.categories(volume)),
        )
        return Response(told, media_type=skos.MEDIA[form] + "; charset=utf-8")
    view = categories.index(who.app, who.actor, volume)
    return who.page("categories.html", place=view.place, view=view, lit="materials")


@router.get("/-/materials/{volume}")
def materials_of(who: Who, volume: str) -> Response:
    """Templates and categories of a volume."""
    view = materials.materials(who.app, who.actor, volume)
    return who.page("materials.html", place=view.place, view=view, lit="materials")


@router.post("/-/file/{volume}/{page:path}")
def file(who: Who, form: Form, volume: str, page: str) -> Response:
    """Files a page under one more category, or one less, and goes back to it."""
    asked = File(volume, page, form.get("add", ""), form.get("drop", ""))
    doing.apply(who.app, who.actor, asked, None)
    return see(addresses.page(volume, page) + "#margin")


@router.get("/-/category-names/{volume}")
def category_names(who: Who, volume: str) -> Response:
    """The names of all categories of a volume, to choose from."""
    found = categories.index(who.app, who.actor, volume).categories.values()
    return as_json([{"name": category.name} for category in sorted(found, key=lambda each: each.key)])


@router.get("/-/category/{volume}/{key:path}")
def one(who: Who, volume: str, key: str, after: str = "", form: str = "") -> Response:
    """One category; ``form=json`` gives all its pages and passages as a list."""
    if form == "json":
        view = categories.category(who.app, who.actor, volume, key, "", MOST_ROWS)
        return as_json(_rows(view))
    view = categories.category(who.app, who.actor, volume, key, after)
    return who.page("category.html", place=view.place, view=view, lit="materials")


def _rows(view: categories.CategoryView) -> list[dict[str, Any]]:
    return [
        {
            "page": page.head.title,
            "summary": page.summary,
            "whole": page.whole,
            "through": [template.title for template in page.through],
            "passages": [
                {"line": p.line, "words": p.words.before + p.words.words + p.words.after}
                for p in page.passages
            ],
        }
        for page in view.filed
    ]
