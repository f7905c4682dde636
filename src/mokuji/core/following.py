"""Makes references follow: the machine that all acts on names share.

Given the wiki as it is and as it will be, it looks at every reference that
could lead elsewhere afterwards and finds the edits that keep what it leads
to. Then sections: a heading that holds a rewritten reference has other words,
so references to it follow, in rounds until nothing moves. At the end every
rewritten page is read again; if its references are not exactly the expected
ones, the act is refused.

What holds: characters outside the rewritten names, sections, added labels and
added ``{#id}`` stay; what was unwritten stays so or is listed as captured.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

from mokuji.core import names
from mokuji.core.changes import ChangeSet, PageChange
from mokuji.core.edits import Edit, Shift, apply, arrange
from mokuji.core.errors import Refused
from mokuji.core.names import Name
from mokuji.core.references import By, Resolution, Resolver, Sections, volumes_by_id
from mokuji.core.spans import Span
from mokuji.core.text.headings import shown
from mokuji.core.text.reference import Kind, Reference, read
from mokuji.core.wiki import Page, PageHead, Place, Use, Volume, Wiki

ROUNDS = 20
"""How many pages deep a change of headings may travel before the act is refused."""


@dataclass(frozen=True, slots=True)
class Captured:
    """A reference that was unwritten (or whose section was missing) and now leads to the page."""

    page: PageHead
    span: Span


@dataclass(frozen=True, slots=True)
class Followed:
    """The outcome: changed pages in the order of volume and key, and what was found on the way."""

    changes: tuple[PageChange, ...]
    captured: tuple[Captured, ...]
    references: int
    sections: int
    labels_kept: int
    labels_added: int


class Following:
    """One act's following. Ask ``names``, then ``sections``, then ``finish``."""

    def __init__(
        self,
        wiki: Wiki,
        after: Wiki,
        heads: Mapping[int, PageHead],
        *,
        present_words: bool = False,
        leave: Mapping[int, tuple[int, frozenset[Span]]] | None = None,
        minimal: bool = False,
    ) -> None:
        """``heads`` are the new heads of the pages that the act changes. ``leave`` names references, by
        page and the revision they were seen in, that are to stay as typed whatever they lead to. With
        ``minimal`` what leads to its page anyhow (by an alias, say) stays as typed; without it every
        reference by title says the new one."""
        self._wiki = wiki
        self._after = after
        self._heads = heads
        self._present_words = present_words
        self._leave = leave or {}
        self._minimal = minimal
        self._homes = volumes_by_id(wiki)
        self._volume_keys = frozenset(wiki.volumes)
        self._pages: dict[int, Page] = {}
        self._edits: dict[int, dict[Span, Edit]] = {}
        self._renamed: dict[int, dict[int, Name]] = {}
        self._careful: set[int] = set()
        self._dirty: set[int] = set()
        self._captured: dict[tuple[int, Span], Captured] = {}
        self._sections: set[tuple[int, int]] = set()
        self._labelled: dict[int, set[int]] = {}
        self._added = 0
        self._resolved: dict[tuple[bool, int, Name, bool], Resolution] = {}

    # ---- names -------------------------------------------------------------

    def names(self, places: Collection[Place]) -> None:
        """Follows all references that could mean one of these places."""
        ids: set[int] = set()
        for place in places:
            ids.update(self._wiki.naming(place))
        self._load(ids)
        keys = frozenset(key for _, key in places)
        uses = [
            (self._pages[i], use)
            for i in sorted(ids & self._pages.keys())
            for use in self._pages[i].uses(keys)
        ]
        before = self._resolver(self._wiki, uses)
        after = self._resolver(self._after, uses)
        for page, use in uses:
            self._follow_name(page, use, before, after)

    def _resolver(self, wiki: Wiki, uses: Iterable[tuple[Page, Use]]) -> Resolver:
        return Resolver.of(wiki, ((self._homes[page.head.volume], use.reference) for page, use in uses))

    def _load(self, ids: Collection[int]) -> None:
        missing = [id_ for id_ in ids if id_ not in self._pages]
        if missing:
            self._pages.update(self._wiki.pages(missing))

    def _follow_name(self, page: Page, use: Use, before: Resolver, after: Resolver) -> None:
        reference = use.reference
        revision, spans = self._leave.get(page.head.id, (0, frozenset[Span]()))
        if reference.name is None or (revision == page.head.revision and reference.span in spans):
            return
        home = self._homes[page.head.volume]
        insert = reference.kind is Kind.INSERT
        was = before.resolve(reference.name, home, insert=insert)
        will = after.resolve(reference.name, home, insert=insert)
        if was.page is None:
            if will.page is not None:
                self._captured[page.head.id, reference.span] = Captured(page.head, reference.span)
            return
        renamed = was.page.id in self._heads and was.by is By.TITLE
        still = will.page is not None and will.page.id == was.page.id
        if not still or (renamed and not self._minimal):
            self._rewrite(page, use, was.page, renamed)

    def _rewrite(self, page: Page, use: Use, target: PageHead, renamed: bool) -> None:
        reference = use.reference
        head = self._heads.get(target.id, target)
        words = shown(reference, page.text, self._volume_keys)
        title = head.title
        if renamed:
            title = names.like_typed(reference.title_typed(page.text), target.title, title)
        edit, name = self._form(page, reference, head, title)
        if edit is not None:
            self._edit(page, use, edit)
            self._renamed.setdefault(page.head.id, {})[use.index] = name
            plain = names.is_plain(edit.words) and names.is_plain(edit.span.of(page.text))
            if reference.section is not None or not plain:
                self._careful.add(page.head.id)
        self._label(page, use, words, keep=self._present_words or not renamed)

    def _form(self, page: Page, reference: Reference, head: PageHead, title: str) -> tuple[Edit | None, Name]:
        """The shortest way to write the target that leads to it afterwards, as an edit."""
        home = self._homes[page.head.volume]
        volume = self._homes[head.volume]
        insert = reference.kind is Kind.INSERT
        written = names.escape(title)
        full = f"{names.escape(volume.title)}/{written}"
        typed_volume = reference.title_span != reference.name_span
        bare = volume.id == home.id or (insert and volume.id in home.libraries)
        forms = [(reference.title_span, written)] if typed_volume or bare else []
        if typed_volume and bare:
            forms.append((reference.name_span, written))
        forms += [(reference.name_span, full), (reference.name_span, "/" + full)]
        for span, words in forms:
            start, end = reference.name_span
            target = page.text[start : span.start] + words + page.text[span.end : end]
            made = read(f"[[{target}]]", 0)
            if isinstance(made, Reference) and made.name is not None and made.section is None:
                found = self._resolve_after(made.name, home, insert)
                if found.page is not None and found.page.id == head.id:
                    same = words == span.of(page.text)
                    return (None if same else Edit(span, words)), made.name
        raise Refused(
            f"“{reference.span.of(page.text)}” on “{page.head.title}” cannot be written so that it leads to "
            f"“{title}”. Choose another title, or change that reference first.",
            code="unwritable",
        )

    def _resolve_after(self, name: Name, home: Volume, insert: bool) -> Resolution:
        key = (True, home.id, name, insert)
        if key not in self._resolved:
            reference = Reference(
                Kind.INSERT if insert else Kind.LINK, Span(0, 0), name, Span(0, 0), Span(0, 0)
            )
            resolver = Resolver.of(self._after, [(home, reference)])
            self._resolved[key] = resolver.resolve(name, home, insert=insert)
        return self._resolved[key]

    def _label(self, page: Page, use: Use, words: str, *, keep: bool) -> None:
        reference = use.reference
        if reference.kind is not Kind.LINK:
            return
        if reference.label(page.text):
            self._labelled.setdefault(page.head.id, set()).add(use.index)
        elif keep:
            span = reference.label_span or Span(reference.span.end - 2, reference.span.end - 2)
            bar = "" if reference.label_span is not None else "|"
            self._edit(page, use, Edit(span, bar + re.sub(r"[\\\[\]|`*_<$~!&]", r"\\\g<0>", words)))
            self._careful.add(page.head.id)
            self._added += 1

    def _edit(self, page: Page, use: Use, edit: Edit) -> None:
        self._edits.setdefault(page.head.id, {})[edit.span] = edit
        if use.in_heading:
            self._dirty.add(page.head.id)
            self._careful.add(page.head.id)

    # ---- sections ----------------------------------------------------------

    def sections(self) -> None:
        """Follows references to headings whose words have changed, until nothing moves."""
        for _ in range(ROUNDS):
            dirty, self._dirty = sorted(self._dirty), set()
            if not dirty:
                return
            for page_id in dirty:
                self._follow_sections(self._pages[page_id])
        raise Refused(
            "The headings of these pages refer to each other in a circle, so their sections cannot follow. "
            "Take the reference out of one of the headings first.",
            code="section_circle",
        )

    def _follow_sections(self, target: Page) -> None:
        was = Sections.of(target, self._volume_keys)
        will = self._sections_after(target)
        if was == will:
            return
        keys = {target.head.key, *target.alias_keys}
        ids = {target.head.id}
        for key in keys:
            ids.update(self._wiki.naming_sections((target.head.volume, key)))
        self._load(ids)
        for page_id in sorted(ids & self._pages.keys()):
            page = self._pages[page_id]
            for use in page.section_uses(keys):
                if self._leads_to(page, use, target):
                    will = self._follow_section(page, use, target, was, will)

    def _sections_after(self, page: Page) -> Sections:
        text = apply(page.text, tuple(self._edits.get(page.head.id, {}).values()))
        return Sections.of(Page(page.head, text), self._volume_keys)

    def _leads_to(self, page: Page, use: Use, target: Page) -> bool:
        if use.reference.name is None:
            return page.head.id == target.head.id
        home = self._homes[page.head.volume]
        insert = use.reference.kind is Kind.INSERT
        key = (False, home.id, use.reference.name, insert)
        if key not in self._resolved:
            resolver = Resolver.of(self._wiki, [(home, use.reference)])
            self._resolved[key] = resolver.resolve(use.reference.name, home, insert=insert)
        found = self._resolved[key].page
        return found is not None and found.id == target.head.id

    def _follow_section(self, page: Page, use: Use, target: Page, was: Sections, will: Sections) -> Sections:
        reference = use.reference
        if not reference.section or reference.section_span is None:
            return will
        old = was.find(reference.section)
        current = self._edits.get(page.head.id, {}).get(reference.section_span)
        now = names.unescape(current.words) if current else reference.section
        if will.find(now) == old:
            return will
        if old is None:
            self._captured[page.head.id, reference.span] = Captured(page.head, reference.span)
            return will
        words, will = self._section_words(target, old, will)
        self._edit(page, use, Edit(reference.section_span, names.escape_section(words)))
        self._careful.add(page.head.id)
        self._sections.add((page.head.id, use.index))
        return will

    def _section_words(self, target: Page, index: int, will: Sections) -> tuple[str, Sections]:
        """Words that lead to this heading afterwards; an identifier is added where none would."""
        id_ = will.ids[index]
        if id_ is not None and will.find(id_) == index:
            return id_, will
        text = apply(target.text, tuple(self._edits.get(target.head.id, {}).values()))
        page = Page(target.head, text)
        content = page.content
        heading = content.headings[index]
        words = "".join(
            part if isinstance(part, str) else shown(content.references[part], text, self._volume_keys)
            for part in heading.parts
        )
        words = " ".join(words.split())
        if will.find(words) == index:
            return words, will
        new = self._new_id(will, will.keys[index])
        end = target.content.headings[index].end
        self._edits.setdefault(target.head.id, {})[Span(end, end)] = Edit(Span(end, end), f" {{#{new}}}")
        self._careful.add(target.head.id)
        self._dirty.add(target.head.id)
        return new, self._sections_after(target)

    def _new_id(self, will: Sections, key: str) -> str:
        base = re.sub(r"[^0-9a-z]+", "-", key).strip("-") or "section"
        number = 2
        while will.find(f"{base}-{number}") is not None:
            number += 1
        return f"{base}-{number}"

    # ---- the end -----------------------------------------------------------

    def finish(self) -> Followed:
        """The changed pages, each read again where that could matter; Refused if one is not as expected."""
        self._load([id_ for id_ in self._heads if id_ not in self._pages])
        ids = {id_ for id_, edits in self._edits.items() if edits} | (set(self._heads) & self._pages.keys())
        pages = sorted((self._pages[id_] for id_ in ids), key=lambda p: (p.head.volume, p.head.key))
        changes = tuple(self._change(page) for page in pages)
        self._verify([change for change in changes if change.content is not None])
        return Followed(
            changes,
            tuple(sorted(self._captured.values(), key=lambda c: (c.page.volume, c.page.key, c.span))),
            sum(len(indexes) for indexes in self._renamed.values()),
            len(self._sections),
            sum(len(indexes) for indexes in self._labelled.values()),
            self._added,
        )

    def _change(self, page: Page) -> PageChange:
        edits = arrange(self._edits.get(page.head.id, {}).values())
        after = apply(page.text, edits)
        head = self._heads.get(page.head.id, page.head)
        renamed = self._renamed.get(page.head.id, {})
        content = Page(head, after).content if page.head.id in self._careful else None
        labelled = frozenset(self._labelled.get(page.head.id, ()))
        return PageChange(page.head, head.title, page.text, after, edits, content, renamed, labelled)

    def _verify(self, changes: Collection[PageChange]) -> None:
        released = {
            (page, span)
            for page, (revision, spans) in self._leave.items()
            if page in self._pages and self._pages[page].head.revision == revision
            for span in spans
        }
        verify(self._wiki, self._after, changes, self._heads, self._captured.keys() | released)


