"""A plan: what an act will do, as a value, before it is done.

All acts give the same kind of plan, so that there is one way to show it, one
to do it, and one to undo it.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from mokuji.core.base.errors import Collision, Missing, Refused
from mokuji.core.base.phrases import Named
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.assets import AssetChange
from mokuji.core.model.changes import ChangeSet, PageChange, Removed, RoleChange, VolumeChange
from mokuji.core.model.contents import Placing
from mokuji.core.model.references import Resolver, volumes_by_id
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.following import follow
from mokuji.core.refactor.engine.outcome import AffectedReference, Followed, Outcome, Successor
from mokuji.core.refactor.facts import Facts, NoFacts
from mokuji.core.syntax.reference import Kind


@dataclass(frozen=True, slots=True)
class OptionalChange:
    """Something that a person may have done as well, or not: words on a page that could be exchanged.

    ``id`` names it as long as the page stays as it is; ``kind`` says what it is (text, picture, file, value).
    """

    id: str
    kind: str
    page: PageHead
    line: int
    before: str
    after: str


@dataclass(frozen=True, repr=False)
class Plan:
    """What an act will do.

    ``page`` is the page in hand as it is now, if the act is about one;
    ``asked`` all that it was asked for beside it. ``rows`` can be chosen from.
    ``facts`` is what is told of it, ``free`` are pages in which an undoing was meant to lead references elsewhere
    (None: what the act says of itself). Older revisions go ``along`` with a page to new readers; those ``given_back``
    (page, volume, lowest and highest number) stand in the volume where they stood before.
    ``conflicts`` are pages whose text could not be brought together.
    """

    page: PageHead | None
    change_set: ChangeSet
    followed: Followed
    asked: tuple[str, ...] = ()
    rows: tuple[OptionalChange, ...] = ()
    facts: Facts = field(default_factory=NoFacts)
    conflicts: tuple[PageHead, ...] = ()
    entries: Mapping[int, Successor] = field(default_factory=dict)
    """Where references to a page that the act makes lead once it is undone."""
    free: frozenset[int] | None = None
    along: bool = False
    given_back: tuple[tuple[int, int, int, int], ...] = ()

    def __repr__(self) -> str:
        # Logs and faults print objects: neither texts nor titles are to stand there.
        return f"<Plan {self.act}: {len(self.change_set.changes)} pages>"

    @property
    def act(self) -> str:
        """The name of the act."""
        return self.change_set.act

    @property
    def rewritten(self) -> tuple[PageChange, ...]:
        """The pages whose text changes."""
        return self.change_set.rewritten

    @property
    def captured(self) -> tuple[AffectedReference, ...]:
        """References that led nowhere and will lead to a page."""
        return self.followed.captured

    @property
    def lost(self) -> tuple[AffectedReference, ...]:
        """References that will lead nowhere."""
        return self.followed.lost

    @property
    def nothing_to_do(self) -> bool:
        """Whether everything is as it should be already."""
        return self.change_set.empty

    @property
    def digest(self) -> str:
        """A short name for exactly this plan; it changes if anything that it consulted changes."""
        followed = self.followed
        references = (
            *(*followed.captured, *followed.lost, *followed.lost_sections),
            *(*followed.other_texts, *followed.resettled, *followed.released, *followed.returned),
        )
        listed = (
            f"{reference.page.id} {reference.page.revision} {reference.span}" for reference in references
        )
        return self.change_set.digest(*self.asked, *listed, *(f"{page.id}" for page in self.conflicts))


def make(
    wiki: Wiki,
    act: str,
    page: PageHead | None,
    outcome: Outcome,
    *,
    asked: Sequence[object] = (),
    present_words: bool = False,
    contents: Sequence[Placing] = (),
    volumes: Sequence[VolumeChange] = (),
    assets: Sequence[AssetChange] = (),
    roles: Sequence[RoleChange] = (),
    facts: Facts | None = None,
    rows: Sequence[OptionalChange] = (),
    entries: Mapping[int, Successor] | None = None,
    headings: Mapping[int, int] | None = None,
    leave: Mapping[int, tuple[int, frozenset[Span]]] | None = None,
) -> Plan:
    """The plan of an act from what it makes of the wiki.

    ``headings`` says of pages whose text is put together anew how many headings they must have then:
    what one text leaves open (a fence, a list) could swallow those of the next. ``leave`` is as in ``follow``.
    """
    followed = follow(wiki, outcome, present_words=present_words, leave=leave)
    gone = sorted(wiki.pages(outcome.gone).values(), key=lambda p: (p.head.volume, p.head.key))
    leads = leads_of(wiki, gone)
    removed = tuple(
        Removed(each.head, _successor(outcome, each.head.id), leads[each.head.id]) for each in gone
    )
    for change in followed.changes:
        expected = (headings or {}).get(change.head.id)
        if expected is not None and change.content is not None and len(change.content.headings) != expected:
            raise Refused(
                f"Put together, the text of “{change.title}” would run into each other: something in it is left "
                "open, such as code, a list or HTML. Close it first, or edit the result yourself.",
                code="runs_together",
                named=[change.head.volume],
            )
    sides = (tuple(contents), tuple(volumes), tuple(assets), tuple(roles))
    change_set = ChangeSet(act, followed.changes, removed, *sides)
    words = tuple(str(each) for each in asked)
    return Plan(page, change_set, followed, words, tuple(rows), facts or NoFacts(), (), entries or {})


def _successor(outcome: Outcome, page: int) -> int | None:
    entry = outcome.successors.get(page)
    return None if entry is None else entry.page


def leads_of(wiki: Wiki, pages: Collection[Page]) -> dict[int, tuple[tuple[int, int], ...]]:
    """Which page each reference of some texts leads to now: by the id of the page of the text, index and id, for those
    that lead to one."""
    homes = volumes_by_id(wiki)
    uses = [(page, use) for page in pages for use in page.every_use() if use.reference.name is not None]
    resolver = Resolver.of(wiki, ((homes[page.head.volume], use.reference) for page, use in uses))
    found: dict[int, list[tuple[int, int]]] = {page.head.id: [] for page in pages}
    for page, use in uses:
        name, insert = use.reference.name, use.reference.kind is Kind.INSERT
        assert name is not None
        target = resolver.resolve(name, homes[page.head.volume], insert=insert).page
        if target is not None:
            found[page.head.id].append((use.index, target.id))
    return {id_: tuple(each) for id_, each in found.items()}


def naming(head: PageHead) -> Named:
    """A page as the log names it."""
    return Named("page", head.id, head.volume, head.title)


def need(wiki: Wiki, page: int) -> Page:
    """A page that an act is about; Missing if it is gone."""
    found = wiki.pages([page]).get(page)
    if found is None:
        raise Missing("The page is not there any more.", code="page_missing")
    return found


def check_free(wiki: Wiki, head: PageHead, mend: str = "Choose another title, or merge the two.") -> None:
    """Collision if another page has this name; ``mend`` says what to do then."""
    place = (head.volume, head.key)
    holder = wiki.titles([place]).get(place)
    if holder is not None and holder.id != head.id:
        volume = volumes_by_id(wiki)[head.volume]
        raise Collision(
            f"“{volume.title}” has a page “{holder.title}” already, and two pages of a volume cannot share a "
            f"name (capitals, spaces, hyphens and underscores make no difference). {mend}",
            named=[head.volume],
        )


def free(
    act: str, page: int | None, texts: Collection[int], undone: Collection[int] | None = None
) -> frozenset[int]:
    """The pages in which an act was meant to lead references elsewhere: all of them, the page in hand, or none.

    An undoing was meant to where the act was that it took back (``undone``).
    """
    if undone is not None:
        return frozenset(undone)
    if act in {"retarget", "link"}:
        return frozenset(texts)
    return frozenset({page} if act in {"edit", "aliases"} and page is not None else ())
