"""Writing: open a page for editing, preview, save, create."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from mokuji.core.base import names
from mokuji.core.base.errors import Conflict
from mokuji.core.base.names import Name
from mokuji.core.base.phrases import counted
from mokuji.core.base.spans import Lines
from mokuji.core.diff.line_ends import restore
from mokuji.core.diff.merge import Part, merge3, merged
from mokuji.core.language.page import Page, PageHead, alias_keys
from mokuji.core.language.scan import check_page
from mokuji.core.model.changes import Fate, PageChange
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.references import Sections
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.create import create
from mokuji.core.refactor.plans.save import Edited
from mokuji.core.refactor.plans.save import save as plan_save
from mokuji.core.syntax import front_matter
from mokuji.core.syntax.reference import Reference, read
from mokuji.core.syntax.slots import declared
from mokuji.services.app_context import (
    AppContext,
    ReadContext,
    Ready,
    check,
    clean_note,
    find_head,
    find_volume,
    make_ready,
    need_head,
    page_at,
    told_to,
    visible,
)
from mokuji.services.reading.house_styles import style_of
from mokuji.services.reading.inserting import Inserted, inserted
from mokuji.services.reading.linking import Link, resolve_names
from mokuji.services.reading.reading import VolumeView, load_ready, volume_view
from mokuji.services.reading.reference_lists import Listed, listed
from mokuji.services.reading.rendering import Addresses, Rendered, render_ready
from mokuji.services.reading.templates import Faulty, newly_faulty
from mokuji.services.writing.patterns import Pattern, patterns_of
from mokuji.store import drafts, writing
from mokuji.store.acts import acting
from mokuji.store.database import Connection, reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.index import unwritten
from mokuji.store.log import history
from mokuji.store.log.change_sets import Signature
from mokuji.store.snapshot import StoredWiki, load_volumes


@dataclass(frozen=True, slots=True)
class EditView:
    """A page as it is opened for writing. ``revision`` is 0 for one that is not there yet;
    ``under`` is the key of the page that led here, which will be its place in the contents."""

    place: VolumeView
    key: str
    title: str
    text: str
    revision: int
    number: str
    under: str
    under_title: str
    template: bool = False
    """Whether the page is a template: then the effect of a change on its places of use can be looked at."""
    spelling: str = ""
    """The language that the house style looks at spelling in."""
    patterns: tuple[Pattern, ...] = ()
    """What a page that is not there yet can begin with."""


@dataclass(frozen=True, slots=True)
class Saved:
    """A save: the page as it is now, and the pages in which references were kept where they led. ``merged`` is the
    text that was saved when it was brought together with what somebody else had saved meanwhile."""

    volume: Volume
    head: PageHead
    created: bool
    unchanged: bool
    kept: tuple[str, ...]
    merged: str | None = None


class Clash(Conflict):
    """Somebody else changed the same passages: nothing is saved. ``parts`` are those of both texts, ``mine`` the text
    that they belong to, ``revision`` the one that was saved meanwhile."""

    code = "edited_meanwhile"

    def __init__(self, message: str, parts: Sequence[Part], mine: str, revision: int) -> None:
        super().__init__(message, code=self.code)
        self.parts = tuple(parts)
        self.mine = mine
        self.revision = revision


def bring_together(
    connection: Connection, page: Page, revision: int, text: str, seen: Collection[int]
) -> str:
    """A text that was begun in an older revision (0: before there was a page), brought together with the newest one;
    raises Clash where both changed the same words."""
    head = page.head
    base = history.text_of(connection, head.id, revision, seen) if revision else ""
    if base is None:
        raise Conflict(_MEANWHILE.format(head.title), code="edited_meanwhile")
    mine = restore(base, text)
    parts = merge3(base, mine, page.text)
    made = merged(mine, parts)
    if made is None:
        raise Clash(_MEANWHILE.format(head.title), parts, mine, head.revision)
    check_page(made)
    return made


_MEANWHILE = (
    "“{}” was saved by somebody else while you were writing. Your text is still here: look at the newest revision, "
    "bring the two together, then save again."
)


def open_for_edit(app: AppContext, actor: Actor, volume_key: str, page_key: str, under: str = "") -> EditView:
    """A page, or an unwritten name, ready to be written."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volumes, volume = context.volumes, context.volume(volume_key)
        check(actor, Permission.WRITE, volume)
        head = find_head(connection, volume, page_key)
        place = volume_view(context, volume, path_to=head.key if head else None)
        key = names.key(page_key)
        entry = place.contents.of(key)
        number = entry.number if entry else ""
        spelling = style_of(connection, volume).spelling
        if head is not None:
            text = StoredWiki(connection).pages([head.id])[head.id].text
            template = declared(front_matter.read(text)).template
            return EditView(
                place, head.key, head.title, text, head.revision, number, "", "", template, spelling
            )
        wiki = StoredWiki(connection, volumes)
        led_from = unwritten.led_from(wiki, (volume.id, key))
        if not under and led_from:
            under = next((each.key for each in led_from if each.volume == volume.id), "")
        parent = find_head(connection, volume, under) if under and not entry else None
        title = entry.title if entry else unwritten.typed_title(wiki, (volume.id, key), led_from)
        title = names.as_title(title or page_key.replace("-", " "))
        return EditView(
            place,
            key,
            title,
            "",
            0,
            number,
            parent.key if parent else "",
            parent.title if parent else "",
            spelling=spelling,
            patterns=tuple(patterns_of(context, volume)),
        )


