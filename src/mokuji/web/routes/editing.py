"""Writing a page: the desk, its preview, which names are written, saving."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Query
from fastapi.responses import JSONResponse, Response
from markupsafe import Markup

from mokuji import routing
from mokuji.core.base import names
from mokuji.core.base.errors import MokujiError
from mokuji.core.base.spans import Lines
from mokuji.core.diff.diff import changed_lines, near
from mokuji.core.diff.merge import Conflict as MergeConflict
from mokuji.core.diff.merge import Mine
from mokuji.core.model.patterns import plain
from mokuji.services.reading import completing, finding, reading, templates
from mokuji.services.writing import (
    drafts,
    findings,
    insert_forms,
    patterns,
    putting_back,
    reviewing,
    vocabulary,
    writing,
)
from mokuji.statuses import status_of
from mokuji.web import addresses
from mokuji.web.pages import Form, Visitor, Who, own_origins, refusal, see
from mokuji.web.show import places

router = routing.router()


@router.get("/-/edit/{volume}/{page:path}")
def edit(who: Who, volume: str, page: str, under: str = "", title: str = "", pattern: str = "") -> Response:
    """The desk, on a page or on a name that is not written yet, which can begin with a pattern."""
    view = writing.open_for_edit(who.app, who.actor, volume, page, under)
    shown = title if view.revision == 0 and names.key(title) == view.key else view.title
    draft = drafts.opened(who.app, who.actor, volume, page)
    if draft is not None:
        shown = draft.title if view.revision == 0 else view.title
        return _desk(who, view, title=shown, text=draft.text, note="", revision=draft.revision, draft=draft)
    text = view.text
    if pattern and view.revision == 0:
        text = plain(patterns.pattern_text(who.app, who.actor, volume, pattern))
    return _desk(who, view, title=shown, text=text, note="", revision=view.revision)


@router.get("/-/put-back/{volume}/{page:path}")
def put_back(
    who: Who,
    volume: str,
    page: str,
    one: Annotated[int, Query(alias="from", ge=1, le=2**31 - 1)],
    other: Annotated[int | None, Query(alias="to", ge=1, le=2**31 - 1)] = None,
    passage: Annotated[int | None, Query(ge=0, le=2**31 - 1)] = None,
) -> Response:
    """The desk with a revision put back, or what differs between two, or a passage of that: to be looked at and saved
    like anything that is typed."""
    passages = None if passage is None else [passage]
    found = putting_back.put_back(who.app, who.actor, volume, page, one, other, passages)
    view = writing.open_for_edit(who.app, who.actor, volume, page)
    draft = drafts.opened(who.app, who.actor, volume, page)
    if draft is not None and draft.text != found.text:
        waiting = addresses.put_back(volume, page, one, other, passage)
        return _desk(
            who,
            view,
            title=view.title,
            text=draft.text,
            note="",
            revision=draft.revision,
            draft=draft,
            waiting=waiting,
        )
    return _desk(
        who, view, title=view.title, text=found.text, note=found.note, revision=found.revision, back=found
    )


@router.get("/-/pattern/{volume}")
def pattern_text(who: Who, volume: str, name: str = "") -> Response:
    """The text of a pattern, for the desk's script: “#{…}” are places to fill in."""
    return JSONResponse({"text": patterns.pattern_text(who.app, who.actor, volume, name)})


def _desk(
    who: Visitor,
    view: writing.EditView,
    *,
    title: str,
    text: str,
    note: str,
    revision: int,
    fault: MokujiError | None = None,
    moves: writing.Moves | None = None,
    draft: drafts.Opened | None = None,
    back: putting_back.PutBack | None = None,
    waiting: str = "",
) -> Response:
    status = status_of(fault) if fault else 409 if moves else 200
    return who.page(
        "edit.html",
        status,
        view=view,
        title=title,
        text=text,
        note=note,
        revision=revision,
        draft=draft,
        back=back,
        waiting=waiting,
        fault=fault,
        moves=moves,
        moved=_moved(moves) if moves else [],
        lost=_lost(moves) if moves else [],
    )


MOVED_PAGES, MOVED_LINES = 8, 3


def _moved(moves: writing.Moves) -> list[dict[str, Any]]:
    """What would follow a save, line by line, as the desk shows it."""
    shown = []
    for change in moves.changes[:MOVED_PAGES]:
        lines = changed_lines(change.before, change.edits, MOVED_LINES)
        shown.append(
            {
                "title": change.head.title,
                "lines": [
                    {
                        "line": line.line,
                        "before": "".join(piece.words for piece in near(line.before)),
                        "after": "".join(piece.words for piece in near(line.after)),
                    }
                    for line in lines
                ],
            }
        )
    return shown


