"""Routes of the JSON interface. Who asks is known by a token that is sent along, never by a cookie,
since a cookie would come along with a form of another site."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from fastapi import Query, Request
from fastapi.responses import PlainTextResponse, Response
from starlette.exceptions import HTTPException

from mokuji import routing
from mokuji.acts import doing, secrets
from mokuji.acts.view import PlanView
from mokuji.api import plan_schemas, plans, schemas
from mokuji.api.asking import FAULTS, Changer, Reader, TheApp, behind, cursor, etag, revision_of
from mokuji.api.shown import shown_in_json
from mokuji.core.base.errors import BadRequest, Missing, Refused
from mokuji.core.base.names import check_title
from mokuji.core.base.names import key as name_key
from mokuji.core.language.page import PageHead
from mokuji.core.model import policy
from mokuji.core.model.policy import Permission
from mokuji.core.style.style import (
    AVOID,
    HEADINGS,
    NAMES,
    SENTENCE,
    SPELLING,
    STEP,
    TITLES,
    USE,
    WORDS,
    read_style,
)
from mokuji.core.syntax.headings import words
from mokuji.services import people
from mokuji.services.app_context import refresh
from mokuji.services.looking_back import trash as trash_service
from mokuji.services.reading import categories, house_styles, reading, templates
from mokuji.services.writing import concepts, writing

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])


@router.get("/volumes")
def volumes(app: TheApp, actor: Reader) -> list[schemas.Volume]:
    """The volumes you may read."""
    return [
        schemas.Volume(
            key=row.key,
            title=row.title,
            summary=row.summary,
            closed=row.closed,
            language=row.language,
            pages=row.pages,
            may_write=policy.may(actor, Permission.WRITE, row.id, closed=row.closed),
        )
        for row in reading.volume_rows(app, actor)
    ]


@router.get("/volumes/{volume}")
def contents(app: TheApp, actor: Reader, volume: str) -> schemas.Contents:
    """The contents of a volume."""
    refresh(app)
    view = reading.open_volume(app, actor, volume)
    place = view.place if isinstance(view, reading.PageView) else view
    entries = [
        schemas.ContentsEntry(
            number=e.number, title=e.title, key=e.key, written=e.page is not None, led_to_by=e.led_to_by
        )
        for e in place.contents.entries
    ]
    return schemas.Contents(
        volume=place.volume.key, title=place.volume.title, entries=entries, whole=place.contents.whole
    )


@router.get("/volumes/{volume}/pages/{page:path}")
def page(app: TheApp, actor: Reader, volume: str, page: str, answer: Response) -> schemas.Page:
    """A page: its text, its HTML, its references and what each leads to. Its ETag says which revision it is, for a
    save with If-Match."""
    view = reading.open_page(app, actor, volume, page)
    if isinstance(view, reading.UnwrittenView):
        raise Missing(f"“{view.place.volume.title}” has no page of this name.", code="page_missing")
    text, content = view.ready.page.text, view.ready.page.content
    shown = view.rendered(app, shown_in_json(app, actor, may_write=view.place.may_write))
    keys = {each.key for each in view.place.others}
    answer.headers["ETag"] = etag(view.head.id, view.head.revision)
    references = [
        schemas.Reference(
            start=reference.span.start,
            end=reference.span.end,
            kind=reference.kind.value,
            state=link.state,  # type: ignore[arg-type]
            volume=link.volume,
            title=link.title,
            section=reference.section,
        )
        for reference, link in zip(content.references, view.links, strict=True)
    ]
    problems = [
        schemas.TextProblem(line=p.line, code=p.problem.code, message=p.problem.message)
        for p in shown.problems
    ]
    return schemas.Page(
        volume=view.place.volume.key,
        key=view.head.key,
        title=view.head.title,
        revision=view.head.revision,
        changed=view.change.at,
        author=view.change.author,
        note=view.change.note,
        text=text,
        html=shown.html,
        references=references,
        headings=[words(heading, text, content.references, keys) for heading in content.headings],
        problems=problems,
        categories=[each.name for each in view.categories],
    )


@router.put("/volumes/{volume}/pages/{page:path}")
def save(
    app: TheApp,
    actor: Changer,
    volume: str,
    page: str,
    body: schemas.Save,
    request: Request,
    answer: Response,
) -> schemas.Saved:
    """Save a page, or write a new one (revision 0, or If-None-Match: *). Instead of a revision If-Match takes the ETag
    of the page."""
    there = reading.head_of(app, actor, volume, page)
    now = there.revision if there is not None else 0
    revision = revision_of(request, there.id if there is not None else 0, now, body.revision)
    _check_title(body.title, page, there)
    saved = writing.save(
        app,
        actor,
        writing.Save(
            volume,
            (body.title or page) if revision == 0 else page,
            body.text,
            revision=revision,
            note=body.note,
            under=body.under,
            follow=body.follow,
        ),
    )
    head = saved.head
    answer.headers["ETag"] = etag(head.id, head.revision)
    return schemas.Saved(
        volume=saved.volume.key,
        key=head.key,
        title=head.title,
        revision=head.revision,
        created=saved.created,
        unchanged=saved.unchanged,
        followed=list(saved.kept),
    )


def _check_title(title: str, page: str, there: PageHead | None) -> None:
    """BadRequest if a title is not that of the address: a page is not renamed by saving it."""
    if title:
        check_title(title)
    if title and name_key(title) not in {name_key(page), *([there.key] if there is not None else [])}:
        said = f"The address is that of “{there.title if there is not None else page}”, the title says “{title}”. "
        raise BadRequest(
            f"{said}A page gets another title by the act “rename” (POST /api/v1/plans); a new one is saved at its own "
            "address.",
            code="bad_title",
        )


@router.delete("/volumes/{volume}/pages/{page:path}", include_in_schema=False)
def delete(volume: str, page: str) -> None:
    """A page goes by an act, which says what becomes of references."""
    raise HTTPException(
        405,
        "A page is deleted by the act “delete”, whose plan says what becomes of references to it: POST /api/v1/plans "
        f'with {{"act": "delete", "volume": "{volume}", "page": "{page}"}}, then POST /api/v1/acts.',
        headers={"Allow": "GET, PUT"},
    )


@router.post("/volumes/{volume}/preview/{page:path}")
def preview(app: TheApp, actor: Changer, volume: str, page: str, body: schemas.Text) -> schemas.Preview:
    """A text as it would be read if it were saved now. Nothing is kept."""
    seen = writing.preview(app, actor, volume, page, body.text)
    shown = seen.rendered(app, shown_in_json(app, actor, may_write=True))
    return schemas.Preview(
        html=shown.html,
        problems=[
            schemas.TextProblem(line=p.line, code=p.problem.code, message=p.problem.message)
            for p in shown.problems
        ],
        unwritten=[
            schemas.Unwritten(title=unwritten.title, line=unwritten.line) for unwritten in seen.unwritten
        ],
        references=len(seen.links),
        words=seen.ready.compiled.words,
    )


@router.post("/plans")
def plan(app: TheApp, actor: Changer, body: plan_schemas.ActRequest) -> plan_schemas.Plan:
    """What an act would change. Nothing is done."""
    view = doing.plan(app, actor, body)
    if view.refusal is not None:
        raise view.refusal
    return plans.plan(view)


@router.post("/acts")
def do(app: TheApp, actor: Changer, body: plan_schemas.Do) -> schemas.Done:
    """Do the act whose plan was seen; 409 if the plan is another one by now."""
    done = doing.apply(app, actor, body.wish, body.digest, note=body.note)
    if isinstance(done, PlanView):
        if done.refusal is not None:
            raise done.refusal
        if done.conflicts:
            raise Refused(
                "Texts were changed by others in the same places. Ask for the plan.", code="conflict"
            )
        if done.plan is not None and done.plan.nothing_to_do:
            raise Refused("That is so already; nothing would change.", code="nothing_to_do")
        raise Refused(
            "The wiki has changed since the plan was made, so nothing was done. Ask for the plan again.",
            code="plan_stale",
        )
    head = done.head
    volume = next((v for v in people.volumes_of(app, actor) if head and v.id == head.volume), done.volume)
    return schemas.Done(
        change_set=done.change_set,
        volume=volume.key if volume else None,
        key=head.key if head else None,
        title=head.title if head else None,
    )


@router.get("/volumes/{volume}/contents", response_class=PlainTextResponse)
def contents_as_text(app: TheApp, actor: Reader, volume: str, page: str = "") -> PlainTextResponse:
    """The contents of a volume, or of the branch of a page, as a list of “- [[Title]]” lines."""
    return PlainTextResponse(reading.contents_text(app, actor, volume, page))


@router.get("/volumes/{volume}/categories")
def categories_of(app: TheApp, actor: Reader, volume: str) -> list[schemas.Category]:
    """The categories of a volume, by name."""
    index = categories.index(app, actor, volume)
    listed = sorted(index.categories.values(), key=lambda each: name_key(each.name))
    return [_category(each, index.broader.get(each.key, ())) for each in listed]


def _category(each: categories.Category, broader: Sequence[str]) -> schemas.Category:
    return schemas.Category(
        key=each.key,
        name=each.name,
        described=each.page is not None,
        pages=each.pages,
        marks=each.marks,
        broader=list(broader),
    )


@router.post("/volumes/{volume}/categories")
def bring_in(app: TheApp, actor: Changer, volume: str, body: schemas.Skos) -> schemas.BroughtIn:
    """Bring categories in as SKOS concepts: a page for each, with its broader ones and other names."""
    done = concepts.bring_in(app, actor, volume, body.data, body.form)
    return schemas.BroughtIn(written=list(done.written), changed=list(done.changed), same=list(done.same))


@router.get("/volumes/{volume}/categories/{name:path}")
def category(app: TheApp, actor: Reader, volume: str, name: str, after: str = "") -> schemas.CategoryPages:
    """The pages and passages filed under a category, by page."""
    found = categories.category(app, actor, volume, name, behind("category", after))
    entries = [
        schemas.FiledPage(
            key=each.head.key,
            title=each.head.title,
            summary=each.summary,
            whole=each.whole,
            through=[template.title for template in each.through],
            passages=[
                schemas.MarkedPassage(line=p.line, words=p.words.before + p.words.words + p.words.after)
                for p in each.passages
            ],
        )
        for each in found.filed
    ]
    return schemas.CategoryPages(
        category=_category(found.category, [each.key for each in found.broader]),
        narrower=[each.key for each in found.narrower],
        entries=entries,
        more_after=cursor("category", found.more_after),
    )


@router.get("/volumes/{volume}/uses/{page:path}")
def uses(
    app: TheApp,
    actor: Reader,
    volume: str,
    page: str,
    sort: str = "",
    skip: Annotated[int, Query(ge=0, le=10**6)] = 0,
) -> schemas.Uses:
    """Where a page is put in, with the values given there."""
    found = templates.all_uses(app, actor, volume, page, sort, skip)
    slots = [slot.name for slot in found.slots]
    entries = [
        schemas.PlaceOfUse(
            volume=use.volume.key,
            key=use.page.key,
            title=use.page.title,
            section=use.section,
            values={name: value for name, value in zip(slots, use.values, strict=True) if value is not None},
            faults=[fault.message for fault in use.faults],
        )
        for use in found.uses
    ]
    return schemas.Uses(
        slots=slots,
        places=found.number,
        pages=found.pages,
        faulty=found.faulty,
        entries=entries,
        more=found.more,
    )


@router.get("/trash")
def trash(
    app: TheApp, actor: Changer, before: Annotated[int | None, Query(ge=1, le=2**62)] = None
) -> schemas.Trash:
    """What lies in the trash of the volumes you may read."""
    view = trash_service.trash_view(app, actor, before)
    entries = [
        schemas.Trashed(
            page=each.page,
            volume=view.volumes[each.volume].key,
            key=each.key,
            title=each.title,
            change_set=each.change_set,
            at=each.at,
            author=each.author,
        )
        for group in view.acts
        for each in group
    ]
    volumes = [
        schemas.TrashedVolume(title=each.title, change_set=each.change_set, at=each.at) for each in view.gone
    ]
    return schemas.Trash(
        entries=entries, volumes=volumes, more_before=view.more_before, kept_days=view.kept_days
    )


@router.post("/volumes/{volume}/secret")
def take_secret_out(
    app: TheApp, actor: Changer, volume: str, body: schemas.Secret
) -> schemas.SecretPlan | schemas.SecretDone:
    """Take words out of all that a volume keeps, for good (owners only). Without ``digest`` the plan is the answer;
    with the digest of the plan that was seen it is done, or the fresh plan comes back."""
    if not body.digest:
        view = secrets.plan(app, actor, volume, body.words)
    else:
        done = secrets.take_out(app, actor, volume, body.words, body.digest)
        if isinstance(done, int):
            return schemas.SecretDone(change_set=done)
        view = done
    occurrences = view.found
    return schemas.SecretPlan(
        digest=view.digest,
        pages=[
            schemas.SecretPage(title=title, in_trash=gone, revisions=list(numbers))
            for _, title, gone, numbers in occurrences.pages
        ],
        drafts=len(occurrences.drafts),
        log=len(occurrences.acts),
        names=occurrences.names,
        titles=list(occurrences.titles),
        files=list(occurrences.files),
        sources=list(occurrences.sources),
    )


@router.get("/volumes/{volume}/style")
def style(app: TheApp, actor: Reader, volume: str) -> schemas.HouseStyle:
    """The house style of a volume."""
    view = house_styles.open_style(app, actor, volume)
    told = view.style
    return schemas.HouseStyle(
        headings=told.headings,
        titles=told.titles,
        names=list(told.names),
        longest_step=told.step,
        longest_sentence=told.sentence,
        preferred=[schemas.PreferredWords(use=p.use, instead=list(p.instead)) for p in told.preferred],
        spelling=told.spelling,
        words=list(told.words),
        revision=view.stored.revision,
    )


@router.put("/volumes/{volume}/style")
def set_style(app: TheApp, actor: Changer, volume: str, body: schemas.HouseStyle) -> schemas.HouseStyle:
    """Give a volume other rules."""
    use: dict[str, list[str]] = {}
    for each in body.preferred:
        use.setdefault(each.use or AVOID, []).extend(each.instead)
    new, problems = read_style(
        {
            HEADINGS: body.headings,
            TITLES: body.titles,
            NAMES: body.names,
            STEP: body.longest_step,
            SENTENCE: body.longest_sentence,
            USE: use,
            SPELLING: body.spelling,
            WORDS: body.words,
        }
    )
    if problems:
        raise Refused(" ".join(problems), code="style")
    house_styles.set_style(app, actor, volume, new, revision=body.revision)
    return style(app, actor, volume)
