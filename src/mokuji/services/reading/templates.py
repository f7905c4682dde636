"""Templates as their writers see them: slots, a sample with the examples, and every place of use."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from mokuji.core.assembly.inserts import Fault, Inserter, Token
from mokuji.core.base import names
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import check_page
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.references import Sections
from mokuji.core.model.wiki import Volume
from mokuji.core.reports.uses import use
from mokuji.core.syntax.front_matter import read as read_front
from mokuji.core.syntax.slots import NO_SLOTS, Slot, declared
from mokuji.services.app_context import AppContext, ReadContext, make_ready, need_head
from mokuji.services.reading import finding
from mokuji.services.reading.inserting import inserted
from mokuji.services.reading.reading import VolumeView, load_ready, volume_view
from mokuji.services.reading.rendering import Addresses, Rendered, render
from mokuji.store.database import Connection, reading
from mokuji.store.index import memberships
from mokuji.store.index import uses as stored
from mokuji.store.snapshot import StoredWiki

SHOWN = 100
"""Number of uses that one screen shows."""
LOOKED_AT = 500
"""Number of uses that are looked at where there is no time for all of them."""
ASKED_OF = 2_000
"""Number of uses of which a save asks whether they become faulty."""


@dataclass(frozen=True, slots=True)
class PlaceOfUse:
    """A place that uses a template: where it is typed, the values given there by slot, what is wrong about them."""

    page: PageHead
    volume: Volume
    index: int
    section: str | None
    values: tuple[str | None, ...]
    faults: tuple[Fault, ...]


@dataclass(frozen=True)
class UsesView:
    """The uses of a page: its slots, the places (those of this screen), how many there are, on how many pages, and how
    many have faults. ``sort`` is “faults”, “page” or the name of a slot."""

    place: VolumeView
    head: PageHead
    slots: tuple[Slot, ...]
    uses: tuple[PlaceOfUse, ...]
    number: int
    pages: int
    faulty: int
    sort: str
    skipped: int

    @property
    def more(self) -> bool:
        """Whether there are further ones."""
        return self.skipped + len(self.uses) < self.number


def places_of_use(context: ReadContext, page: Page, most: int = stored.MOST) -> list[PlaceOfUse]:
    """The inserts that lead to a page, on pages that the actor may read, in the order of volume and name."""
    by_id = {volume.id: volume for volume in context.volumes.values()}
    slots = page.content.declared.slots
    uses: list[PlaceOfUse] = []
    for each in stored.uses(context.wiki, page.head, list(by_id), most):
        told = use(each.typed, page, context.volumes.keys())
        values = tuple(told.values.get(name) for name in slots)
        volume = by_id[each.page.volume]
        uses.append(PlaceOfUse(each.page, volume, each.index, told.section, values, told.faults))
    return uses


def sorted_uses(uses: Sequence[PlaceOfUse], slots: Sequence[Slot], sort: str) -> list[PlaceOfUse]:
    """The uses by what is asked for: a slot's values (without one last), the page, or faults first."""
    listed = list(uses)
    at = next((n for n, slot in enumerate(slots) if slot.name == sort), None)
    if at is not None:
        listed.sort(key=lambda each: (each.values[at] is None, names.key(each.values[at] or "")))
    elif sort != "page":
        listed.sort(key=lambda each: not each.faults)
    return listed


def all_uses(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    page_key: str,
    sort: str = "",
    skip: int = 0,
    most: int = SHOWN,
) -> UsesView:
    """The places that use a page; Missing if the actor may not read it."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        head = need_head(connection, volume, page_key)
        page = StoredWiki(connection).pages([head.id])[head.id]
        uses = places_of_use(context, page)
        slots = tuple(page.content.declared.slots.values())
        listed = sorted_uses(uses, slots, sort)[skip : skip + most]
        return UsesView(
            volume_view(context, volume, path_to=head.key),
            head,
            slots,
            tuple(listed),
            len(uses),
            len({each.page.id for each in uses}),
            sum(bool(each.faults) for each in uses),
            sort or "faults",
            skip,
        )


@dataclass(frozen=True, slots=True)
class Listed:
    """A template in the list of a volume's: its summary, how many slots it has, on how many pages it is put in."""

    head: PageHead
    summary: str
    slots: int
    pages: int