def _lost(moves: writing.Moves) -> list[dict[str, str]]:
    """References to sections that will be gone and places that will be faulty, as the desk shows them."""
    shown = [
        {"id": str(n), "where": f"{each.page.title}, line {each.line}", "words": each.words}
        for n, each in enumerate(moves.lost[: MOVED_PAGES + 1])
    ]
    if len(moves.lost) > len(shown):
        shown[-1] = {"id": "more", "where": f"and {len(moves.lost) - len(shown) + 1} more", "words": ""}
    for n, faulty in enumerate(moves.faulty[:MOVED_PAGES]):
        shown.append({"id": f"f{n}", "where": faulty.page.title, "words": faulty.message})
    if len(moves.faulty) > MOVED_PAGES:
        shown.append({"id": "f", "where": f"and {len(moves.faulty) - MOVED_PAGES} more", "words": ""})
    return shown


def _save(who: Visitor, form: dict[str, str], volume: str, page: str) -> writing.Saved | writing.Moves:
    """Saves what a form holds; the title of a page that is there is in its address."""
    revision = _revision(form)
    wanted = writing.Save(
        volume,
        form.get("title", "") if revision == 0 else page,
        form.get("text", ""),
        revision=revision,
        note=form.get("note", ""),
        under=form.get("under", ""),
        from_form=True,
        follow=form.get("follow") != "no",
        merge=True,
    )
    # Who was not asked yet is asked, if references would have to follow.
    answered = form.get("follow") in {"yes", "no"}
    save_it = writing.save if answered else writing.save_or_tell
    saved = save_it(who.app, who.actor, wanted)
    if revision == 0 and isinstance(saved, writing.Saved) and saved.head.key != names.key(page):
        drafts.settle(who.app, who.actor, volume, page)
    return saved


def _revision(form: dict[str, str]) -> int:
    typed = form.get("revision", "")
    return int(typed) if typed.isdecimal() and len(typed) < 10 else 0


@router.post("/-/edit/{volume}/{page:path}")
def save(who: Who, form: Form, volume: str, page: str) -> Response:
    """Saves. On any fault the desk comes back with everything that was typed."""
    try:
        saved = _save(who, form, volume, page)
    except MokujiError as fault:
        if fault.code in {"volume_missing", "database_down", "collided"}:
            raise
        return _again(who, form, volume, page, fault=fault)
    if isinstance(saved, writing.Moves):
        return _again(who, form, volume, page, moves=saved)
    return see(addresses.page(saved.volume.key, saved.head.key))


def _again(
    who: Visitor,
    form: dict[str, str],
    volume: str,
    page: str,
    *,
    fault: MokujiError | None = None,
    moves: writing.Moves | None = None,
) -> Response:
    """The desk with everything that was typed."""
    view = writing.open_for_edit(who.app, who.actor, volume, page, form.get("under", ""))
    return _desk(
        who,
        view,
        title=form.get("title", "") or view.title,
        text=form.get("text", ""),
        note=form.get("note", ""),
        revision=_revision(form),
        fault=fault,
        moves=moves,
    )


@router.post("/-/save/{volume}/{page:path}")
def save_and_stay(who: Who, form: Form, volume: str, page: str) -> Response:
    """Saves for the desk's script, which stays where it is."""
    try:
        saved = _save(who, form, volume, page)
    except writing.Clash as clash:
        told_clash = {
            "message": clash.message,
            "code": "clash",
            "revision": clash.revision,
            "parts": _parts(clash),
        }
        return JSONResponse(told_clash, 409)
    except MokujiError as fault:
        return refusal(fault)
    if isinstance(saved, writing.Moves):
        told: dict[str, Any] = {
            "message": saved.sentence,
            "code": "moves",
            "pages": _moved(saved),
            "lost": _lost(saved),
        }
        told["more"] = len(saved.changes) - MOVED_PAGES if len(saved.changes) > MOVED_PAGES else 0
        return JSONResponse({**told, "can_follow": bool(saved.references or saved.sections)}, 409)
    return JSONResponse(
        {
            "revision": saved.head.revision,
            "unchanged": saved.unchanged,
            "read": addresses.page(saved.volume.key, saved.head.key),
            "edit": addresses.act("edit", saved.volume.key, saved.head.key),
            "kept": list(saved.kept),
            "merged": saved.merged,
        }
    )


def _parts(clash: writing.Clash) -> list[dict[str, str]]:
    """The parts of two texts: words that are settled, and passages that both changed."""
    told: list[dict[str, str]] = []
    for part in clash.parts:
        if isinstance(part, MergeConflict):
            told.append({"base": part.base, "mine": part.mine.of(clash.mine), "theirs": part.theirs})
        else:
            told.append({"words": part.span.of(clash.mine) if isinstance(part, Mine) else part.words})
    return told


