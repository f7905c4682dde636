"""What a reference is to say afterwards: a decision for each, from the wiki before and after alone.

A decision writes nothing down. Its ranges count from the start of the reference, so that references typed alike in one
volume are decided once; ``apply`` makes edits and lists of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import Refused
from mokuji.core.base.names import Name
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, PageHead, Use
from mokuji.core.model.references import By, Resolution, Resolver
from mokuji.core.model.wiki import Place, Volume, Wiki
from mokuji.core.refactor.engine.decision import LEFT, Decision, Note
from mokuji.core.refactor.engine.state import State
from mokuji.core.syntax.headings import shown
from mokuji.core.syntax.parts import Part
from mokuji.core.syntax.reference import Kind, Reference, as_markdown, read

Typed = tuple[int, str]
"""A volume, and a reference as it is typed there."""


class Decider:
    """Decides what references are to say; ``before`` and ``after`` know where their names lead."""

    def __init__(self, state: State, uses: Iterable[tuple[Page, Use]]) -> None:
        self.state = state
        self._known: dict[Typed, Decision] = {}
        self._forms: dict[tuple[object, ...], tuple[Edit | None, Name]] = {}
        # Those typed alike are resolved once.
        distinct: dict[Typed | tuple[int, Span], tuple[Page, Use]] = {}
        for page, use in uses:
            key = self._typed(page, use) or (page.head.id, use.reference.span)
            distinct.setdefault(key, (page, use))
        self.before = self._resolver(distinct.values(), state.wiki, state.homes)
        self.after = self._resolver(distinct.values(), state.after, state.homes_after, moved=True)

    def decide(self, page: Page, use: Use) -> Decision:
        """What is to become of a reference. Refused if it cannot say what it is to lead to."""
        typed = self._typed(page, use)
        if typed is None:
            return self._decide(page, use)
        if typed not in self._known:
            self._known[typed] = self._decide(page, use)
        return self._known[typed]

    def _typed(self, page: Page, use: Use) -> Typed | None:
        """What all references typed alike share; None for one that may follow in a way of its own."""
        reference = use.reference
        if (
            page.head.id in self.state.apart
            or reference.kind is not Kind.LINK
            or reference.name is None
            or reference.section
            or use.in_heading
        ):
            return None
        return page.head.volume, reference.span.of(page.text)

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

    def _of_one_left(self, page: Page, reference: Reference) -> Decision:
        """A reference that an act took, and its undoing leaves: whether it leads nowhere again, or where it did."""
        home = self.state.homes_after.get(self.state.head_after(page.head.id).volume)
        if reference.name is None or home is None or page.head.id in self.state.outcome.gone:
            return LEFT
        insert = reference.kind is Kind.INSERT
        was = self.before.resolve(reference.name, self.state.home(page), insert=insert).page
        will = self.after.resolve(reference.name, home, insert=insert).page
        if was is None or (will is not None and will.id == was.id):
            return LEFT
        return Decision(note=Note.RELEASED if will is None else Note.RETURNED)

    def _decide(self, page: Page, use: Use) -> Decision:
        reference = use.reference
        at = (page.head.id, reference.span)
        home = self.state.home_after(page, reference.span)
        if self.state.left(page, reference):
            return self._of_one_left(page, reference)
        if home is None or reference.kind is Kind.LISTING:
            return LEFT
        if at in self.state.outcome.plain:
            return self._as_words(page, reference)
        insert = reference.kind is Kind.INSERT
        if reference.name is None:
            speaker = self.state.stored.get(self.state.speaker(page))
            if speaker is None:
                return LEFT  # a text from elsewhere speaks of itself
            led_to, by = speaker.head, By.TITLE
        else:
            was = self.before.resolve(reference.name, self.state.home(page), insert=insert)
            if was.page is None or was.by is None:
                return self._of_unwritten(
                    page, use, was, self.after.resolve(reference.name, home, insert=insert)
                )
            led_to, by = was.page, was.by
        target = led_to.id
        if target in self.state.outcome.plain_targets and at not in self.state.outcome.aims:
            return self._as_words(page, reference)
        wanted, section, settled = self._wanted(page, reference, target)
        if wanted is None:
            note = self._of_one_lost(reference, home)
            return Decision(leads=True, wanted=None, note=note, unsectioned=settled)
        note = None
        if insert and wanted != target and not reference.section and not section:
            note = Note.OTHER_TEXTS
        will = wanted
        if reference.name is not None:
            head = self.after.resolve(reference.name, home, insert=insert).page
            will = head.id if head is not None else 0
        elif (host := self.state.host(*at)) is not None:
            will = host
        stale = by is By.TITLE and reference.name is not None and self._says_another_title(target, wanted)
        decision = Decision(leads=True, wanted=wanted, note=note, unsectioned=settled)
        if will != wanted or section is not None or (stale and not self.state.minimal):
            return self._rewritten(decision, page, use, led_to, self.state.head_after(wanted), stale, section)
        return decision

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

    def _wanted(self, page: Page, reference: Reference, target: int) -> tuple[int | None, str | None, bool]:
        """The page a reference is to lead to, its section if that is given here (empty: none), and whether it is
        settled by that."""
        aim = self.state.outcome.aims.get((page.head.id, reference.span))
        if aim is not None:
            return aim, None, False
        recast = (
            target in self.state.hosts
            or target in self.state.outcome.texts
            or target in self.state.outcome.gone
        )
        part = self.part(reference, target) if recast else None
        if part is not None:
            host = self.state.host(target, part.opening)
            if host is not None:
                return host, None, False
        elif reference.section and recast and target in self.state.stored:
            index = self.state.sections_before(target).find(reference.section)
            if index is not None:
                if (target, index) in self.state.outcome.became:
                    return self.state.outcome.became[target, index], "", True
                found = self.state.located(target, index)
                if found is not None:
                    return found[0], None, False
        if target in self.state.outcome.gone:
            entry = self.state.outcome.successors.get(target)
            if entry is None:
                return None, None, False
            if entry.section and not reference.section:
                return entry.page, entry.section, True
            return entry.page, None, False
        return target, None, False

    def part(self, reference: Reference, target: int) -> Part | None:
        """The named part of a page that an insert is of; None for any other reference."""
        if reference.kind is not Kind.INSERT or not reference.section or target not in self.state.stored:
            return None
        if not self.state.sections_before(target).is_part(reference.section):
            return None
        key = names.key(reference.section)
        return next((part for part in self.state.stored[target].content.parts if part.key == key), None)

    def _of_unwritten(self, page: Page, use: Use, was: Resolution, will: Resolution) -> Decision:
        """What led to no page: given a target, captured, or kept where it would be written."""
        reference = use.reference
        aim = self.state.outcome.aims.get((page.head.id, reference.span))
        if aim is not None:
            decision = Decision(leads=True, wanted=aim)
            if will.page is not None and will.page.id == aim:
                return decision
            return self._rewritten(decision, page, use, None, self.state.head_after(aim), True, None)
        if will.page is not None:
            return Decision(note=Note.CAPTURED)
        if was.place != will.place and self.state.must_keep_place(page, reference, was):
            return self._rewritten_unwritten(page, use, was.place)
        if was.place[0] != will.place[0] and self.state.outcome.volumes is not None:
            return Decision(note=Note.RESETTLED)
        return LEFT

    def _of_one_lost(self, reference: Reference, home: Volume) -> Note | None:
        """The target goes and nothing takes its place; by an alias the name may find another page."""
        if reference.name is None:
            return None
        will = self.after.resolve(reference.name, home, insert=reference.kind is Kind.INSERT)
        return Note.LOST if will.page is None else Note.CAPTURED

    def _as_words(self, page: Page, reference: Reference) -> Decision:
        """A reference becomes the words that readers see."""
        words = as_markdown(shown(reference, page.text, self.state.volume_keys))
        if reference.label(page.text) and reference.label_span is not None:
            words = reference.label_span.of(page.text).strip()
        whole = Edit(Span(0, reference.span.end - reference.span.start), words)
        note = Note.OTHER_TEXTS if reference.kind is Kind.INSERT else None
        return Decision(edits=(whole,), words=True, careful=True, note=note)

    def _rewritten(
        self,
        decision: Decision,
        page: Page,
        use: Use,
        led_to: PageHead | None,
        head: PageHead,
        renamed: bool,
        section: str | None,
    ) -> Decision:
        reference = use.reference
        whole = led_to is not None and reference.name is not None and led_to.key == reference.name.key
        words = shown(reference, page.text, self.state.volume_keys, whole=whole)
        title = head.title
        if renamed and led_to is not None and reference.name is not None:
            title = names.like_typed(reference.title_typed(page.text), led_to.title, title)
        if renamed and led_to is None:
            title = self._as_asked(reference, page, title)
        edit, name = self._form(page, reference, (head.volume, head.key), title, head.id, section)
        decision = self._formed(decision, page, reference, edit, name)
        keep = self.state.present_words or not renamed or bool(section)
        return self._labelled(decision, page, reference, words, title, keep=keep, section=section)

    def _as_asked(self, reference: Reference, page: Page, title: str) -> str:
        typed = reference.title_typed(page.text)
        return names.like_typed(typed, typed[:1].upper() + typed[1:], title)

    def _rewritten_unwritten(self, page: Page, use: Use, place: Place) -> Decision:
        reference = use.reference
        words = shown(reference, page.text, self.state.volume_keys)
        by_key = reference.name is not None and reference.name.key == place[1]
        span = reference.name_span if by_key else reference.title_span
        title = names.unescape(span.of(page.text))
        edit, name = self._form(page, reference, place, title, None, None)
        decision = self._formed(LEFT, page, reference, edit, name)
        return self._labelled(decision, page, reference, words, title, keep=True, section=None)

    def _formed(
        self, decision: Decision, page: Page, reference: Reference, edit: Edit | None, name: Name
    ) -> Decision:
        if edit is None:
            return decision
        replaced = edit.span.moved(reference.span.start).of(page.text)
        plain = names.is_plain(edit.words) and names.is_plain(replaced)
        return replace(
            decision,
            edits=(*decision.edits, edit),
            name=name,
            careful=decision.careful or reference.section is not None or not plain,
        )

    def _form(
        self,
        page: Page,
        reference: Reference,
        place: Place,
        title: str,
        wanted: int | None,
        section: str | None,
    ) -> tuple[Edit | None, Name]:
        """The shortest way to write the target that leads to the page (or, with None, to the unwritten place)
        afterwards, as an edit from the start of the reference. ``section`` is added, or taken away when it is empty."""
        home = self.state.home_after(page, reference.span)
        assert home is not None
        # Most references to a page are typed alike: what was found for one fits the next.
        key = (reference.span.of(page.text), home.id, place, title, wanted, section)
        if key not in self._forms:
            edit, name = self._find_form(page, reference, home, place, title, wanted, section)
            self._forms[key] = None if edit is None else _from_start(reference, edit), name
        return self._forms[key]

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
                resolution = self.state.resolve_after(made.name, home, insert)
                right = resolution.place == place if wanted is None else resolution.page is not None
                if right and (resolution.page and resolution.page.id) == wanted:
                    same = words == span.of(page.text)
                    return (None if same else Edit(span, words)), made.name
        raise Refused(
            f"“{reference.span.of(page.text)}” on “{page.head.title}” cannot be written so that it leads to "
            f"“{title}”. Choose another title, or change that reference first.",
            code="unwritable",
            named=[page.head.volume, place[0]],
        )

    def _labelled(
        self,
        decision: Decision,
        page: Page,
        reference: Reference,
        words: str,
        title: str,
        *,
        keep: bool,
        section: str | None,
    ) -> Decision:
        if reference.kind is not Kind.LINK:
            return decision
        if reference.label(page.text):
            return replace(decision, labelled=True)
        left = reference.section if section is None else section
        seen = f"{title} § {left}" if left else title
        if not keep or seen == words:
            return decision
        span = reference.label_span or Span(reference.span.end - 2, reference.span.end - 2)
        bar = "" if reference.label_span is not None else "|"
        label = _from_start(reference, Edit(span, bar + as_markdown(words)))
        return replace(decision, edits=(*decision.edits, label), careful=True, label_added=True)


def _from_start(reference: Reference, edit: Edit) -> Edit:
    """An edit counted from the start of its reference."""
    return Edit(edit.span.moved(-reference.span.start), edit.words)
