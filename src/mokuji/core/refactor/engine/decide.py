"""What a reference is to say afterwards, and the edits that make it say so.

References typed alike in one volume are decided once and follow as the first of them did."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import Refused
from mokuji.core.base.names import Name
from mokuji.core.base.spans import Span
from mokuji.core.language.headings import shown
from mokuji.core.language.page import Page, PageHead, Use
from mokuji.core.language.parts import Part
from mokuji.core.language.reference import Kind, Reference, as_markdown, read
from mokuji.core.model.references import By, Resolution, Resolver
from mokuji.core.model.wiki import Place, Volume, Wiki
from mokuji.core.refactor.engine.candidates import Candidates
from mokuji.core.refactor.engine.outcome import Found
from mokuji.core.refactor.engine.state import State, holds

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


class Names:
    """Lets the names in references follow."""

    def __init__(self, state: State, candidates: Candidates) -> None:
        self.state = state
        self.candidates = candidates

    def names(self, places: Collection[Place] = ()) -> None:
        """Follows all references that could lead elsewhere."""
        uses = list(self.candidates.candidates({*self.candidates.touched(), *places}))
        special = self._special()
        typed = [None if page.head.id in special else _typed(page, use) for page, use in uses]
        # Those typed alike in one volume are resolved once, and follow as the first of them did.
        first = {key: n for n, key in reversed([*enumerate(typed)]) if key is not None}
        distinct = [
            pair
            for n, (key, pair) in enumerate(zip(typed, uses, strict=True))
            if key is None or first[key] == n
        ]
        before = self._resolver(distinct, self.state.wiki, self.state.homes)
        after = self._resolver(distinct, self.state.after, self.state.homes_after, moved=True)
        known: dict[_Typed, _Done] = {}
        for key, (page, use) in zip(typed, uses, strict=True):
            if key is None:
                self._followname_of(page, use, before, after)
            elif key in known:
                self._follow_alike(page, use, known[key])
            else:
                done = self._follow_watched(page, use, before, after)
                if done is not None:
                    known[key] = done

    def _special(self) -> set[int]:
        """The pages on which two references typed alike may follow differently."""
        outcome = self.state.outcome
        aimed = {id_ for id_, _ in (*outcome.aims, *outcome.plain)}
        parted = (
            self.state.hosts.keys() | outcome.texts.keys() | outcome.sources.keys() | outcome.edits.keys()
        )
        return aimed | parted | outcome.heads.keys() | outcome.gone | self.state.leave.keys()

    def _follow_watched(self, page: Page, use: Use, before: Resolver, after: Resolver) -> _Done | None:
        """Follows a reference; what was done if the same is to be done to all that are typed alike."""
        id_, span = page.head.id, use.reference.span
        careful, added = id_ in self.state.careful, self.state.added
        self._followname_of(page, use, before, after)
        at = (id_, span)
        if at not in self.state.wanted_ids or at in self.state.lost or at in self.state.captured or careful:
            return None
        edits = tuple(e for e in self.state.edits.get(id_, {}).values() if holds(span, e.span))
        return _Done(
            self.state.wanted_ids[at],
            tuple(Edit(each.span.moved(-span.start), each.words) for each in edits),
            self.state.renamed.get(id_, {}).get(use.index),
            use.index in self.state.labelled.get(id_, ()),
            id_ in self.state.careful,
            self.state.added - added,
        )

    def _follow_alike(self, page: Page, use: Use, done: _Done) -> None:
        id_, span = page.head.id, use.reference.span
        self.state.wanted_ids[id_, span] = done.wanted
        for edit in done.edits:
            self.state.put_edit(id_, Edit(edit.span.moved(span.start), edit.words))
        if done.name is not None:
            self.state.renamed.setdefault(id_, {})[use.index] = done.name
        if done.labelled:
            self.state.labelled.setdefault(id_, set()).add(use.index)
        if done.careful:
            self.state.careful.add(id_)
        self.state.added += done.added

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
            home = self.state.home_after(page, reference.span) if moved else self.state.home(page)
            if home is not None:
                typed.setdefault((home.id, reference.name, reference.kind), (homes[home.id], reference))
        return Resolver.of(wiki, typed.values())

    def _note_left(self, page: Page, reference: Reference, before: Resolver, after: Resolver) -> None:
        """A reference that an act took, and its undoing leaves: whether it leads nowhere again, or where it did."""
        home = self.state.homes_after.get(self.state.head_after(page.head.id).volume)
        if reference.name is None or home is None or page.head.id in self.state.outcome.gone:
            return
        insert = reference.kind is Kind.INSERT
        was = before.resolve(reference.name, self.state.home(page), insert=insert).page
        will = after.resolve(reference.name, home, insert=insert).page
        if was is not None and (will is None or will.id != was.id):
            kept = self.state.released if will is None else self.state.returned
            kept[page.head.id, reference.span] = Found(page.head, reference.span)

    def _followname_of(self, page: Page, use: Use, before: Resolver, after: Resolver) -> None:
        reference = use.reference
        at = (page.head.id, reference.span)
        home = self.state.home_after(page, reference.span)
        if self.state.left(page, reference):
            self._note_left(page, reference, before, after)
            return
        if home is None or reference.kind is Kind.LISTING:
            return
        if at in self.state.outcome.plain:
            self._to_words(page, use)
            return
        insert = reference.kind is Kind.INSERT
        if reference.name is None:
            speaker = self.state.stored.get(self.state.speaker(page))
            if speaker is None:
                return  # a text from elsewhere speaks of itself
            led_to, by = speaker.head, By.TITLE
        else:
            was = before.resolve(reference.name, self.state.home(page), insert=insert)
            if was.page is None or was.by is None:
                self._follow_unwritten(page, use, was, after.resolve(reference.name, home, insert=insert))
                return
            led_to, by = was.page, was.by
        target = led_to.id
        if target in self.state.outcome.plain_targets and at not in self.state.outcome.aims:
            self._to_words(page, use)
            return
        wanted, section = self._wanted(page, reference, target)
        self.state.wanted_ids[at] = wanted
        if wanted is None:
            self._lose(page, reference, home, after)
            return
        if insert and wanted != target and not reference.section and not section:
            self.state.other_texts[at] = Found(page.head, reference.span)
        will = wanted
        if reference.name is not None:
            found = after.resolve(reference.name, home, insert=insert).page
            will = found.id if found is not None else 0
        elif (host := self.state.host(*at)) is not None:
            will = host
        stale = by is By.TITLE and reference.name is not None and self._says_another_title(target, wanted)
        if will != wanted or section is not None or (stale and not self.state.minimal):
            self._rewrite(page, use, led_to, self.state.head_after(wanted), stale, section)

    def _says_another_title(self, target: int, wanted: int) -> bool:
        """Whether references by title are to say another one."""
        if target != wanted:
            return True
        head = self.state.outcome.heads.get(target)
        return (
            head is not None
            and target in self.state.stored
            and head.title != self.state.stored[target].head.title
        )

    def _wanted(self, page: Page, reference: Reference, target: int) -> tuple[int | None, str | None]:
        """The page a reference is to lead to, and its section if that is settled here (empty: none)."""
        aim = self.state.outcome.aims.get((page.head.id, reference.span))
        if aim is not None:
            return aim, None
        recast = (
            target in self.state.hosts
            or target in self.state.outcome.texts
            or target in self.state.outcome.gone
        )
        part = self.part(reference, target) if recast else None
        if part is not None:
            host = self.state.host(target, part.opening)
            if host is not None:
                return host, None
        elif reference.section and recast and target in self.state.stored:
            index = self.state.sections_before(target).find(reference.section)
            if index is not None:
                if (target, index) in self.state.outcome.became:
                    self.state.unsectioned.add((page.head.id, reference.span))
                    return self.state.outcome.became[target, index], ""
                found = self.state.located(target, index)
                if found is not None:
                    return found[0], None
        if target in self.state.outcome.gone:
            entry = self.state.outcome.successors.get(target)
            if entry is None:
                return None, None
            if entry.section and not reference.section:
                self.state.unsectioned.add((page.head.id, reference.span))
                return entry.page, entry.section
            return entry.page, None
        return target, None

    def part(self, reference: Reference, target: int) -> Part | None:
        """The named part of a page that an insert is of; None for any other reference."""
        if reference.kind is not Kind.INSERT or not reference.section or target not in self.state.stored:
            return None
        if not self.state.sections_before(target).is_part(reference.section):
            return None
        key = names.key(reference.section)
        return next((part for part in self.state.stored[target].content.parts if part.key == key), None)

    def _follow_unwritten(self, page: Page, use: Use, was: Resolution, will: Resolution) -> None:
        """What led to no page: given a target, captured, or kept where it would be written."""
        reference = use.reference
        at = (page.head.id, reference.span)
        aim = self.state.outcome.aims.get(at)
        if aim is not None:
            self.state.wanted_ids[at] = aim
            if will.page is not None and will.page.id == aim:
                return
            self._rewrite(page, use, None, self.state.head_after(aim), True, None)
        elif will.page is not None:
            self.state.captured[at] = Found(page.head, reference.span)
        elif was.place != will.place and self.state.must_keep_place(page, reference, was):
            self._rewrite_unwritten(page, use, was.place)
        elif was.place[0] != will.place[0] and self.state.outcome.volumes is not None:
            self.state.resettled[at] = Found(page.head, reference.span)

    def _lose(self, page: Page, reference: Reference, home: Volume, after: Resolver) -> None:
        """The target goes and nothing takes its place; by an alias the name may find another page."""
        at = (page.head.id, reference.span)
        if reference.name is None:
            return
        will = after.resolve(reference.name, home, insert=reference.kind is Kind.INSERT)
        listed = self.state.lost if will.page is None else self.state.captured
        listed[at] = Found(page.head, reference.span)

    def _to_words(self, page: Page, use: Use) -> None:
        """A reference becomes the words that readers see."""
        reference = use.reference
        words = as_markdown(shown(reference, page.text, self.state.volume_keys))
        if reference.label(page.text) and reference.label_span is not None:
            words = reference.label_span.of(page.text).strip()
        id_ = page.head.id
        if reference.kind is Kind.INSERT:
            self.state.other_texts[id_, reference.span] = Found(page.head, reference.span)
        inside = [span for span in self.state.edits.get(id_, {}) if holds(reference.span, span)]
        for span in inside:
            del self.state.edits[id_][span]
        self.state.edit(page, use, Edit(reference.span, words))
        self.state.gone_references.add((id_, reference.span))
        self.state.careful.add(id_)

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
        words = shown(reference, page.text, self.state.volume_keys, whole=whole)
        title = head.title
        if renamed and led_to is not None and reference.name is not None:
            title = names.like_typed(reference.title_typed(page.text), led_to.title, title)
        if renamed and led_to is None:
            title = self._as_asked(reference, page, title)
        edit, name = self._form(page, reference, (head.volume, head.key), title, head.id, section)
        self._take_form(page, use, edit, name)
        keep = self.state.present_words or not renamed or bool(section)
        self._label(page, use, words, title, name, keep=keep, section=section)

    def _as_asked(self, reference: Reference, page: Page, title: str) -> str:
        typed = reference.title_typed(page.text)
        return names.like_typed(typed, typed[:1].upper() + typed[1:], title)

    def _rewrite_unwritten(self, page: Page, use: Use, place: Place) -> None:
        reference = use.reference
        words = shown(reference, page.text, self.state.volume_keys)
        by_key = reference.name is not None and reference.name.key == place[1]
        span = reference.name_span if by_key else reference.title_span
        title = names.unescape(span.of(page.text))
        edit, name = self._form(page, reference, place, title, None, None)
        self._take_form(page, use, edit, name)
        self._label(page, use, words, title, name, keep=True, section=None)

    def _take_form(self, page: Page, use: Use, edit: Edit | None, name: Name) -> None:
        if edit is None:
            return
        self.state.edit(page, use, edit)
        self.state.renamed.setdefault(page.head.id, {})[use.index] = name
        plain = names.is_plain(edit.words) and names.is_plain(edit.span.of(page.text))
        if use.reference.section is not None or not plain:
            self.state.careful.add(page.head.id)

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
        home = self.state.home_after(page, reference.span)
        assert home is not None
        # Most references to a page are typed alike: what was found for one fits the next.
        key = (reference.span.of(page.text), home.id, place, title, wanted, section)
        if key not in self.state.forms:
            edit, name = self._find_form(page, reference, home, place, title, wanted, section)
            moved = None if edit is None else Edit(edit.span.moved(-reference.span.start), edit.words)
            self.state.forms[key] = moved, name
        edit, name = self.state.forms[key]
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
        volume = self.state.homes_after[place[0]]
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
        forms += with_volume + alone if self.state.outcome.volumes is not None else alone + with_volume
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
                found = self.state.resolve_after(made.name, home, insert)
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

    def _label(
        self, page: Page, use: Use, words: str, title: str, name: Name, *, keep: bool, section: str | None
    ) -> None:
        reference = use.reference
        if reference.kind is not Kind.LINK:
            return
        if reference.label(page.text):
            self.state.labelled.setdefault(page.head.id, set()).add(use.index)
            return
        left = reference.section if section is None else section
        seen = f"{title} § {left}" if left else title
        if keep and seen != words:
            span = reference.label_span or Span(reference.span.end - 2, reference.span.end - 2)
            bar = "" if reference.label_span is not None else "|"
            self.state.edit(page, use, Edit(span, bar + as_markdown(words)))
            self.state.careful.add(page.head.id)
            self.state.added += 1
