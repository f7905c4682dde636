"""Reads the case files of tests/cases: a sentence, an act, the pages before, and what comes out."""

from __future__ import annotations

import re
from pathlib import Path

from mokuji.core.language.page import PageHead
from mokuji.core.model.changes import Fate
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.plan import Plan
from tests.wikis import wiki_of

CASES = Path(__file__).parent.parent / "cases"


def cases(name: str) -> list[tuple[str, str]]:
    """The sentence and the block of each case of a file."""
    parts = re.split(r"^=== (.+)\n", (CASES / name).read_text(), flags=re.MULTILINE)
    return list(zip(parts[1::2], parts[2::2], strict=True))


def parted(block: str) -> tuple[str, MemoryWiki, str]:
    """The act, the wiki before it, and what is to come out."""
    before, _, expected = block.partition("\n-->\n")
    act, _, pages = before.partition("\n")
    library = re.match(r"libraries (\w+): (\w+)\n", pages)
    return act, wiki_of(pages_of(pages), {library[1]: [library[2]]} if library else {}), expected.strip("\n")


def pages_of(block: str) -> dict[str, dict[str, str]]:
    """The pages of a case: volume → title → text."""
    volumes: dict[str, dict[str, str]] = {}
    for name, text in re.findall(r"^@@ (.+)\n?((?:(?!@@ ).*\n?)*)", block, flags=re.MULTILINE):
        volume, title = name.split("/", 1)
        # The line end before the next page belongs to the case, not to the text.
        volumes.setdefault(volume, {})[title] = text.replace("␍", "\r").removesuffix("\n")
    return volumes


def outcome(wiki: MemoryWiki, plan: Plan) -> str:
    """What a plan does, as the case files write it: texts that change, pages that come, go or have another name,
    and what is captured or lost."""
    volumes = {volume.id: volume.title for volume in wiki.volumes.values()}
    volumes |= {each.after.id: each.after.title for each in plan.change_set.volumes if each.after}

    def place(head: PageHead) -> str:
        return f"{volumes[head.volume]}/{head.title}"

    said = [f"gone {place(removed_page.head)}" for removed_page in plan.change_set.removed]
    for change in plan.change_set.changes:
        if change.after != change.before or change.fate is not Fate.KEPT:
            said.append(f"@@ {place(change.head)}\n{change.after}")
    found = plan.followed
    for what, listed in (
        ("captured", found.captured),
        ("lost", found.lost),
        ("section", found.lost_sections),
        ("other text", found.other_texts),
        ("resettled", found.resettled),
        ("released", found.released),
        ("returned", found.returned),
    ):
        for reference in listed:
            page = wiki.pages_by_id[reference.page.id]
            said.append(f"{what} {place(page.head)}: {reference.span.of(page.text)}")
    return "\n".join(said).replace("\r", "␍").strip("\n")
