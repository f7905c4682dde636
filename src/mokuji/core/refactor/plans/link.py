"""Link: words that name a page become references to it; or a page that nothing leads to is referred to from another.

What readers see stays as it is: the words stay, as the name where they can be
it, else as label.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.base.phrases import Named
from mokuji.core.base.spans import Span
from mokuji.core.edit.front_edit import line_end
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Resolver, Sections, section_for, volumes_by_id
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.composing import Carried, Composition, Words
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make, naming, need
from mokuji.core.syntax.reference import Kind, Reference, read


@dataclass(frozen=True, slots=True)
class Linked(Facts):
    """Words that refer now: to which page, or to how many, in how many places."""

    target: Named | None
    pages: int
    links: int


@dataclass(frozen=True, slots=True)
class AddressesLinked(Facts):
    """Addresses on a page that are references now."""

    page: str
    links: int


@dataclass(frozen=True, slots=True)
class LedToSection(Facts):
    """A reference on a page that leads to a section of another."""

    page: str
    target: Named
    section: str


@dataclass(frozen=True, slots=True)
class LinkedFrom(Facts):
    """A page that refers to another at its end."""

    source: Named
    target: Named


def link(wiki: Wiki, mentions: Mapping[int, Sequence[tuple[Span, int]]]) -> Plan:
    """The plan to make references of words: of each page by id the ranges, and the pages that they are to lead to.

    Refused if a range can be no reference where it stands; a mention of a page that is gone is left out.
    """
    pages = wiki.pages(list(mentions))
    targets = wiki.pages({target for mention in mentions.values() for _, target in mention})
    texts: dict[int, Composition] = {}
    added: dict[int, int] = {}
    for id_, page in sorted(pages.items()):
        parts: list[Carried | Words] = []
        at = 0
        for span, target in sorted(mentions[id_]):
            if span.start < at or span.end > len(page.text):
                raise Refused(
                    f"“{page.head.title}” was changed meanwhile. Look at the list again.",
                    code="plan_stale",
                    named=[page.head.volume],
                )
            if target not in targets or target == id_:
                continue
            written = _written(wiki, page, span.of(page.text), targets[target].head)
            parts += [Carried(id_, Span(at, span.start)), Words(written)]
            at = span.end
            added[id_] = added.get(id_, 0) + 1
        texts[id_] = [*parts, Carried(id_, Span(at, len(page.text)))]
    asked = [f"{id_} {span} {target}" for id_ in sorted(pages) for span, target in sorted(mentions[id_])]
    hand = next(iter(targets.values())).head if len(targets) == 1 else None
    facts = Linked(naming(hand) if hand is not None else None, len(targets), sum(added.values()))
    plan = make(wiki, "link", hand, Outcome(texts=texts), asked=asked, facts=facts)
    _check(plan, added)
    return plan


@dataclass(frozen=True, slots=True)
class Address:
    """An outside link to be a reference: its range, the page that it means, the words it shows, its fragment."""

    span: Span
    target: int
    words: str
    fragment: str = ""


def link_addresses(wiki: Wiki, page_id: int, addresses: Sequence[Address]) -> Plan:
    """The plan to make references of outside links on a page that lead into the wiki itself."""
    page = need(wiki, page_id)
    targets = wiki.pages({address.target for address in addresses})
    parts: list[Carried | Words] = []
    at = 0
    for address in sorted(addresses, key=lambda each: each.span):
        target = targets[address.target]
        words = address.words if address.words.strip() else target.head.title
        written = _written(wiki, page, words, target.head)
        section = section_for(wiki, target, address.fragment)
        if section:
            at_end = written.index("|") if "|" in written else len(written) - 2
            written = f"{written[:at_end]}#{section}{written[at_end:]}"
        parts += [Carried(page_id, Span(at, address.span.start)), Words(written)]
        at = address.span.end
    texts = {page_id: [*parts, Carried(page_id, Span(at, len(page.text)))]}
    facts = AddressesLinked(page.head.title, len(addresses))
    asked = ("addresses", page_id, *addresses)
    plan = make(wiki, "link", page.head, Outcome(texts=texts), asked=asked, facts=facts)
    _check(plan, {page_id: len(addresses)})
    return plan


def lead_to_section(
    wiki: Wiki, page_id: int, index: int, section: str, readable: Collection[int] | None = None
) -> Plan:
    """The plan to lead a reference (``index`` among those of its page) to a section of the page that it leads to;
    Missing if there is no such reference, or no such section in the ``readable`` volumes."""
    page = need(wiki, page_id)
    references = page.content.references
    reference = references[index] if 0 <= index < len(references) else None
    if reference is None or reference.section_span is None:
        raise Missing("There is no such reference on the page any more.", code="reference_missing")
    target: Page | None = page
    insert = reference.kind is Kind.INSERT
    if reference.name is not None:
        home = volumes_by_id(wiki)[page.head.volume]
        head = Resolver.of(wiki, [(home, reference)]).resolve(reference.name, home, insert=insert).page
        target = wiki.pages([head.id]).get(head.id) if head is not None else None
    hidden = target is not None and readable is not None and target.head.volume not in readable
    if (
        target is None
        or hidden
        or not Sections.of(target, frozenset(wiki.volumes)).holds(section, insert=insert)
    ):
        raise Missing(f"There is no section “{section}” to lead to.", code="section_missing")
    edit = Edit(reference.section_span, names.escape_section(section))
    facts = LedToSection(page.head.title, naming(target.head), section)
    asked = ("section", page_id, index, section)
    return make(wiki, "link", page.head, Outcome(edits={page_id: (edit,)}), asked=asked, facts=facts)


def link_from(wiki: Wiki, source_id: int, target_id: int) -> Plan:
    """The plan to refer to a page at the end of another."""
    source, target = need(wiki, source_id), need(wiki, target_id).head
    if source_id == target_id:
        raise Refused(
            "A page that refers to itself is led to by no other. Choose another page.", code="same_page"
        )
    end = line_end(source.text)
    body = source.text[source.content.front_matter.span.end :]
    gap = "" if not body.strip() else end * (1 if source.text.endswith(("\n", "\r")) else 2)
    sentence = f"{gap}See {_written(wiki, source, target.title, target)}.{end}"
    whole = Carried(source_id, Span(0, len(source.text)))
    outcome = Outcome(texts={source_id: [whole, Words(sentence)]})
    plan = make(
        wiki,
        "link",
        target,
        outcome,
        asked=("from", source_id, target_id),
        facts=LinkedFrom(naming(source.head), naming(target)),
    )
    _check(plan, {source_id: 1})
    return plan


def _written(wiki: Wiki, page: Page, words: str, target: PageHead) -> str:
    """The shortest reference on a page that leads to the target and shows these words."""
    homes = volumes_by_id(wiki)
    home, there = homes[page.head.volume], homes[target.volume]
    shown = " ".join(words.split())
    title = names.escape(target.title)
    full = f"{names.escape(there.title)}/{title}"
    forms = [
        f"[[{names.escape(shown)}]]",
        f"[[{title}|{shown}]]",
        f"[[{full}|{shown}]]",
        f"[[/{full}|{shown}]]",
    ]
    if names.key(shown) == target.key and shown == target.title and home.id != there.id:
        forms[2:2] = [f"[[{full}]]"]
    for form in forms:
        reference = read(form, 0)
        if not isinstance(reference, Reference) or reference.name is None or reference.section is not None:
            continue
        resolution = Resolver.of(wiki, [(home, reference)]).resolve(reference.name, home)
        if resolution.page is not None and resolution.page.id == target.id:
            return form
    raise Refused(
        f"“{shown}” on “{page.head.title}” cannot be written as a reference.",
        code="unwritable",
        named=[page.head.volume, target.volume],
    )


def _check(plan: Plan, added: Mapping[int, int]) -> None:
    """Refused if words became no reference: in code or HTML that the list did not know of, or in an open block."""
    for change in plan.change_set.changes:
        before = len(Page(change.head, change.before).content.references)
        after = len(change.content.references) if change.content is not None else before
        if after != before + added.get(change.head.id, 0):
            raise Refused(
                f"On “{change.head.title}” a reference cannot be read where it would be put, since something there is "
                "left open, such as code or HTML. Put it in by hand.",
                code="unexpected_references",
                named=[change.head.volume],
            )