def captured_after(
    change_set: ChangeSet, captured: Iterable[Captured]
) -> dict[int, tuple[int, frozenset[Span]]]:
    """Where captured references stand once an act is done: page → its revision then, and their ranges."""
    changed = {change.head.id: Shift(change.edits) for change in change_set.changes}
    found: dict[int, tuple[int, frozenset[Span]]] = {}
    for each in captured:
        page, shift = each.page.id, changed.get(each.page.id)
        span = each.span if shift is None else Span(shift(each.span.start), shift(each.span.end))
        revision = each.page.revision + (shift is not None)
        found[page] = (revision, found.get(page, (0, frozenset[Span]()))[1] | {span})
    return found


def verify(
    wiki: Wiki,
    after: Wiki,
    changes: Collection[PageChange],
    heads: Mapping[int, PageHead],
    listed: Collection[tuple[int, Span]],
) -> None:
    """Reads changed pages again; Refused if a reference came, went, or leads elsewhere than before.

    ``listed`` are those that are meant to: captured by the act, or released by its undoing.
    """
    homes = volumes_by_id(wiki)
    pairs: list[tuple[PageChange, Reference, Reference]] = []
    for change in changes:
        old = Page(change.head, change.before).content.references
        new = change.content.references if change.content is not None else ()
        if len(old) != len(new) or any(a.kind is not b.kind for a, b in zip(old, new, strict=False)):
            raise _unexpected(change)
        pairs += [(change, a, b) for a, b in zip(old, new, strict=True)]
    before_all = Resolver.of(wiki, ((homes[c.head.volume], a) for c, a, _ in pairs))
    after_all = Resolver.of(after, ((homes[heads.get(c.head.id, c.head).volume], b) for c, _, b in pairs))
    for change, a, b in pairs:
        if (a.name is None) != (b.name is None):
            raise _unexpected(change)
        if a.name is None or b.name is None:
            continue
        insert = a.kind is Kind.INSERT
        was = before_all.resolve(a.name, homes[change.head.volume], insert=insert)
        will = after_all.resolve(b.name, homes[heads.get(change.head.id, change.head).volume], insert=insert)
        if (change.head.id, a.span) in listed:
            continue
        same = (was.page and was.page.id) == (will.page and will.page.id)
        if not same or (was.page is None and was.place != will.place):
            raise _unexpected(change)


def _unexpected(change: PageChange) -> Refused:
    return Refused(
        f"The references on “{change.head.title}” would not come out as expected, so nothing was changed. "
        "Brackets there touch code, HTML or a definition: put spaces or empty lines around them, then try again.",
        code="unexpected_references",
    )
