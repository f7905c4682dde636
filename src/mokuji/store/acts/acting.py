"""Does a plan: writes all that a change set says as one, and logs what undoing it will need.

The caller holds the write lock alone, and has checked that the plan is the one
that was seen.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import Connection

from mokuji.core.base import names
from mokuji.core.base.errors import Conflict
from mokuji.core.base.spans import Span
from mokuji.core.language.page import PageHead
from mokuji.core.model.assets import Asset, AssetChange
from mokuji.core.model.changes import ChangeSet, Fate, PageChange, RoleChange, VolumeChange
from mokuji.core.model.contents import Placing, Put, Rekey, Take
from mokuji.core.model.policy import Role
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.engine.outcome import Successor
from mokuji.core.refactor.plan import Plan, free
from mokuji.core.refactor.plans.undo import Before, Past, Returning
from mokuji.store import roles, volumes, writing
from mokuji.store.acts import trash
from mokuji.store.index import assets
from mokuji.store.log import change_sets, history
from mokuji.store.log.change_sets import Signature
from mokuji.store.log.history import LoggedAct
from mokuji.store.places import placing


@dataclass(frozen=True, slots=True)
class Done:
    """An act that was done: its number, and the ids that pages and volumes got that were made by it."""

    change_set: int
    pages: Mapping[int, int]
    volumes: Mapping[int, int]


def do(
    connection: Connection,
    plan: Plan,
    volume: int,
    by: Signature,
    more: Mapping[str, Any] | None = None,
    proposed: Sequence[Any] = (),
) -> Done:
    """Writes a plan. ``volume`` is the one in whose history it stands (0: the one that it makes); ``proposed`` is the
    phrase of its note, where that was left as it was proposed, ``more`` what the log keeps beside."""
    change_set = plan.change_set
    given_volumes = _make_volumes(connection, change_set.volumes)
    home = given_volumes.get(volume, volume)
    page = plan.page.id if plan.page is not None and plan.page.id > 0 else None
    number = change_sets.open_change_set(connection, change_set.act, home, page, by, proposed=proposed)
    _change_volumes(connection, change_set.volumes, number)
    trash.throw_away(connection, change_set.removed, number, by)
    kept = [change for change in change_set.changes if change.fate is Fate.KEPT]
    writing.apply_changes(connection, kept, number, by)
    given = _bring(connection, change_set, number, by)
    if given and page is None and plan.page is not None:
        change_sets.set_page(connection, number, given.get(plan.page.id, plan.page.id))
    back = placing.place(connection, _in_volumes(change_set.contents, given_volumes))
    _keep_fronts(connection, kept)
    _remember_names(connection, kept)
    if change_set.removed:
        successors = {
            removed_page.head.id: removed_page.successor
            for removed_page in change_set.removed
            if removed_page.successor
        }
        volumes.pass_on_addresses(
            connection, [removed_page.head for removed_page in change_set.removed], successors
        )
    copies, changed = assets.change(connection, change_set.assets, by)
    roles.change(connection, change_set.roles)
    detail = _detail(plan, more or {}, given, given_volumes, back)
    detail["things"] = _things(changed)
    if kept_back := _settle(connection, plan, kept):
        detail["written_in"] = kept_back
    change_sets.set_detail(connection, number, {**detail, "copies": copies} if copies else detail)
    history.reach(connection, number, _reached(change_set) - {home, 0}, _people(change_set))
    return Done(number, given, given_volumes)


def _settle(connection: Connection, plan: Plan, kept: Sequence[PageChange]) -> list[list[int]]:
    """Who reads older revisions from now on: those that go along with a page to another volume, and those that an
    undoing gives back. As what takes it back."""
    back = [history.Kept(*each) for each in plan.given_back]
    found = history.settle(connection, back) if back else []
    if plan.along:
        moved = [c for c in kept if c.volume_after != c.head.volume]
        for source in {change.head.volume for change in moved}:
            wanted = [
                history.Kept(c.head.id, c.volume_after, 1, c.head.revision)
                for c in moved
                if c.head.volume == source
            ]
            found += history.settle(connection, wanted, source)
    return [[each.page, each.written_in, each.lowest, each.highest] for each in found]


def _reached(change_set: ChangeSet) -> set[int]:
    """The volumes in which something is another than before."""
    return {
        *(volume for change in change_set.changes for volume in (change.head.volume, change.volume_after)),
        *(removed_page.head.volume for removed_page in change_set.removed),
        *(each.volume for each in change_set.contents),
        *(v.id for change in change_set.volumes for v in (change.before, change.after) if v is not None),
        *(each.volume for each in change_set.roles),
        *(t.volume for asset in change_set.assets for t in (asset.before, asset.after) if t is not None),
    }


def _people(change_set: ChangeSet) -> set[int]:
    """The people that something was done about."""
    sides = (side for asset in change_set.assets for side in (asset.before, asset.after) if side is not None)
    return {asset.id for asset in sides if asset.sort == "person"}


def _make_volumes(connection: Connection, changes: tuple[VolumeChange, ...]) -> dict[int, int]:
    """Writes volumes that are new; those that come back keep their id."""
    given: dict[int, int] = {}
    for change in changes:
        if change.before is None and change.after is not None and change.after.id == 0:
            given[0] = volumes.add_volume(connection, change.after.title, closed=change.after.closed)
    return given


def _change_volumes(connection: Connection, changes: tuple[VolumeChange, ...], number: int) -> None:
    # Those that go first: another may take their name.
    for change in changes:
        if change.after is None and change.before is not None:
            volumes.delete_volume(connection, change.before.id, number)
    for change in changes:
        if change.after is None or change.after.id == 0:
            continue
        if change.before is not None and change.before.key != change.after.key:
            volumes.remember_volume(connection, change.before.key, change.after.id)
        volumes.change_volume(connection, change.after)


def _bring(connection: Connection, change_set: ChangeSet, number: int, by: Signature) -> dict[int, int]:
    """Writes pages that were not there: new ones get ids, restored ones have theirs back."""
    given: dict[int, int] = {}
    for change in change_set.changes:
        if change.fate is Fate.KEPT:
            continue
        assert change.content is not None
        after = change.head_after
        if change.fate is Fate.MADE:
            given[change.head.id] = writing.create_page(
                connection, after.volume, after.title, change.content, change.after, number, by
            )
        else:
            if not trash.take_out(connection, change.head.id, change.head.revision):
                raise Conflict("A page of this plan left the trash meanwhile. Look at the new plan.")
            writing.restore_page(connection, after, change.content, change.after, number, by)
    return given


def _in_volumes(placings: tuple[Placing, ...], given: Mapping[int, int]) -> list[Placing]:
    """Placings of a volume that was just made carry its id now."""
    if not given:
        return list(placings)
    found: list[Placing] = []
    for each in placings:
        fields = {name: getattr(each, name) for name in each.__slots__}
        kind: type[Put] | type[Take] | type[Rekey] = type(each)
        found.append(kind(**{**fields, "volume": given.get(each.volume, each.volume)}))
    return found


def _keep_fronts(connection: Connection, changes: list[PageChange]) -> None:
    heads = [(change.head, change.head_after) for change in changes if change.moved]
    volumes.rename_fronts(
        connection,
        [
            (after.volume, head.key, after.key)
            for head, after in heads
            if after.key != head.key and after.volume == head.volume
        ],
    )


def _remember_names(connection: Connection, changes: list[PageChange]) -> None:
    """The address that a page had leads to it until the name is used again."""
    moved = [
        c.head
        for c in changes
        if c.moved and (c.volume_after, c.head_after.key) != (c.head.volume, c.head.key)
    ]
    volumes.remember_addresses(connection, moved)


# ---- the log --------------------------------------------------------------------


def _detail(
    plan: Plan,
    more: Mapping[str, Any],
    given: Mapping[int, int],
    given_volumes: Mapping[int, int],
    back: tuple[Placing, ...],
) -> dict[str, Any]:
    changes = plan.change_set.changes
    return {
        **more,
        **({"free": sorted(plan.free)} if plan.free is not None else {}),
        "heads": [
            [c.head.id, c.head.volume, c.head.title, c.volume_after]
            for c in changes
            if c.fate is Fate.KEPT and c.moved
        ],
        "made": [given.get(c.head.id, c.head.id) for c in changes if c.fate is not Fate.KEPT],
        "gone": [[each.head.id, each.head.volume, each.head.title] for each in plan.change_set.removed],
        "entries": [[given.get(id_, id_), entry.page, entry.section] for id_, entry in plan.entries.items()],
        "captured": [
            [given.get(page, page), revision, span.start, span.end]
            for page, (revision, spans) in plan.followed.landed.items()
            for span in sorted(spans)
        ],
        "contents": placing.as_data(back),
        "roles": [
            [each.volume, each.person, each.handle, each.name, int(each.before), int(each.after)]
            for each in plan.change_set.roles
        ],
        "volumes": [
            [_volume(volume.before, given_volumes), _volume(volume.after, given_volumes)]
            for volume in plan.change_set.volumes
        ],
    }


def _things(changes: Sequence[AssetChange]) -> list[list[dict[str, Any] | None]]:
    return [
        [asdict(asset) if asset is not None else None for asset in (change.before, change.after)]
        for change in changes
        # Copies of files that a page brought to another volume are kept apart: what names them by now keeps them.
        if change.before is not None or (change.after is not None and change.after.id)
    ]


def _volume(volume: Volume | None, given: Mapping[int, int]) -> list[Any] | None:
    if volume is None:
        return None
    return [
        given.get(volume.id, volume.id),
        volume.title,
        volume.closed,
        list(volume.libraries),
        volume.language,
    ]


def _as_volume(data: list[Any] | None) -> Volume | None:
    if data is None:
        return None
    language = data[4] if len(data) > 4 else ""  # acts from before volumes had one
    return Volume(data[0], names.key(data[1]), data[1], data[2], tuple(data[3]), language)


def captured(act: LoggedAct) -> dict[int, tuple[int, frozenset[Span]]]:
    """References that began to lead somewhere by an act, by page: the revision that was made, and their spans."""
    found: dict[int, tuple[int, frozenset[Span]]] = {}
    for page, revision, start, end in act.detail.get("captured", ()):
        spans = found.get(page, (revision, frozenset[Span]()))[1]
        found[page] = (revision, spans | {Span(start, end)})
    return found


def past(connection: Connection, act: LoggedAct) -> Past:
    """What an act did, from its log, its revisions and the trash."""
    detail = act.detail
    rows = history.before(connection, act.id)
    made = frozenset(detail.get("made", [act.page] if act.act == "create" and act.page else ()))
    heads = {
        id_: PageHead(id_, volume, names.key(title), title)
        for id_, volume, title, *_ in detail.get("heads", ())
    }
    texts = {row.page: Before(row.number, row.text, row.after) for row in rows if row.page not in made}
    changed = tuple(
        assets.since(connection, AssetChange(*(Asset(**each) if each is not None else None for each in pair)))
        for pair in detail.get("things", ())
    )
    changed_roles = tuple(
        RoleChange(volume, person, handle, name, Role(before), Role(after))
        for volume, person, handle, name, before, after in detail.get("roles", ())
    )
    in_the_way = next(filter(None, (assets.in_the_way(connection, change) for change in changed)), "")
    return Past(
        assets=changed,
        roles=changed_roles,
        naming=frozenset(
            page
            for change in changed
            if change.after is not None
            for page in assets.naming(connection, change.after)
        ),
        in_the_way=in_the_way or roles.since(connection, changed_roles),
        texts=texts,
        heads=heads,
        stood={
            id_: after[0] if after else volume
            for id_, volume, _, *after in detail.get("heads", ())
            # Of acts from before this was kept, only a rename is known to have left the volume alone.
            if after or act.act == "rename"
        },
        called={row.page: row.title for row in rows if row.page in heads},
        made=made,
        entries={page: Successor(into, section) for page, into, section in detail.get("entries", ())},
        removed=tuple(
            Returning(each.head, each.text, each.leads, each.successor)
            for each in trash.thrown_by(connection, act.id)
        ),
        captured=captured(act),
        contents=placing.from_data(detail.get("contents", ())),
        volumes=tuple(VolumeChange(_as_volume(a), _as_volume(b)) for a, b in detail.get("volumes", ())),
        free=free(act.act, act.page, texts, detail.get("free")),
    )