@dataclass(frozen=True, slots=True)
class Moves:
    """What a save would take from references elsewhere, and what making them follow would change.

    Nothing was saved. ``references`` on ``pages`` pages can follow (``hidden`` more pages are closed to the
    actor); ``lost`` lead to sections that the text has no more, line by line.
    """

    volume: Volume
    changes: tuple[PageChange, ...]
    references: int
    sections: int
    lost: tuple[Listed, ...]
    hidden: int
    faulty: tuple[Faulty, ...] = ()

    @property
    def sentence(self) -> str:
        """The question in one sentence."""
        said = []
        if self.faulty and not (self.sections or self.references or self.lost):
            one = len(self.faulty) == 1
            return f"{counted(len(self.faulty), 'place')} that {'puts' if one else 'put'} this page in would be faulty."
        if self.sections:
            said.append(f"{counted(self.sections, 'reference')} to a section that is called otherwise now")
        if self.references:
            said.append(f"{counted(self.references, 'reference')} by a name that would lead elsewhere")
        if self.lost:
            said.append(f"{counted(len(self.lost), 'reference')} to a section that is gone")
        if self.faulty:
            said.append(f"and {counted(len(self.faulty), 'place')} that put it in would be faulty")
        return "This text changes where references lead: " + ", ".join(said) + "."


@dataclass(frozen=True, slots=True)
class Save:
    """What is to be saved: a text under a title in a volume (by its key).

    ``revision`` is the one that the writer began with, 0 for a new page, which goes ``under`` a name of the contents.
    A text ``from_form`` gets the line ends of its page. ``follow`` says whether references that the text would take
    away from what they lead to are to follow. With ``merge`` a text that was begun in an older revision is brought
    together with what was saved since, if both changed different places.
    """

    volume: str
    title: str
    text: str
    revision: int
    note: str = ""
    under: str = ""
    from_form: bool = False
    follow: bool = True
    merge: bool = False


def save(app: AppContext, actor: Actor, wanted: Save) -> Saved:
    """Saves a page. BadText or BadName say what cannot be kept; Conflict says that somebody else saved meanwhile, Clash
    where both changed the same places."""
    if wanted.follow and wanted.revision:
        # Most saves lead nothing elsewhere, and need not keep everybody else from writing.
        done = _save_now(app, actor, wanted, ask=True)
        if isinstance(done, Saved):
            return done
    done = _save_now(app, actor, wanted, ask=False)
    assert isinstance(done, Saved)
    return done


