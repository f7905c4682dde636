"""Acts on many pages: planned, shown, applied as one change set, undone as one.

A plan is shown from a reading transaction. To apply it, it is made again under
the write lock held alone; if its digest is not the one that was seen, the
fresh plan is given back and nothing is done. So no page that was saved or
added meanwhile can be missed.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

from mokuji.core.changes import PageChange
from mokuji.core.errors import Missing, MokujiError, Refused
from mokuji.core.following import Captured, captured_after
from mokuji.core.plans.rename import RenamePlan, rename
from mokuji.core.plans.undo import Before, UndoPlan, undo_rename
from mokuji.core.policy import Act, Actor
from mokuji.core.spans import Lines, Span
from mokuji.core.wiki import PageHead, Volume
from mokuji.services.desk import Desk, check, clean_note, find_volume, need_head, visible
from mokuji.services.reading import VolumeView, volume_view
from mokuji.store import contents, history, volumes, writing
from mokuji.store.database import Connection, reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.snapshot import StoredWiki
from mokuji.store.writing import Signature


@dataclass(frozen=True, slots=True)
class SeenCapture:
    """An unwritten reference that will lead to the page, with its line."""

    page: PageHead
    line: int
    words: str


@dataclass(frozen=True)
class RenameView:
    """A plan as its actor may see it: pages they may not read follow too, but are not shown or counted."""

    place: VolumeView
    head: PageHead
    volumes: Mapping[int, Volume]
    plan: RenamePlan | None
    refusal: MokujiError | None
    changes: tuple[PageChange, ...]
    captured: tuple[SeenCapture, ...]
    references: int
    labels: int

    @property
    def digest(self) -> str:
        """What applying must be given, so that what is done is what was seen."""
        return self.plan.digest if self.plan else ""


@dataclass(frozen=True, slots=True)
class Applied:
    """An act that was done."""

    change_set: int
    volume: Volume
    head: PageHead


def plan_rename(
    desk: Desk, actor: Actor, volume_key: str, page_key: str, title: str, *, present_words: bool = False
) -> RenameView:
    """What a rename would do. A refusal is part of the view, so that another title can be tried."""
    with reading(desk.engine) as connection:
        return _rename_view(connection, actor, volume_key, page_key, title, present_words)


def _rename_view(
    connection: Connection, actor: Actor, volume_key: str, page_key: str, title: str, present_words: bool
) -> RenameView:
    volumes = visible(connection, actor)
    volume = find_volume(connection, actor, volume_key)
    check(actor, Act.RENAME, volume)
    head = need_head(connection, volume, page_key)
    place = volume_view(connection, actor, volume, volumes, path_to=head.key)
    by_id = {each.id: each for each in volumes.values()}
    wiki = StoredWiki(connection)
    try:
        plan = rename(wiki, head.id, title, present_words=present_words)
    except MokujiError as refusal:
        return RenameView(place, head, by_id, None, _discreet(refusal), (), (), 0, 0)
    changes = _seen(plan.rewritten, by_id, volume.id)
    captured = _captured(wiki, [each for each in plan.captured if each.page.volume in by_id])
    references = sum(len(change.renamed) for change in changes)
    labels = sum(len(change.labelled) for change in changes)
    return RenameView(place, head, by_id, plan, None, changes, captured, references, labels)


def _seen(changes: Iterable[PageChange], readable: Collection[int], home: int) -> tuple[PageChange, ...]:
    """The pages with another text that the actor may read, those of the volume in hand first."""
    seen = [each for each in changes if each.text_changed and each.head.volume in readable]
    return tuple(sorted(seen, key=lambda each: each.head.volume != home))


def _discreet(refusal: MokujiError) -> MokujiError:
    """A refusal without the name of the page that stands in the way: it may be closed to the actor."""
    if isinstance(refusal, Refused) and refusal.code in {"unexpected_references", "unwritable"}:
        return Refused(
            "One of the pages that refer to this one cannot follow: brackets in it touch code, HTML or a "
            "definition, or no way to write the new title leads here. Choose another title, or look through "
            "the backlinks.",
            code=refusal.code,
        )
    return refusal


def _captured(wiki: StoredWiki, captured: list[Captured]) -> tuple[SeenCapture, ...]:
    pages = wiki.pages({each.page.id for each in captured})
    found = []
    for each in captured:
        text = pages[each.page.id].text
        found.append(SeenCapture(each.page, Lines(text).position(each.span.start).line, each.span.of(text)))
    return tuple(found)


def apply_rename(
    desk: Desk,
    actor: Actor,
    volume_key: str,
    page_key: str,
    title: str,
    seen: str,
    *,
    present_words: bool = False,
    note: str = "",
) -> Applied | RenameView:
    """Does a rename whose plan was seen; gives the fresh plan back if it is no longer that one."""
    by = Signature(actor.person, desk.clock(), clean_note(note))
    with writing_transaction(desk.engine, alone=True) as connection:
        volume, plan = _plan(connection, actor, volume_key, page_key, title, present_words)
        if plan.digest != seen or plan.nothing_to_do:
            return _rename_view(connection, actor, volume_key, page_key, title, present_words)
        return Applied(_write_rename(connection, plan, by), volume, plan.change_set.head_after(plan.page.id))


def rename_now(
    desk: Desk, actor: Actor, volume_key: str, page_key: str, title: str, by: Signature
) -> Applied:
    """Plans and does a rename in one go, whatever the plan is: for commands and the demo's history."""
    with writing_transaction(desk.engine, alone=True) as connection:
        volume, plan = _plan(connection, actor, volume_key, page_key, title, False)
        return Applied(_write_rename(connection, plan, by), volume, plan.change_set.head_after(plan.page.id))