@router.post("/-/preview/{volume}/{page:path}")
def preview(who: Who, form: Form, volume: str, page: str) -> Response:
    """A text as it would be read, with its problems."""
    try:
        title = form.get("title", "")
        seen = writing.preview(who.app, who.actor, volume, page, form.get("text", ""), title=title)
    except MokujiError as fault:
        return refusal(fault)
    shown = seen.rendered(who.app, places(who.app, who.actor, may_write=True, under=seen.ready.page.head.key))
    return JSONResponse(
        {
            "html": shown.html,
            "marks": seen.marks,
            "references": len(seen.links),
            "words": seen.ready.compiled.words,
        }
    )


@router.post("/-/findings/{volume}/{page:path}")
def all_findings(who: Who, form: Form, volume: str, page: str) -> Response:
    """What is to be found in a text: asked apart, so that the preview need not wait for it."""
    try:
        title = form.get("title", "")
        seen = writing.preview(who.app, who.actor, volume, page, form.get("text", ""), title=title)
    except MokujiError as fault:
        return refusal(fault)
    shown = seen.rendered(who.app)
    lines = Lines(seen.ready.page.text)
    found = findings.findings(who.app, who.actor, seen, shown.problems, own_origins(who.request))
    return JSONResponse(
        {
            "findings": [
                {
                    "kind": each.kind,
                    "message": each.message,
                    "line": lines.position(each.span.start).line,
                    "at": each.span.start,
                    "end": each.span.end,
                    "word": each.word,
                    "mends": [
                        {
                            "words": m.words,
                            "edits": [[*e.span, e.words] for e in m.edits],
                            "title": m.title,
                            "learn": m.learn,
                        }
                        for m in each.mends
                    ],
                }
                for each in found
            ]
        }
    )


@router.post("/-/review/{volume}/{page:path}")
def review(who: Who, form: Form, volume: str, page: str) -> Response:
    """A change before it is saved, as a page of its own; for the desk's script (``part``) as a part of one."""
    text, title = form.get("text", "").replace("\r\n", "\n"), form.get("title", "")
    to = places(who.app, who.actor, may_write=False, under="")
    try:
        view = reviewing.review(who.app, who.actor, volume, page, text, to, title=title)
    except MokujiError as fault:
        if "part" not in form:
            return _again(who, form, volume, page, fault=fault)
        return refusal(fault)
    # Marked by the core, of two renderings that are safe themselves.
    rendered = Markup(view.rendered or "")  # noqa: S704
    if "part" in form:
        part = who.page("review_part.html", view=view, rendered=rendered)
        return JSONResponse({"html": bytes(part.body).decode(), "note": view.note})
    return who.page(
        "review.html",
        view=view,
        place=view.place,
        rendered=rendered,
        title=view.page.head.title,
        text=text,
        note=form.get("note", ""),
        revision=_revision(form),
        under=form.get("under", ""),
    )


@router.post("/-/review-back/{volume}/{page:path}")
def write_on(who: Who, form: Form, volume: str, page: str) -> Response:
    """From the review back to the desk, with everything that was typed."""
    return _again(who, form, volume, page)


@router.get("/-/written/{volume}")
def written(who: Who, volume: str, names: str = "", under: str = "") -> Response:
    """For names in the editor (one a line): which are pages, and where following them goes."""
    targets = writing.targets(who.app, who.actor, volume, names.split("\n"))
    return JSONResponse({typed: _target(target, under) for typed, target in targets.items()})


def _target(target: writing.Target, under: str) -> dict[str, Any]:
    href = addresses.page(target.volume, target.key)
    if not target.written:
        href = addresses.act("edit", target.volume, target.key, under=under)
    return {"written": target.written, "href": href}


@router.get("/-/names")
def names_like(who: Who, typed: str = "", volume: str = "") -> Response:
    """Pages to refer to, as the completion of names shows them; ``insert`` is what is written between brackets."""
    fors = finding.names_for(who.app, who.actor, typed, volume)
    return JSONResponse(
        [
            {
                "title": each.title,
                "place": each.place,
                "insert": each.insert,
                "about": each.about,
                "written": each.written,
                "near": each.near,
            }
            for each in fors
        ]
    )


@router.get("/-/words/{volume}")
def words_like(who: Who, volume: str, typed: str = "") -> Response:
    """Words that go on with what is typed; whether each is of the volume."""
    found = vocabulary.words_for(who.app, who.actor, volume, typed)
    return JSONResponse([{"word": word, "here": here} for word, here in found])


@router.get("/-/sections/{volume}")
def sections_of(who: Who, volume: str, typed: str = "", insert: bool = False) -> Response:
    """The sections of the page that a target leads to, as the completion behind “#” shows them."""
    fors = completing.sections_for(who.app, who.actor, volume, typed, insert=insert)
    return JSONResponse([{"words": s.words, "level": s.level, "insert": s.insert} for s in fors])