def templates_of(context: ReadContext, volume: Volume) -> list[Listed]:
    """The templates of a volume, by name."""
    found = memberships.templates(context.connection, volume.id)
    visible = {each.id for each in context.volumes.values()}
    used = memberships.used(context.wiki, [head for head, _, _ in found], visible)
    return [Listed(head, summary, slots, used.get(head.id, 0)) for head, summary, slots in found]


@dataclass(frozen=True)
class About:
    """What a template's own page says of it: its slots, a sample filled with their examples, the places that use it
    (the first of them, faults first), how many there are, on how many pages, and how many have faults of the first
    ``looked`` ones."""

    slots: tuple[Slot, ...]
    sample: Rendered
    uses: tuple[PlaceOfUse, ...]
    number: int
    pages: int
    faulty: int
    looked: int


def about(
    app: AppContext, actor: Actor, head: PageHead, to: Addresses | None = None, most: int = 12
) -> About:
    """What is to be said of a template that the actor may read."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        page = load_ready(app, connection, head, context.volumes).page
        volume = next(each for each in context.volumes.values() if each.id == head.volume)
        slots = tuple(page.content.declared.slots.values())
        uses = places_of_use(context, page, LOOKED_AT)
        number, on = stored.count(context.wiki, head, [each.id for each in context.volumes.values()])
        return About(
            slots,
            _sample(app, StoredWiki(connection, context.volumes), volume, head, slots, to),
            tuple(sorted_uses(uses, slots, "faults")[:most]),
            number,
            on,
            sum(bool(each.faults) for each in uses),
            len(uses),
        )


def _sample(
    app: AppContext,
    wiki: StoredWiki,
    volume: Volume,
    head: PageHead,
    slots: Sequence[Slot],
    to: Addresses | None,
) -> Rendered:
    """What stands in the place of a template, with the example of each slot, else its default, as value."""
    named = f"/{names.escape(volume.title)}/{names.escape(head.title)}"
    values = "".join(f"\n| {slot.name}: {slot.example}" for slot in slots if slot.example)
    text = f"[[={named}{values}{chr(10) if values else ''}]]"
    page = Page(PageHead(0, volume.id, "", ""), text)
    ready = make_ready(page, frozenset(wiki.volumes), app.secret)
    return render(app.secret, page, ready.compiled, ready.anchors, inserted(wiki, volume, page, app), to)


# ---- before a template is saved -----------------------------------------------------


@dataclass(frozen=True, slots=True)
class Faulty:
    """A place of use that is faulty once a template is saved, and was not before."""

    page: PageHead
    volume: Volume
    message: str


def newly_faulty(context: ReadContext, page: Page, new: Page) -> list[Faulty]:
    """The places of use (on pages that the actor may read) that a new text of a template would make faulty. Those of
    headings are left out: references to these follow, or are told as lost."""
    parts = Sections.of(page, context.volumes)
    by_id = {volume.id: volume for volume in context.volumes.values()}
    faulties: list[Faulty] = []
    for each in stored.uses(context.wiki, page.head, list(by_id), ASKED_OF):
        before = {fault.message for fault in use(each.typed, page, context.volumes.keys()).faults}
        after = use(each.typed, new, context.volumes.keys())
        for fault in after.faults:
            of_heading = fault.code == "section_missing" and not parts.is_part(after.section or "")
            if fault.message not in before and not of_heading:
                faulties.append(Faulty(each.page, by_id[each.page.volume], fault.message))
    return faulties


@dataclass(frozen=True, slots=True)
class Shown:
    """A place of use before and after, as HTML."""

    page: PageHead
    volume: Volume
    index: int
    before: str
    after: str


@dataclass(frozen=True)
class Effect:
    """What a new text of a template does: how many places on how many pages use it, how many of the first ``looked``
    look different afterwards, which would be faulty, and some of them before and after."""

    place: VolumeView
    head: PageHead
    number: int
    pages: int
    changed: int
    faulty: tuple[Faulty, ...]
    shown: tuple[Shown, ...]
    looked: int
    skipped: int = 0


def effect(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    page_key: str,
    text: str,
    to: Addresses | None = None,
    skip: int = 0,
    most: int = 12,
) -> Effect:
    """What saving a text would do to the places that insert the page; nothing is saved."""
    check_page(text)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key, Permission.WRITE)
        head = need_head(connection, volume, page_key)
        page = StoredWiki(connection).pages([head.id])[head.id]
        new = Page(head, text)
        by_id = {each.id: each for each in context.volumes.values()}
        uses = stored.uses(context.wiki, head, list(by_id))
        differing = [each for each in uses[:LOOKED_AT] if _differs(app, each, page, new, context.volumes)]
        shown = []
        for each in differing[skip : skip + most]:
            before, after = (
                _alone(
                    app, _Edited(connection, context.volumes, text_), by_id[each.page.volume], each.typed, to
                )
                for text_ in (page, new)
            )
            shown.append(Shown(each.page, by_id[each.page.volume], each.index, before, after))
        return Effect(
            volume_view(context, volume, path_to=head.key),
            head,
            len(uses),
            len({each.page.id for each in uses}),
            len(differing),
            tuple(newly_faulty(context, page, new)),
            tuple(shown),
            min(len(uses), LOOKED_AT),
            skip,
        )


def _differs(
    app: AppContext, use_: stored.StoredUse, page: Page, new: Page, volumes: Mapping[str, Volume]
) -> bool:
    """Whether a place of use looks different with another text of its template: what that inserts again is the same."""
    typed = Page(PageHead(0, use_.page.volume, "", ""), use_.typed)
    if not typed.content.references:
        return False
    made = []
    for each in (page, new):
        instance, faults = Inserter(app.secret, volumes).insert(Token(typed, 0), each)
        made.append((instance.compiled if instance is not None else None, faults))
    # A stand-in begins otherwise in another text, and none is left in what is compiled.
    return made[0] != made[1]


class _Edited(StoredWiki):
    """What a reader may see, with one page as it would be."""

    def __init__(self, connection: Connection, volumes: Mapping[str, Volume], page: Page) -> None:
        super().__init__(connection, volumes)
        self._edited = page

    def pages(self, ids: Collection[int]) -> Mapping[int, Page]:
        found = dict(super().pages(ids))
        if self._edited.head.id in found:
            found[self._edited.head.id] = self._edited
        return found


def _alone(app: AppContext, wiki: _Edited, home: Volume, typed: str, to: Addresses | None) -> str:
    page = Page(PageHead(0, home.id, "", ""), typed)
    ready = make_ready(page, frozenset(wiki.volumes), app.secret)
    return render(app.secret, page, ready.compiled, ready.anchors, inserted(wiki, home, page), to).html


# ---- while writing ------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class ForInsert:
    """A page to put in: ``insert`` is its target as it is typed in the volume in hand, ``slots`` are those that it
    takes if it is a template."""

    title: str
    place: str
    insert: str
    slots: tuple[Slot, ...]


def for_insert(app: AppContext, actor: Actor, typed: str, volume_key: str, most: int = 12) -> list[ForInsert]:
    """What can be put in: with nothing typed the templates of the volume and its libraries, else pages by name,
    templates first."""
    named = finding.names_for(app, actor, typed, volume_key, most=most) if typed.strip() else []
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volumes.get(names.key(volume_key))
        if volume is None:
            return []
        by_id = {each.id: each for each in context.volumes.values()}
        if not typed.strip():
            areas = [volume, *(by_id[id_] for id_ in volume.libraries if id_ in by_id)]
            heads = [
                (head, area)
                for area in areas
                for head, _, _ in memberships.templates(connection, area.id, most)
            ]
            rows = [
                (
                    head,
                    ForInsert(
                        head.title, "" if area.id == volume.id else area.title, names.escape(head.title), ()
                    ),
                )
                for head, area in heads[:most]
            ]
        else:
            places = {(each.volume, each.key): each for each in named}
            found = context.wiki.titles(
                [(by_key.id, key) for (v, key) in places if (by_key := context.volumes.get(v))]
            )
            rows = [
                (head, ForInsert(each.title, each.place, each.insert, ()))
                for (volume_id, key), head in found.items()
                if (each := places.get((by_id[volume_id].key, key))) is not None
            ]
        texts = StoredWiki(connection).pages([head.id for head, _ in rows])
        made = []
        for head, row in rows:
            told = declared(read_front(texts[head.id].text)) if head.id in texts else NO_SLOTS
            made.append((not told.template, replace(row, slots=tuple(told.slots.values()))))
    order = {each.title: n for n, each in enumerate(named)}
    made.sort(key=lambda pair: (pair[0], order.get(pair[1].title, 0)))
    return [row for _, row in made]
