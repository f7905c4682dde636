"""Reports: from scratch, and bare mentions against one bare pass of the matching library over the same texts."""

from __future__ import annotations

import random
from functools import partial

from ahocorasick_rs import AhoCorasick

from bench.clock import in_turns, once, said, show
from mokuji.core.language.page import Page, PageHead
from mokuji.core.reports.bare_mentions import Finder
from mokuji.services.app_context import AppContext
from mokuji.store.database import writing
from mokuji.store.index import recount

NAMES, PAGES = 10_000, 10_000
SYLLABLES = "bar ten kel mol sur vin dor lam pis gor tal wen rik sol hem nar".split()


def _recount(app: AppContext) -> None:
    with writing(app.engine) as connection:
        recount.recount(connection)


def reach(app: AppContext) -> None:
    """Orphans, out of reach and unwritten names of the whole wiki, counted anew."""
    times = [once(partial(_recount, app)) for _ in range(3)]
    print(f"\n  orphans, out of reach and unwritten names, from scratch: {said(sorted(times)[1])}")


def _words(rng: random.Random, number: int) -> list[str]:
    return ["".join(rng.choice(SYLLABLES) for _ in range(rng.randrange(2, 4))) for _ in range(number)]


def mentions() -> None:
    """10,000 names in 10,000 pages of 4 KB; a name stands about every 300 characters, and a third are linked."""
    rng = random.Random(3)
    vocabulary = _words(rng, 4_000)
    names = sorted({f"{rng.choice(vocabulary)} {rng.choice(vocabulary)}" for _ in range(NAMES + 200)})[:NAMES]
    pages = []
    for id_ in range(1, PAGES + 1):
        pieces = []
        for nth in range(13):
            words = " ".join(rng.choice(vocabulary) for _ in range(38))
            name = rng.choice(names)
            pieces.append(f"## {name}\n\n" if nth % 6 == 5 else "")
            pieces.append(f"{words} {f'[[{name}]]' if nth % 3 == 0 else name} {words[:40]}.\n\n")
        pages.append((id_, "".join(pieces)))
    matcher = AhoCorasick(names)
    finder = Finder({name: PAGES + n for n, name in enumerate(names)})

    def bare() -> None:
        for _, text in pages:
            matcher.find_matches_as_indexes(text, overlapping=True)

    def report() -> None:
        for _ in finder.on_each(Page(PageHead(id_, 1, str(id_), str(id_)), text) for id_, text in pages):
            pass

    base = f"one bare pass of ahocorasick_rs, {NAMES:,} names in {PAGES:,} texts"
    print()
    show(in_turns({base: bare, "bare mentions of the same names": report}, turns=5, warm=0), base)
