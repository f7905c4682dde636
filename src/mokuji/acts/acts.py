"""Acts on the structure of a wiki: planned, shown, done as one change set, undone as one.

A plan is shown from a reading transaction. To do it, it is made again under
the write lock held alone; if its digest is not the one that was seen, the
fresh plan is given back and nothing is done. So no page that was saved or
added meanwhile can be missed.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from typing import Any

from mokuji.acts import readership
from mokuji.acts.readership import BroughtBack, Passing, brought_back, passing
from mokuji.acts.seen import VisiblePlan
from mokuji.acts.seen import visible as visible_plan
from mokuji.acts.wishes import (
    AddAlias,
    Aliases,
    CreateVolume,
    Extract,
    File,
    GiveValue,
    Merge,
    Move,
    MoveCategory,
    RenameCategory,
    RenameSlot,
    Replace,
    Restore,
    Retarget,
    Scene,
    Section,
    Split,
    Undo,
    Wish,
    root_of,
)
from mokuji.core.base import names
from mokuji.core.base.errors import Missing, MokujiError, Refused
from mokuji.core.base.phrases import told
from mokuji.core.language.headings import words
from mokuji.core.language.page import PageHead
from mokuji.core.model.changes import Fate, PageChange, Removed
from mokuji.core.model.policy import Act, Actor, Role
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.engine.following import Found
from mokuji.core.refactor.plan import Plan, Row
from mokuji.core.refactor.plans.merge import joined
from mokuji.services.desk import Desk, clean_note, find_head, told_to
from mokuji.services.notes import kept
from mokuji.services.reading.categories import categories_in
from mokuji.services.reading.pointing import Listed, listed
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store import history, people
from mokuji.store.acts import acting, trash
from mokuji.store.database import Connection, reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.index import things
from mokuji.store.snapshot import load_volumes
from mokuji.store.writing import Signature


@dataclass(frozen=True)
class PlanView:
    """A plan as its actor may see it.

    Pages that are closed to the actor follow too; only their numbers are told
    (``hidden_pages``, ``hidden_references``). ``place`` and ``head`` are the
    volume and page in hand, where there are any.
    """

    wish: Wish
    place: VolumeView | None
    head: PageHead | None
    volumes: Mapping[int, Volume]
    plan: VisiblePlan | None = None
    refusal: MokujiError | None = None
    changes: tuple[PageChange, ...] = ()
    removed: tuple[Removed, ...] = ()
    captured: tuple[Listed, ...] = ()
    lost: tuple[Listed, ...] = ()
    lost_sections: tuple[Listed, ...] = ()
    other_texts: tuple[Listed, ...] = ()
    resettled: tuple[Listed, ...] = ()
    released: tuple[Listed, ...] = ()
    returned: tuple[Listed, ...] = ()
    hidden_pages: int = 0
    hidden_references: int = 0
    note: str = ""
    act: history.LoggedAct | None = None
    readers: tuple[Passing | BroughtBack, ...] = ()
    headings: tuple[str, ...] = ()
    aliases: tuple[str, ...] = ()
    slots: tuple[str, ...] = ()
    joined: str | None = None
    passage: str = ""
    categories: tuple[str, ...] = ()
    trashed: Mapping[int, str] = field(default_factory=dict)

    @property
    def conflicts(self) -> tuple[PageHead, ...]:
        """Pages whose text could not be brought together."""
        return self.plan.conflicts if self.plan else ()

    @property
    def rows(self) -> tuple[Row, ...]:
        """What can be chosen from."""
        return self.plan.rows if self.plan else ()

    @property
    def digest(self) -> str:
        """What doing it must be given, so that what is done is what was seen."""
        return self.plan.digest if self.plan else ""

    @property
    def followed(self) -> tuple[PageChange, ...]:
        """The changed pages in which only references follow."""
        return tuple(change for change in self.changes if not change.own)

    @property
    def readers_said(self) -> list[str]:
        """Who will read more by it, and who less, in sentences."""
        return readership.sentences(self.readers, self.volumes)

    @property
    def asks_for_revisions(self) -> bool:
        """Whether it can be chosen that older revisions go along to new readers."""
        passes = (each for each in self.readers if isinstance(each, Passing))
        return isinstance(self.wish, Move) and any(each.gained and each.older for each in passes)

    @property
    def references(self) -> int:
        """How many references on pages that may be seen are written otherwise."""
        return sum(len(change.renamed) for change in self.changes)

    @property
    def labels(self) -> int:
        """How many of these keep a label of their own."""
        return sum(len(change.labelled) for change in self.changes)

    @property
    def can_be_done(self) -> bool:
        """Whether there is something to do and nothing in the way."""
        return self.plan is not None and not self.plan.nothing_to_do and not self.plan.in_the_way


@dataclass(frozen=True, slots=True)
class Applied:
    """An act that was done; ``head`` is the page to go on with, if there is one."""

    change_set: int
    volume: Volume | None
    head: PageHead | None


def plan(desk: Desk, actor: Actor, wish: Wish) -> PlanView:
    """What an act would do. A refusal is part of the view, so that the wish can be changed and made again."""
    with reading(desk.engine) as connection:
        view = _view(connection, actor, wish)
        return replace(view, **_to_choose_from(Scene(connection, actor), view))


def _to_choose_from(scene: Scene, view: PlanView) -> dict[str, Any]:
    """What the question of an act needs besides its plan: headings, other names, the text of two pages."""
    found: dict[str, Any] = {}
    wish, head = view.wish, view.head
    if isinstance(wish, Split | Section | Aliases | Merge | RenameSlot | GiveValue) and head is not None:
        page = scene.wiki.pages([head.id])[head.id]
        content = page.content
        found["headings"] = tuple(
            "\u2003" * (heading.level - 2) + words(heading, page.text, content.references, scene.volumes)
            for heading in content.headings
        )
        found["aliases"] = content.front_matter.names("aliases")
        found["slots"] = tuple(content.declared.slots)
        if isinstance(wish, Merge) and wish.into.strip():
            with suppress(MokujiError):
                into = scene.page_named(wish.into, wish.volume)
                found["joined"] = joined(page, scene.wiki.pages([into.id])[into.id], "after")
    if isinstance(wish, MoveCategory | RenameCategory | File) and view.place is not None:
        known = categories_in(scene, view.place.volume)
        found["categories"] = tuple(sorted(each.name for each in known if each.key != names.key(wish.page)))
    if isinstance(wish, Extract) and head is not None:
        text = scene.wiki.pages([head.id])[head.id].text
        found["passage"] = wish.passage(text).of(text).strip()
    if isinstance(wish, Restore):
        readable = {volume.id for volume in scene.volumes.values()}
        thrown = trash.thrown(scene.connection, wish.pages)
        found["trashed"] = {t.head.id: t.head.title for t in thrown if t.head.volume in readable}
    return found


def _view(connection: Connection, actor: Actor, wish: Wish) -> PlanView:
    scene = Scene(connection, actor)
    place, head = _in_hand(scene, wish)
    by_id = {each.id: each for each in scene.volumes.values()}
    act = wish.logged(scene) if isinstance(wish, Undo) else None
    if act is not None:
        # Whoever asks may know of it, or `logged` had refused; its note is told as they may read it.
        act = replace(act, note=scene.reader.told(act.note, act.act, act.volume, act.proposed))
    try:
        with told_to(connection, actor):
            made = wish.plan(scene)
    except Missing as missing:
        if missing.code == "page_missing" and head is None and _is_about_a_page(wish):
            raise  # there is nothing in hand whose question could be asked again
        # Of what is not in hand (a target, say) the view can tell; what is in hand was found above.
        return PlanView(wish, place, head, by_id, refusal=missing, act=act)
    except MokujiError as refusal:
        if refusal.code in {"forbidden", "sign_in"}:
            raise
        return PlanView(wish, place, head, by_id, refusal=refusal, act=act)
    return _shown(scene, wish, made, place, head, act)


def _is_about_a_page(wish: Wish) -> bool:
    """Whether what a wish calls its page has to be one, rather than a name or a category."""
    names_only = isinstance(wish, Retarget | AddAlias | Replace | RenameCategory | MoveCategory)
    return hasattr(wish, "page") and not names_only


def _in_hand(scene: Scene, wish: Wish) -> tuple[VolumeView | None, PageHead | None]:
    if not wish.volume:
        return None, None
    volume = scene.volume(wish.volume, Act.READ)
    page_key = getattr(wish, "page", "")
    head = find_head(scene.connection, volume, page_key) if page_key else None
    view = volume_view(scene, volume, path_to=head.key if head else None)
    return view, head


def _shown(
    scene: Scene,
    wish: Wish,
    made: Plan,
    place: VolumeView | None,
    head: PageHead | None,
    act: history.LoggedAct | None,
) -> PlanView:
    by_id = {each.id: each for each in scene.volumes.values()}
    # A volume that the act brings back is not among those that can be read yet.
    by_id |= {
        each.after.id: each.after for each in made.change_set.volumes if each.before is None and each.after
    }
    readable = set(by_id)
    home = place.volume.id if place else 0
    rewritten = [each for each in made.change_set.changes if each.text_changed or each.fate is not Fate.KEPT]
    elsewhere = history.begun_elsewhere(scene.connection, act.id) if act is not None else {}
    behind = {page for page, volume in elsewhere.items() if volume not in readable}
    seen = [each for each in rewritten if each.head.volume in readable and each.head.id not in behind]
    hidden = [each for each in rewritten if each.head.volume not in readable or each.head.id in behind]
    back = [history.Kept(*each) for each in made.facts.get("written_in", ())]
    along = bool(made.facts.get("along"))
    readers: list[Passing | BroughtBack] = [
        *passing(scene.connection, made.change_set, by_id, along=along, back=back),
        *brought_back(scene.connection, made.change_set, elsewhere, by_id),
    ]
    wiki = scene.wiki

    def shown(found: Iterable[Found]) -> tuple[Listed, ...]:
        return listed(wiki, [each for each in found if each.page.volume in readable])

    return PlanView(
        wish,
        place,
        head,
        by_id,
        visible_plan(made, readable, without=behind),
        None,
        tuple(sorted(seen, key=lambda each: (not each.own, each.head.volume != home))),
        tuple(each for each in made.change_set.removed if each.head.volume in readable),
        shown(made.followed.captured),
        shown(made.followed.lost),
        shown(made.followed.lost_sections),
        shown(made.followed.other_texts),
        shown(made.followed.resettled),
        shown(made.followed.released),
        shown(made.followed.returned),
        len(hidden),
        sum(len(each.renamed) for each in hidden),
        told(wish.note(made), readable),
        act,
        tuple(readers),
    )


def apply(
    desk: Desk,
    actor: Actor,
    wish: Wish,
    seen: str | None,
    *,
    note: str = "",
    signature: Signature | None = None,
) -> Applied | PlanView:
    """Does an act whose plan was seen; gives the fresh plan back if it is no longer that one.

    ``seen`` is the digest of the plan that was seen; None does whatever the plan is (for commands and the
    demo's history), and raises what stands in the way.
    """
    by = signature or Signature(actor.person, desk.clock(), clean_note(note))
    with writing_transaction(desk.engine, alone=True) as connection:
        scene = Scene(connection, actor, shown=False)
        try:
            made = wish.plan(scene)
        except MokujiError:
            if seen is None:
                raise
            return _view(connection, actor, wish)
        if seen is not None and (made.digest != seen or made.nothing_to_do or made.conflicts):
            return _view(connection, actor, wish)
        return _do(scene, wish, made, by)


def do(scene: Scene, wish: Wish, by: Signature) -> Applied:
    """Plans an act and does it, under the write lock that the caller holds alone."""
    return _do(scene, wish, wish.plan(scene), by)


def _do(scene: Scene, wish: Wish, made: Plan, by: Signature) -> Applied:
    if made.conflicts:
        raise Refused(
            "Texts were changed by others since, in the same places. Look at the plan.", code="conflict"
        )
    note, proposed = kept(by.note, wish.note(made))
    by = replace(by, note=note)
    act = wish.logged(scene) if isinstance(wish, Undo) else None
    volume = _home(scene, wish, made, act)
    facts = {**made.facts, **({"undoes": act.id, "undone": root_of(act)} if act else {})}
    done = acting.do(scene.connection, made, volume, by, facts, proposed)
    if act is not None:
        history.mark_undone(scene.connection, act.id, done.change_set)
        things.take_back(scene.connection, act.detail.get("copies", ()))
    if isinstance(wish, CreateVolume) and scene.actor.person is not None:
        people.set_role(scene.connection, scene.actor.person, done.volumes[0], Role.OWNER)
    home = next(
        (v for v in load_volumes(scene.connection).values() if v.id == done.volumes.get(volume, volume)), None
    )
    return Applied(done.change_set, home, _go_on_with(scene, made, done))


def _home(scene: Scene, wish: Wish, made: Plan, act: history.LoggedAct | None) -> int:
    """The volume in whose history an act stands; 0 for one that it makes."""
    if act is not None:
        return act.volume
    if wish.volume:
        return scene.volume(wish.volume, Act.READ).id
    return made.page.volume if made.page is not None else 0


def _go_on_with(scene: Scene, made: Plan, done: acting.Done) -> PageHead | None:
    wanted = done.pages.get(0) or (made.page.id if made.page is not None else 0)
    into = int(made.facts.get("into", 0))
    found = scene.wiki.pages([id_ for id_ in (wanted, into) if id_])
    for id_ in (wanted, into):
        if id_ in found:
            return found[id_].head
    return None