def save_or_tell(app: AppContext, actor: Actor, wanted: Save) -> Saved | Moves:
    """The same, but nothing is saved if references would have to follow: they are told instead."""
    return _save_now(app, actor, wanted, ask=True)


def _save_now(app: AppContext, actor: Actor, wanted: Save, *, ask: bool) -> Saved | Moves:
    note, text = clean_note(wanted.note), wanted.text
    check_page(text)
    # What may change other pages is done while nobody else writes.
    alone = wanted.revision == 0 or (wanted.follow and not ask)
    with writing_transaction(app.engine, alone=alone) as connection, told_to(connection, actor):
        context = ReadContext(connection, actor)
        volume = context.volume(wanted.volume, Permission.WRITE)
        # Text and revision are read as one: others save beside this, and between two questions the page can go on.
        page = page_at(context.wiki, volume, wanted.title)
        by = Signature(actor.person, app.clock(), note)
        if page is None and wanted.revision == 0:
            new = replace(wanted, text=restore("", text)) if wanted.from_form else wanted
            return _settled(connection, actor, _create(connection, actor, volume, new, by, ask=ask))
        if page is None:
            raise Conflict(
                "The page was renamed or deleted while you were writing. Your text is still here; look for the "
                "page under its new name, or save it as a new one.",
                code="gone_meanwhile",
            )
        if wanted.revision != page.head.revision and not wanted.merge:
            raise Conflict(_MEANWHILE.format(page.head.title), code="edited_meanwhile")
        if wanted.revision != page.head.revision:
            text = bring_together(connection, page, wanted.revision, text, context.reads)
            done = _save(context, app, page, text, by, follow=wanted.follow, ask=ask)
            done = done if isinstance(done, Moves) else replace(done, merged=done.merged or text)
            return _settled(connection, actor, done)
        if wanted.from_form:
            text = restore(page.text, text)
        done = _save(context, app, page, text, by, follow=wanted.follow, ask=ask)
        return _settled(connection, actor, done)


def _settled(connection: Connection, actor: Actor, done: Saved | Moves) -> Saved | Moves:
    """What was saved is no draft any more."""
    if isinstance(done, Saved) and actor.person is not None:
        drafts.drop(connection, actor.person, done.volume.id, done.head.id, done.head.key)
    return done


def _save(
    context: ReadContext, app: AppContext, page: Page, text: str, by: Signature, *, follow: bool, ask: bool
) -> Saved | Moves:
    """Saves the text of a page that is there, in the revision that it was read in."""
    connection, actor, wiki, head = context.connection, context.actor, context.wiki, page.head
    volume = next(each for each in context.volumes.values() if each.id == head.volume)
    if text == page.text:
        return Saved(volume, head, False, True, ())
    new = Page(head, text)
    if (follow or ask) and _moves_something(wiki, page, new):
        plan = plan_save(wiki, head.id, text)
        if moves := _moves(connection, actor, volume, plan):
            if ask:
                return replace(moves, faulty=tuple(_faulty(connection, actor, page, new)))
            saved = _save_all(connection, plan, volume, by, moves)
            own = next(
                (change.after for change in plan.change_set.changes if change.head.id == head.id), text
            )
            return replace(saved, merged=own) if own != text else saved
    if ask and (faulty := _faulty(connection, actor, page, new)):
        return Moves(volume, (), 0, 0, (), 0, tuple(faulty))
    number = writing.save_page(connection, head, new.content, text, None, by)
    return Saved(volume, PageHead(head.id, volume.id, head.key, head.title, number), False, False, ())