@router.get("/-/people")
def people(who: Who) -> Response:
    """People to name in a text, by handle."""
    found = completing.people_for(who.app, who.actor)
    return JSONResponse([{"handle": handle, "name": name} for handle, name in found])


@router.post("/-/refer/{volume}")
def refer(who: Who, form: Form, volume: str) -> Response:
    """Addresses (one a line) of this wiki as references: what is typed between brackets, and the words that it shows;
    of files what is typed as destination."""
    origins = own_origins(who.request)
    addresses_ = form.get("addresses", "").split("\n")
    found = completing.references_to(who.app, who.actor, volume, addresses_, origins)
    return JSONResponse(
        {
            address: {"insert": each.insert, "words": each.words, "file": each.file}
            for address, each in found.items()
        }
    )


@router.get("/-/inserts")
def inserts_like(who: Who, typed: str = "", volume: str = "") -> Response:
    """Pages to put in, templates with the slots that wait for a value: those without a default, required ones first."""
    told = []
    for insert in templates.for_insert(who.app, who.actor, typed, volume):
        slots = sorted(
            (slot for slot in insert.slots if slot.default is None), key=lambda slot: not slot.required
        )
        asked = [{"name": slot.name, "hint": slot.example or slot.help or slot.name} for slot in slots]
        told.append({"title": insert.title, "place": insert.place, "insert": insert.insert, "slots": asked})
    return JSONResponse(told)


@router.post("/-/draft/{volume}/{page:path}")
def keep_draft(who: Who, form: Form, volume: str, page: str) -> Response:
    """Keeps what is being written, or drops it (``drop``); answers who else is writing on the page."""
    try:
        if "drop" in form:
            drafts.discard(who.app, who.actor, volume, page)
            return JSONResponse({"others": []})
        others = drafts.keep(
            who.app,
            who.actor,
            volume,
            page,
            form.get("text", ""),
            title=form.get("title", ""),
            revision=_revision(form),
        )
    except MokujiError as fault:
        return refusal(fault)
    return JSONResponse({"others": others})


@router.get("/-/draft/{volume}/{page:path}")
def one_draft(who: Who, volume: str, page: str) -> Response:
    """One's draft of a page, if there is one."""
    found = drafts.opened(who.app, who.actor, volume, page)
    if found is None:
        return JSONResponse({"text": None})
    told = {
        "text": found.text,
        "revision": found.revision,
        "at": found.at.isoformat(),
        "together": found.together,
    }
    if found.clash is not None:
        told |= {"clash": {"parts": _parts(found.clash), "revision": found.clash.revision}}
    return JSONResponse(told)


@router.post("/-/discard/{volume}/{page:path}")
def discard_draft(who: Who, form: Form, volume: str, page: str) -> Response:
    """Discards a draft from the list of them."""
    drafts.discard(who.app, who.actor, volume, page)
    return see(addresses.at("/-/drafts"))


@router.get("/-/drafts")
def all_drafts(who: Who) -> Response:
    """One's drafts."""
    found, volumes = drafts.mine(who.app, who.actor)
    return who.page("drafts.html", drafts=found, volumes=volumes)


@router.post("/-/insert-at/{volume}")
def insert_at(who: Who, form: Form, volume: str) -> Response:
    """The insert under the caret as a form; ``at`` and all places in code points of the text."""
    typed = form.get("at", "")
    at = int(typed) if typed.isdecimal() and len(typed) < 10 else 0
    try:
        found = insert_forms.insert_at(who.app, who.actor, volume, form.get("text", ""), at)
    except MokujiError as fault:
        return refusal(fault)
    if found is None:
        return JSONResponse({"insert": None})
    fields = [
        {
            "name": field.slot.name,
            "help": field.slot.help,
            "hint": field.slot.default if field.slot.default is not None else field.slot.example,
            "has_default": field.slot.default is not None,
            "required": field.slot.required,
            "value": field.words,
            "span": field.span,
            "whole": field.whole,
        }
        for field in found.fields
    ]
    href = addresses.page(found.volume.key, found.page.key) if found.page and found.volume else None
    return JSONResponse(
        {
            "insert": {
                "index": found.index,
                "title": found.page.title if found.page else found.typed,
                "href": href,
                "span": found.span,
                "end": found.end,
                "lines": found.lines,
                "fields": fields,
                "faults": found.faults,
            }
        }
    )


@router.get("/-/card/{volume}/{page:path}")
def card(who: Who, volume: str, page: str, at: str = "") -> Response:
    """The card of a reference, to the section at an anchor if one is given."""
    found = reading.card(who.app, who.actor, volume, page, at)
    title = found.head.title if found.head else names.key(page)
    return JSONResponse(
        {
            "title": f"{title} § {found.section}" if found.section else title,
            "volume": found.volume.title,
            "written": found.head is not None,
            "words": found.words,
            "from": [head.title for head in found.led_from],
        }
    )
