"""Makes references follow: the machine that all acts share.

An act says what becomes of the pages (``Outcome``): other heads, pages that
come and go, texts put together anew, other volumes. The machine looks at every
reference that could lead elsewhere afterwards, finds what it is to lead to,
and the edits that make it do so. Then sections: where headings have other
words, came, went or moved to another page, references to them follow, in
rounds until nothing moves. At the end every rewritten page is read again; if
its references are not exactly the expected ones, the act is refused.

What holds: characters outside the rewritten names, sections, added labels and
added ``{#id}`` stay; what was unwritten stays so or is listed as captured; what
loses its target is listed as lost.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from mokuji.core.base import names
from mokuji.core.base.edits import Edit, apply, arrange
from mokuji.core.base.errors import Refused
from mokuji.core.base.names import Name
from mokuji.core.base.spans import Span
from mokuji.core.diff.diff import matching
from mokuji.core.language.headings import shown
from mokuji.core.language.page import Page, PageHead, Use, alias_keys
from mokuji.core.language.parts import Part
from mokuji.core.language.reference import Kind, Reference, as_markdown, read
from mokuji.core.model.changes import Fate, PageChange
from mokuji.core.model.references import By, Resolution, Resolver, Sections, volumes_by_id
from mokuji.core.model.wiki import Overlay, Place, Volume, Wiki
from mokuji.core.refactor.engine.composing import Carried, Composed, Composition, Words

ROUNDS = 20
"""How many pages deep a change of headings may travel before the act is refused."""
At = tuple[int, Span]
"""A reference: the id of the text it is typed in, and its range there."""


@dataclass(frozen=True, slots=True)
class Found:
    """A reference that leads elsewhere afterwards: from an unwritten name to a page (captured), or from
    a page or section to none (lost)."""

    page: PageHead
    span: Span


@dataclass(frozen=True, slots=True)
class Entry:
    """Where references to a whole page lead that went: into a section of another, if one is named."""

    page: int
    section: str = ""


@dataclass(frozen=True)
class Outcome:
    """What an act makes of the wiki, before references follow it.

    ``heads`` are the pages that have another head afterwards, new ones (with
    ids of their own below 1) and restored ones included; ``gone`` go. Where
    references to a gone page lead, ``successors`` says; without one they are
    left unwritten. ``texts`` are what texts consist of that are put together
    anew; ``sources`` texts that parts may be carried from beside those of the
    wiki, of which ``copies`` are of pages; ``edits`` what the act changes in a text
    by itself. ``became`` says of
    headings (by page and index) that they became a page. ``aims`` are
    references that are given another target, ``plain`` such as become plain
    words; ``plain_targets`` are pages whose references all do. ``fates`` are
    those of pages that are not simply kept.
    """

    heads: Mapping[int, PageHead] = field(default_factory=dict)
    gone: frozenset[int] = frozenset()
    successors: Mapping[int, Entry] = field(default_factory=dict)
    texts: Mapping[int, Composition] = field(default_factory=dict)
    sources: Mapping[int, Page] = field(default_factory=dict)
    copies: Mapping[int, int] = field(default_factory=dict)
    edits: Mapping[int, tuple[Edit, ...]] = field(default_factory=dict)
    became: Mapping[tuple[int, int], int] = field(default_factory=dict)
    aims: Mapping[At, int] = field(default_factory=dict)
    plain: frozenset[At] = frozenset()
    plain_targets: frozenset[int] = frozenset()
    volumes: Mapping[str, Volume] | None = None
    fates: Mapping[int, Fate] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Followed:
    """The changed pages in the order of volume and key, and what was found on the way.

    ``landed`` says where captured references stand afterwards: page → its
    revision then, and their ranges; an undo releases them again. ``other_texts``
    are inserts that put in another page's text than before, or become words.
    ``resettled`` are unwritten names that would be written in another volume
    than before; ``released`` what an act captured and its undoing lets go;
    ``returned`` what fell to another page when one went, and leads to that again.
    """

    changes: tuple[PageChange, ...]
    captured: tuple[Found, ...] = ()
    lost: tuple[Found, ...] = ()
    lost_sections: tuple[Found, ...] = ()
    other_texts: tuple[Found, ...] = ()
    resettled: tuple[Found, ...] = ()
    released: tuple[Found, ...] = ()
    returned: tuple[Found, ...] = ()
    landed: Mapping[int, tuple[int, frozenset[Span]]] = field(default_factory=dict)
    references: int = 0
    sections: int = 0
    labels_kept: int = 0
    labels_added: int = 0


def follow(
    wiki: Wiki,
    outcome: Outcome,
    *,
    present_words: bool = False,
    minimal: bool = False,
    leave: Mapping[int, tuple[int, frozenset[Span]]] | None = None,
    places: Collection[Place] = (),
) -> Followed:
    """All references made to follow an outcome.

    References by title say the new title, unless ``present_words`` keeps what
    readers see by a label. With ``minimal`` what leads to its page anyhow (by
    an alias, say) stays as typed. ``leave`` names references, by page and the
    revision they were seen in, that stay as typed whatever they lead to.
    ``places`` are looked at besides those that the outcome touches.
    """
    following = _Following(wiki, outcome, present_words, leave or {}, minimal)
    following.names(places)
    following.sections()
    return following.finish()


def wiki_after(wiki: Wiki, outcome: Outcome) -> Overlay:
    """The wiki as it will be, before references follow."""
    return _Following(wiki, outcome, False, {}, False).after


_Typed = tuple[int, str]
"""A volume, and a reference as it is typed there."""


@dataclass(frozen=True, slots=True)
class _Done:
    """What following made of a reference: where it leads, edits from its start on, and what is noted of it."""

    wanted: int | None
    edits: tuple[Edit, ...]
    name: Name | None
    labelled: bool
    careful: bool
    added: int


def _typed(page: Page, use: Use) -> _Typed | None:
    """What all references typed alike share; None for one that may follow in a way of its own."""
    reference = use.reference
    if reference.kind is not Kind.LINK or reference.name is None or reference.section or use.in_heading:
        return None
    return page.head.volume, reference.span.of(page.text)


class _Following:
    def __init__(
        self,
        wiki: Wiki,
        outcome: Outcome,
        present_words: bool,
        leave: Mapping[int, tuple[int, frozenset[Span]]],
        minimal: bool,
    ) -> None:
        self._wiki = wiki
        self._outcome = outcome
        self._present_words = present_words
        self._leave = leave
        self._minimal = minimal
        self._pages: dict[int, Page] = {}
        self._edits: dict[int, dict[Span, Edit]] = {}
        self._stored: dict[int, Page] = {}
        self._renamed: dict[int, dict[int, Name]] = {}
        self._careful: set[int] = set()
        self._dirty: set[int] = set()
        self._captured: dict[At, Found] = {}
        self._lost: dict[At, Found] = {}
        self._lost_sections: dict[At, Found] = {}
        self._other_texts: dict[At, Found] = {}
        self._resettled: dict[At, Found] = {}
        self._released: dict[At, Found] = {}
        self._returned: dict[At, Found] = {}
        self._loose: set[At] = set()
        self._unsectioned: set[At] = set()
        self._gone_references: set[At] = set()
        self._wanted_ids: dict[At, int | None] = {}
        self._sections: set[tuple[int, int]] = set()
        self._labelled: dict[int, set[int]] = {}
        self._added = 0
        self._resolved: dict[tuple[bool, int, Name, bool], Resolution] = {}
        self._whole_homes: dict[int, Volume | None] = {}
        self._forms: dict[tuple[object, ...], tuple[Edit | None, Name]] = {}
        self._composed: dict[int, Composed] = {}
        self._known_sections: dict[int, Sections] = {}
        self._read_sections: dict[int, tuple[Composed, Sections]] = {}
        self._load([*outcome.texts, *outcome.edits, *(i for i in outcome.heads if i > 0), *outcome.gone])
        self._load({p.source for parts in outcome.texts.values() for p in parts if isinstance(p, Carried)})
        self._load({page for page, _ in (*outcome.aims, *outcome.plain)})
        for id_, edits in outcome.edits.items():
            self._edits[id_] = {edit.span: edit for edit in edits}
            self._careful.add(id_)
        self.after = self._overlay()
        self._homes_after = volumes_by_id(self.after)
        # A text that comes back with its volume has no other home before.
        self._homes = {**self._homes_after, **volumes_by_id(wiki)}
        self._volume_keys = frozenset(wiki.volumes)
        self._volume_keys_after = frozenset(self.after.volumes)

    # ---- the wiki as it will be ---------------------------------------------

    def _overlay(self) -> Overlay:
        outcome = self._outcome
        changed = self._recast - outcome.gone
        changed |= {
            id_
            for id_, head in outcome.heads.items()
            if id_ not in self._stored or self._stored[id_].head.volume != head.volume
        }
        aliases: dict[int, tuple[str, ...]] = {}
        heads = dict(outcome.heads)
        for id_ in changed:
            aliases[id_] = alias_keys(self._composition(id_).text)
            if id_ not in heads:
                heads[id_] = self._page(id_).head
        return Overlay(self._wiki, heads, gone=outcome.gone, aliases=aliases, volumes=outcome.volumes)

    @cached_property
    def _recast(self) -> set[int]:
        """The pages whose text is another one by the act itself."""
        edited = {host for id_ in self._outcome.edits for host in self._hosts_of(id_)}
        return {*self._outcome.texts, *edited}

    def _load(self, ids: Iterable[int]) -> None:
        missing = [id_ for id_ in dict.fromkeys(ids) if id_ not in self._pages]
        if missing:
            asked = [id_ for id_ in missing if id_ not in self._outcome.sources]
            self._stored.update(self._wiki.pages(asked) if asked else {})
            found = {id_: self._stored[id_] for id_ in asked if id_ in self._stored}
            found |= {i: self._outcome.sources[i] for i in missing if i in self._outcome.sources}
            self._pages.update(found)

    def _page(self, id_: int) -> Page:
        """The text of before with this id: a page's own, or one of the sources."""
        if id_ not in self._pages:
            self._load([id_])
        return self._pages[id_]

    def _head_after(self, id_: int) -> PageHead:
        head = self._outcome.heads.get(id_)
        if head is None and id_ not in self._pages:
            self._load([id_])
        return head if head is not None else self._page(id_).head

    @cached_property
    def _hosts(self) -> Mapping[int, list[tuple[Span, int]]]:
        """Source → which of its ranges go into which page that is put together anew."""
        hosts: dict[int, list[tuple[Span, int]]] = {}
        for id_, parts in self._outcome.texts.items():
            for part in parts:
                if isinstance(part, Carried):
                    hosts.setdefault(part.source, []).append((part.span, id_))
        return hosts

    def _host(self, source: int, span: Span) -> int | None:
        """The page on which a passage stands afterwards; None if nowhere."""
        for carried, id_ in self._hosts.get(source, ()):
            if carried.start <= span.start and span.end <= carried.end:
                return id_
        if source in self._outcome.gone or source in self._outcome.texts or source not in self._stored:
            return None
        return source

    def _composition(self, id_: int) -> Composed:
        """The text of a page afterwards, with the edits made so far."""
        if id_ not in self._composed:
            parts = self._outcome.texts.get(id_)
            if parts is None:
                page = self._page(id_)
                parts = [Carried(id_, Span(0, len(page.text)))]
            self._composed[id_] = Composed(parts, lambda source: self._page(source).text, self._edits_of)
        return self._composed[id_]

    def _edits_of(self, source: int) -> Iterable[Edit]:
        return self._edits.get(source, {}).values()

    def _sources_of(self, id_: int) -> set[int]:
        parts = self._outcome.texts.get(id_)
        return {id_} if parts is None else {p.source for p in parts if isinstance(p, Carried)} | {id_}

    def _hosts_of(self, source: int) -> set[int]:
        hosts = {id_ for _, id_ in self._hosts.get(source, ())}
        return hosts or {source}

    # ---- names -------------------------------------------------------------

    def names(self, places: Collection[Place] = ()) -> None:
        """Follows all references that could lead elsewhere."""
        uses = list(self._candidates({*self._touched(), *places}))
        special = self._special()
        typed = [None if page.head.id in special else _typed(page, use) for page, use in uses]
        # Those typed alike in one volume are resolved once, and follow as the first of them did.
        first = {key: n for n, key in reversed([*enumerate(typed)]) if key is not None}
        distinct = [
            pair
            for n, (key, pair) in enumerate(zip(typed, uses, strict=True))
            if key is None or first[key] == n
        ]
        before = self._resolver(distinct, self._wiki, self._homes)
        after = self._resolver(distinct, self.after, self._homes_after, moved=True)
        known: dict[_Typed, _Done] = {}
        for key, (page, use) in zip(typed, uses, strict=True):
            if key is None:
                self._follow_name(page, use, before, after)
            elif key in known:
                self._follow_alike(page, use, known[key])
            else:
                done = self._follow_watched(page, use, before, after)
                if done is not None:
                    known[key] = done

    def _special(self) -> set[int]:
        """The pages on which two references typed alike may follow differently."""
        outcome = self._outcome
        aimed = {id_ for id_, _ in (*outcome.aims, *outcome.plain)}
        parted = self._hosts.keys() | outcome.texts.keys() | outcome.sources.keys() | outcome.edits.keys()
        return aimed | parted | outcome.heads.keys() | outcome.gone | self._leave.keys()

    def _follow_watched(self, page: Page, use: Use, before: Resolver, after: Resolver) -> _Done | None:
        """Follows a reference; what was done if the same is to be done to all that are typed alike."""
        id_, span = page.head.id, use.reference.span
        careful, added = id_ in self._careful, self._added
        self._follow_name(page, use, before, after)
        at = (id_, span)
        if at not in self._wanted_ids or at in self._lost or at in self._captured or careful:
            return None
        edits = tuple(e for e in self._edits.get(id_, {}).values() if _holds(span, e.span))
        return _Done(
            self._wanted_ids[at],
            tuple(Edit(each.span.moved(-span.start), each.words) for each in edits),
            self._renamed.get(id_, {}).get(use.index),
            use.index in self._labelled.get(id_, ()),
            id_ in self._careful,
            self._added - added,
        )

    def _follow_alike(self, page: Page, use: Use, done: _Done) -> None:
        id_, span = page.head.id, use.reference.span
        self._wanted_ids[id_, span] = done.wanted
        for edit in done.edits:
            self._put_edit(id_, Edit(edit.span.moved(span.start), edit.words))
        if done.name is not None:
            self._renamed.setdefault(id_, {})[use.index] = done.name
        if done.labelled:
            self._labelled.setdefault(id_, set()).add(use.index)
        if done.careful:
            self._careful.add(id_)
        self._added += done.added

    def _candidates(self, places: Collection[Place]) -> Iterator[tuple[Page, Use]]:
        keys: dict[int, set[str]] = {}
        for place in places:
            for id_ in self._wiki.naming(place):
                keys.setdefault(id_, set()).add(place[1])
        for place in self._dispersed():
            for id_ in self._wiki.naming_sections(place):
                keys.setdefault(id_, set()).add(place[1])
        whole, volumes, inserting = self._whole(), self._changed_volumes(), self._inserting()
        closely = whole | inserting
        aimed: dict[int, set[Span]] = {}
        for id_, span in (*self._outcome.aims, *self._outcome.plain):
            aimed.setdefault(id_, set()).add(span)
        naming = {id_ for key in volumes for id_ in self._wiki.naming_volume(key)}
        closely |= naming | aimed.keys()
        ids = keys.keys() | closely
        self._load(ids)
        every = frozenset(key for some in keys.values() for key in some)
        for id_ in sorted(ids & self._pages.keys()):
            page = self._pages[id_]
            if id_ not in closely:
                yield from ((page, use) for use in page.uses(every))
                continue
            for use in page.every_use():
                name = use.reference.name
                if (
                    id_ in whole
                    or use.reference.span in aimed.get(id_, ())
                    or (name is not None and (name.key in every or name.title in every))
                    or (name is not None and name.volume in volumes)
                    or (id_ in inserting and use.reference.kind is Kind.INSERT)
                ):
                    yield page, use

    def _touched(self) -> set[Place]:
        """All places at which a name can lead elsewhere afterwards."""
        outcome = self._outcome
        places: set[Place] = set()
        shifted: set[int] = set()
        for id_ in {*outcome.heads, *outcome.gone}:
            was = self._stored[id_].head if id_ in self._stored else None
            will = None if id_ in outcome.gone else outcome.heads[id_]
            if was is None or will is None or _name(was) != _name(will):
                places.update((head.volume, head.key) for head in (was, will) if head is not None)
                shifted.add(id_)
        places |= self._touched_aliases(shifted)
        return places

    def _touched_aliases(self, shifted: Collection[int]) -> set[Place]:
        outcome = self._outcome
        places: set[Place] = set()
        shared: set[Place] = set()
        for id_ in {*shifted, *self._recast}:
            was = self._alias_places(id_)
            will = (
                set()
                if id_ in outcome.gone
                else {(self._head_after(id_).volume, k) for k in self._aliases_after(id_)}
            )
            places |= was ^ will
            if id_ in shifted:
                shared |= was & will
        # Of two pages with one alias the first by key counts, and the key is changing.
        places.update(place for place, holders in self._wiki.aliases(shared).items() if len(holders) > 1)
        return places

    def _dispersed(self) -> set[Place]:
        """All names of pages that are left, but some of whose headings stand on another page afterwards."""
        pages = {id_ for id_, hosts in self._hosts.items() if any(host != id_ for _, host in hosts)}
        pages |= {id_ for id_, _ in self._outcome.became}
        places: set[Place] = set()
        for id_ in (pages & self._stored.keys()) - self._outcome.gone:
            head = self._stored[id_].head
            places |= {(head.volume, head.key)} | self._alias_places(id_)
        return places

    def _alias_places(self, id_: int) -> set[Place]:
        page = self._stored.get(id_)
        return set() if page is None else {(page.head.volume, key) for key in page.alias_keys}

    def _aliases_after(self, id_: int) -> tuple[str, ...]:
        return alias_keys(self._composition(id_).text)

    def _whole(self) -> set[int]:
        """Texts of which every reference must be looked at: they stand on another page or in another volume."""
        moved = {
            id_
            for id_, head in self._outcome.heads.items()
            if id_ in self._stored and self._stored[id_].head.volume != head.volume
        }
        carried = {
            source
            for source, hosts in self._hosts.items()
            if source not in self._stored or any(id_ != source for _, id_ in hosts)
        }
        became = {id_ for id_, _ in self._outcome.became}
        return (moved | carried | became) & self._pages.keys()

    def _changed_volumes(self) -> set[str]:
        """The keys that are those of a volume before or afterwards only, or of another one."""
        if self._outcome.volumes is None:
            return set()
        before = {key: volume.id for key, volume in self._wiki.volumes.items()}
        after = {key: volume.id for key, volume in self.after.volumes.items()}
        return {key for key in before.keys() | after.keys() if before.get(key) != after.get(key)}

    def _inserting(self) -> set[int]:
        if self._outcome.volumes is None:
            return set()
        after = self._homes_after
        changed = [
            id_
            for id_, volume in self._homes.items()
            if id_ in after and volume.libraries != after[id_].libraries
        ]
        return {page for id_ in changed for page in self._wiki.inserting(id_)}

    def _home(self, page: Page) -> Volume:
        return self._homes[page.head.volume]

    def _home_after(self, page: Page, span: Span) -> Volume | None:
        id_ = page.head.id
        if id_ in self._whole_homes:
            return self._whole_homes[id_]
        host = self._host(id_, span)
        home = None if host is None else self._homes_after.get(self._head_after(host).volume)
        if id_ not in self._hosts:
            # All of the text stays together: what was found for one range fits all.
            self._whole_homes[id_] = home
        return home

    def _resolver(
        self,
        uses: Iterable[tuple[Page, Use]],
        wiki: Wiki,
        homes: Mapping[int, Volume],
        *,
        moved: bool = False,
    ) -> Resolver:
        typed: dict[tuple[int, Name | None, Kind], tuple[Volume, Reference]] = {}
        for page, use in uses:
            reference = use.reference
            home = self._home_after(page, reference.span) if moved else self._home(page)
            if home is not None:
                typed.setdefault((home.id, reference.name, reference.kind), (homes[home.id], reference))
        return Resolver.of(wiki, typed.values())

    def _left(self, page: Page, reference: Reference) -> bool:
        revision, spans = self._leave.get(page.head.id, (0, frozenset[Span]()))
        return revision == page.head.revision and reference.span in spans

    def _note_left(self, page: Page, reference: Reference, before: Resolver, after: Resolver) -> None:
        """A reference that an act took, and its undoing leaves: whether it leads nowhere again, or where it did."""
        home = self._homes_after.get(self._head_after(page.head.id).volume)
        if reference.name is None or home is None or page.head.id in self._outcome.gone:
            return
        insert = reference.kind is Kind.INSERT
        was = before.resolve(reference.name, self._home(page), insert=insert).page
        will = after.resolve(reference.name, home, insert=insert).page
        if was is not None and (will is None or will.id != was.id):
            kept = self._released if will is None else self._returned
            kept[page.head.id, reference.span] = Found(page.head, reference.span)

    def _follow_name(self, page: Page, use: Use, before: Resolver, after: Resolver) -> None:
        reference = use.reference
        at = (page.head.id, reference.span)
        home = self._home_after(page, reference.span)
        if self._left(page, reference):
            self._note_left(page, reference, before, after)
            return
        if home is None or reference.kind is Kind.LISTING:
            return
        if at in self._outcome.plain:
            self._to_words(page, use)
            return
        insert = reference.kind is Kind.INSERT
        if reference.name is None:
            speaker = self._stored.get(self._speaker(page))
            if speaker is None:
                return  # a text from elsewhere speaks of itself
            led_to, by = speaker.head, By.TITLE
        else:
            was = before.resolve(reference.name, self._home(page), insert=insert)
            if was.page is None or was.by is None:
                self._follow_unwritten(page, use, was, after.resolve(reference.name, home, insert=insert))
                return
            led_to, by = was.page, was.by
        target = led_to.id
        if target in self._outcome.plain_targets and at not in self._outcome.aims:
            self._to_words(page, use)
            return
        wanted, section = self._wanted(page, reference, target)
        self._wanted_ids[at] = wanted
        if wanted is None:
            self._lose(page, reference, home, after)
            return
        if insert and wanted != target and not reference.section and not section:
            self._other_texts[at] = Found(page.head, reference.span)
        will = wanted
        if reference.name is not None:
            found = after.resolve(reference.name, home, insert=insert).page
            will = found.id if found is not None else 0
        elif (host := self._host(*at)) is not None:
            will = host
        stale = by is By.TITLE and reference.name is not None and self._says_another_title(target, wanted)
        if will != wanted or section is not None or (stale and not self._minimal):
            self._rewrite(page, use, led_to, self._head_after(wanted), stale, section)

    def _speaker(self, page: Page) -> int:
        """The page that a text means by ``[[#section]]``."""
        return self._outcome.copies.get(page.head.id, page.head.id)

    def _says_another_title(self, target: int, wanted: int) -> bool:
        """Whether references by title are to say another one."""
        if target != wanted:
            return True
        head = self._outcome.heads.get(target)
        return head is not None and target in self._stored and head.title != self._stored[target].head.title

    def _wanted(self, page: Page, reference: Reference, target: int) -> tuple[int | None, str | None]:
        """The page a reference is to lead to, and its section if that is settled here (empty: none)."""
        aim = self._outcome.aims.get((page.head.id, reference.span))
        if aim is not None:
            return aim, None
        recast = target in self._hosts or target in self._outcome.texts or target in self._outcome.gone
        part = self._part(reference, target) if recast else None
        if part is not None:
            host = self._host(target, part.opening)
            if host is not None:
                return host, None
        elif reference.section and recast and target in self._stored:
            index = self._sections_before(target).find(reference.section)
            if index is not None:
                if (target, index) in self._outcome.became:
                    self._unsectioned.add((page.head.id, reference.span))
                    return self._outcome.became[target, index], ""
                found = self._located(target, index)
                if found is not None:
                    return found[0], None
        if target in self._outcome.gone:
            entry = self._outcome.successors.get(target)
            if entry is None:
                return None, None
            if entry.section and not reference.section:
                self._unsectioned.add((page.head.id, reference.span))
                return entry.page, entry.section
            return entry.page, None
        return target, None

    def _part(self, reference: Reference, target: int) -> Part | None:
        """The named part of a page that an insert is of; None for any other reference."""
        if reference.kind is not Kind.INSERT or not reference.section or target not in self._stored:
            return None
        if not self._sections_before(target).is_part(reference.section):
            return None
        key = names.key(reference.section)
        return next((part for part in self._stored[target].content.parts if part.key == key), None)

    def _follow_unwritten(self, page: Page, use: Use, was: Resolution, will: Resolution) -> None:
        """What led to no page: given a target, captured, or kept where it would be written."""
        reference = use.reference
        at = (page.head.id, reference.span)
        aim = self._outcome.aims.get(at)
        if aim is not None:
            self._wanted_ids[at] = aim
            if will.page is not None and will.page.id == aim:
                return
            self._rewrite(page, use, None, self._head_after(aim), True, None)
        elif will.page is not None:
            self._captured[at] = Found(page.head, reference.span)
        elif was.place != will.place and self._must_keep_place(page, reference, was):
            self._rewrite_unwritten(page, use, was.place)
        elif was.place[0] != will.place[0] and self._outcome.volumes is not None:
            self._resettled[at] = Found(page.head, reference.span)

    def _must_keep_place(self, page: Page, reference: Reference, was: Resolution) -> bool:
        if was.place[0] not in self._homes_after or reference.name is None:
            return False
        home = self._home_after(page, reference.span)
        if home is None or home.id != page.head.volume:
            return True
        by_volume = reference.name.volume is not None and was.place[1] == reference.name.title
        return by_volume and self._wiki.volumes.get(reference.name.volume or "") is not None

    def _lose(self, page: Page, reference: Reference, home: Volume, after: Resolver) -> None:
        """The target goes and nothing takes its place; by an alias the name may find another page."""
        at = (page.head.id, reference.span)
        if reference.name is None:
            return
        will = after.resolve(reference.name, home, insert=reference.kind is Kind.INSERT)
        listed = self._lost if will.page is None else self._captured
        listed[at] = Found(page.head, reference.span)

    def _to_words(self, page: Page, use: Use) -> None:
        """A reference becomes the words that readers see."""
        reference = use.reference
        words = as_markdown(shown(reference, page.text, self._volume_keys))
        if reference.label(page.text) and reference.label_span is not None:
            words = reference.label_span.of(page.text).strip()
        id_ = page.head.id
        if reference.kind is Kind.INSERT:
            self._other_texts[id_, reference.span] = Found(page.head, reference.span)
        inside = [span for span in self._edits.get(id_, {}) if _holds(reference.span, span)]
        for span in inside:
            del self._edits[id_][span]
        self._edit(page, use, Edit(reference.span, words))
        self._gone_references.add((id_, reference.span))
        self._careful.add(id_)

    def _rewrite(
        self,
        page: Page,
        use: Use,
        led_to: PageHead | None,
        head: PageHead,
        renamed: bool,
        section: str | None,
    ) -> None:
        reference = use.reference
        whole = led_to is not None and reference.name is not None and led_to.key == reference.name.key
        words = shown(reference, page.text, self._volume_keys, whole=whole)
        title = head.title
        if renamed and led_to is not None and reference.name is not None:
            title = names.like_typed(reference.title_typed(page.text), led_to.title, title)
        if renamed and led_to is None:
            title = self._as_asked(reference, page, title)
        edit, name = self._form(page, reference, (head.volume, head.key), title, head.id, section)
        self._take_form(page, use, edit, name)
        keep = self._present_words or not renamed or bool(section)
        self._label(page, use, words, title, name, keep=keep, section=section)

    def _as_asked(self, reference: Reference, page: Page, title: str) -> str:
        typed = reference.title_typed(page.text)
        return names.like_typed(typed, typed[:1].upper() + typed[1:], title)

    def _rewrite_unwritten(self, page: Page, use: Use, place: Place) -> None:
        reference = use.reference
        words = shown(reference, page.text, self._volume_keys)
        by_key = reference.name is not None and reference.name.key == place[1]
        span = reference.name_span if by_key else reference.title_span
        title = names.unescape(span.of(page.text))
        edit, name = self._form(page, reference, place, title, None, None)
        self._take_form(page, use, edit, name)
        self._label(page, use, words, title, name, keep=True, section=None)

    def _take_form(self, page: Page, use: Use, edit: Edit | None, name: Name) -> None:
        if edit is None:
            return
        self._edit(page, use, edit)
        self._renamed.setdefault(page.head.id, {})[use.index] = name
        plain = names.is_plain(edit.words) and names.is_plain(edit.span.of(page.text))
        if use.reference.section is not None or not plain:
            self._careful.add(page.head.id)

    def _form(
        self,
        page: Page,
        reference: Reference,
        place: Place,
        title: str,
        wanted: int | None,
        section: str | None,
    ) -> tuple[Edit | None, Name]:
        """The shortest way to write the target that leads to the page (or, with None, to the unwritten
        place) afterwards, as an edit. ``section`` is added, or taken away when it is empty."""
        home = self._home_after(page, reference.span)
        assert home is not None
        # Most references to a page are typed alike: what was found for one fits the next.
        key = (reference.span.of(page.text), home.id, place, title, wanted, section)
        if key not in self._forms:
            edit, name = self._find_form(page, reference, home, place, title, wanted, section)
            moved = None if edit is None else Edit(edit.span.moved(-reference.span.start), edit.words)
            self._forms[key] = moved, name
        edit, name = self._forms[key]
        return (None if edit is None else Edit(edit.span.moved(reference.span.start), edit.words)), name

    def _find_form(
        self,
        page: Page,
        reference: Reference,
        home: Volume,
        place: Place,
        title: str,
        wanted: int | None,
        section: str | None,
    ) -> tuple[Edit | None, Name]:
        volume = self._homes_after[place[0]]
        insert = reference.kind is Kind.INSERT
        written = names.escape(title)
        full = f"{names.escape(volume.title)}/{written}"
        typed_volume = reference.title_span != reference.name_span
        bare = volume.id == home.id or (insert and volume.id in home.libraries)
        forms = [(reference.title_span, written)] if typed_volume or bare else []
        alone = [(reference.name_span, written)] if typed_volume and bare else []
        with_volume = [(reference.name_span, full), (reference.name_span, "/" + full)]
        if reference.name is not None and reference.name.absolute:
            with_volume.reverse()
        # Where it is the volume that is called otherwise, a reference that says it goes on doing so.
        forms += with_volume + alone if self._outcome.volumes is not None else alone + with_volume
        behind = ""
        if section is not None:
            behind = "#" + names.escape_section(section) if section else ""
            # What stands between name and section goes with it.
            end = max(reference.name_span.end, reference.section_span.end if reference.section_span else 0)
            forms = [(Span(span.start, end), words + behind) for span, words in forms]
        for span, words in forms:
            start, end = reference.name_span.start, max(reference.name_span.end, span.end)
            target = page.text[start : span.start] + words + page.text[span.end : end]
            made = read(f"[[{target}]]", 0)
            fits = isinstance(made, Reference) and made.name is not None
            if fits and isinstance(made, Reference) and (made.section is None) == (not behind):
                assert made.name is not None
                found = self._resolve_after(made.name, home, insert)
                right = found.place == place if wanted is None else found.page is not None
                if right and (found.page and found.page.id) == wanted:
                    same = words == span.of(page.text)
                    return (None if same else Edit(span, words)), made.name
        raise Refused(
            f"“{reference.span.of(page.text)}” on “{page.head.title}” cannot be written so that it leads to "
            f"“{title}”. Choose another title, or change that reference first.",
            code="unwritable",
            named=[page.head.volume, place[0]],
        )

    def _resolve_after(self, name: Name, home: Volume, insert: bool) -> Resolution:
        key = (True, home.id, name, insert)
        if key not in self._resolved:
            resolver = Resolver.of(self.after, [(home, _bare(name, insert))])
            self._resolved[key] = resolver.resolve(name, home, insert=insert)
        return self._resolved[key]

    def _label(
        self, page: Page, use: Use, words: str, title: str, name: Name, *, keep: bool, section: str | None
    ) -> None:
        reference = use.reference
        if reference.kind is not Kind.LINK:
            return
        if reference.label(page.text):
            self._labelled.setdefault(page.head.id, set()).add(use.index)
            return
        left = reference.section if section is None else section
        seen = f"{title} § {left}" if left else title
        if keep and seen != words:
            span = reference.label_span or Span(reference.span.end - 2, reference.span.end - 2)
            bar = "" if reference.label_span is not None else "|"
            self._edit(page, use, Edit(span, bar + as_markdown(words)))
            self._careful.add(page.head.id)
            self._added += 1

    def _edit(self, page: Page, use: Use, edit: Edit) -> None:
        if any(id_ == page.head.id and _holds(span, edit.span) for id_, span in self._gone_references):
            return
        self._put_edit(page.head.id, edit)
        if use.in_heading:
            self._mark_dirty(page.head.id)
            self._careful.add(page.head.id)

    def _put_edit(self, source: int, edit: Edit) -> None:
        self._edits.setdefault(source, {})[edit.span] = edit
        for host in self._hosts_of(source):
            self._composed.pop(host, None)

    def _mark_dirty(self, source: int) -> None:
        for host in self._hosts_of(source):
            self._dirty |= {id_ for id_ in self._sources_of(host) if id_ in self._stored}

    # ---- sections ----------------------------------------------------------

    def sections(self) -> None:
        """Follows references to headings that moved, or whose words have changed, until nothing moves."""
        for id_ in self._outcome.edits:
            self._mark_dirty(id_)
        for id_ in self._outcome.texts:
            self._dirty |= {each for each in self._sources_of(id_) if each in self._stored}
        self._dirty |= {id_ for id_ in self._outcome.successors if id_ in self._stored}
        if self._changed_volumes():
            self._dirty |= {
                id_
                for id_, page in self._stored.items()
                if any(
                    use.in_heading and use.reference.name and use.reference.name.volume
                    for use in page.every_use()
                )
            }
        for _ in range(ROUNDS):
            dirty, self._dirty = sorted(self._dirty), set()
            if not dirty:
                self._check_aims()
                return
            self._load(dirty)
            for page_id in dirty:
                if page_id in self._pages:
                    self._follow_sections(self._pages[page_id])
        raise Refused(
            "The headings of these pages refer to each other in a circle, so their sections cannot follow. "
            "Take the reference out of one of the headings first.",
            code="section_circle",
        )

    def _check_aims(self) -> None:
        """References that were given another target keep their section; where it has none of that name, it is lost."""
        for (id_, span), aim in self._outcome.aims.items():
            page = self._pages.get(id_)
            reference = next((r for r in page.content.references if r.span == span), None) if page else None
            if page is None or reference is None or not reference.section:
                continue
            insert = reference.kind is Kind.INSERT
            if not self._sections_after(aim).holds(reference.section, insert=insert):
                self._lost_sections[id_, span] = Found(page.head, span)

    def _sections_before(self, id_: int) -> Sections:
        if id_ not in self._known_sections:
            self._known_sections[id_] = Sections.of(self._stored[id_], self._volume_keys)
        return self._known_sections[id_]

    def _sections_after(self, id_: int) -> Sections:
        made = self._composition(id_)
        known = self._read_sections.get(id_)
        if known is None or known[0] is not made:
            page = _Read(self._head_after(id_), made)
            known = self._read_sections[id_] = (made, Sections.of(page, self._volume_keys_after))
        return known[1]

    def _located(self, target: int, index: int) -> tuple[int, int | None] | None:
        """Where a heading of a page is afterwards: the page and the index there; None if it went with its page."""
        heading = self._stored[target].content.headings[index]
        host = self._host(target, Span(heading.span.start, heading.span.start + 1))
        if host is not None:
            at = self._composition(host).heading_at(target, heading.span.start)
            if at is not None or host != target or target not in self._outcome.texts:
                return host, at
        entry = self._outcome.successors.get(target)
        keeper = entry.page if entry is not None else (None if target in self._outcome.gone else target)
        if keeper is None:
            return None
        return keeper, self._alike(target, keeper).get(index)

    def _alike(self, target: int, keeper: int) -> dict[int, int]:
        """Headings of a text that was replaced by another: which of the new ones they are."""
        was, will = self._sections_before(target), self._sections_after(keeper)
        old = [heading.level for heading in self._stored[target].content.headings]
        new = [heading.level for heading in self._composition(keeper).content.headings]
        free = {
            n
            for n, heading in enumerate(self._composition(keeper).content.headings)
            if self._is_free(keeper, n)
        }
        found = matching(
            list(zip(was.ids, was.keys, old, strict=True)), list(zip(will.ids, will.keys, new, strict=True))
        )
        return {a: b for a, b in found.items() if b in free}

    def _is_free(self, page: int, index: int) -> bool:
        """Whether a heading afterwards is none that was carried from a page of before."""
        made = self._composition(page)
        piece = made.piece_at(made.content.headings[index].span.start)
        return not (isinstance(piece.part, Carried) and piece.part.source in self._stored)

    def _follow_sections(self, target: Page) -> None:
        was = self._sections_before(target.head.id)
        alone = target.head.id not in self._hosts and target.head.id not in self._outcome.gone
        if (
            alone
            and target.head.id not in self._outcome.texts
            and was == self._sections_after(target.head.id)
        ):
            return
        keys = {target.head.key, *target.alias_keys}
        ids = {target.head.id}
        for key in keys:
            ids.update(self._wiki.naming_sections((target.head.volume, key)))
        self._load(ids)
        for page_id in sorted((ids | self._outcome.sources.keys()) & self._pages.keys()):
            page = self._pages[page_id]
            for use in page.section_uses(keys):
                if self._leads_to(page, use, target):
                    self._follow_section(page, use, target, was)

    def _leads_to(self, page: Page, use: Use, target: Page) -> bool:
        if use.reference.name is None:
            return self._speaker(page) == target.head.id
        home = self._home(page)
        insert = use.reference.kind is Kind.INSERT
        key = (False, home.id, use.reference.name, insert)
        if key not in self._resolved:
            resolver = Resolver.of(self._wiki, [(home, use.reference)])
            self._resolved[key] = resolver.resolve(use.reference.name, home, insert=insert)
        found = self._resolved[key].page
        return found is not None and found.id == target.head.id

    def _follow_section(self, page: Page, use: Use, target: Page, was: Sections) -> None:
        reference = use.reference
        at = (page.head.id, reference.span)
        settled = at in self._unsectioned or at in self._gone_references or at in self._outcome.aims
        if not reference.section or reference.section_span is None or settled or self._left(page, reference):
            return
        if self._host(*at) is None:
            return
        if reference.kind is Kind.INSERT and was.is_part(reference.section):
            self._follow_part(page, reference, target)
            return
        old = was.find(reference.section)
        current = self._edits.get(page.head.id, {}).get(reference.section_span)
        now = names.unescape(current.words) if current else reference.section
        if old is None:
            self._follow_broken(page, reference, target, now)
            return
        found = self._located(target.head.id, old)
        if found is None:
            return
        host, index = found
        insert = reference.kind is Kind.INSERT
        if index is None and host != target.head.id:
            # The page that takes the place of a whole text may have a section of the same words.
            will = self._sections_after(host)
            same = None if insert and will.is_part(now) else will.find(now)
            if same is not None and will.keys[same] == was.keys[old]:
                self._lost_sections.pop(at, None)
                return
        if index is None:
            self._lost_sections[at] = Found(page.head, reference.span)
            return
        self._lost_sections.pop(at, None)
        if self._leads_there(host, now, index, insert=insert):
            return
        words = self._section_words(host, index, insert=insert)
        self._edit(page, use, Edit(reference.section_span, names.escape_section(words)))
        self._careful.add(page.head.id)
        self._sections.add((page.head.id, use.index))

    def _leads_there(self, host: int, words: str, index: int, *, insert: bool) -> bool:
        """Whether these words name that heading afterwards; an insert by them finds a part of that name first."""
        will = self._sections_after(host)
        return will.find(words) == index and not (insert and will.is_part(words))

    def _follow_part(self, page: Page, reference: Reference, target: Page) -> None:
        """An insert of a named part: it is lost if the part went with its page, or another one of its name comes
        first where it is now."""
        part = self._part(reference, target.head.id)
        gone = target.head.id in self._outcome.gone
        if part is None or reference.section is None:
            return
        at = (page.head.id, reference.span)
        host = self._host(target.head.id, part.opening)
        if host is None:
            if gone and target.head.id in self._outcome.successors and not self._comes_back(target, part):
                self._lost_sections[at] = Found(page.head, reference.span)
            return
        made = self._composition(host)
        first = next((each for each in made.content.parts if each.key == part.key), None)
        piece = made.piece_of(target.head.id, part.opening.start)
        right = (
            first is not None and piece is not None and piece.place(part.opening.start) == first.opening.start
        )
        if not right or not self._sections_after(host).is_part(reference.section):
            self._lost_sections[at] = Found(page.head, reference.span)

    def _comes_back(self, target: Page, part: Part) -> bool:
        """Whether the text that takes a page's place has a part of this name that is no other page's."""
        made = self._composition(self._outcome.successors[target.head.id].page)
        found = next((each for each in made.content.parts if each.key == part.key), None)
        if found is None:
            return False
        piece = made.piece_at(found.opening.start)
        return not (isinstance(piece.part, Carried) and piece.part.source in self._stored)

    def _follow_broken(self, page: Page, reference: Reference, target: Page, now: str) -> None:
        keeper: int | None = target.head.id
        if target.head.id in self._outcome.gone:
            entry = self._outcome.successors.get(target.head.id)
            keeper = entry.page if entry is not None else None
        if keeper is not None and self._sections_after(keeper).find(now) is not None:
            self._captured[page.head.id, reference.span] = Found(page.head, reference.span)

    def _section_words(self, host: int, index: int, *, insert: bool = False) -> str:
        """Words that lead to this heading afterwards; an identifier is added where none would."""
        will = self._sections_after(host)
        id_ = will.ids[index]
        if id_ is not None and self._leads_there(host, id_, index, insert=insert):
            return id_
        made = self._composition(host)
        content = made.content
        heading = content.headings[index]
        words = "".join(
            part
            if isinstance(part, str)
            else shown(content.references[part], made.text, self._volume_keys_after)
            for part in heading.parts
        )
        words = " ".join(words.split())
        if self._leads_there(host, words, index, insert=insert):
            return words
        new = self._new_id(will, will.keys[index])
        self._add_id(host, index, new)
        return new

    def _add_id(self, host: int, index: int, new: str) -> None:
        made = self._composition(host)
        start = made.content.headings[index].span.start
        part = made.piece_at(start).part
        if not isinstance(part, Carried):
            raise Refused(
                "A heading that comes back has the words of another one of its page by now, so references "
                "cannot lead to it. Change one of the two first.",
                code="section_hidden",
            )
        source = part.source
        heading = next(
            h for h in self._page(source).content.headings if made.heading_at(source, h.span.start) == index
        )
        self._put_edit(source, Edit(Span(heading.end, heading.end), f" {{#{new}}}"))
        self._careful.add(source)
        self._mark_dirty(source)

    def _new_id(self, will: Sections, key: str) -> str:
        base = re.sub(r"[^0-9a-z]+", "-", key).strip("-") or "section"
        number = 2
        while will.find(f"{base}-{number}") is not None:
            number += 1
        return f"{base}-{number}"

    # ---- the end -----------------------------------------------------------

    def finish(self) -> Followed:
        """The changed pages, each read again where that could matter; Refused if one is not as expected."""
        outcome = self._outcome
        edited = {host for source, edits in self._edits.items() if edits for host in self._hosts_of(source)}
        ids = (edited | set(outcome.texts) | set(outcome.heads)) - outcome.gone
        changes = [self._change(id_) for id_ in ids if id_ in self._pages or id_ in outcome.texts]
        changes.sort(key=lambda change: (change.head.volume, change.head.key, change.head.id))
        self._verify([change for change in changes if change.content is not None])

        def listed(found: Mapping[At, Found]) -> tuple[Found, ...]:
            return tuple(sorted(found.values(), key=lambda f: (f.page.volume, f.page.key, f.span)))

        return Followed(
            tuple(changes),
            captured=listed(self._captured),
            lost=listed(self._lost),
            lost_sections=listed(self._lost_sections),
            other_texts=listed(self._other_texts),
            resettled=listed(self._resettled),
            released=listed(self._released),
            returned=listed(self._returned),
            landed=self._landed({change.head.id: change for change in changes}),
            references=sum(len(indexes) for indexes in self._renamed.values()),
            sections=len(self._sections),
            labels_kept=sum(len(indexes) for indexes in self._labelled.values()),
            labels_added=self._added,
        )

    def _landed(self, changes: Mapping[int, PageChange]) -> dict[int, tuple[int, frozenset[Span]]]:
        """Where references stand once this is done that were captured, or would be written elsewhere: page → its
        revision then, and their ranges."""
        places: dict[int, tuple[int, frozenset[Span]]] = {}
        for source, span in (*self._captured, *self._resettled):
            host = self._host(source, span)
            if host is None:
                continue
            piece = self._composition(host).piece_of(source, span.start)
            if piece is not None:
                revision = self._head_after(host).revision
                if host in changes:
                    revision = changes[host].head.revision + 1
                there = Span(piece.place(span.start), piece.place(span.end))
                places[host] = (revision, places.get(host, (0, frozenset[Span]()))[1] | {there})
        return places

    def _change(self, id_: int) -> PageChange:
        stored = self._stored.get(id_)
        head = stored.head if stored is not None else self._outcome.heads[id_]
        before = stored.text if stored is not None else ""
        after = self._head_after(id_)
        fate = self._outcome.fates.get(id_, Fate.KEPT)
        if fate is not Fate.KEPT:
            before = self._outcome.sources[id_].text if id_ in self._outcome.sources else ""
        own = id_ in self._recast or id_ in self._outcome.heads
        if id_ in self._outcome.texts:
            made = self._composition(id_)
            edits = made.as_edits(id_, before)
            return PageChange(
                head,
                after.title,
                before,
                made.text,
                edits,
                made.content,
                {},
                frozenset(),
                after.volume,
                fate,
                own,
            )
        edits = arrange(self._edits_of(id_))
        volume_same = after.volume == head.volume
        if id_ not in self._careful and volume_same and fate is Fate.KEPT:
            text, content = apply(before, edits), None
        else:
            text, content = self._composition(id_).text, self._composition(id_).content
        renamed = self._renamed.get(id_, {})
        labelled = frozenset(self._labelled.get(id_, ()))
        return PageChange(
            head, after.title, before, text, edits, content, renamed, labelled, after.volume, fate, own
        )

    def _verify(self, changes: Collection[PageChange]) -> None:
        """Reads changed pages again; Refused if a reference came, went, or leads elsewhere than it should."""
        pairs: list[tuple[PageChange, int, Reference, Reference]] = []
        for change in changes:
            pairs += [(change, source, a, b) for source, a, b in self._pairs(change)]
        before = Resolver.of(self._wiki, ((self._home(self._page(s)), a) for _, s, a, _ in pairs))
        homes = self._homes_after
        after = Resolver.of(self.after, ((homes[c.head_after.volume], b) for c, _, _, b in pairs))
        for change, source, a, b in pairs:
            if not self._as_expected(change, source, a, b, before, after):
                raise _unexpected(change)

    def _pairs(self, change: PageChange) -> Iterator[tuple[int, Reference, Reference]]:
        """References of before with those they became, part by part."""
        assert change.content is not None
        made = self._composition(change.head.id)
        new = self._not_of_the_act(made, change.content.references)
        at = 0
        for piece in made.pieces:
            standing: list[Reference] = []
            while at < len(new) and new[at].span.start < piece.end:
                standing.append(new[at])
                at += 1
            part = piece.part
            if isinstance(part, Words):
                continue
            old = [
                reference
                for reference in self._page(part.source).content.references
                if part.span.start <= reference.span.start < part.span.end
                and not self._within_gone(part.source, reference)
            ]
            if len(old) != len(standing) or any(
                a.kind is not b.kind for a, b in zip(old, standing, strict=True)
            ):
                raise _unexpected(change)
            yield from ((part.source, a, b) for a, b in zip(old, standing, strict=True))

    def _not_of_the_act(self, made: Composed, references: Sequence[Reference]) -> list[Reference]:
        """The references of a text but for those that stand wholly in words that the act itself puts there."""
        put: list[Span] = []
        for piece in made.pieces:
            part = piece.part
            if isinstance(part, Words) or part.source not in self._outcome.edits:
                continue
            own = {edit.span: edit for edit in self._outcome.edits[part.source]}
            for edit in piece.edits:
                if own.get(edit.span) == edit and "[[" in edit.words:
                    end = piece.place(edit.span.end)
                    put.append(Span(end - len(edit.words), end))
        if not put:
            return list(references)
        return [each for each in references if not any(_holds(span, each.span) for span in put)]

    def _within_gone(self, source: int, reference: Reference) -> bool:
        """Whether a reference became words, or stands in what an edit of the act itself replaces."""
        if (source, reference.span) in self._gone_references:
            return True
        if any(_holds(edit.span, reference.span) for edit in self._outcome.edits.get(source, ())):
            return True
        return any(page == source and _holds(gone, reference.span) for page, gone in self._gone_references)

    def _as_expected(
        self, change: PageChange, source: int, a: Reference, b: Reference, before: Resolver, after: Resolver
    ) -> bool:
        at = (source, a.span)
        if at in self._captured or at in self._lost or self._left(self._page(source), a):
            return True
        insert = a.kind is Kind.INSERT
        home, home_after = self._home(self._page(source)), self._homes_after[change.head_after.volume]
        if a.name is None and b.name is None:
            return a.kind is Kind.LISTING or self._wanted_ids.get(at, change.head.id) == change.head.id
        if b.name is None:
            return False
        will = after.resolve(b.name, home_after, insert=insert)
        if at in self._wanted_ids:
            return will.page is not None and will.page.id == self._wanted_ids[at]
        if a.name is None:
            return False
        was = before.resolve(a.name, home, insert=insert)
        same = (was.page and was.page.id) == (will.page and will.page.id)
        kept = was.place == will.place or not self._must_keep_place(self._page(source), a, was)
        return same and (was.page is not None or kept)


class _Read(Page):
    """A page of which the text was scanned already."""

    def __init__(self, head: PageHead, made: Composed) -> None:
        super().__init__(head, made.text)
        self.__dict__["content"] = made.content


def _holds(outer: Span, inner: Span) -> bool:
    return outer.start <= inner.start and inner.end <= outer.end


def _name(head: PageHead) -> tuple[int, str, str]:
    return head.volume, head.key, head.title


def _bare(name: Name, insert: bool) -> Reference:
    return Reference(Kind.INSERT if insert else Kind.LINK, Span(0, 0), name, Span(0, 0), Span(0, 0))


def _unexpected(change: PageChange) -> Refused:
    return Refused(
        f"The references on “{change.head.title}” would not come out as expected, so nothing was changed. "
        "Brackets there touch code, HTML or a definition: put spaces or empty lines around them, then try again.",
        code="unexpected_references",
        named=[change.head.volume],
    )