def _faulty(connection: Connection, actor: Actor, page: Page, new: Page) -> list[Faulty]:
    """Places of use that a text would make faulty: asked only where its slots, parts or headings are others."""
    was, will = page.content, new.content
    if (was.declared.slots, _takes(page)) == (will.declared.slots, _takes(new)):
        return []
    return newly_faulty(ReadContext(connection, actor), page, new)


def _takes(page: Page) -> tuple[object, ...]:
    """What an insert can take of a page."""
    content = page.content
    return (
        [part.name for part in content.parts],
        [(heading.id, heading.parts) for heading in content.headings],
    )


def _moves_something(wiki: StoredWiki, old: Page, new: Page) -> bool:
    """Whether the page has other sections or aliases than before: nothing else of it is led to."""
    before, after = (alias_keys(page.content.front_matter) for page in (old, new))
    return before != after or Sections.of(old, wiki.volumes) != Sections.of(new, wiki.volumes)


def _moves(connection: Connection, actor: Actor, volume: Volume, plan: Plan) -> Moves | None:
    own = plan.page.id if plan.page is not None else 0
    others = [change for change in plan.change_set.changes if change.head.id != own]
    lost = [section for section in plan.followed.lost_sections if section.page.id != own]
    follows = plan.facts.own_sections if isinstance(plan.facts, Edited) else 0
    if not others and not lost and not follows:
        return None
    readable = {each.id for each in visible(connection, actor).values()}
    seen = tuple(change for change in others if change.head.volume in readable)
    return Moves(
        volume,
        seen,
        plan.followed.references,
        plan.followed.sections + follows,
        listed(
            StoredWiki(connection), [reference for reference in lost if reference.page.volume in readable]
        ),
        len(others) - len(seen),
    )


def moves_of(app: AppContext, actor: Actor, volume_key: str, page_key: str, text: str) -> Moves | None:
    """What saving a text of a page that is there would take from references elsewhere; None if nothing."""
    check_page(text)
    with reading(app.engine) as connection:
        every = load_volumes(connection)
        volume = find_volume(connection, actor, volume_key, every)
        check(actor, Permission.WRITE, volume)
        head = find_head(connection, volume, page_key)
        if head is None:
            return None
        wiki = StoredWiki(connection, every=every)
        page = wiki.pages([head.id])[head.id]
        new = Page(head, restore(page.text, text))
        faulty = tuple(_faulty(connection, actor, page, new))
        moves = None
        if _moves_something(wiki, page, new):
            moves = _moves(connection, actor, volume, plan_save(wiki, head.id, new.text))
        if moves is None:
            return Moves(volume, (), 0, 0, (), 0, faulty) if faulty else None
        return replace(moves, faulty=faulty)


def _save_all(connection: Connection, plan: Plan, volume: Volume, by: Signature, moves: Moves) -> Saved:
    """Saves a page and all that follows it as one act."""
    done = acting.do(connection, plan, volume.id, by, {"followed": len(moves.changes)})
    assert plan.page is not None
    id_ = done.pages.get(plan.page.id, plan.page.id)
    head = StoredWiki(connection).pages([id_])[id_].head
    kept = tuple(change.head.title for change in moves.changes if change.head.volume == volume.id)
    return Saved(volume, head, plan.page.id == 0, False, kept)


def _create(
    connection: Connection, actor: Actor, volume: Volume, wanted: Save, by: Signature, *, ask: bool
) -> Saved | Moves:
    under = names.key(wanted.under) or None
    plan = create(StoredWiki(connection), volume.id, wanted.title, wanted.text, under=under)
    moves = _moves(connection, actor, volume, plan)
    if moves is not None and ask:
        return moves
    if moves is not None and not wanted.follow:
        # Only the page itself; what led elsewhere by its name leads here from now on.
        own = tuple(change for change in plan.change_set.changes if change.fate is Fate.MADE)
        plan = replace(plan, change_set=replace(plan.change_set, changes=own))
    return _save_all(connection, plan, volume, by, moves or Moves(volume, (), 0, 0, (), 0))


