"""Upkeep as JSON: numbers, findings with the acts that mend them, what was put aside."""

from __future__ import annotations

from pydantic import TypeAdapter

from mokuji import routing
from mokuji.api import schemas
from mokuji.api.asking import FAULTS, Changer, Reader, TheApp, behind, cursor
from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext
from mokuji.upkeep import asides, upkeep
from mokuji.upkeep.listed import Listed, mark_of

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])
AT_ONCE = 200
"""Number of findings that one answer holds."""


@router.get("/upkeep")
def upkeep_of_all(app: TheApp, actor: Reader) -> schemas.Upkeep:
    """What there is to mend in all volumes that the caller may read, by report."""
    return schemas.Upkeep(volume=None, reports=dict(upkeep.overview(app, actor).numbers))


@router.get("/upkeep/{report}")
def report_of_all(app: TheApp, actor: Reader, report: str, after: str = "") -> schemas.Findings:
    """One report over all volumes that the caller may read."""
    return _findings(app, actor, upkeep.ALL, report, after)


@router.get("/volumes/{volume}/upkeep")
def upkeep_of(app: TheApp, actor: Reader, volume: str) -> schemas.Upkeep:
    """What there is to mend in a volume, by report."""
    view = upkeep.overview(app, actor, volume)
    assert view.place is not None
    return schemas.Upkeep(volume=view.place.volume.key, reports=dict(view.numbers))


@router.get("/volumes/{volume}/upkeep/{report}")
def report(app: TheApp, actor: Reader, volume: str, report: str, after: str = "") -> schemas.Findings:
    """One report, by its name in the overview."""
    return _findings(app, actor, volume, report, after)


def _findings(app: AppContext, actor: Actor, volume: str, name: str, after: str) -> schemas.Findings:
    view = upkeep.report(app, actor, volume, name, after=behind(name, after), most=AT_ONCE)
    made = view.made
    return schemas.Findings(
        findings=[_finding(view, row) for row in view.rows],
        more_after=cursor(name, view.more_after),
        held_back=dict(view.held_back),
        made=schemas.Made(at=made.at, pages=made.pages, fresh=made.fresh, whole=made.whole)
        if made is not None
        else None,
        being_made=view.being_made,
    )


def _finding(view: upkeep.ReportView, row: Listed) -> schemas.Finding:
    found = row.finding
    other = found.pair.other.title if found.pair else (found.target.title if found.target else None)
    return schemas.Finding(
        mark=row.mark,
        volume=row.volume.key,
        name=found.title,
        key=found.page.key if found.page else None,
        page=found.page.id if found.page else None,
        other=other,
        target=found.target.id if found.target else None,
        reason=found.reason,
        confidence=found.pair.confidence if found.pair else None,
        pages=found.number or None,
        spots=[
            schemas.Spot(
                volume=view.volumes[spot.page.volume].key,
                key=spot.page.key,
                title=spot.page.title,
                page=spot.page.id,
                line=spot.line,
                start=spot.span.start,
                end=spot.span.end,
                sentence=spot.sentence.before + spot.sentence.words + spot.sentence.after,
            )
            for spot in found.spots
        ],
        mends=[
            schemas.Mending(
                words=offer.words,
                wish=TypeAdapter(type(offer.act)).dump_python(offer.act, mode="json"),
            )
            for offer in row.offers
            if offer.act is not None and not offer.open
        ],
    )


@router.get("/volumes/{volume}/upkeep/{report}/aside")
def put_aside(app: TheApp, actor: Reader, volume: str, report: str) -> list[schemas.Aside]:
    """What was put aside in a report."""
    view = upkeep.report(app, actor, volume, report, most=1)
    return [
        schemas.Aside(
            mark=mark_of(where, aside.what),
            volume=where.key,
            title=aside.title,
            reason=aside.reason,
            person=aside.person,
            at=aside.at,
        )
        for where, aside in view.asides
    ]


@router.post("/volumes/{volume}/upkeep/{report}/aside", status_code=204)
def put_findings_aside(app: TheApp, actor: Changer, volume: str, report: str, body: schemas.PutAside) -> None:
    """Put findings aside for good: they are listed and counted no more."""
    asides.put(app, actor, report, upkeep.marked(app, actor, volume, report, body.marks), body.reason)


@router.post("/volumes/{volume}/upkeep/{report}/back", status_code=204)
def list_findings_again(
    app: TheApp, actor: Changer, volume: str, report: str, body: schemas.TakeBack
) -> None:
    """List findings again that were put aside."""
    asides.take_back(app, actor, report, body.marks)
