"""Take an act back: what it did, and only that, however much came since."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import Field

from mokuji.acts.act import About, Act, Choices
from mokuji.acts.request import Fields, FromForm, request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.model.assets import Asset
from mokuji.core.model.changes import Fate
from mokuji.core.model.policy import Permission, PersonPermission, may, may_about, needed_for
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import undo as core
from mokuji.core.refactor.plans.undo import Since, Undone, masked
from mokuji.services.app_context import check, owned
from mokuji.services.people import NOT_THEIRS
from mokuji.store import volumes as stored_volumes
from mokuji.store.acts import acting
from mokuji.store.acts.acting import Done
from mokuji.store.index import assets
from mokuji.store.log import history
from mokuji.store.log.history import LoggedAct

TOLD_NAMES = 5


def _ids(given: Fields) -> tuple[int, ...]:
    typed = given.get("keep", "").split()
    return tuple(int(each) for each in typed if each.isascii() and each.isdecimal() and len(each) < 18)


@request
class Undo:
    """Take an act back."""

    change_set: Annotated[int, Field(ge=0, description="The number of the change")]
    keep: Annotated[
        tuple[int, ...],
        Field(description="Ids of pages whose text stays as it is where others changed it since"),
        FromForm(_ids, lambda ids: {"keep": "\n".join(map(str, ids))}),
    ] = ()
    act: Literal["undo"] = Field(default="undo", kw_only=True)

    @property
    def volume(self) -> str:
        """None is in hand: the act says where it was done."""
        return ""


def plan(context: StoredContext, request: Undo) -> Plan:
    act = logged(context, request)
    if act.undone_by is not None:
        raise Refused("This was undone already.", code="undone")
    if act.is_import:
        raise Refused(
            "What was brought in from a folder is not taken back as one. Delete its pages or its volumes.",
        )
    if act.act == "secret":
        raise Refused("This took something out for good, so it cannot be undone.", code="for_good")
    if act.detail.get("purged"):
        raise Refused(
            "Pages of this lay in the trash for their time and were removed for good, so it cannot be undone.",
            code="purged",
        )
    past = acting.past(context.connection, act)
    made = core.undo(context.wiki, past, page=act.page, keep=request.keep)
    _check_reverse(context, act, made)
    facts = made.facts
    assert isinstance(facts, Undone)
    since = tuple(replace(each, change=_changed_by(context, each, act.id)) for each in facts.since)
    facts = replace(
        facts, since=since, copies=len(act.detail.get("copies", ())), change=act.id, what=root_of(act)
    )
    given_back = tuple(tuple(each) for each in act.detail.get("written_in", ()))
    return replace(made, facts=facts, given_back=given_back)


def _changed_by(context: StoredContext, since: Since, act: int) -> int:
    """The number of the change that something is so by; 0 if it is not known."""
    if since.page:
        return history.title_since(context.connection, since.page, since.now, act) or 0
    named = {"volume title": "rename volume", "volume language": "language"}[since.what]
    return history.volume_since(context.connection, since.volume, named, act) or 0


def logged(context: StoredContext, request: Undo) -> LoggedAct:
    """The act in question; Missing if the actor may not know of it, Forbidden if they may not take it back."""
    known = {volume.id: volume for volume in context.volumes.values()}
    gone = stored_volumes.deleted_volumes(context.connection, owned(context.actor))
    act = history.act(context.connection, request.change_set, [*known, *gone])
    if act is None or act.volume not in known.keys() | gone.keys():
        raise Missing(
            "There is no such change, or it is in a volume that is closed to you.", code="act_missing"
        )
    if act.volume in known:
        check(context.actor, needed_for(root_of(act)), known[act.volume])
    return act


def root_of(act: LoggedAct) -> str:
    """The name of an act; of an undoing that of the act which it undid, or brought back."""
    return str(act.detail.get("undone", act.act))


def _check_reverse(context: StoredContext, act: LoggedAct, made: Plan) -> None:
    """Forbidden unless the actor could do to every object what its undoing does, where the object is and where it comes
    to. What only follows (references on other pages, libraries without a volume that was deleted) asks for nothing,
    as in any act."""
    changes = made.change_set
    needed: set[tuple[int, Permission]] = set()
    for change in changes.changes:
        places = {change.head.volume, change.volume_after}
        more = change.fate is not Fate.KEPT or change.moved
        # Reading texts again is dear: only where it matters what was written in them.
        dear = not more and not all(context.may_write(place) for place in places)
        if more or (dear and masked(change.before) != masked(change.after)):
            needed |= {(place, Permission.RENAME) for place in places}
    needed |= {(removed_page.head.volume, Permission.RENAME) for removed_page in changes.removed}
    needed |= {(each.volume, Permission.RENAME) for each in changes.contents}
    needed |= {(volume, Permission.RENAME) for volume in act.detail.get("asked_in", ())}
    for volume in changes.volumes:
        sides = [side for side in (volume.before, volume.after) if side is not None]
        if len(sides) == 1 or root_of(act) != "delete volume":
            needed |= {(side.id, Permission.MANAGE) for side in sides}
            if root_of(act) == "libraries":
                needed |= {(library, Permission.READ) for side in sides for library in side.libraries}
    needed |= {(each.volume, Permission.MANAGE) for each in changes.roles}
    for each in changes.assets:
        for asset in (each.before, each.after):
            if asset is not None:
                _check_asset(context, asset, needed)
    by_id = {each.id: each for each in context.wiki.volumes.values()}
    for volume_id, what in sorted(needed):
        found = by_id.get(volume_id)
        if not may(context.actor, what, volume_id, closed=found is None or found.closed):
            raise Forbidden(
                "Undoing this would change more than you may change yourself, such as pages in other volumes. "
                "Ask somebody who may, or an owner of the wiki."
            )


def _check_asset(context: StoredContext, asset: Asset, needed: set[tuple[int, Permission]]) -> None:
    if asset.sort == "file":
        needed.add((asset.volume, Permission.RENAME))
    elif asset.sort == "source":
        if not context.writable:
            raise Forbidden("Who may write in a volume may change the list of sources.")
    elif not may_about(context.actor, PersonPermission.RENAME, asset.id):
        raise Forbidden(NOT_THEIRS)


def sentence(view: PlanView, _: Undo, facts: Undone) -> str:
    from mokuji.acts.registry import done  # which knows all acts, this one too

    made = view.plan
    said = f"What was {done(facts.what).lower()} is taken back."
    if facts.copies:
        one = facts.copies == 1
        said += (
            f" {counted(facts.copies, 'file')} that {'was' if one else 'were'} copied for it "
            f"{'goes' if one else 'go'}, unless another page names it by now."
        )
    for since in facts.since[:TOLD_NAMES]:
        said += f" {_since_said(since)}"
    if facts.restored:
        get = "gets" if facts.restored == 1 else "get"
        said += f" {counted(facts.restored, 'page')} {get} the very text back that stood there."
    if made is not None and made.conflicts:
        number = len(made.conflicts)
        said += f" {counted(number, 'page')} {'was' if number == 1 else 'were'} changed by others in the same places."
    if made is not None and made.hidden_conflicts:
        said += (
            " A page that is closed to you was changed by others in the same places: ask an owner of its volume to "
            "take this back."
        )
    return said


def _since_said(since: Since) -> str:
    if since.what == "volume language":
        now = f"“{since.now}”" if since.now else "none"
        return f"The language was changed to {now} since; that is taken back with it."
    return f"“{since.then}” is called “{since.now}” since; that name is taken back with it."


def note(facts: Undone) -> Phrase:
    return f"Change {facts.change} undone"


def choices(context: StoredContext, request: Undo, *_: Any) -> Choices:
    act = logged(context, request)
    named = {(each["sort"], each["id"]) for pair in act.detail.get("things", ()) for each in pair if each}
    found = [history.asset_changed(context.connection, sort, id_, act.id) for sort, id_ in sorted(named)]
    first = min((each for each in found if each), default=0)
    # Of what was done in a closed volume nothing is offered.
    return Choices(first=first if history.act(context.connection, first, context.reads) else 0)


def instead(view: PlanView, _: Undo) -> tuple[str, Undo] | None:
    if view.refusal is None or view.refusal.code != "thing_changed" or not view.choices.first:
        return None
    return "Take the later change back", Undo(view.choices.first)


def afterwards(context: StoredContext, _: Undo, done: Done, act: LoggedAct | None) -> None:
    assert act is not None
    history.mark_undone(context.connection, act.id, done.change_set)
    assets.take_back(context.connection, act.detail.get("copies", ()))


ACT = Act(
    Undo,
    Undone,
    About.CHANGE,
    plan,
    sentence,
    note,
    heading="Undo",
    done="Undone",
    button="Undo it",
    address="undo",
    taken_back=logged,
    choices=choices,
    instead=instead,
    afterwards=afterwards,
    after="undo_since.html",
    button_counts=False,
)