@dataclass(frozen=True, slots=True)
class Unwritten:
    """A name in a text that has no page, where it stands first; ``at`` in code points."""

    title: str
    line: int
    at: int


@dataclass(frozen=True, slots=True)
class Preview:
    """A text as it would be read, with its problems and how many references it has."""

    volume: Volume
    ready: Ready
    inserted: Inserted
    unwritten: tuple[Unwritten, ...]

    @property
    def links(self) -> list[Link]:
        """The references of the text itself, in order."""
        return self.inserted.links[self.ready.page.head.id]

    @property
    def marks(self) -> list[tuple[str, int]]:
        """Which line of the text an element of the page comes from: ids of headings and references with their lines,
        in order."""
        page, lines = self.ready.page, Lines(self.ready.page.text)
        found = [
            (heading.span.start, anchor)
            for heading, anchor in zip(page.content.headings, self.ready.anchors, strict=True)
        ]
        found += [(each.span.start, f"ref-{n}") for n, each in enumerate(page.content.references)]
        return [(anchor, lines.position(at).line) for at, anchor in sorted(found)]

    def rendered(self, app: AppContext, to: Addresses | None = None) -> Rendered:
        """The text as it would be shown."""
        return render_ready(app, self.ready, self.inserted, to)


def preview(
    app: AppContext, actor: Actor, volume_key: str, page_key: str, text: str, *, title: str = ""
) -> Preview:
    """A text as it would be read if it were saved now; ``title`` is that of a page which is not there yet. Nothing is
    kept; only who may write may ask for it."""
    check_page(text)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volumes, volume = context.volumes, context.volume(volume_key)
        check(actor, Permission.WRITE, volume)
        head = find_head(connection, volume, page_key) or PageHead(
            0, volume.id, names.key(page_key), " ".join(title.split()) or names.as_title(names.key(page_key))
        )
        ready = make_ready(Page(head, text), frozenset(volumes), app.secret)
        return _seen(app, context, volume, ready)


def preview_saved(app: AppContext, actor: Actor, volume_key: str, page_key: str) -> Preview:
    """The same of a page as it is saved."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key, Permission.WRITE)
        head = need_head(connection, volume, page_key)
        return _seen(app, context, volume, load_ready(app, connection, head, context.volumes))


def _seen(app: AppContext, context: ReadContext, volume: Volume, ready: Ready) -> Preview:
    page = ready.page
    found = inserted(StoredWiki(context.connection, context.volumes), volume, page, app)
    lines = Lines(page.text)
    waiting: dict[tuple[str, str], Unwritten] = {}
    for reference, link in zip(page.content.references, found.links[page.head.id], strict=True):
        if link.state == "unwritten":
            at = reference.span.start
            here = Unwritten(link.title, lines.position(at).line, at)
            waiting.setdefault((link.volume, link.key), here)
    return Preview(volume, ready, found, tuple(waiting.values()))


@dataclass(frozen=True, slots=True)
class Target:
    """Where a name typed in a volume leads, or where it would be written."""

    written: bool
    volume: str
    key: str
    title: str


def targets(app: AppContext, actor: Actor, volume_key: str, typed: list[str]) -> dict[str, Target]:
    """For targets as typed between brackets (up to 400), where each leads; what names no page is left out."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volumes, volume = context.volumes, context.volume(volume_key)
        by_id = {each.id: each for each in volumes.values()}
        named: dict[str, Name] = {}
        for each in typed[:400]:
            reference = read(f"[[{each}]]", 0)
            if isinstance(reference, Reference) and reference.name is not None:
                named[each] = reference.name
        resolutions = resolve_names(connection, volume, volumes, list(named.values()))
        return {
            each: Target(
                resolution.written,
                by_id.get(resolution.place[0], volume).key,
                resolution.page.key if resolution.page else names.key(resolution.place[1]),
                resolution.page.title if resolution.page else each,
            )
            for each, resolution in zip(named, resolutions, strict=True)
        }
