"""Undo an act: planned like any other.

Pages get their old names, volumes and places back, pages that the act removed
come back, such as it made go. Texts that nobody edited since get their very
bytes back; others are merged, three ways, and what both changed is a conflict
that the writer must settle. References made since follow. Refused if a name is
taken by now.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import Collision, Missing, Refused
from mokuji.core.base.spans import Span
from mokuji.core.diff.merge import Conflict, Mine, merge3
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.assets import AssetChange, renaming
from mokuji.core.model.changes import ChangeSet, Fate, Removed, RoleChange, VolumeChange
from mokuji.core.model.contents import Placing, Put, Rekey, Take
from mokuji.core.model.references import Resolver, volumes_by_id
from mokuji.core.model.wiki import Volume, Wiki
from mokuji.core.refactor.engine.composing import Carried, Composition, Words
from mokuji.core.refactor.engine.following import follow, wiki_after
from mokuji.core.refactor.engine.outcome import AffectedReference, At, Outcome, Successor
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, leads_of
from mokuji.core.syntax.reference import Kind


@dataclass(frozen=True, slots=True)
class Before:
    """A page as an act found it: the revision that the act made, the text before and the text made."""

    made: int
    text: str
    after: str


@dataclass(frozen=True, slots=True)
class Returning:
    """A page that an act removed: its last head and text, what its references led to, who took its own."""

    head: PageHead
    text: str
    leads: tuple[tuple[int, int], ...] = ()
    successor: int | None = None


@dataclass(frozen=True)
class Past:
    """What an act did.

    ``texts`` are the pages it wrote that were there before; ``heads`` what
    pages were called that it renamed or moved. ``made`` are pages it made or
    restored, ``entries`` where references to those lead once they go.
    ``captured`` says of pages, by the revision they then had, which references
    began to lead somewhere. ``contents`` takes its placings back, ``volumes``
    are what it changed. ``free`` are pages of ``texts`` in which the act was
    meant to lead references elsewhere (an edit, other aliases, a retarget): they lead back.
    ``roles`` are what it made of people, as they are by now (``in_the_way`` says if they are something else).
    ``assets`` are files, sources and people that it changed, ``naming`` the pages that name those now,
    ``in_the_way`` says why they cannot change back. ``called`` is what the act called the pages of ``heads``,
    ``stood`` the volume where they stood then.
    """

    texts: Mapping[int, Before] = field(default_factory=dict)
    heads: Mapping[int, PageHead] = field(default_factory=dict)
    made: frozenset[int] = frozenset()
    entries: Mapping[int, Successor] = field(default_factory=dict)
    removed: tuple[Returning, ...] = ()
    captured: Mapping[int, tuple[int, frozenset[Span]]] = field(default_factory=dict)
    contents: tuple[Placing, ...] = ()
    volumes: tuple[VolumeChange, ...] = ()
    free: frozenset[int] = frozenset()
    assets: tuple[AssetChange, ...] = ()
    roles: tuple[RoleChange, ...] = ()
    naming: frozenset[int] = frozenset()
    in_the_way: str = ""
    called: Mapping[int, str] = field(default_factory=dict)
    stood: Mapping[int, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Since:
    """What is another since the act, and is taken back with it: the title of a page (or, without one, of a volume,
    or the language of that), then and now, and the change that it is so by (0: not known)."""

    page: int
    volume: int
    then: str
    now: str
    change: int = 0
    what: Literal["title", "volume title", "volume language"] = "title"


@dataclass(frozen=True, slots=True)
class Undone(Facts):
    """An act that was taken back.

    ``restored`` says how many pages get the very text back that stood there, ``made`` which revision the act made of
    pages in conflict, ``copies`` how many copies of files go. ``change`` is the number of the act, ``what`` its name.
    """

    restored: int
    made: Mapping[int, int]
    since: tuple[Since, ...] = ()
    copies: int = 0
    change: int = 0
    what: str = ""

    def seen(self, readable: Collection[int]) -> Undone:
        return replace(self, since=tuple(since for since in self.since if since.volume in readable))


def undo(wiki: Wiki, past: Past, *, page: int | None = None, keep: Collection[int] = ()) -> Plan:
    """The plan to take an act back. ``keep`` are pages (of those in conflict) whose text is to stay as it is."""
    if past.in_the_way:
        raise Refused(past.in_the_way, code="thing_changed")
    changed = [_volume_back(wiki, volume) for volume in reversed(past.volumes)]
    volumes = _volumes(wiki, changed)
    ids = [*past.texts, *past.heads, *past.made, *(page_back.head.id for page_back in past.removed)]
    there = dict(wiki.pages(ids))
    gone = frozenset(past.made & there.keys())
    back = {page_back.head.id: page_back for page_back in past.removed if page_back.head.id not in there}
    heads = _heads_back(past, there, gone)
    heads |= {id_: each.head for id_, each in back.items()}
    _check_names(wiki, heads, gone, volumes)
    _check_volumes(wiki, past, heads, gone)
    texts, conflicts = _texts(there, gone, past, keep)
    edits = _renamed_back(wiki, past, texts)
    texts = {id_: parts for id_, parts in texts.items() if id_ not in edits}
    sources = {id_: Page(each.head, each.text) for id_, each in back.items()}
    texts |= {id_: [Carried(id_, Span(0, len(each.text)))] for id_, each in sources.items()}
    entries = {id_: entry for id_, entry in past.entries.items() if id_ in gone}
    # A page to lead to may have gone since: what led to the page that goes is unwritten then, and listed.
    left = (wiki.pages({entry.page for entry in entries.values()}).keys() | back.keys()) - gone
    outcome = Outcome(
        heads=heads,
        gone=gone,
        successors={id_: entry for id_, entry in entries.items() if entry.page in left},
        texts=texts,
        edits=edits,
        sources=sources,
        aims=_aims(wiki, back, sources, heads),
        volumes=volumes,
        fates=dict.fromkeys(back, Fate.RESTORED),
    )
    outcome = _only_alike(wiki, outcome, there, past)
    leave = {**past.captured, **_unwritten(back, sources)}
    followed = follow(wiki, outcome, minimal=True, leave=leave)
    # Only where references change what they lead to can that have gone since; to read all texts of a rename again would
    # cost more than undoing it.
    again = _without_a_page(wiki, outcome, past) if gone or past.free else ()
    lost = {(each.page.id, each.span): each for each in (*followed.lost, *again)}
    followed = replace(followed, lost=tuple(sorted(lost.values(), key=_where)))
    leads = leads_of(wiki, [there[i] for i in gone])
    removed = tuple(Removed(there[i].head, _page_of(outcome, i), leads[i]) for i in sorted(gone))
    since = (
        *_volumes_since(past, changed),
        *(
            Since(id_, there[id_].head.volume, past.called[id_], there[id_].head.title)
            for id_ in sorted(past.heads.keys() & past.called.keys() & there.keys())
            if id_ not in gone and there[id_].head.title != past.called[id_]
        ),
    )
    assets = tuple(AssetChange(asset.after, asset.before) for asset in reversed(past.assets))
    roles = tuple(replace(each, before=each.after, after=each.before) for each in reversed(past.roles))
    contents = _places(past, there, heads)
    change_set = ChangeSet("undo", followed.changes, removed, contents, tuple(changed), assets, roles)
    hand = there[page].head if page in there else heads.get(page) if page is not None else None
    restored = sum(1 for change in followed.changes if _exact(outcome, change.head.id))
    facts = Undone(restored, {page.id: past.texts[page.id].made for page in conflicts}, since)
    asked = ("undo", *map(str, sorted(keep)))
    return Plan(hand, change_set, followed, asked, (), facts, conflicts, free=frozenset(past.free))


_SINCE: Mapping[str, Literal["volume title", "volume language"]] = {
    "title": "volume title",
    "language": "volume language",
}


def _volumes_since(past: Past, changed: Sequence[VolumeChange]) -> Iterator[Since]:
    """What of the volumes was changed since an act that is taken back with it."""
    for was, back in zip(reversed(past.volumes), changed, strict=True):
        if was.before is None or was.after is None or back.before is None:
            continue
        for what in _SINCE:
            then, now = getattr(was.after, what), getattr(back.before, what)
            if getattr(was.before, what) != then and then != now:
                yield Since(0, back.before.id, then, now, what=_SINCE[what])


def _heads_back(past: Past, there: Mapping[int, Page], gone: Collection[int]) -> dict[int, PageHead]:
    """What pages are called, and where they are, once that is taken back which the act changed of it; what it left
    alone stays as it is by now."""
    heads: dict[int, PageHead] = {}
    for id_, was in past.heads.items():
        if id_ not in there or id_ in gone:
            continue
        now = there[id_].head
        title = was.title if past.called.get(id_) != was.title else now.title
        volume = now.volume if past.stood.get(id_) == was.volume else was.volume
        heads[id_] = replace(now, volume=volume, title=title, key=names.key(title))
    return heads


def _places(past: Past, there: Mapping[int, Page], heads: Mapping[int, PageHead]) -> tuple[Placing, ...]:
    """The places that are given back; each page takes its own along, whatever it is called and wherever it is by
    now."""
    renamed = {id_: was for id_, was in past.heads.items() if id_ in heads}
    if len(renamed) > 1 and all(there[id_].head.volume == heads[id_].volume for id_ in renamed):
        return tuple(_places_of_renamed(past, there, heads))
    made = {
        names.key(past.called.get(id_, was.title)): id_ for id_, was in past.heads.items() if id_ in heads
    }
    were = {(was.volume, was.key): id_ for id_, was in past.heads.items() if id_ in heads}
    found: list[Placing] = []
    left = set(past.heads.keys() & heads.keys())
    for each in past.contents:
        id_ = were.get((each.volume, each.key)) if isinstance(each, Put) else made.get(each.key)
        if id_ is None:
            found.append(each)
            continue
        now, back = there[id_].head, heads[id_]
        left.discard(id_)
        if now.volume == back.volume:
            found.append(Rekey(now.volume, now.key, back.key, back.title))
        elif isinstance(each, Put):
            found.append(replace(each, volume=back.volume, key=back.key, title=back.title))
        else:
            found.append(Take(now.volume, now.key))
    for id_ in sorted(left):
        now, back = there[id_].head, heads[id_]
        if now.volume == back.volume and now.title != back.title:
            found.append(Rekey(now.volume, now.key, back.key, back.title))
    return tuple(found)


def _places_of_renamed(
    past: Past, there: Mapping[int, Page], heads: Mapping[int, PageHead]
) -> Iterator[Placing]:
    """As ``_places``, of an act that called several pages otherwise in their volume, and may have sorted them, too."""
    ids = [id_ for id_ in past.heads if id_ in heads]
    # What the act called each, as it is called by now.
    now = {
        (there[id_].head.volume, names.key(past.called.get(id_, there[id_].head.title))): there[id_].head.key
        for id_ in ids
    }
    back = {(heads[id_].volume, there[id_].head.key): id_ for id_ in ids}
    left = set(ids)

    def of_now(volume: int, key: str | None) -> str | None:
        return None if key is None else now.get((volume, key), key)

    for each in past.contents:
        key = of_now(each.volume, each.key) or each.key
        if isinstance(each, Rekey):
            now.pop((each.volume, each.key), None)
            left.discard(back.get((each.volume, key), 0))
            yield replace(each, key=key)
        elif isinstance(each, Take):
            left.discard(back.get((each.volume, key), 0))
            yield replace(each, key=key)
        else:
            under, after = of_now(each.volume, each.under), of_now(each.volume, each.after)
            yield replace(each, key=key, under=under, after=after)
    for id_ in sorted(left):
        head, wanted = there[id_].head, heads[id_]
        # Names that pages exchange stand where they stood.
        if head.title != wanted.title and (head.volume, wanted.key) not in back:
            yield Rekey(head.volume, head.key, wanted.key, wanted.title)


def _without_a_page(wiki: Wiki, outcome: Outcome, past: Past) -> Iterator[AffectedReference]:
    """The references of texts that get their bytes back, to pages that went since the act."""
    after = wiki_after(wiki, outcome)
    homes, homes_after = volumes_by_id(wiki), volumes_by_id(after)
    for id_, page in sorted(wiki.pages(past.texts).items()):
        before, head = past.texts[id_], outcome.heads.get(id_, page.head)
        if id_ in outcome.gone or not _exact(outcome, id_) or head.volume not in homes_after:
            continue
        pairs = list(zip(page.content.references, Page(head, before.text).content.references, strict=False))
        if masked(before.text) != masked(page.text):
            continue
        home, home_after = homes[page.head.volume], homes_after[head.volume]
        now = Resolver.of(wiki, ((home, each) for each, _ in pairs))
        then = Resolver.of(after, ((home_after, each) for _, each in pairs))
        _, captured = past.captured.get(id_, (0, frozenset[Span]()))
        for is_, was in pairs:
            insert = is_.kind is Kind.INSERT
            if (
                is_.span not in captured
                and is_.name is not None
                and was.name is not None
                and now.resolve(is_.name, home, insert=insert).page is not None
                and then.resolve(was.name, home_after, insert=insert).page is None
            ):
                yield AffectedReference(page.head, is_.span)


def _where(found: AffectedReference) -> tuple[int, str, Span]:
    return found.page.volume, found.page.key, found.span


def _renamed_back(wiki: Wiki, past: Past, texts: Mapping[int, Composition]) -> dict[int, tuple[Edit, ...]]:
    """What names a thing that gets its old name back, on all pages whose very bytes do not come back."""
    found: dict[int, tuple[Edit, ...]] = {}
    for change in past.assets:
        if not change.renamed or change.before is None or change.after is None:
            continue
        for id_, page in sorted(wiki.pages(past.naming).items()):
            parts = texts.get(id_, ())
            if len(parts) == 1 and isinstance(parts[0], Words):
                continue
            edits = renaming(page, change.after, change.before.name)
            if edits:
                found[id_] = edits
    return found


def _exact(outcome: Outcome, page: int) -> bool:
    parts = outcome.texts.get(page, ())
    return bool(parts) and all(isinstance(part, Words) for part in parts)


def _page_of(outcome: Outcome, page: int) -> int | None:
    entry = outcome.successors.get(page)
    return None if entry is None else entry.page


def _volume_back(wiki: Wiki, change: VolumeChange) -> VolumeChange:
    """What takes a change of a volume back: what the act changed of it, and nothing that came since."""
    if change.after is None:
        return VolumeChange(None, change.before)
    now = volumes_by_id(wiki).get(change.after.id)
    if now is None:
        raise Missing(
            f"The volume “{change.after.title}” is not there any more.",
            code="volume_missing",
            named=[change.after.id],
        )
    before, after = change.before, change.after
    if before is None:
        return VolumeChange(now, None)
    back = now
    if before.title != after.title:
        back = replace(back, key=before.key, title=before.title)
    if before.closed != after.closed:
        back = replace(back, closed=before.closed)
    if before.language != after.language:
        back = replace(back, language=before.language)
    return VolumeChange(now, replace(back, libraries=_libraries_back(now, before, after)))


def _libraries_back(now: Volume, before: Volume, after: Volume) -> tuple[int, ...]:
    """The libraries of a volume without those that an act added, with those that it took, in their order."""
    if now.libraries == after.libraries:
        return before.libraries
    found = [
        library for library in now.libraries if library in before.libraries or library not in after.libraries
    ]
    for place, each in enumerate(before.libraries):
        if each not in after.libraries and each not in found:
            found.insert(place, each)
    return tuple(found)


def _volumes(wiki: Wiki, changes: Sequence[VolumeChange]) -> dict[str, Volume] | None:
    """The volumes with these changes; None if there are none."""
    if not changes:
        return None
    by_id = volumes_by_id(wiki)
    for change in changes:
        if change.before is not None:
            del by_id[change.before.id]
        if change.after is not None:
            holder = next((v for v in by_id.values() if v.key == change.after.key), None)
            if holder is not None:
                raise Collision(
                    f"“{change.after.title}” is the name of another volume by now. Rename that first.",
                    named=[change.after.id],
                )
            by_id[change.after.id] = change.after
    return {volume.key: volume for volume in by_id.values()}


def _check_volumes(wiki: Wiki, past: Past, heads: Mapping[int, PageHead], gone: Collection[int]) -> None:
    """A volume that was made cannot go while it holds pages that stay: they would stand nowhere."""
    for change in past.volumes:
        if change.before is not None or change.after is None:
            continue
        staying = {
            id_
            for id_ in wiki.standing_in(change.after.id)
            if id_ not in gone and (id_ not in heads or heads[id_].volume == change.after.id)
        }
        if staying:
            raise Refused(
                f"“{change.after.title}” holds pages by now, so its making cannot be undone. Delete the volume: it "
                "goes to the trash with all its pages.",
                code="volume_in_use",
                named=[change.after.id],
            )


def _check_names(
    wiki: Wiki, heads: Mapping[int, PageHead], gone: Collection[int], volumes: Mapping[str, Volume] | None
) -> None:
    places = {(head.volume, head.key): head for head in heads.values()}
    known = {volume.id for volume in (wiki.volumes if volumes is None else volumes).values()}
    for head in heads.values():
        if head.volume not in known:
            raise Missing(
                f"The volume of “{head.title}” is not there any more, so it cannot come back.",
                named=[head.volume],
            )
    for place, holder in wiki.titles(list(places)).items():
        if holder.id not in heads and holder.id not in gone:
            raise Collision(
                f"“{places[place].title}” is the name of another page by now, so this cannot be undone. "
                "Rename that page first, then undo.",
                named=[places[place].volume],
            )


def _texts(
    there: Mapping[int, Page], gone: Collection[int], past: Past, keep: Collection[int]
) -> tuple[dict[int, Composition], tuple[PageHead, ...]]:
    """What each text of the act becomes, and the pages whose text is in conflict."""
    texts: dict[int, Composition] = {}
    conflicts: list[PageHead] = []
    for id_, before in past.texts.items():
        page = there.get(id_)
        if page is None or id_ in gone or id_ in keep or before.text == before.after:
            continue
        if page.text == before.after:
            texts[id_] = [Words(before.text)]
        elif masked(before.text) != masked(before.after):
            parts = merge3(before.after, page.text, before.text)
            if any(isinstance(part, Conflict) for part in parts):
                conflicts.append(page.head)
            else:
                texts[id_] = [
                    Carried(id_, part.span) if isinstance(part, Mine) else Words(getattr(part, "words", ""))
                    for part in parts
                ]
    return texts, tuple(conflicts)


def masked(text: str) -> tuple[str, ...]:
    """A text without its references: if that is the same before and after, only references were rewritten."""
    pieces: list[str] = []
    at = 0
    for reference in Page(PageHead(0, 0, "", ""), text).content.references:
        if reference.span.start >= at:
            pieces.append(text[at : reference.span.start])
            at = reference.span.end
    return (*pieces, text[at:])


def _aims(
    wiki: Wiki, back: Mapping[int, Returning], sources: Mapping[int, Page], heads: Mapping[int, PageHead]
) -> dict[At, int]:
    """What the references of returning pages led to when they went, as far as it is there."""
    known = wiki.pages({page for page_back in back.values() for _, page in page_back.leads} - heads.keys())
    aims: dict[At, int] = {}
    for id_, each in back.items():
        references = sources[id_].content.references
        for index, page in each.leads:
            if index < len(references) and (page in heads or page in known):
                aims[id_, references[index].span] = page
    return aims


def _unwritten(
    back: Mapping[int, Returning], sources: Mapping[int, Page]
) -> dict[int, tuple[int, frozenset[Span]]]:
    """The references of returning pages that led to no page when these went: they come back as they were typed. A name
    that the act gave meanwhile, and that goes with it, is not what they meant."""
    return {
        id_: (
            source.head.revision,
            frozenset(
                r.span for n, r in enumerate(source.content.references) if n not in dict(back[id_].leads)
            ),
        )
        for id_, source in sources.items()
    }


def _only_alike(wiki: Wiki, outcome: Outcome, there: Mapping[int, Page], past: Past) -> Outcome:
    """Bytes come back only where every reference then leads where it leads now, or to what returns for it."""
    after = wiki_after(wiki, outcome)
    homes, homes_after = volumes_by_id(wiki), volumes_by_id(after)
    stands_for = {page_back.head.id: page_back.successor for page_back in past.removed}
    unlike: set[int] = set()
    for id_, parts in outcome.texts.items():
        if id_ in past.free or id_ not in there or not all(isinstance(part, Words) for part in parts):
            continue
        now, old = there[id_], Page(there[id_].head, past.texts[id_].text)
        home = homes[now.head.volume]
        home_after = homes_after[outcome.heads.get(id_, now.head).volume]
        revision, released = past.captured.get(id_, (0, frozenset[Span]()))
        pairs = list(zip(now.content.references, old.content.references, strict=False))
        if len(now.content.references) != len(old.content.references) or masked(now.text) != masked(old.text):
            continue  # the act wrote more than names there: which reference became which is not known
        if any((a.name is None) != (b.name is None) or a.kind is not b.kind for a, b in pairs):
            continue
        today = Resolver.of(wiki, ((home, a) for a, _ in pairs))
        then = Resolver.of(after, ((home_after, b) for _, b in pairs))
        for a, b in pairs:
            if a.name is None or b.name is None or (revision == now.head.revision and a.span in released):
                continue
            was = today.resolve(a.name, home, insert=a.kind is Kind.INSERT).page
            will = then.resolve(b.name, home_after, insert=b.kind is Kind.INSERT).page
            same = (was and was.id) == (will and will.id)
            returned = (
                will is not None and will.id in stands_for and stands_for[will.id] in {None, was and was.id}
            )
            left = was is not None and will is None and was.id in outcome.gone
            entered = was is not None and was.id in outcome.gone
            if not (same or returned or left or entered):
                unlike.add(id_)
    return replace(outcome, texts={id_: parts for id_, parts in outcome.texts.items() if id_ not in unlike})
