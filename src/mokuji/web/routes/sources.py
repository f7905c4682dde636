"""The list of sources: looked through, one by one, brought in and taken away as files."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from fastapi.responses import JSONResponse, Response

from mokuji import routing
from mokuji.acts.assets.source_edit import save_source
from mokuji.core.base.errors import BadFields, BadFile, Conflict
from mokuji.core.model.sources import FIELDS, TYPES, as_text, authors, formatted, words_of, year
from mokuji.services.writing import sources
from mokuji.services.writing.sources import Imported, SourceView, Which
from mokuji.web import addresses
from mokuji.web.pages import Form, Upload, Visitor, Who, see

router = routing.router()


@router.get("/-/sources")
def listing(
    who: Who,
    which: Which = "all",
    after: str = "",
    typed: str = "",
    form: Literal["", "json", "bibtex"] = "",
) -> Response:
    """The list of sources, or the whole of it as a file."""
    if form:
        told = sources.take(who.app, who.actor, form)
        name = "sources.json" if form == "json" else "sources.bib"
        kind = "application/vnd.citationstyles.csl+json" if form == "json" else "application/x-bibtex"
        return Response(
            told, 200, {"Content-Disposition": f'attachment; filename="{name}"'}, f"{kind}; charset=utf-8"
        )
    return _list(who, which, after, typed)


def _list(
    who: Visitor, which: Which = "all", after: str = "", typed: str = "", brought: Imported | None = None
) -> Response:
    view = sources.listing(who.app, who.actor, after=after, which=which, typed=typed)
    return who.page(
        "sources.html",
        view=view,
        typed=typed,
        brought=brought,
        authors=authors,
        year=year,
        by_key={each.key: each for each in view.sources},
        lit="materials",
    )


@router.post("/-/sources")
def bring(who: Who, sent: Upload) -> Response:
    """Takes in a file of sources."""
    _, file_ = sent
    if file_ is None:
        raise BadFile("No file came along. Choose one.")
    return _list(who, brought=sources.bring(who.app, who.actor, file_[1]))


@router.get("/-/source-names")
def names(who: Who, typed: str = "") -> Response:
    """Sources to choose from while a name is typed."""
    found = sources.names_like(who.app, who.actor, typed)
    return JSONResponse([{"name": each.name, "about": as_text(each.fields)} for each in found])


@router.get("/-/new-source")
def new(who: Who, name: str = "") -> Response:
    """The form of a new source."""
    view = sources.about(who.app, who.actor, name)
    return _form(who, view, dict.fromkeys(FIELDS, ""))


@router.post("/-/new-source")
def make(who: Who, form: Form) -> Response:
    """Makes a source."""
    return _save(who, form.get("name", ""), form, new=True)


@router.get("/-/source/{name:path}")
def source(who: Who, name: str) -> Response:
    """A source: how it reads, its fields, who cites it."""
    view = sources.about(who.app, who.actor, name)
    if view.source is None:
        return see(addresses.new_source(view.name))
    return _form(who, view, {field: words_of(view.source.fields, field) for field in FIELDS})


@router.post("/-/source/{name:path}")
def change(who: Who, form: Form, name: str) -> Response:
    """Changes a source."""
    return _save(who, name, form, new=False)


def _save(who: Visitor, name: str, form: Mapping[str, str], *, new: bool) -> Response:
    try:
        saved = save_source(who.app, who.actor, name, form, new=new, revision=form.get("revision", ""))
    except BadFields as fault:
        view = sources.about(who.app, who.actor, name)
        return _form(who, view, dict(form), fault.fields)
    except Conflict as fault:
        view = sources.about(who.app, who.actor, name)
        if view.source is None:
            raise
        now = {field: words_of(view.source.fields, field) for field in FIELDS}
        typed = {field: "\n".join(form.get(field, "").strip().splitlines()) for field in FIELDS}
        others = {field: f"Now it says “{said}”." for field, said in now.items() if said != typed[field]}
        return _form(who, view, dict(form), others, meanwhile=fault.message)
    return see(addresses.source(saved))


def _form(
    who: Visitor,
    view: SourceView,
    typed: Mapping[str, str],
    faults: Mapping[str, str] | None = None,
    *,
    meanwhile: str = "",
) -> Response:
    shown = formatted(view.source.fields) if view.source is not None else ""
    return who.page(
        "source.html",
        409 if meanwhile else 422 if faults else 200,
        view=view,
        typed=typed,
        faults=faults or {},
        types=TYPES,
        shown=shown,
        meanwhile=meanwhile,
        lit="materials",
    )
