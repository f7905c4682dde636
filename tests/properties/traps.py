"""Small wikis full of traps, and all acts on them, drawn from a number: for chains that a second reader looks at."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from random import Random

from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page
from mokuji.core.model.assets import Asset
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.aliases import set_aliases
from mokuji.core.refactor.plans.assets import change_asset, remove_asset
from mokuji.core.refactor.plans.create import create
from mokuji.core.refactor.plans.delete import delete
from mokuji.core.refactor.plans.extract import Wanted, extract
from mokuji.core.refactor.plans.inline import inline, inline_everywhere
from mokuji.core.refactor.plans.join import join
from mokuji.core.refactor.plans.merge import Texts, merge
from mokuji.core.refactor.plans.move import move_to_volume
from mokuji.core.refactor.plans.rename import rename
from mokuji.core.refactor.plans.restore import Trashed, restore
from mokuji.core.refactor.plans.retarget import retarget
from mokuji.core.refactor.plans.save import save
from mokuji.core.refactor.plans.section import rename_section
from mokuji.core.refactor.plans.slot import give_value, rename_slot
from mokuji.core.refactor.plans.split import split
from mokuji.core.refactor.plans.undo import Past, undo
from mokuji.core.refactor.plans.volumes import create_volume, delete_volume, rename_volume, set_libraries
from tests.properties.promises import applied, past_of
from tests.wikis import wiki_of

TITLES = ["Pump", "Well", "Data/x", "A-B", "Öl", "Seal"]
NAMES = [*TITLES, "data/Pump", "Guide/Well", "lid", "Lost", "Lost/x", "pump", "a b", "/Data/Pump"]
HEADS = ["Limits", "Limits", "Seat", "One {#g}", "Two {#g}", "Öl", "[[Pump]]", "On [[Lost/x]] {#on}"]
SECTIONS = ["#Limits", "#g", "#Seat", "#one", "#Pump", "#on", "#nowhere"]
VOLUMES = ["Guide", "Data", "Stock"]
FILES = ["wiring.svg", "well.png"]
SLOTS = ["a", "b"]


class Traps:
    """Makes small wikis: equal identifiers and words of headings, headings made of references, named parts, names
    with “/”, aliases that others have as titles, names that nobody wrote, brackets in code, libraries, slots."""

    def __init__(self, seed: int) -> None:
        self.chance = Random(seed)
        self._marks = 0
        self._tokens = 0

    def wiki(self) -> MemoryWiki:
        """A wiki of three volumes, two to four pages each."""
        volumes = {title: list(dict.fromkeys(self._some(TITLES, 2, 4))) for title in VOLUMES}
        libraries = {"Guide": self.chance.choice([[], ["Stock"], ["Data", "Stock"]]), "Data": ["Guide"]}
        return wiki_of(
            {volume: {title: self.text() for title in titles} for volume, titles in volumes.items()},
            libraries,
        )

    def text(self) -> str:
        """A text of one to four blocks, with other names and slots at its head."""
        blocks = [self._block() for _ in range(self.chance.randint(1, 4))]
        front = ""
        if self.chance.random() < 0.4:
            front += f"aliases: [{self.chance.choice(['lid', 'Seal', 'cover'])}]\n"
        if self.chance.random() < 0.25:
            front += "slots:\n  a:\n  b:\n"
            blocks.append("${a} and ${b}")
        return (f"---\n{front}---\n" if front else "") + "\n\n".join(blocks) + "\n"

    def edited(self, text: str) -> str:
        """A text as somebody has changed it: a block gone, come or moved, or other words in a heading."""
        blocks = text.split("\n\n")
        at = self.chance.randrange(len(blocks))
        how = self.chance.randrange(4)
        if how == 0 and len(blocks) > 1 and not blocks[at].startswith("---"):
            del blocks[at]
        elif how == 1:
            blocks.insert(at + 1, self._block())
        elif how == 2:
            headed = [n for n, block in enumerate(blocks) if block.startswith("## ")]
            if headed:
                blocks[self.chance.choice(headed)] = "## Renamed"
        else:
            return text.replace("aliases: [", "aliases: [other, ").rstrip() + "\n\n" + self._block() + "\n"
        return "\n\n".join(blocks).rstrip() + "\n"

    def _some(self, what: list[str], least: int, most: int) -> list[str]:
        return [self.chance.choice(what) for _ in range(self.chance.randint(least, most))]

    def _mark(self) -> str:
        self._marks += 1
        return f"mark{self._marks}"

    def _block(self) -> str:
        kind = self.chance.randrange(8)
        if kind <= 1:
            return f"## {self.chance.choice(HEADS)}\n\n{self._mark()} {self._reference()}"
        if kind == 2:
            return f"<!-- part: {self.chance.choice(['one', 'seat'])} -->\n{self._mark()}\n<!-- /part -->"
        if kind == 3:
            return "```\n[[Pump]]\n```"
        if kind == 4:
            return f"![file]({self.chance.choice(FILES)}) {self._reference()}"
        return " ".join(self.chance.choice([self._reference(), "words", "`[[Well]]`"]) for _ in range(4))

    def _token(self) -> str:
        self._tokens += 1
        return f"t{self._tokens}"

    def _reference(self) -> str:
        token = self._token()
        if self.chance.random() < 0.2:
            return f"{token} [[#{self.chance.choice(['Limits', 'g', 'Seat'])}]]"
        name = self.chance.choice(NAMES)
        section = self.chance.choice(["", "", *SECTIONS])
        if self.chance.random() < 0.3:
            value = f"{self._token()} [[{self.chance.choice(NAMES)}]]"
            values = self.chance.choice(["", "", f" | a: {value}", f" | b: 12 V | {value}"])
            return f"{token} [[={name}{section}{values}]]"
        label = "|a label" if self.chance.random() < 0.2 else ""
        return f"{token} [[{name}{section}{label}]]"


@dataclass(frozen=True)
class Act:
    """An act on a wiki: its name, how its plan is made, and what becomes of pages that go.

    ``hand`` is the page in hand, ``index`` the reference or heading there; ``back`` the act that is taken back.
    """

    name: str
    make: Callable[[], Plan]
    went: Mapping[int, int | None] = field(default_factory=dict)
    hand: int = 0
    index: int = 0
    old: str = ""
    new: str = ""
    volume: int = 0
    back: Past | None = None
    restored: tuple[Trashed, ...] = ()


@dataclass
class Chain:
    """A wiki, and what was done to it: what lies in the trash, and what can be undone."""

    traps: Traps
    wiki: MemoryWiki
    trash: dict[int, tuple[Trashed, Mapping[int, tuple[int, frozenset[Span]]]]] = field(default_factory=dict)
    past: list[tuple[Past, MemoryWiki]] = field(default_factory=list)

    def act(self) -> Act:
        """The next act, drawn among all."""
        made = [*self._of_names(), *self._of_texts(), *self._of_volumes(), *self._of_memory()]
        return self.traps.chance.choice(made)

    def done(self, act: Act, plan: Plan) -> MemoryWiki:
        """The wiki once it is done; this chain goes on from there."""
        before, after = self.wiki, applied(self.wiki, plan)
        for removed in plan.change_set.removed:
            trashed = Trashed(removed.head, before.pages_by_id[removed.head.id].text, removed.leads)
            if act.name != "merge":
                self.trash[removed.head.id] = trashed, plan.followed.landed
        for id_ in after.pages_by_id:
            self.trash.pop(id_, None)
        if act.back is not None:
            self.past = [each for each in self.past if each[0] is not act.back]
        self.past.append((past_of(before, plan), before))
        self.wiki = after
        return after

    def _page(self) -> Page:
        return self.traps.chance.choice([page for _, page in sorted(self.wiki.pages_by_id.items())])

    def _of_names(self) -> list[Act]:
        wiki, chance = self.wiki, self.traps.chance
        page, other = self._page().head, self._page().head.id
        title = chance.choice([*TITLES, "New", "Guide/New", "lid"])
        volume = chance.choice(sorted(each.id for each in wiki.volumes.values()))
        names = chance.choice([[], ["lid"], ["cover", "Lost"], ["Seal"]])
        return [
            Act("rename", lambda: rename(wiki, page.id, title, present_words=chance.random() < 0.3)),
            Act("move", lambda: move_to_volume(wiki, [page.id], volume)),
            Act("aliases", lambda: set_aliases(wiki, page.id, names), hand=page.id),
            Act("delete", lambda: delete(wiki, [page.id]), {page.id: None}),
            Act("words", lambda: delete(wiki, [page.id], references="words"), {page.id: None}),
            Act(
                "delete",
                lambda: delete(wiki, [page.id], references="retarget", target=other),
                {page.id: other},
            ),
            Act("retarget", lambda: retarget(wiki, (page.volume, page.key), other)),
        ]

    def _of_texts(self) -> list[Act]:
        wiki, chance = self.wiki, self.traps.chance
        page, other = self._page(), self._page().head.id
        id_, content = page.head.id, page.content
        index = chance.randrange(len(content.headings)) if content.headings else 0
        words = chance.choice(["Seat", "New words", "g", "Pump"])
        inserts = [n for n, each in enumerate(content.references) if each.kind.value == "insert"]
        at = chance.choice(inserts) if inserts else 0
        texts: Texts = chance.choice(("after", "before", "keep"))
        edited, written = self.traps.edited(page.text), self.traps.text()
        passage = self._passage(page)
        title, slot, value = chance.choice([*TITLES, "Cut", "lid"]), chance.choice(SLOTS), "v [x](y)"
        template = chance.random() < 0.5
        slotted = [n for n, each in sorted(wiki.pages_by_id.items()) if each.content.declared.slots]
        filled = chance.choice(slotted) if slotted else id_
        asset = Asset("file", 1, page.head.volume, chance.choice(FILES), "bytes")
        file = chance.choice(["new name.svg", "a(b).png"])
        every = sorted(wiki.pages_by_id)
        return [
            Act("merge", lambda: merge(wiki, id_, other, texts=texts), {id_: other}, id_, old=texts),
            Act("join", lambda: join(wiki, id_, other), {id_: other}),
            Act(
                "split", lambda: split(wiki, id_, index, "Split off", leave=chance.choice(["link", "insert"]))
            ),
            Act("section", lambda: rename_section(wiki, id_, index, words)),
            Act("edit", lambda: save(wiki, id_, edited), hand=id_),
            Act("create", lambda: create(wiki, page.head.volume, title, written)),
            Act("extract", lambda: extract(wiki, id_, passage, Wanted(title, template), offer=every)),
            Act("inline", lambda: inline(wiki, id_, at), hand=id_, index=at),
            Act("inline everywhere", lambda: inline_everywhere(wiki, id_, trash=template), {id_: None}, id_),
            Act("slot", lambda: rename_slot(wiki, filled, slot, "c"), hand=filled, old=slot, new="c"),
            Act("slot value", lambda: give_value(wiki, filled, slot, value)),
            Act(
                "file",
                lambda: change_asset(wiki, "file", asset, every, name=file),
                old=asset.name,
                new=file,
                volume=asset.volume,
            ),
            Act("remove file", lambda: remove_asset(wiki, "file", asset, every)),
        ]

    def _passage(self, page: Page) -> Span:
        start = page.content.front_matter.span.end
        blocks = page.text[start:].rstrip().split("\n\n")
        first = self.traps.chance.randrange(len(blocks))
        last = self.traps.chance.randint(first, len(blocks) - 1)
        at = start + sum(len(block) + 2 for block in blocks[:first])
        return Span(at, at + len("\n\n".join(blocks[first : last + 1])))

    def _of_volumes(self) -> list[Act]:
        wiki, chance = self.wiki, self.traps.chance
        volumes = sorted(each.id for each in wiki.volumes.values())
        volume = chance.choice(volumes)
        others = [each for each in volumes if each != volume and chance.random() < 0.5]
        name, made = chance.choice(["Lost", "Manual", "Seal"]), chance.choice(["Lost", "Öl"])
        standing = sorted(wiki.standing_in(volume))
        libraries = Act("libraries", lambda: set_libraries(wiki, volume, others))
        return [
            Act("volume", lambda: rename_volume(wiki, volume, name)),
            libraries,
            libraries,
            Act("new volume", lambda: create_volume(wiki, made)),
            Act("delete volume", lambda: delete_volume(wiki, volume, standing), dict.fromkeys(standing)),
        ]

    def _of_memory(self) -> list[Act]:
        wiki, chance = self.wiki, self.traps.chance
        acts: list[Act] = []
        if self.trash:
            trashed, landed = self.trash[chance.choice(sorted(self.trash))]
            title = chance.choice([trashed.head.title, trashed.head.title, "Back"])
            titles = {trashed.head.id: title}
            back = lambda: restore(wiki, [trashed], titles=titles, captured=landed)  # noqa: E731
            acts += [Act("restore", back, restored=(trashed,))] * 3
        for past, _ in self.past[-3:]:
            acts.append(self._undo(past))
        return acts

    def _undo(self, past: Past) -> Act:
        wiki = self.wiki
        went = {
            id_: past.entries[id_].page if id_ in past.entries else None
            for id_ in past.made & wiki.pages_by_id.keys()
        }
        return Act("undo", lambda: undo(wiki, past), went, back=past)
