"""What people can ask for: one small class an act, which finds its pages, checks rights, and asks the core for a plan.

A wish names things as addresses do (keys of volumes and pages), so that the
same wish can be made again under the write lock.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Literal, Protocol

from mokuji.acts.carrying import copies
from mokuji.acts.readership import beyond
from mokuji.core.base import names
from mokuji.core.base.errors import BadName, Forbidden, Missing, Refused
from mokuji.core.base.phrases import Phrase
from mokuji.core.base.spans import Span
from mokuji.core.diff.line_ends import restore as restore_line_ends
from mokuji.core.diff.line_ends import stored_offset
from mokuji.core.edit.front_edit import names_of
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import check_page
from mokuji.core.model.changes import Fate
from mokuji.core.model.contents import LAST, Placing, Put, parents_of
from mokuji.core.model.contents import Row as Place
from mokuji.core.model.policy import Act, PersonAct, may, may_about, needed_for
from mokuji.core.model.references import uses_of
from mokuji.core.model.things import Thing
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.engine.following import At
from mokuji.core.refactor.plan import Plan, naming, need
from mokuji.core.refactor.plans.aliases import set_aliases
from mokuji.core.refactor.plans.category import file_page, move_category, rename_category
from mokuji.core.refactor.plans.delete import References, delete
from mokuji.core.refactor.plans.extract import Wanted, extract, words_of
from mokuji.core.refactor.plans.inline import inline, inline_everywhere
from mokuji.core.refactor.plans.join import join
from mokuji.core.refactor.plans.link import Address, lead_to_section, link, link_addresses, link_from
from mokuji.core.refactor.plans.merge import Texts, merge
from mokuji.core.refactor.plans.move import move_to_volume, put, reorder
from mokuji.core.refactor.plans.rename import rename
from mokuji.core.refactor.plans.restore import Trashed, restore, returning
from mokuji.core.refactor.plans.retarget import retarget
from mokuji.core.refactor.plans.section import rename_section
from mokuji.core.refactor.plans.slot import give_value, rename_slot
from mokuji.core.refactor.plans.split import Leave, split
from mokuji.core.refactor.plans.undo import masked, undo
from mokuji.core.refactor.plans.volumes import (
    create_volume,
    delete_volume,
    rename_volume,
    set_language,
    set_libraries,
)
from mokuji.core.reports.bare_mentions import Finder, Mention
from mokuji.core.reports.own_addresses import own_addresses
from mokuji.formats.contents import read_contents, read_outline
from mokuji.services.desk import Sight, check, need_head, owned
from mokuji.services.people import NOT_THEIRS
from mokuji.services.reading.categories import CategoryScene, categories_in
from mokuji.store import history, pages
from mokuji.store import volumes as stored_volumes
from mokuji.store.acts import acting, trash
from mokuji.store.index import filings, search, unwritten, upkeep
from mokuji.store.places import placing
from mokuji.store.snapshot import StoredWiki


@dataclass(frozen=True)
class Scene(Sight):
    """Where a wish is planned: one transaction, and who asks."""

    shown: bool = True
    """Whether the plan is to be looked at, rather than done."""

    def volume(self, key: str, act: Act = Act.RENAME) -> Volume:
        return super().volume(key, act)

    def page(self, volume_key: str, page_key: str, act: Act = Act.RENAME) -> PageHead:
        """A page in a volume in which the actor may do this."""
        return need_head(self.connection, self.volume(volume_key, act), page_key)

    def page_named(self, typed: str, home: str, act: Act = Act.RENAME) -> PageHead:
        """A page as a person types it: “Title”, or “Volume/Title”."""
        title, volume = typed.strip(), home
        first, slash, rest = title.partition("/")
        if slash and names.key(first) in self.volumes:
            volume, title = names.key(first), rest.strip()
        if not title:
            raise Missing("Type the name of a page.", code="page_missing")
        return self.page(volume, title, act)

    def name_typed(self, place: tuple[int, str], otherwise: str = "") -> str:
        """A name as those type it who refer to it: an address has neither capitals nor hyphens."""
        head = self.wiki.titles([place]).get(place)
        if head is not None:
            return head.title
        wiki = StoredWiki(self.connection, self.volumes)
        typed = unwritten.typed_title(wiki, place, unwritten.led_from(wiki, place, 1))
        return typed.strip() or otherwise or place[1]

    def may_write(self, volume: int) -> bool:
        """Whether the actor may write in a volume by id."""
        found = next((each for each in self.volumes.values() if each.id == volume), None)
        return found is not None and may(self.actor, Act.WRITE, found.id, closed=found.closed)


class Wish(Protocol):
    """What is asked for. ``volume`` is the key of the volume in hand, empty when there is none yet."""

    act: ClassVar[str]

    @property
    def volume(self) -> str:
        """The key of the volume in hand."""
        ...

    def plan(self, scene: Scene) -> Plan:
        """The plan; a MokujiError says why it cannot be."""
        ...

    def note(self, plan: Plan) -> Phrase:
        """A plain proposal for the note; what may stand in another volume is named as an object."""
        ...


@dataclass(frozen=True, slots=True)
class Rename:
    """Another title for a page; ``rows`` are the chosen opt-in rows."""

    act: ClassVar[str] = "rename"
    volume: str
    page: str
    title: str
    present_words: bool = False
    keep_alias: bool = False
    rows: tuple[str, ...] = ()

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page)
        # What could be exchanged as well is looked for when it is shown, and when some of it was chosen.
        writable = [each.id for each in scene.volumes.values() if scene.may_write(each.id)]
        wanted = scene.shown or self.rows
        offer = search.saying(scene.connection, head.title, writable) if wanted else ()
        return rename(
            scene.wiki,
            head.id,
            self.title,
            present_words=self.present_words,
            keep_alias=self.keep_alias,
            rows=self.rows,
            offer=offer,
        )

    def note(self, plan: Plan) -> Phrase:
        return f"“{plan.facts['from']}” is now called “{plan.facts['to']}”"


@dataclass(frozen=True, slots=True)
class Replace:
    """Another place in the contents: ``under`` and ``after`` are keys; after is “first”, “last” or a key."""

    act: ClassVar[str] = "place"
    volume: str
    page: str
    under: str = ""
    after: str = "last"

    def plan(self, scene: Scene) -> Plan:
        volume = scene.volume(self.volume)
        key = names.key(self.page)
        branch = placing.branch(scene.connection, volume.id, key)
        head = pages.find_head(scene.connection, volume.id, key) if names.is_storable(key) else None
        if not branch and head is None:
            raise Missing(f"“{self.page}” has no place in the contents.", code="place_missing")
        title = branch[0].title if branch else (head.title if head else self.page)
        under = names.key(self.under) or None
        if under is not None and under in {row.key for row in branch}:
            raise Refused(f"“{title}” cannot be placed below itself.", code="place_below_itself")
        if under is not None and not placing.branch(scene.connection, volume.id, under, 1):
            raise Missing(
                f"“{self.under}” has no place in the contents of “{volume.title}”.", code="place_missing"
            )
        after = {"first": None, "last": LAST}.get(self.after, names.key(self.after))
        return put(scene.wiki, [Put(volume.id, key, title, under, after)], head)

    def note(self, plan: Plan) -> Phrase:
        placings = plan.change_set.contents
        title = placings[0].title if placings and isinstance(placings[0], Put) else self.page
        return f"“{title}” has another place in the contents"


@dataclass(frozen=True, slots=True)
class Rearrange:
    """The contents of a volume, or a branch of it (``page``), as a nested list of ``[[Title]]`` lines."""

    act: ClassVar[str] = "contents"
    volume: str
    text: str
    page: str = ""

    def plan(self, scene: Scene) -> Plan:
        volume = scene.volume(self.volume)
        check_page(self.text)
        rows = placing.rows(scene.connection, volume.id)
        listed, problems = read_contents(self.text, strict=True)
        if problems:
            raise Refused("The list cannot be read. " + " ".join(problems), code="contents_unreadable")
        wished = [Place.of(depth, title) for depth, title in listed]
        if self.page:
            wished = _in_branch(rows, names.key(self.page), wished)
        for row in wished:
            names.check_title(row.title)
        there = {head.key for head in scene.wiki.titles([(volume.id, row.key) for row in rows]).values()}
        kept = {each.key for each in wished}
        unplaced = [row.title for row in rows if row.key in there and row.key not in kept]
        head = scene.page(self.volume, self.page) if self.page else None
        plan = reorder(scene.wiki, volume.id, rows, wished, head)
        return replace(plan, facts={**plan.facts, "unplaced": unplaced})

    def note(self, plan: Plan) -> Phrase:
        return "Contents put in another order"


MOST_OUTLINED = 1_000
"""Most names of an outline."""


@dataclass(frozen=True)
class Outline:
    """Names to be written, as an outline that was typed or pasted: put into the contents, in order, at the end of the
    volume or below a page (``under``). Those that have a place keep it."""

    act: ClassVar[str] = "outline"
    volume: str
    text: str
    under: str = ""

    def plan(self, scene: Scene) -> Plan:
        volume = scene.volume(self.volume)
        check_page(self.text)
        rows = placing.rows(scene.connection, volume.id)
        listed, problems = read_outline(self.text)
        if problems:
            raise Refused("The outline cannot be read. " + " ".join(problems[:5]), code="outline_unreadable")
        if len(listed) > MOST_OUTLINED:
            raise Refused(
                f"The outline has {len(listed):,} names; {MOST_OUTLINED:,} at once are the most. Take it in parts.",
                code="outline_large",
            )
        placed = {row.key for row in rows}
        new = [row for row in listed if row.key not in placed]
        if not new:
            raise Refused(
                "Type the names of pages, one a line; all of these have a place already."
                if listed
                else "Type the names of pages, one a line.",
                code="nothing_to_do",
            )
        wished = _with_outline(rows, listed, names.key(self.under))
        plan = reorder(scene.wiki, volume.id, rows, wished, act="outline")
        written = scene.wiki.titles([(volume.id, row.key) for row in new])
        facts = {"placed": len(new), "written": len(written), "had": len(listed) - len(new)}
        return replace(plan, facts={**plan.facts, **facts})

    def note(self, plan: Plan) -> Phrase:
        return f"Outline of {plan.facts['placed']} names"


def _with_outline(rows: Sequence[Place], listed: Sequence[Place], under: str) -> list[Place]:
    """The contents with an outline in it. What stands in the outline below a name that has a place already goes below
    that one, wherever it is."""
    from mokuji.core.model.contents import branch_end, index_of

    wished = list(rows)
    if under and index_of(wished, under) is None:
        raise Missing(f"“{names.as_title(under)}” has no place in the contents.", code="place_missing")
    above: list[str] = []
    for row in listed:
        del above[row.depth :]
        if index_of(wished, row.key) is None:
            parent = above[-1] if above else under
            at = index_of(wished, parent) if parent else None
            depth = wished[at].depth + 1 if at is not None else 0
            place = branch_end(wished, at) if at is not None else len(wished)
            wished.insert(place, Place(depth, row.title, row.key))
        above.append(row.key)
    return wished


def _in_branch(rows: Sequence[Place], key: str, wished: Sequence[Place]) -> list[Place]:
    from mokuji.core.model.contents import branch_end, index_of

    at = index_of(rows, key)
    if at is None or not wished or wished[0].key != key or any(row.depth == 0 for row in wished[1:]):
        raise Refused(
            "The list of a branch begins with the name that the branch has, and all others stand below it.",
            code="contents_branch",
        )
    depth = rows[at].depth
    inside = [Place(row.depth + depth, row.title, row.key) for row in wished]
    keys = {row.key for row in inside}
    outside = [row for row in [*rows[:at], *rows[branch_end(rows, at) :]] if row.key in keys]
    if outside:
        raise Refused(
            f"“{outside[0].title}” has its place in another branch. Move it there.", code="contents_branch"
        )
    return [*rows[:at], *inside, *rows[branch_end(rows, at) :]]


@dataclass(frozen=True, slots=True)
class Move:
    """Pages to another volume, the first with the branch below it if so wished."""

    act: ClassVar[str] = "move"
    volume: str
    page: str
    to: str
    branch: bool = True
    under: str = ""
    revisions: Literal["", "along"] = ""
    """Whether new readers read older revisions, too; as it is, those stay with who could read them."""

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page)
        target = scene.volume(self.to)
        rows = placing.branch(scene.connection, head.volume, head.key) if self.branch else []
        rows = rows or [Place(0, head.title, head.key)]
        found = scene.wiki.titles([(head.volume, row.key) for row in rows])
        ids = [found[head.volume, row.key].id for row in rows if (head.volume, row.key) in found]
        unwritten = [(row.key, row.title) for row in rows if (head.volume, row.key) not in found]
        along = self.revisions == "along" or not beyond(scene.connection, target, scene.volume(self.volume))
        made = move_to_volume(
            scene.wiki,
            ids,
            target.id,
            parents=parents_of(rows),
            unwritten=unwritten,
            under=names.key(self.under) or None,
            copies=copies(scene.connection, scene.wiki.pages(ids).values(), target.id),
        )
        return replace(made, facts={**made.facts, "along": along}, asked=(*made.asked, str(along)))

    def note(self, plan: Plan) -> Phrase:
        number = plan.facts["pages"]
        title = plan.page.title if plan.page else ""
        more = f" and {number - 1} below it" if number > 1 else ""
        return (f"“{title}”{more} moved from “{plan.facts['from']}” to ", plan.named["to"])


@dataclass(frozen=True, slots=True)
class Merge:
    """A page into another; ``into`` is “Title” or “Volume/Title”."""

    act: ClassVar[str] = "merge"
    volume: str
    page: str
    into: str
    texts: Texts = "after"
    edited: str | None = None
    present_words: bool = False
    alias: bool = True
    browser: bool = False  # a text from a form gets its line ends back

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page)
        into = scene.page_named(self.into, self.volume)
        edited = self.edited
        check_page(edited or "")
        if edited is not None and self.browser:
            edited = restore_line_ends(scene.wiki.pages([into.id])[into.id].text, edited)
        return merge(
            scene.wiki,
            head.id,
            into.id,
            texts=self.texts,
            edited=edited,
            present_words=self.present_words,
            alias=self.alias,
            rows=tuple(placing.branch(scene.connection, head.volume, head.key)),
            copies=copies(scene.connection, scene.wiki.pages([head.id]).values(), into.volume),
        )

    def note(self, plan: Plan) -> Phrase:
        return (f"“{plan.facts['from']}” merged into ", plan.named["to"])


@dataclass(frozen=True, slots=True)
class Split:
    """The section under heading ``section`` (from 0) as a page of its own."""

    act: ClassVar[str] = "split"
    volume: str
    page: str
    section: int
    title: str
    leave: Leave = "link"
    present_words: bool = False

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page)
        return split(
            scene.wiki, head.id, self.section, self.title, leave=self.leave, present_words=self.present_words
        )

    def note(self, plan: Plan) -> Phrase:
        return f"“{plan.facts['to']}” made of a section of “{plan.facts['from']}”"


@dataclass(frozen=True, slots=True)
class Join:
    """A page as a section of another."""

    act: ClassVar[str] = "join"
    volume: str
    page: str
    into: str
    present_words: bool = False

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page)
        into = scene.page_named(self.into, self.volume)
        rows = placing.branch(scene.connection, head.volume, head.key)
        along = copies(scene.connection, scene.wiki.pages([head.id]).values(), into.volume)
        return join(scene.wiki, head.id, into.id, present_words=self.present_words, rows=rows, copies=along)

    def note(self, plan: Plan) -> Phrase:
        return (f"“{plan.facts['from']}” is now a section of ", plan.named["to"])


@dataclass(frozen=True, slots=True)
class Section:
    """Other words for heading ``section`` (from 0) of a page."""

    act: ClassVar[str] = "section"
    volume: str
    page: str
    section: int
    words: str
    present_words: bool = False

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page)
        return rename_section(scene.wiki, head.id, self.section, self.words, present_words=self.present_words)

    def note(self, plan: Plan) -> Phrase:
        return f"Section “{plan.facts['from']}” is now called “{plan.facts['to']}”"


@dataclass(frozen=True, slots=True)
class Retarget:
    """References to a name of a volume now lead to another page; ``only`` are page id, start and end of some.

    With ``absolute`` the name is “Volume/Title”, typed with a volume in front that does not exist.
    """

    act: ClassVar[str] = "retarget"
    volume: str
    page: str
    to: str
    present_words: bool = False
    only: tuple[tuple[int, int, int], ...] | None = None
    absolute: bool = False

    def plan(self, scene: Scene) -> Plan:
        volume = scene.volume(self.volume)
        target = scene.page_named(self.to, self.volume, Act.READ)
        chosen = None if self.only is None else {(id_, Span(a, b)) for id_, a, b in self.only}
        place = (volume.id, names.key(self.page))
        said = "" if self.absolute else scene.name_typed(place)
        if self.absolute:
            place, said, asking = self._in_no_volume(scene)
            chosen = asking if chosen is None else chosen & asking
        plan = retarget(scene.wiki, place, target.id, only=chosen, present_words=self.present_words)
        return replace(plan, facts={**plan.facts, "from": names.as_title(said)})

    def _in_no_volume(self, scene: Scene) -> tuple[tuple[int, str], str, set[At]]:
        """The place of a name in a volume that is not there, how it is typed, and who asks for it, as the actor
        sees it: a closed volume looks like none, so only references that the actor can read are led elsewhere."""
        first, _, rest = self.page.strip().lstrip("/").partition("/")
        nowhere = (0, f"{names.key(first)}/{names.key(rest)}")
        asking: set[At] = set()
        said = ""
        for page, use in uses_of(StoredWiki(scene.connection, scene.volumes), nowhere):
            asking.add((page.head.id, use.reference.span))
            said = said or names.unescape(use.reference.name_span.of(page.text)).strip().lstrip("/")
        closed = scene.wiki.volumes.get(names.key(first))
        place = nowhere if closed is None else (closed.id, names.key(rest))
        return place, said or self.page.strip(), asking

    def note(self, plan: Plan) -> Phrase:
        return (f"References to “{plan.facts['from']}” lead to ", plan.named["to"])


@dataclass(frozen=True, slots=True)
class RenameCategory:
    """Another name for a category of a volume; the name of another one makes the two one. ``page`` is its name."""

    act: ClassVar[str] = "category"
    volume: str
    page: str
    to: str

    def plan(self, scene: Scene) -> Plan:
        volume = scene.volume(self.volume)
        key = names.key(self.page)
        known = {each.key: each for each in categories_in(scene, volume)}
        if key not in known:
            raise Missing(
                f"Nothing in “{volume.title}” is filed under “{self.page}”.", code="category_missing"
            )
        pages_ = filings.naming(scene.connection, volume.id, key)
        to = self.to.strip()
        # The name of a category that is there is written as it is there.
        if names.key(to) in known and names.key(to) != key:
            to = known[names.key(to)].name
        return rename_category(scene.wiki, key, to, pages_, name=known[key].name)

    def note(self, plan: Plan) -> Phrase:
        return f"Category “{plan.facts['from']}” is now called “{plan.facts['to']}”"


@dataclass(frozen=True, slots=True)
class MoveCategory:
    """Other broader categories for one of a volume; none puts it at the top. ``page`` is its name."""

    act: ClassVar[str] = "category move"
    volume: str
    page: str
    under: tuple[str, ...] = ()

    def plan(self, scene: Scene) -> Plan:
        volume = scene.volume(self.volume)
        of = CategoryScene(scene, volume)
        known = {key: each.name for key, each in of.categories().items()}
        key = names.key(self.page)
        if key not in known:
            raise Missing(
                f"Nothing in “{volume.title}” is filed under “{self.page}”.", code="category_missing"
            )
        under = [each.strip() for each in self.under if each.strip()]
        under = [known.get(names.key(each), each) for each in under]
        return move_category(scene.wiki, volume.id, known[key], under, of.broader)

    def note(self, plan: Plan) -> Phrase:
        under = ", ".join(f"“{each}”" for each in plan.facts["under"])
        return f"Category “{plan.facts['from']}” stands {f'below {under}' if under else 'at the top'}"


@dataclass(frozen=True, slots=True)
class File:
    """A page is filed under one more category (or several, parted by commas), and under one less; its front matter is
    edited for the person."""

    act: ClassVar[str] = "file"
    volume: str
    page: str
    add: str = ""
    drop: str = ""

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page, Act.WRITE)
        now = list(names_of(need(scene.wiki, head.id).text, "categories"))
        kept = [each for each in now if not self.drop.strip() or names.key(each) != names.key(self.drop)]
        add = " ".join(self.add.split())
        if add:
            # The name of a category that is there is written as it is there, commas and all; others are parted there.
            known = {
                each.key: each.name for each in categories_in(scene, scene.volume(self.volume, Act.READ))
            }
            parts = [add] if names.key(add) in known else [part.strip() for part in add.split(",")]
            kept += [known.get(names.key(part), part) for part in parts if part]
        return file_page(scene.wiki, head.id, kept)

    def note(self, plan: Plan) -> Phrase:
        named = ", ".join(f"“{each}”" for each in plan.facts["categories"])
        return f"Filed under {named}" if named else "Filed nowhere any more"


@dataclass(frozen=True, slots=True)
class RenameSlot:
    """Another name for a slot of a template; all places that use it follow."""

    act: ClassVar[str] = "slot"
    volume: str
    page: str
    slot: str
    to: str

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page)
        return rename_slot(scene.wiki, head.id, self.slot, self.to.strip())

    def note(self, plan: Plan) -> Phrase:
        return f"Slot “{plan.facts['from']}” of “{plan.facts['template']}” is now called “{plan.facts['to']}”"


@dataclass(frozen=True, slots=True)
class GiveValue:
    """The same value for all places of use that give none for a slot."""

    act: ClassVar[str] = "slot value"
    volume: str
    page: str
    slot: str
    value: str

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page)
        return give_value(scene.wiki, head.id, self.slot, self.value)

    def note(self, plan: Plan) -> Phrase:
        return f"“{plan.facts['to']}” for “{plan.facts['slot']}” of “{plan.facts['template']}”"


@dataclass(frozen=True, slots=True)
class Extract:
    """A passage made a template or a page of its own; ``rows`` are the chosen places that hold it too.

    ``start`` and ``end`` are code points of the text in ``revision``; with ``from_browser`` every line end counts as
    one, as in a text field."""

    act: ClassVar[str] = "extract"
    volume: str
    page: str
    start: int
    end: int
    title: str
    template: bool = True
    slots: tuple[tuple[str, str], ...] = ()
    revision: int = 0
    rows: tuple[str, ...] = ()
    from_browser: bool = False

    def passage(self, text: str) -> Span:
        """What is selected in a stored text."""
        start, end = max(0, self.start), max(0, self.end)
        return (
            Span(stored_offset(text, start), stored_offset(text, end))
            if self.from_browser
            else Span(start, end)
        )

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page, Act.WRITE)
        _check_seen(head, self.revision)
        page = need(scene.wiki, head.id)
        passage = self.passage(page.text)
        wanted = Wanted(self.title, self.template, self.slots)
        offer: Sequence[int] = ()
        if scene.shown or self.rows:
            words = words_of(page, passage, wanted)
            writable = [each.id for each in scene.volumes.values() if scene.may_write(each.id)]
            offer = search.saying(scene.connection, words, writable) if words else ()
        return extract(scene.wiki, head.id, passage, wanted, rows=self.rows, offer=offer)

    def note(self, plan: Plan) -> Phrase:
        return f"“{plan.facts['to']}” is made of text on “{plan.facts['from']}”"


@dataclass(frozen=True, slots=True)
class Inline:
    """An insert replaced by its text; ``insert`` counts the references of the page from 0, in ``revision``."""

    act: ClassVar[str] = "inline"
    volume: str
    page: str
    insert: int
    revision: int = 0

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page, Act.WRITE)
        _check_seen(head, self.revision)
        readable = {each.id for each in scene.volumes.values()}
        return inline(scene.wiki, head.id, self.insert, readable)

    def note(self, plan: Plan) -> Phrase:
        return ("The text of ", plan.named["template"], " in the place of an insert")


@dataclass(frozen=True, slots=True)
class InlineEverywhere:
    """All inserts of a page replaced by its text; with ``trash`` the page goes if none is left."""

    act: ClassVar[str] = "inline everywhere"
    volume: str
    page: str
    trash: bool = False

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page, Act.RENAME)
        return inline_everywhere(scene.wiki, head.id, trash=self.trash)

    def note(self, plan: Plan) -> Phrase:
        return f"The text of “{plan.facts['template']}” in the place of its inserts"


def _check_seen(head: PageHead, revision: int) -> None:
    """Refused if the page is not the one that ranges were chosen in."""
    if revision and head.revision != revision:
        raise Refused(
            f"“{head.title}” was edited since the text was selected. Open it again and select it there.",
            code="page_edited",
        )


@dataclass(frozen=True, slots=True)
class Delete:
    """A page, with its branch if so wished, into the trash."""

    act: ClassVar[str] = "delete"
    volume: str
    page: str
    branch: bool = False
    references: References = "leave"
    target: str = ""

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page)
        ids = [head.id]
        if self.branch:
            rows = placing.branch(scene.connection, head.volume, head.key)
            found = scene.wiki.titles([(head.volume, row.key) for row in rows])
            ids += [found[p].id for row in rows[1:] if (p := (head.volume, row.key)) in found]
        target = None
        if self.references == "retarget":
            target = scene.page_named(self.target, self.volume, Act.READ).id
        return delete(scene.wiki, ids, references=self.references, target=target)

    def note(self, plan: Plan) -> Phrase:
        more = plan.facts["pages"] - 1
        return f"“{plan.facts['title']}” deleted" + (f" with {more} below it" if more else "")


@dataclass(frozen=True, slots=True)
class Restore:
    """Pages from the trash, by id; ``titles`` gives some another title."""

    act: ClassVar[str] = "restore"
    volume: str
    pages: tuple[int, ...]
    titles: Mapping[int, str] = field(default_factory=dict)

    def plan(self, scene: Scene) -> Plan:
        readable = {each.id: each for each in scene.volumes.values()}
        found = [each for each in trash.thrown(scene.connection, self.pages) if each.head.volume in readable]
        if not found:
            raise Missing("There is nothing of this in the trash any more.", code="trash_missing")
        for each in found:
            check(scene.actor, Act.RENAME, readable[each.head.volume])
        captured: dict[int, tuple[int, frozenset[Span]]] = {}
        acts: dict[int, list[Put]] = {}
        for number in sorted({each.change_set for each in found}, reverse=True):
            act = history.act(scene.connection, number, list(readable))
            captured |= acting.captured(act) if act else {}
            acts[number] = _puts(act)
        trashed = [
            Trashed(each.head, each.text, each.leads, each.change_set)
            for each in sorted(
                found, key=lambda each: (-each.change_set, _order(acts[each.change_set], each.head))
            )
        ]
        placings: list[Placing] = []
        for volume in sorted({each.head.volume for each in trashed}):
            since = min(each.change_set for each in trashed if each.head.volume == volume)
            # What went before and is back has a place among those that come now, too.
            for former in history.deletions(scene.connection, volume, before=since, most=MOST_LOOKED_BACK):
                acts.setdefault(former.id, _puts(former))
            puts = [
                put for number in sorted(acts, reverse=True) for put in acts[number] if put.volume == volume
            ]
            here = [each for each in trashed if each.head.volume == volume]
            # Pages that went with them and stay away: who has their names by now is somebody else.
            away = {
                each.head.key
                for number in {one.change_set for one in here}
                for each in trash.thrown_by(scene.connection, number)
                if each.head.volume == volume and each.head.id not in self.pages
            }
            rows = placing.rows(scene.connection, volume)
            placings += returning(rows, puts, here, titles=self.titles, away=away)
        return restore(scene.wiki, trashed, titles=self.titles, captured=captured, places=placings)

    def note(self, plan: Plan) -> Phrase:
        more = plan.facts["pages"] - 1
        return f"“{plan.facts['title']}” restored" + (f" with {more} more" if more else "")


def _puts(act: history.LoggedAct | None) -> list[Put]:
    """The places that an act took, as those that would give them back, in that order."""
    data = act.detail.get("contents", ()) if act is not None else ()
    return [each for each in placing.from_data(data) if isinstance(each, Put)]


def _order(places: Sequence[Put], head: PageHead) -> int:
    own = (head.volume, head.key)
    return next((n for n, each in enumerate(places) if (each.volume, each.key) == own), len(places))


MOST_LOOKED_BACK = 100
"""Most former deletions that the places of what comes back are put in order with."""


@dataclass(frozen=True, slots=True)
class Aliases:
    """The other names of a page."""

    act: ClassVar[str] = "aliases"
    volume: str
    page: str
    aliases: tuple[str, ...]

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page)
        return set_aliases(scene.wiki, head.id, [each for each in self.aliases if each.strip()])

    def note(self, plan: Plan) -> Phrase:
        named = ", ".join(f"“{each}”" for each in plan.facts["aliases"])
        return f"Other names: {named}" if named else "No other names any more"


@dataclass(frozen=True, slots=True)
class AddAlias:
    """A name (``page``) becomes another name of the page ``of``."""

    act: ClassVar[str] = "aliases"
    volume: str
    page: str
    of: str

    def plan(self, scene: Scene) -> Plan:
        head = scene.page_named(self.of, self.volume)
        place = (scene.volume(self.volume).id, names.key(self.page))
        name = scene.name_typed(place, self.page)
        if head.volume != place[0]:
            raise Refused(
                f"Another name of a page is found in its own volume only, and “{head.title}” is in another one "
                f"than the references to “{name}”. Lead those to it instead.",
                code="alias_elsewhere",
            )
        text = scene.wiki.pages([head.id])[head.id].text
        return set_aliases(scene.wiki, head.id, [*names_of(text, "aliases"), name])

    def note(self, plan: Plan) -> Phrase:
        assert plan.page is not None
        return (f"“{plan.facts['aliases'][-1]}” is another name of ", naming(plan.page))


@dataclass(frozen=True, slots=True)
class Link:
    """Words that name pages become references to them: those in ``only`` (page id, start, end, target id); or
    of one page (``page``) the first on each page of its volume, or all there."""

    act: ClassVar[str] = "link"
    volume: str
    page: str = ""
    only: tuple[tuple[int, int, int, int], ...] | None = None
    first: bool = False

    def plan(self, scene: Scene) -> Plan:
        volume = scene.volume(self.volume, Act.WRITE)
        found: dict[int, list[tuple[Span, int]]] = {}
        if self.only is not None:
            readable = {each.id for each in scene.volumes.values()}
            known = scene.wiki.pages({id_ for a, _, _, b in self.only for id_ in (a, b)})
            for id_, start, end, target in self.only:
                may = id_ in known and scene.may_write(known[id_].head.volume)
                if may and target in known and known[target].head.volume in readable:
                    _check_says(known[id_], Span(start, end), known[target])
                    found.setdefault(id_, []).append((Span(start, end), target))
        else:
            head = scene.page(self.volume, self.page, Act.WRITE)
            for each in _mentions(scene, volume.id, head):
                if not (self.first and each.page in found):
                    found.setdefault(each.page, []).append((each.span, head.id))
        if not found:
            raise Refused(
                "There is nothing to link: no page says the name without referring.", code="nothing_to_do"
            )
        return link(scene.wiki, found)

    def note(self, plan: Plan) -> Phrase:
        return ("Mentions of ", plan.named.get("to", str(plan.facts["to"])), " linked")


def _check_says(page: Page, span: Span, target: Page) -> None:
    """Refused if these words do not name the page any more: the text or the name has changed since they were listed."""
    if names.key(span.of(page.text)) not in {target.head.key, *target.alias_keys}:
        raise Refused(
            f"“{page.head.title}” was changed meanwhile, or “{target.head.title}” is called otherwise now. "
            "Look at the list again.",
            code="plan_stale",
        )


def _mentions(scene: Scene, volume: int, head: PageHead) -> Iterator[Mention]:
    """Where the pages of a volume say the name of a page (its title or an alias), and no longer name."""
    known = upkeep.page_names(scene.connection, volume)
    own = [key for key, page in known.items() if page == head.id]
    finder = Finder(known)
    ids = {id_ for key in own for id_ in search.saying(scene.connection, key, [volume], 10**6)}
    for _, page in sorted(scene.wiki.pages(ids).items()):
        yield from (each for each in finder.on(Page(page.head, page.text)) if each.target == head.id)


@dataclass(frozen=True, slots=True)
class LinkFrom:
    """A page is referred to at the end of another, ``source``."""

    act: ClassVar[str] = "link"
    volume: str
    page: str
    source: str

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page, Act.READ)
        source = scene.page_named(self.source, self.volume, Act.WRITE)
        return link_from(scene.wiki, source.id, head.id)

    def note(self, plan: Plan) -> Phrase:
        return (plan.named["from"], " refers to ", plan.named["to"])


@dataclass(frozen=True, slots=True)
class LinkAddresses:
    """Outside links on a page that lead to pages of this wiki (``origins`` are its own) become references."""

    act: ClassVar[str] = "link"
    volume: str
    page: str
    origins: tuple[str, ...] = ()

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page, Act.WRITE)
        page = Page(head, scene.wiki.pages([head.id])[head.id].text)
        readable = {volume.key: volume for volume in scene.volumes.values()}
        found = list(own_addresses(page, self.origins, readable))
        known = scene.wiki.titles({each.place for each in found})
        wanted = [
            Address(each.span, known[each.place].id, each.words, each.section)
            for each in found
            if each.place in known
        ]
        if not wanted:
            raise Refused(f"“{head.title}” holds no address of a page of this wiki.", code="nothing_to_do")
        return link_addresses(scene.wiki, head.id, wanted)

    def note(self, plan: Plan) -> Phrase:
        return f"Addresses on “{plan.facts['to']}” are references now"


@dataclass(frozen=True, slots=True)
class LeadToSection:
    """Reference ``reference`` of a page (from 0, in revision ``revision`` of it) leads to another section."""

    act: ClassVar[str] = "link"
    volume: str
    page: str
    reference: int
    section: str
    revision: int = 0

    def plan(self, scene: Scene) -> Plan:
        head = scene.page(self.volume, self.page, Act.WRITE)
        if self.revision and self.revision != head.revision:
            raise Refused(f"“{head.title}” was changed meanwhile. Look at the list again.", code="plan_stale")
        return lead_to_section(
            scene.wiki,
            head.id,
            self.reference,
            self.section,
            readable={volume.id for volume in scene.volumes.values()},
        )

    def note(self, plan: Plan) -> Phrase:
        return f"A reference on “{plan.facts['to']}” leads to “{plan.facts['section']}” now"


@dataclass(frozen=True, slots=True)
class CreateVolume:
    """A new volume, owned by whoever makes it."""

    act: ClassVar[str] = "create volume"
    title: str
    closed: bool = False
    volume: str = ""

    def plan(self, scene: Scene) -> Plan:
        if not scene.actor.signed_in:
            raise Forbidden("Sign in to make a volume.", code="sign_in")
        _check_not_hidden(scene, self.title)
        return create_volume(scene.wiki, self.title, closed=self.closed)

    def note(self, plan: Plan) -> Phrase:
        return f"Volume “{plan.facts['to']}” made"


@dataclass(frozen=True, slots=True)
class RenameVolume:
    """Another name for a volume."""

    act: ClassVar[str] = "rename volume"
    volume: str
    title: str

    def plan(self, scene: Scene) -> Plan:
        volume = scene.volume(self.volume, Act.MANAGE)
        _check_not_hidden(scene, self.title)
        return rename_volume(scene.wiki, volume.id, self.title)

    def note(self, plan: Plan) -> Phrase:
        return f"Volume “{plan.facts['from']}” is now called “{plan.facts['to']}”"


@dataclass(frozen=True, slots=True)
class Libraries:
    """The volumes in which inserts of this one look after its own, in order, by key."""

    act: ClassVar[str] = "libraries"
    volume: str
    libraries: tuple[str, ...]

    def plan(self, scene: Scene) -> Plan:
        volume = scene.volume(self.volume, Act.MANAGE)
        return set_libraries(
            scene.wiki,
            volume.id,
            [scene.volume(each, Act.READ).id for each in self.libraries if each.strip()],
        )

    def note(self, plan: Plan) -> Phrase:
        return f"Libraries of “{plan.facts['to']}” changed"


@dataclass(frozen=True, slots=True)
class Language:
    """The language that a volume is written in, as a tag of BCP 47; empty for none."""

    act: ClassVar[str] = "language"
    volume: str
    language: str

    def plan(self, scene: Scene) -> Plan:
        return set_language(scene.wiki, scene.volume(self.volume, Act.MANAGE).id, self.language)

    def note(self, plan: Plan) -> Phrase:
        return f"Language of “{plan.facts['to']}” changed"


@dataclass(frozen=True, slots=True)
class DeleteVolume:
    """A volume with all its pages into the trash."""

    act: ClassVar[str] = "delete volume"
    volume: str

    def plan(self, scene: Scene) -> Plan:
        volume = scene.volume(self.volume, Act.MANAGE)
        return delete_volume(scene.wiki, volume.id, pages.all_ids(scene.connection, volume.id))

    def note(self, plan: Plan) -> Phrase:
        return f"Volume “{plan.facts['from']}” deleted"


@dataclass(frozen=True, slots=True)
class Undo:
    """An act taken back; ``keep`` are pages whose text stays as it is where both changed it."""

    act: ClassVar[str] = "undo"
    change_set: int
    keep: tuple[int, ...] = ()
    volume: str = ""

    def plan(self, scene: Scene) -> Plan:
        act = self.logged(scene)
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
        made = undo(scene.wiki, acting.past(scene.connection, act), page=act.page, keep=self.keep)
        _check_reverse(scene, act, made)
        since = [
            [then, now, history.title_since(scene.connection, page, now, act.id)]
            for page, then, now in made.facts.get("since", ())
        ]
        more: dict[str, Any] = {"since": since} if since else {}
        if copies := len(act.detail.get("copies", ())):
            more["copies taken back"] = copies
        if kept := act.detail.get("written_in"):
            more["written_in"] = kept
        return replace(made, facts={**made.facts, **more}) if more else made

    def logged(self, scene: Scene) -> history.LoggedAct:
        """The act in question; Missing if the actor may not know of it, Forbidden if they may not take it back."""
        known = {each.id: each for each in scene.volumes.values()}
        gone = stored_volumes.deleted_volumes(scene.connection, owned(scene.actor))
        act = history.act(scene.connection, self.change_set, [*known, *gone])
        if act is None or act.volume not in known.keys() | gone.keys():
            raise Missing(
                "There is no such change, or it is in a volume that is closed to you.", code="act_missing"
            )
        if act.volume in known:
            check(scene.actor, needed_for(root_of(act)), known[act.volume])
        return act

    def note(self, plan: Plan) -> Phrase:
        return f"Change {self.change_set} undone"


def root_of(act: history.LoggedAct) -> str:
    """The name of an act; of an undoing that of the act which it undid, or brought back."""
    return str(act.detail.get("undone", act.act))


def _check_reverse(scene: Scene, act: history.LoggedAct, made: Plan) -> None:
    """Forbidden unless the actor could do to every object what its undoing does, where the object is and where it comes
    to. What only follows (references on other pages, libraries without a volume that was deleted) asks for nothing,
    as in any act."""
    changes = made.change_set
    needed: set[tuple[int, Act]] = set()
    for change in changes.changes:
        places = {change.head.volume, change.head_after.volume}
        more = change.fate is not Fate.KEPT or change.moved
        # Reading texts again is dear: only where it matters what was written in them.
        dear = not more and not all(scene.may_write(each) for each in places)
        if more or (dear and masked(change.before) != masked(change.after)):
            needed |= {(each, Act.RENAME) for each in places}
    needed |= {(each.head.volume, Act.RENAME) for each in changes.removed}
    needed |= {(each.volume, Act.RENAME) for each in changes.contents}
    for volume in changes.volumes:
        sides = [side for side in (volume.before, volume.after) if side is not None]
        if len(sides) == 1 or root_of(act) != "delete volume":
            needed |= {(side.id, Act.MANAGE) for side in sides}
            if root_of(act) == "libraries":
                needed |= {(library, Act.READ) for side in sides for library in side.libraries}
    for each in changes.things:
        for thing in (each.before, each.after):
            if thing is not None:
                _check_thing(scene, thing, needed)
    by_id = {each.id: each for each in scene.wiki.volumes.values()}
    for volume_id, what in sorted(needed):
        found = by_id.get(volume_id)
        if not may(scene.actor, what, volume_id, closed=found is None or found.closed):
            raise Forbidden(
                "Undoing this would change more than you may change yourself, such as pages in other volumes. "
                "Ask somebody who may, or an owner of the wiki."
            )


def _check_thing(scene: Scene, thing: Thing, needed: set[tuple[int, Act]]) -> None:
    if thing.sort == "file":
        needed.add((thing.volume, Act.RENAME))
    elif thing.sort == "source":
        if not any(scene.may_write(each.id) for each in scene.volumes.values()):
            raise Forbidden("Who may write in a volume may change the list of sources.")
    elif not may_about(scene.actor, PersonAct.RENAME, thing.id):
        raise Forbidden(NOT_THEIRS)


def _check_not_hidden(scene: Scene, title: str) -> None:
    """BadName, as of a name that is kept for something else, if a volume that is closed to the actor has it."""
    key = names.key(title)
    if key in scene.wiki.volumes and key not in scene.volumes:
        raise BadName(
            f"“{title.strip()}” cannot be the name of a volume: it is kept for something else. Choose another.",
            code="bad_volume_name",
        )
