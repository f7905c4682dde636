"""Acts planned and shown, done as one change set.

A plan is shown from a reading transaction. To do it, it is made again under
the write lock held alone; if its digest is not the one that was seen, the
fresh plan is given back and nothing is done. So no page that was saved or
added meanwhile can be missed.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from mokuji.acts.act import About, Act
from mokuji.acts.crossing import crossing
from mokuji.acts.files_along import with_files
from mokuji.acts.readers import Seen
from mokuji.acts.readership import brought_back, opening, passing
from mokuji.acts.registry import act_of
from mokuji.acts.request import Request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.undo import root_of
from mokuji.acts.view import Applied as Applied
from mokuji.acts.view import PlanView as PlanView
from mokuji.acts.visible import seen
from mokuji.core.base.errors import Missing, MokujiError, Refused
from mokuji.core.base.phrases import told
from mokuji.core.language.page import PageHead
from mokuji.core.language.scan import read_text
from mokuji.core.model.policy import AUDITED, Actor, Permission
from mokuji.core.refactor.plan import Plan
from mokuji.services import audit
from mokuji.services.app_context import AppContext, clean_note, find_head, told_to
from mokuji.services.notes import kept
from mokuji.services.plain_data import unstructured
from mokuji.services.reading.finding import AT_ONCE, know_the_newest
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store import page_index, people
from mokuji.store.acts import acting
from mokuji.store.database import Connection, reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.log import history
from mokuji.store.log.change_sets import Signature
from mokuji.store.snapshot import load_volumes


def plan(app: AppContext, actor: Actor, request: Request) -> PlanView:
    """What an act would do. A refusal is part of the view, so that the request can be changed and made again."""
    if getattr(request, "find", ""):
        know_the_newest(app)
    with reading(app.engine) as connection:
        context = StoredContext(connection, actor)
        view = _view(context, request)
        return replace(view, choices=view.act.choices(context, request, view.place, view.head))


def _planned(context: StoredContext, request: Request) -> Plan:
    """All that an act does: its plan, with the files that come along."""
    return with_files(context, act_of(request).plan(context, request))


def _view(context: StoredContext, request: Request) -> PlanView:
    act = act_of(request)
    place, head = _in_hand(context, act, request)
    by_id = {volume.id: volume for volume in context.volumes.values()}
    taken_back = act.taken_back(context, request)
    if taken_back is not None:
        # Whoever asks may know of it, or `logged` had refused; its note is told as they may read it.
        note = context.reader.told(taken_back.note, taken_back.act, taken_back.volume, taken_back.proposed)
        taken_back = replace(taken_back, note=note)
    empty = PlanView(act, request, place, head, by_id, taken_back=taken_back)
    try:
        with told_to(context.connection, context.actor):
            made = _planned(context, request)
    except Missing as missing:
        if missing.code == "page_missing" and head is None and act.about is About.PAGE:
            raise  # there is nothing in hand whose question could be asked again
        # Of what is not in hand (a target, say) the view can tell; what is in hand was found above.
        return replace(empty, refusal=missing)
    except MokujiError as refusal:
        if refusal.code in {"forbidden", "sign_in"}:
            raise
        return replace(empty, refusal=refusal)
    return _shown(context, empty, made)


def _in_hand(
    context: StoredContext, act: Act[Any, Any], request: Request
) -> tuple[VolumeView | None, PageHead | None]:
    if not request.volume:
        return None, None
    volume = context.volume(request.volume, Permission.READ)
    page_key = getattr(request, "page", "")
    head = find_head(context.connection, volume, page_key) if page_key else None
    view = volume_view(context, volume, path_to=head.key if head else None)
    return view, head


def _shown(context: StoredContext, empty: PlanView, made: Plan) -> PlanView:
    # A volume that the act brings back is not among those that can be read yet.
    by_id = dict(empty.volumes) | {
        change.after.id: change.after
        for change in made.change_set.volumes
        if change.before is None and change.after
    }
    back = empty.taken_back
    elsewhere = history.begun_elsewhere(context.connection, back.id) if back is not None else {}
    behind = {page for page, volume in elsewhere.items() if volume not in by_id}
    given_back = [history.Kept(*each) for each in made.given_back]
    readers: list[Seen] = [
        *passing(context.connection, made.change_set, by_id, along=made.along, back=given_back),
        *brought_back(context.connection, made.change_set, elsewhere, by_id),
        *opening(context.connection, made.change_set, by_id),
    ]
    crossed = crossing(context, made.change_set.volumes)
    home = empty.place.volume.id if empty.place else 0
    filled = replace(empty, volumes=by_id, readers=tuple(readers), crossing=crossed)
    return seen(filled, made, context.wiki, home=home, without=behind)


def apply(
    app: AppContext,
    actor: Actor,
    request: Request,
    seen: str | None,
    *,
    note: str = "",
    signature: Signature | None = None,
) -> Applied | PlanView:
    """Does an act whose plan was seen; gives the fresh plan back if it is no longer that one.

    ``seen`` is the digest of the plan that was seen; None does whatever the plan is (for commands and the
    demo's history), and raises what stands in the way.
    """
    by = signature or Signature(actor.person, app.clock(), clean_note(note))
    with writing_transaction(app.engine, alone=True) as connection:
        actor = _of_now(connection, actor, request)
        if getattr(request, "find", ""):
            page_index.catch_up(connection, read_text, AT_ONCE)
        context = StoredContext(connection, actor, shown=False)
        try:
            made = _planned(context, request)
        except MokujiError:
            if seen is None:
                raise
            return _fresh(connection, actor, request)
        if seen is not None and (made.digest != seen or made.nothing_to_do or made.conflicts):
            return _fresh(connection, actor, request)
        return carry_out(context, request, made, by)


def _fresh(connection: Connection, actor: Actor, request: Request) -> PlanView:
    context = StoredContext(connection, actor)
    view = _view(context, request)
    return replace(view, choices=view.act.choices(context, request, view.place, view.head))


def _of_now(connection: Connection, actor: Actor, request: Request) -> Actor:
    """The actor with the roles of this moment, for what only owners may do: they may have lost theirs since they
    came."""
    if actor.person is None or actor.program or act_of(request).permission is not Permission.MANAGE:
        return actor
    return people.actor_by_id(connection, actor.person)


def do(context: StoredContext, request: Request, by: Signature) -> Applied:
    """Plans an act and does it, under the write lock that the caller holds alone."""
    return carry_out(context, request, _planned(context, request), by)


def carry_out(context: StoredContext, request: Request, made: Plan, by: Signature) -> Applied:
    """Does what was planned, and writes down what of it is for the audit trail."""
    if made.conflicts:
        raise Refused(
            "Texts were changed by others since, in the same places. Look at the plan.", code="conflict"
        )
    act = act_of(request)
    note, proposed = kept(by.note, act.note(made.facts))
    by = replace(by, note=note)
    taken_back = act.taken_back(context, request)
    volume = _home(context, request, made, taken_back)
    more: dict[str, Any] = {
        "facts": {"of": act.name, "version": made.facts.VERSION, **unstructured(made.facts)}
    }
    if taken_back is not None:
        more |= {"undoes": taken_back.id, "undone": root_of(taken_back)}
    if asked_in := _asked_in(context, request, taken_back):
        more["asked_in"] = asked_in
    act.beforehand(context, request, made)
    done = acting.do(context.connection, made, volume, by, more, proposed)
    act.afterwards(context, request, done, taken_back)
    _audit(context, act, made, done.volumes.get(volume, volume), by, done.change_set, taken_back)
    home = next(
        (v for v in load_volumes(context.connection).values() if v.id == done.volumes.get(volume, volume)),
        None,
    )
    return Applied(done.change_set, home, _go_on_with(context, made, done))


def _audit(
    context: StoredContext,
    act: Act[Any, Any],
    made: Plan,
    volume: int,
    by: Signature,
    change_set: int,
    taken_back: history.LoggedAct | None,
) -> None:
    root = root_of(taken_back) if taken_back is not None else act.change
    if root not in AUDITED:
        return
    whom = next((each.person for each in made.change_set.roles), None)
    whom = whom or next(
        (each.after.id for each in made.change_set.assets if each.after and each.after.sort == "person"), None
    )
    # What stands in the log of a volume names nothing beyond it.
    said = told(act.note(made.facts.seen([volume])), [volume])
    audit.record(
        context.connection,
        by.at,
        act.change,
        by.author,
        person=whom,
        volume=None if root == "person rename" else volume or None,
        change_set=change_set,
        said=said,
    )


def _asked_in(context: StoredContext, request: Request, taken_back: history.LoggedAct | None) -> list[int]:
    """The volumes that several acts are about: whoever takes them back must be allowed as much in each."""
    if taken_back is not None:
        return list(taken_back.detail.get("asked_in", ()))
    asked = {each.volume for each in getattr(request, "acts", ())}
    return sorted({context.volume(key, Permission.READ).id for key in asked})


def _home(context: StoredContext, request: Request, made: Plan, taken_back: history.LoggedAct | None) -> int:
    """The volume in whose history an act stands; 0 for one that it makes."""
    if taken_back is not None:
        return taken_back.volume
    if request.volume:
        return context.volume(request.volume, Permission.READ).id
    return made.page.volume if made.page is not None else 0


def _go_on_with(context: StoredContext, made: Plan, done: acting.Done) -> PageHead | None:
    wanted = done.pages.get(0) or (made.page.id if made.page is not None else 0)
    into = made.facts.leads_to.id if made.facts.leads_to is not None else 0
    pages = context.wiki.pages([id_ for id_ in (wanted, into) if id_])
    for id_ in (wanted, into):
        if id_ in pages:
            return pages[id_].head
    return None
