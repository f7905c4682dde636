"""What leads to a page and what became of it, as JSON: backlinks, revisions, comparisons, changes."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import date
from typing import Annotated

from fastapi import Path as PathParameter
from fastapi import Query

from mokuji import routing
from mokuji.api import history_schemas, plans, schemas
from mokuji.api.asking import FAULTS, Changer, Reader, TheApp, behind, cursor
from mokuji.api.shown import shown_in_json
from mokuji.core.diff.diff import LineRun
from mokuji.core.model.wiki import Volume
from mokuji.services.looking_back import changes as looked_through
from mokuji.services.looking_back import history, line_origins, trash, volume_then
from mokuji.services.looking_back.changes import Asked
from mokuji.services.looking_back.history import LoggedAct, Revision
from mokuji.services.looking_back.two_pages import compare_pages
from mokuji.services.reading import reading
from mokuji.services.writing import putting_back

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])


@router.get("/volumes/{volume}/backlinks/{page:path}")
def backlinks(app: TheApp, actor: Reader, volume: str, page: str, after: str = "") -> schemas.Backlinks:
    """The pages that lead to one, each with its sentences."""
    _, _, found, by_id = reading.all_backlinks(app, actor, volume, page, behind("backlinks", after))
    return schemas.Backlinks(
        pages=found.pages,
        places=found.places,
        entries=[
            schemas.Backlink(
                volume=by_id[entry.page.volume].key,
                key=entry.page.key,
                title=entry.page.title,
                places=entry.places,
                sentences=[
                    schemas.Sentence(before=s.excerpt.before, words=s.excerpt.words, after=s.excerpt.after)
                    for s in entry.sentences
                ],
            )
            for entry in found.entries
        ],
        more_after=cursor(
            "backlinks",
            f"{found.more_after.elsewhere:d}-{found.more_after.page}" if found.more_after else None,
        ),
    )


@router.get("/volumes/{volume}/revisions/{page:path}")
def revisions(
    app: TheApp,
    actor: Reader,
    volume: str,
    page: str,
    before: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None,
) -> schemas.Revisions:
    """The revisions of a page, newest first."""
    view = history.revisions(app, actor, volume, page, before)
    entries = [_revision(each) for each in view.revisions]
    return schemas.Revisions(entries=entries, more_before=view.more_before)


def _revision(found: Revision) -> schemas.Revision:
    return schemas.Revision(
        number=found.number,
        author=found.author,
        at=found.at,
        note=found.note,
        title=found.title,
        size=found.size,
        act=found.act,
    )


@router.get("/volumes/{volume}/revision/{page:path}")
def revision(
    app: TheApp,
    actor: Reader,
    volume: str,
    page: str,
    number: Annotated[int, Query(ge=1, le=2**31 - 1)],
    as_read: bool = False,
) -> schemas.RevisionText:
    """One revision of a page, with its text; ``as_read`` also as HTML, what it refers to and puts in as of now."""
    view = history.one_revision(app, actor, volume, page, number, shown=as_read)
    html = view.as_read.rendered(app, shown_in_json(app, actor)).html if view.as_read is not None else None
    return schemas.RevisionText(**_revision(view.revision).model_dump(), text=view.text, html=html)


@router.get("/volumes/{volume}/put-back/{page:path}")
def put_back(
    app: TheApp,
    actor: Changer,
    volume: str,
    page: str,
    older: Annotated[int, Query(ge=1, le=2**31 - 1)],
    newer: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None,
    passage: Annotated[list[int] | None, Query(max_length=500)] = None,
) -> history_schemas.PutBack:
    """What puts a revision back; with ``newer`` what differs between the two, with ``passage`` some of that (from 0, as
    they are compared), beside what was written since. Nothing is saved."""
    found = putting_back.put_back(app, actor, volume, page, older, newer, passage)
    return history_schemas.PutBack(
        text=found.text,
        revision=found.revision,
        note=found.note,
        clash=found.clash,
        former_title=found.former_title,
    )


@router.get("/volumes/{volume}/comparison/{page:path}")
def comparison(
    app: TheApp,
    actor: Reader,
    volume: str,
    page: str,
    older: Annotated[int, Query(ge=1, le=2**31 - 1)],
    newer: Annotated[int, Query(ge=1, le=2**31 - 1)],
) -> schemas.Comparison:
    """Two revisions of a page and what differs."""
    view = history.compare_revisions(app, actor, volume, page, older, newer)
    return schemas.Comparison(
        older=view.older.number, newer=view.newer.number, passages=_passages(view.passages)
    )


def _passages(found: Iterable[LineRun]) -> list[schemas.LineRun]:
    return [
        schemas.LineRun(
            kind="same" if p.kind == "same" else "changed",
            line=p.line,
            before=[plans.said(line) for line in p.before],
            after=[plans.said(line) for line in p.after],
        )
        for p in found
    ]


@router.get("/volumes/{volume}/beside/{page:path}")
def beside(
    app: TheApp,
    actor: Reader,
    volume: str,
    page: str,
    other: Annotated[str, Query(max_length=500)],
    revision: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None,
    other_revision: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None,
) -> history_schemas.OtherComparison:
    """A page beside another one (``Title`` or ``Volume/Title``), and what differs."""
    view = compare_pages(app, actor, volume, page, other, revision, other_revision)
    return history_schemas.OtherComparison(
        revision=view.one.revision.number,
        other_volume=view.other.volume.key,
        other_key=view.other.head.key,
        other_revision=view.other.revision.number,
        passages=_passages(view.passages),
    )


@router.get("/volumes/{volume}/became")
def became(
    app: TheApp,
    actor: Reader,
    volume: str,
    since: str = "",
    until: str = "",
    only: Annotated[str, Query(max_length=20)] = "",
    skip: Annotated[int, Query(ge=0, le=10_000_000)] = 0,
) -> history_schemas.Became:
    """What became of the pages and contents of a volume between two moments, each a day or the number of a change; the
    last month without."""
    view = volume_then.between(app, actor, volume, since, until, only=only, skip=skip)
    pages = [
        history_schemas.BecamePage(
            kinds=list(each.kinds),
            before=each.before,
            after=each.after,
            older=each.older,
            newer=each.newer,
            volume=each.volume or None,
            key=each.key or None,
            words_came=each.words[1],
            words_went=each.words[0],
        )
        for each in view.pages
    ]
    return history_schemas.Became(
        counts=dict(view.counts),
        pages=pages,
        number=view.number,
        skipped=view.skipped,
        elsewhere_in_contents=list(view.moved),
        cut=view.cut,
    )


@router.get("/volumes/{volume}/stood")
def stood(app: TheApp, actor: Reader, volume: str, at: str = "") -> history_schemas.Stood:
    """The contents and pages of a volume at the end of a day, or after a change (its number)."""
    view = volume_then.as_it_stood(app, actor, volume, at)
    return history_schemas.Stood(
        contents=[_then(each) for each in view.contents],
        unplaced=[_then(each) for each in view.unplaced],
        cut=view.cut,
    )


def _then(each: volume_then.PageThen) -> history_schemas.PageThen:
    return history_schemas.PageThen(
        number=each.number,
        depth=each.depth,
        title=each.title,
        revision=each.revision,
        volume=each.volume or None,
        key=each.key or None,
    )


@router.get("/trash/{number}")
def trashed(
    app: TheApp,
    actor: Changer,
    number: Annotated[int, PathParameter(ge=1, le=2**62)],
    revision: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None,
) -> history_schemas.TrashedPage:
    """A page in the trash, with its revisions and what waits for it."""
    view = trash.page_in_trash(app, actor, number, revision)
    return history_schemas.TrashedPage(
        page=view.row.page,
        volume=view.volume.key,
        title=view.row.title,
        days_left=view.days_left,
        restorable=view.restorable,
        revisions=[_revision(each) for each in view.revisions],
        revision=view.shown.number,
        text=view.text,
        html=view.as_read.rendered(app, shown_in_json(app, actor)).html,
        waiting=[
            history_schemas.PageName(volume=volume.key, key=head.key, title=head.title)
            for volume, head in view.waiting
        ],
    )


@router.get("/trash/volumes/{number}")
def trashed_volume(
    app: TheApp, actor: Changer, number: Annotated[int, PathParameter(ge=1, le=2**62)]
) -> history_schemas.VolumePages:
    """A volume of yours that a change set deleted, with its pages."""
    view = trash.volume_in_trash(app, actor, number)
    return history_schemas.VolumePages(
        title=view.volume.title,
        days_left=view.days_left,
        pages=[history_schemas.NamedInTrash(page=each.page, title=each.title) for each in view.pages],
        more=view.more,
    )


@router.get("/volumes/{volume}/lines/{page:path}")
def lines(
    app: TheApp,
    actor: Reader,
    volume: str,
    page: str,
    revision: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None,
) -> schemas.Lines:
    """Who wrote each line of a page, or of one of its revisions, when and why."""
    view = line_origins.line_origins(app, actor, volume, page, revision)
    return schemas.Lines(
        revision=view.number,
        cut=view.cut,
        runs=[
            schemas.WrittenLines(
                revision=run.revision.number,
                change_set=run.revision.change_set,
                author=run.revision.author,
                at=run.revision.at,
                note=run.revision.note,
                first=run.lines[0].number,
                last=run.lines[-1].number,
                was=[line.was for line in run.lines],
                page=run.revision.title if run.revision.page != view.head.id else None,
            )
            for run in view.runs
        ],
    )


@router.get("/changes")
def changes(
    app: TheApp,
    actor: Reader,
    before: Annotated[int | None, Query(ge=1, le=2**62)] = None,
    volume: str = "",
    page: str = "",
    below: bool = False,
    category: str = "",
    by: str = "",
    kind: str = "",
    words: Annotated[str, Query(max_length=200)] = "",
    since: date | None = None,
    until: date | None = None,
) -> history_schemas.LookedThrough:
    """What was done lately in the volumes you may read: in one, on a page (with what stands below it), on pages of a
    category, by somebody, of one kind, with words in its note, from one day to another (UTC)."""
    asked = Asked(volume, page, below and bool(page), category, by, kind, words, since, until)
    view = looked_through.changes(app, actor, asked, before, folded=False)
    named = (replace(row.act, page_title=row.act.page_title or row.gone or None) for row in view.rows)
    entries = [_act(act, view.volumes.get(act.volume)) for act in named]
    return history_schemas.LookedThrough(entries=entries, more_before=view.more_before, far=view.far)


def _act(act: LoggedAct, volume: Volume | None) -> schemas.Act:
    return schemas.Act(
        change_set=act.id,
        act=act.act,
        volume=volume.key if volume is not None else None,
        title=act.page_title,
        author=act.author,
        at=act.at,
        note=act.note,
        undone=act.undone_by is not None,
    )


@router.get("/own/changes")
def own_changes(
    app: TheApp, actor: Changer, before: Annotated[int | None, Query(ge=1, le=2**62)] = None
) -> schemas.Acts:
    """What you did, in volumes that you may read."""
    acts, by_id, more = history.own_acts(app, actor, before)
    return schemas.Acts(entries=[_act(act, by_id.get(act.volume)) for act in acts], more_before=more)


@router.get("/changes/{number}")
def change(
    app: TheApp, actor: Reader, number: Annotated[int, PathParameter(ge=1, le=2**62)]
) -> schemas.ActPages:
    """One act, with the pages it wrote."""
    view = history.one_act(app, actor, number)
    pages = [
        schemas.TouchedPage(
            volume=view.volumes[each.volume].key, key=each.key, title=each.title, revision=each.number
        )
        for each in view.pages
    ]
    return schemas.ActPages(**_act(view.act, view.volume).model_dump(), pages=pages, more=view.more)
