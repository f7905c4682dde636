"""What pages hold, as JSON: files and their versions, sources, tasks, fields."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from fastapi import Request, Response, UploadFile
from pydantic import BeforeValidator

from mokuji import routing
from mokuji.acts.assets.source_edit import save_source
from mokuji.api import asset_schemas as schemas
from mokuji.api.asking import FAULTS, Changer, Reader, TheApp, behind, cursor
from mokuji.core.base.errors import Missing
from mokuji.core.base.names import address
from mokuji.core.model.sources import as_text
from mokuji.formats.tasks import calendar, todo_txt
from mokuji.services import site
from mokuji.services.writing import fields, files, sources, tasks
from mokuji.services.writing.files import StoredFile

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])


def as_file(file: StoredFile | files.Version) -> dict[str, Any]:
    """A file, or what it was, as JSON tells it."""
    return {name: getattr(file, name) for name in ("name", "type", "size", "width", "height", "at")}


# ---- files ----------------------------------------------------------------------


@router.get("/volumes/{volume}/files")
def files_of(
    app: TheApp,
    actor: Reader,
    volume: str,
    after: str = "",
    which: Literal["all", "unused", "equal"] = "all",
) -> schemas.Files:
    """The files of a volume: all, those that no page names, or those whose content stands under two names."""
    view = files.files_of(app, actor, volume, behind("files", after), which)
    return schemas.Files(
        files=[
            schemas.ListedFile(**as_file(each), pages=view.used.get(each.key, (0, 0))[0])
            for each in view.files
        ],
        missing=[schemas.Named(name=name, pages=pages) for name, pages in view.missing],
        more_after=cursor("files", view.more_after),
    )


@router.post("/volumes/{volume}/files", status_code=201)
def bring_file(app: TheApp, actor: Changer, volume: str, file: UploadFile) -> schemas.BroughtFile:
    """Keep a file, under a readable name made of its own. Its type is found from its content."""
    brought = files.bring(app, actor, volume, file.filename or "", file.file.read())
    return schemas.BroughtFile(**as_file(brought.file), known=brought.known)


@router.post("/volumes/{volume}/staged-files/{name:path}", status_code=201)
def stage_file(app: TheApp, actor: Changer, volume: str, name: str, file: UploadFile) -> schemas.Staged:
    """Bring what is to take the place of a file; the act “file replace” then names it by its content."""
    return schemas.Staged(content=files.stage(app, actor, volume, name, file.file.read()))


@router.get("/volumes/{volume}/file-uses/{name:path}")
def file_uses(app: TheApp, actor: Reader, volume: str, name: str) -> schemas.AboutFile:
    """A file: where it is named, and what it was."""
    view = files.about(app, actor, volume, name)
    return schemas.AboutFile(
        **as_file(view.file),
        pages=view.pages,
        places=[
            schemas.Place(
                volume=view.place.volume.key,
                title=naming.page.title,
                line=naming.line,
                words=f"{naming.sentence.before}{naming.sentence.words}{naming.sentence.after}",
            )
            for naming in view.naming
        ],
        versions=[
            schemas.FileVersion(
                **as_file(version), number=version.number, content=version.hash.hex(), until=version.until
            )
            for version in view.versions
        ],
        same=[each.name for each in view.same],
    )


@router.get("/volumes/{volume}/files/{name:path}", response_class=Response)
def file(app: TheApp, actor: Reader, volume: str, name: str, version: int = 0) -> Response:
    """The bytes of a file, or of a former version."""
    found = (
        files.version(app, actor, volume, name, version)
        if 0 < version < 2**31
        else files.fetch(app, actor, volume, name)
    )
    headers = {
        "Content-Disposition": f"attachment; filename*=UTF-8''{files.destination(found.name)}",
        "Content-Security-Policy": "default-src 'none'; sandbox",
    }
    return Response(files.content(app, found), 200, headers, found.type)


# ---- sources --------------------------------------------------------------------


def _source(each: sources.StoredSource, pages: int) -> schemas.Source:
    return schemas.Source(
        name=each.name,
        item=dict(each.fields),
        reads=as_text(each.fields),
        pages=pages,
        revision=each.revision,
    )


@router.get("/sources")
def all_sources(
    app: TheApp,
    actor: Changer,
    after: str = "",
    which: Literal["all", "unused", "missing", "alike"] = "all",
) -> schemas.Sources:
    """The sources of the wiki, those that are cited nowhere, names that are cited and are none, or near-equal pairs."""
    view = sources.listing(app, actor, after=behind("sources", after), which=which)
    return schemas.Sources(
        sources=[_source(each, view.cited.get(each.key, (0, 0))[0]) for each in view.sources],
        missing=[schemas.Named(name=each.name, pages=len(each.pages)) for each in view.missing],
        alike=[schemas.Alike(one=near.one, other=near.other, reason=near.reason) for near in view.alike],
        more_after=cursor("sources", view.more_after),
    )


@router.post("/sources", status_code=201)
def bring_sources(app: TheApp, actor: Changer, file: UploadFile) -> schemas.BroughtSources:
    """Take in a file of sources, CSL-JSON or BibTeX. Those whose name is there already stay as they are."""
    done = sources.bring(app, actor, file.file.read())
    return schemas.BroughtSources(
        new=list(done.new), same=list(done.same), other=list(done.other), problems=list(done.problems)
    )


@router.get("/sources.json", response_class=Response)
def sources_as_json(app: TheApp, actor: Changer) -> Response:
    """All sources as CSL-JSON."""
    told = sources.take(app, actor, "json")
    return Response(told, 200, {}, "application/vnd.citationstyles.csl+json; charset=utf-8")


@router.get("/sources.bib", response_class=Response)
def sources_as_bibtex(app: TheApp, actor: Changer) -> Response:
    """All sources as BibTeX."""
    return Response(sources.take(app, actor, "bibtex"), 200, {}, "application/x-bibtex; charset=utf-8")


@router.get("/sources/{name:path}")
def source(app: TheApp, actor: Changer, name: str) -> schemas.AboutSource:
    """A source and the places that cite it."""
    view = sources.about(app, actor, name)
    if view.source is None:
        raise Missing(f"There is no source “{name}”.", code="source_missing")
    return schemas.AboutSource(
        **_source(view.source, view.pages).model_dump(),
        places=[
            schemas.Place(
                volume=view.volumes[citing.page.volume].key,
                title=citing.page.title,
                line=citing.line,
                words=f"{citing.sentence.before}{citing.sentence.words}{citing.sentence.after}",
            )
            for citing in view.citing
        ],
    )


@router.put("/sources/{name:path}")
def put_source(app: TheApp, actor: Changer, name: str, body: schemas.SourceFields) -> schemas.SavedSource:
    """Make a source, or change one: as the form has it, an author a line, dates as 2026-11-24."""
    new = sources.about(app, actor, name).source is None
    told = {key.replace("_", "-"): value for key, value in body.model_dump(exclude={"revision"}).items()}
    told |= {"URL": told.pop("address")}
    saved = save_source(app, actor, name, told, new=new, revision=body.revision)
    return schemas.SavedSource(name=saved, new=new)


# ---- tasks ----------------------------------------------------------------------


def _day(value: object) -> object:
    return value or None


@router.get("/tasks")
def all_tasks(
    app: TheApp,
    actor: Reader,
    by: Literal["date", "priority", "person", "page", "category"] = "date",
    person: str = "",
    volume: str = "",
    page: str = "",
    category: str = "",
    day: Annotated[date | None, BeforeValidator(_day)] = None,
    done: bool = False,
    screen: int = 0,
) -> schemas.Tasks:
    """The tasks of all pages you may read, in groups; late ones first."""
    view = tasks.listing(
        app,
        actor,
        by=by,
        person=person,
        volume_key=volume,
        page_key=page,
        category=category,
        day=day,
        done=done,
        screen=screen,
    )
    return schemas.Tasks(
        number=view.number,
        more=view.more,
        groups=[
            schemas.TaskGroup(
                name=group.name,
                late=group.late,
                tasks=[
                    schemas.Task(
                        volume=view.volumes[task.page.volume].key,
                        page=task.page.key,
                        number=task.number,
                        revision=task.page.revision,
                        line=task.line,
                        words=task.words,
                        done=task.done,
                        priority=task.priority,
                        due=task.due,
                        people=list(task.people),
                    )
                    for task in group.tasks
                ],
            )
            for group in view.groups
        ],
    )


@router.get("/tasks.txt", response_class=Response)
def tasks_as_text(app: TheApp, actor: Reader, person: str = "") -> Response:
    """Open tasks as todo.txt."""
    return Response(
        todo_txt(tasks.lines(app, actor, address, person=person)), 200, {}, "text/plain; charset=utf-8"
    )


@router.get("/tasks.ics", response_class=Response)
def tasks_as_calendar(app: TheApp, actor: Reader, request: Request, person: str = "") -> Response:
    """Open tasks as iCalendar VTODO."""
    lines = tasks.lines(
        app, actor, lambda volume, page: site.absolute(site.link(address(volume, page))), person=person
    )
    return Response(calendar(lines, "Tasks"), 200, {}, "text/calendar; charset=utf-8")


@router.post("/volumes/{volume}/tasks/{page:path}")
def tick(app: TheApp, actor: Changer, volume: str, page: str, body: schemas.Tick) -> schemas.Ticked:
    """Tick a task of a page, or open it again: the one that had this number in the revision that was seen."""
    head = tasks.tick(app, actor, volume, page, body.number, body.revision, done=body.done)
    return schemas.Ticked(page=head.key)


# ---- fields ---------------------------------------------------------------------


@router.get("/volumes/{volume}/fields")
def field_table(
    app: TheApp,
    actor: Reader,
    volume: str,
    field: str = "",
    show: str = "",
    value: str = "",
    sort: str = "",
) -> schemas.FieldTable:
    """The fields that pages of a volume have, and those with one of them, with others beside it."""
    columns = tuple(each.strip() for each in show.split(",") if each.strip())
    view = fields.table(app, actor, volume, field, columns=columns, value=value, sort=sort, whole=True)
    return schemas.FieldTable(
        known=[schemas.Named(name=known.name, pages=known.pages) for known in view.known],
        field=view.field,
        rows=[
            schemas.FieldRow(
                page=row.head.key,
                title=row.head.title,
                fields={name: row.fields[name] for name in view.columns if name in row.fields},
            )
            for row in view.rows
        ],
    )


@router.put("/volumes/{volume}/fields/{page:path}")
def put_field(
    app: TheApp, actor: Changer, volume: str, page: str, body: schemas.FieldValue
) -> schemas.Ticked:
    """Set a field of a page, or take it away; a list is written with commas."""
    remove = body.value is None
    key = fields.change(app, actor, volume, page, body.name, body.value or "", remove=remove)
    return schemas.Ticked(page=key)
