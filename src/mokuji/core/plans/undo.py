"""Undo a rename: planned like any act.

The page gets its old title back and references follow, also those made since.
Pages that nobody edited since get their very bytes back. Names that the
rename had captured are left as they are, so they are unwritten again. Refused
if the old name was taken meanwhile.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from mokuji.core import names
from mokuji.core.changes import ChangeSet, PageChange
from mokuji.core.edits import Edit
from mokuji.core.errors import Collision, Missing
from mokuji.core.following import Following
from mokuji.core.references import Resolver, volumes_by_id
from mokuji.core.spans import Span
from mokuji.core.text.reference import Kind
from mokuji.core.wiki import Overlay, Page, PageHead, Place, Wiki


@dataclass(frozen=True, slots=True)
class Before:
    """A page as an act found it: its text, and the revision that the act made."""

    made: int
    text: str


@dataclass(frozen=True, slots=True)
class UndoPlan:
    """What undoing will do: ``restored`` pages get their bytes back, in ``followed`` only references change."""

    page: PageHead
    title: str
    change_set: ChangeSet
    restored: int
    followed: int

    @property
    def digest(self) -> str:
        """A short name for exactly this plan."""
        return self.change_set.digest("undo", self.title)


def undo_rename(
    wiki: Wiki,
    page_id: int,
    title: str,
    before: Mapping[int, Before],
    captured: Mapping[int, tuple[int, frozenset[Span]]],
) -> UndoPlan:
    """The plan to give a page its title of before back.

    ``before`` holds the pages of the act; ``captured`` says of pages, by the
    revision they then had, which references began to lead to the page.
    """
    page = wiki.pages([page_id]).get(page_id)
    if page is None:
        raise Missing("The page is not there any more, so its rename cannot be undone.")
    head = replace(page.head, key=names.key(title), title=title)
    place: Place = (head.volume, head.key)
    holder = wiki.titles([place]).get(place)
    if holder is not None and holder.id != page_id:
        raise Collision(
            f"“{title}” is the name of another page by now, so the rename cannot be undone. "
            "Rename that page first, then undo."
        )
    heads = {page_id: head}
    after = Overlay(wiki, heads)
    following = Following(wiki, after, heads, leave=captured, minimal=True)
    shared = wiki.aliases([(head.volume, key) for key in page.alias_keys])
    following.names({place, (head.volume, page.head.key), *(p for p, h in shared.items() if len(h) > 1)})
    following.sections()
    changes = {change.head.id: change for change in following.finish().changes}
    restored = _restore(wiki, after, heads, before, captured)
    changes.update(restored)
    ordered = tuple(sorted(changes.values(), key=lambda c: (c.head.volume, c.head.key)))
    return UndoPlan(page.head, title, ChangeSet("undo", ordered), len(restored), len(changes) - len(restored))


def _restore(
    wiki: Wiki,
    after: Wiki,
    heads: Mapping[int, PageHead],
    before: Mapping[int, Before],
    captured: Mapping[int, tuple[int, frozenset[Span]]],
) -> dict[int, PageChange]:
    """The pages that can get their bytes back: not edited since, and every reference leads where it led."""
    restored: dict[int, PageChange] = {}
    for id_, page in wiki.pages(list(before)).items():
        if page.head.revision != before[id_].made:
            continue
        old = Page(page.head, before[id_].text)
        revision, spans = captured.get(id_, (0, frozenset[Span]()))
        released = spans if revision == page.head.revision else frozenset[Span]()
        if _leads_alike(wiki, after, page, old, released):
            edits = _edits(page, old)
            title = heads.get(id_, page.head).title
            restored[id_] = PageChange(page.head, title, page.text, old.text, edits, old.content, {})
    return restored


def _leads_alike(wiki: Wiki, after: Wiki, now: Page, old: Page, released: frozenset[Span]) -> bool:
    """Whether every reference of the text before leads where it leads now, but for what is released again."""
    home = volumes_by_id(wiki)[now.head.volume]
    pairs = list(zip(now.content.references, old.content.references, strict=False))
    if len(now.content.references) != len(old.content.references):
        return False
    today = Resolver.of(wiki, ((home, a) for a, _ in pairs))
    then = Resolver.of(after, ((home, b) for _, b in pairs))
    for a, b in pairs:
        if (a.name is None) != (b.name is None) or a.kind is not b.kind:
            return False
        if a.name is None or b.name is None:
            continue
        was = today.resolve(a.name, home, insert=a.kind is Kind.INSERT)
        will = then.resolve(b.name, home, insert=b.kind is Kind.INSERT)
        if (was.page and was.page.id) != (will.page and will.page.id) and a.span not in released:
            return False
    return True


def _edits(now: Page, old: Page) -> tuple[Edit, ...]:
    """What makes the text before of the text now, reference by reference, so that each can be shown in its line."""
    edits: list[Edit] = []
    at = then = 0
    for a, b in zip(now.content.references, old.content.references, strict=True):
        if a.span.start < at or b.span.start < then:
            continue  # inside the values of an insert, which counts whole
        edits += _differing(now.text, Span(at, a.span.start), old.text[then : b.span.start])
        edits += _differing(now.text, a.span, b.span.of(old.text))
        at, then = a.span.end, b.span.end
    edits += _differing(now.text, Span(at, len(now.text)), old.text[then:])
    return tuple(edits)


def _differing(text: str, span: Span, words: str) -> list[Edit]:
    """The edit that puts ``words`` in the place of ``span``, from the first character that differs to the last."""
    now = span.of(text)
    if now == words:
        return []
    limit = min(len(now), len(words))
    head = next((at for at in range(limit) if now[at] != words[at]), limit)
    tail = next((at for at in range(limit - head) if now[-1 - at] != words[-1 - at]), limit - head)
    return [Edit(Span(span.start + head, span.end - tail), words[head : len(words) - tail])]