def _plan(
    connection: Connection, actor: Actor, volume_key: str, page_key: str, title: str, present_words: bool
) -> tuple[Volume, RenamePlan]:
    volume = find_volume(connection, actor, volume_key)
    check(actor, Act.RENAME, volume)
    head = need_head(connection, volume, page_key)
    return volume, rename(StoredWiki(connection), head.id, title, present_words=present_words)


def _write_rename(connection: Connection, plan: RenamePlan, by: Signature) -> int:
    detail = {
        "from": plan.page.title,
        "to": plan.title,
        "captured": [
            [page, revision, span.start, span.end]
            for page, (revision, spans) in captured_after(plan.change_set, plan.captured).items()
            for span in sorted(spans)
        ],
    }
    change_set = writing.open_change_set(connection, "rename", plan.page.volume, plan.page.id, by, detail)
    writing.apply_changes(connection, plan.change_set.changes, change_set, by)
    new = plan.change_set.head_after(plan.page.id)
    given = contents.rename_in_contents(connection, plan.page.volume, plan.page.key, new.key, plan.title)
    volumes.rename_front(connection, plan.page.volume, plan.page.key, new.key)
    if given is not None:
        writing.set_detail(connection, change_set, {**detail, "contents": given})
    return change_set


# ---- undo -------------------------------------------------------------------


@dataclass(frozen=True)
class UndoView:
    """What undoing an act would do, or why it cannot be done."""

    act: history.LoggedAct
    volumes: Mapping[int, Volume]
    plan: UndoPlan | None
    refusal: MokujiError | None
    changes: tuple[PageChange, ...]

    @property
    def digest(self) -> str:
        """What applying must be given."""
        return self.plan.digest if self.plan else ""


def plan_undo(desk: Desk, actor: Actor, change_set: int) -> UndoView:
    """What undoing a rename (or the undoing of one) would do."""
    with reading(desk.engine) as connection:
        return _undo_view(connection, actor, change_set)


def _undo_view(connection: Connection, actor: Actor, change_set: int) -> UndoView:
    volumes = visible(connection, actor)
    by_id = {each.id: each for each in volumes.values()}
    act = need_act(connection, actor, change_set, by_id)
    check(actor, Act.RENAME, by_id[act.volume])
    try:
        plan = _undo(connection, act)
    except MokujiError as refusal:
        return UndoView(act, by_id, None, _discreet(refusal), ())
    changes = _seen(plan.change_set.changes, by_id, act.volume)
    return UndoView(act, by_id, plan, None, changes)


def need_act(
    connection: Connection, actor: Actor, change_set: int, volumes: Mapping[int, Volume]
) -> history.LoggedAct:
    """A change set that the actor may know of; Missing otherwise."""
    act = history.act(connection, change_set, list(volumes))
    if act is None:
        raise Missing(
            "There is no such change, or it is in a volume that is closed to you.", code="act_missing"
        )
    return act


def _undo(connection: Connection, act: history.LoggedAct) -> UndoPlan:
    if act.act not in {"rename", "undo"} or act.page is None:
        raise Refused("Only renames can be undone as one so far. Earlier texts stand in the page's history.")
    if act.undone_by is not None:
        raise Refused("This was undone already.", code="undone")
    before = {row.page: Before(row.number, row.text) for row in history.before(connection, act.id)}
    captured: dict[int, tuple[int, frozenset[Span]]] = {}
    for page, revision, start, end in act.detail.get("captured", ()):
        spans = captured.get(page, (revision, frozenset[Span]()))[1]
        captured[page] = (revision, spans | {Span(start, end)})
    return undo_rename(StoredWiki(connection), act.page, act.detail["from"], before, captured)


def apply_undo(
    desk: Desk, actor: Actor, change_set: int, seen: str, signature: Signature | None = None
) -> Applied | UndoView:
    """Undoes an act whose undoing was seen; gives the fresh plan back if it is no longer that one."""
    with writing_transaction(desk.engine, alone=True) as connection:
        view = _undo_view(connection, actor, change_set)
        if view.refusal is not None:
            raise view.refusal
        if view.plan is None or view.digest != seen:
            return view
        act, plan = view.act, view.plan
        by = signature or Signature(
            actor.person, desk.clock(), f"Undone: “{act.detail['from']}” is called so again"
        )
        detail = {"from": plan.page.title, "to": plan.title, "undoes": act.id}
        made = writing.open_change_set(connection, "undo", act.volume, act.page, by, detail)
        writing.apply_changes(connection, plan.change_set.changes, made, by)
        new = plan.change_set.head_after(plan.page.id)
        given = contents.rename_in_contents(connection, act.volume, plan.page.key, new.key, plan.title)
        if act.detail.get("contents"):
            contents.restore_in_contents(
                connection, act.volume, plan.page.key, new.key, act.detail["contents"]
            )
        if given is not None:
            writing.set_detail(connection, made, {**detail, "contents": given})
        volumes.rename_front(connection, act.volume, plan.page.key, new.key)
        history.mark_undone(connection, act.id, made)
        return Applied(made, view.volumes[act.volume], new)
