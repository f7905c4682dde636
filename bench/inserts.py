"""Inserts: a page of many against the same text typed out, a template that 10,000 pages use, a hostile nest."""

from __future__ import annotations

from datetime import UTC, datetime
from itertools import count

from starlette.testclient import TestClient

from bench.clock import in_turns, once, said, show
from bench.views import owner
from mokuji.acts import doing, requests
from mokuji.core.base import names
from mokuji.core.language.page import Page, PageHead
from mokuji.server import create_app
from mokuji.services.app_context import AppContext
from mokuji.services.reading import categories, templates
from mokuji.services.writing import writing
from mokuji.store import volumes
from mokuji.store import writing as stored
from mokuji.store.database import writing as writing_transaction
from mokuji.store.log import change_sets
from mokuji.store.log.change_sets import Signature
from mokuji.upkeep import upkeep

USES = 10_000
NOTICE = """---
slots: {word: {required: true}, avoid: }
gives: [Notices]
---
> **${word}** Mind it. ${avoid:-Wait.}
"""


def _nest() -> float:
    """Seconds of a view in which each of twelve levels inserts the next one eight times."""
    from tests.core.showing import shown
    from tests.wikis import wiki_of

    levels = {f"L{n}": f"[[=L{n + 1}]]\n\n" * 8 for n in range(11)} | {"L11": "end"}
    wiki = wiki_of({"Guide": {"Host": "[[=L0]]", **levels}})
    return once(lambda: shown(wiki, wiki.pages_by_id[1]))


def run(app: AppContext) -> None:
    """Prints the figures; writes into the wiki."""
    with writing_transaction(app.engine) as connection:
        volume = volumes.add_volume(connection, "Inserts")
    actor = owner(app)
    writing.save(app, actor, writing.Save("inserts", "Notice", NOTICE, revision=0))
    calls = [f"[[=Notice | word: CAUTION {n} | avoid: See [[Part {n}]].]]" for n in range(200)]
    typed = [f"> **CAUTION {n}** Mind it. See [[Part {n}]]." for n in range(200)]
    writing.save(app, actor, writing.Save("inserts", "Put in", "\n\n".join(calls), revision=0))
    writing.save(app, actor, writing.Save("inserts", "Typed out", "\n\n".join(typed), revision=0))
    client = TestClient(create_app(app, ["testserver"]))

    numbers = count()

    def view(page: str) -> object:
        # What nobody asked for before is laid out.
        done = client.get(f"{names.address('inserts', page)}?turn={next(numbers)}")
        assert done.status_code == 200 and done.text.count("<strong>CAUTION") == 200, page
        return done

    print("\nInserts\n")
    base = "view of a page of 200 quotations with a reference each"
    show(
        in_turns(
            {base: lambda: view("typed out"), "the same, each put in": lambda: view("put in")}, turns=20
        ),
        base,
    )
    by = Signature(actor.person, datetime.now(UTC))
    with writing_transaction(app.engine, alone=True) as connection:
        change_set = change_sets.open_change_set(connection, "create", volume, None, by)
        for n in range(USES):
            page = Page(PageHead(0, volume, "", ""), f"[[=Notice | word: NOTE {n}]]\n")
            stored.create_page(connection, volume, f"User {n}", page.content, page.text, change_set, by)
    state = {"notice": 1, "other": 1}

    def save(title: str, text: str, key: str) -> None:
        done = writing.save(
            app, actor, writing.Save("inserts", title, f"{text}\n{state[key]}", revision=state[key])
        )
        state[key] = done.head.revision

    print()
    plain = "save of a page that nothing inserts"
    writing.save(app, actor, writing.Save("inserts", "Other", NOTICE, revision=0))
    show(
        in_turns(
            {
                plain: lambda: save("Other", NOTICE, "other"),
                f"save of a template that {USES:,} pages insert": lambda: save("Notice", NOTICE, "notice"),
            },
            turns=20,
        ),
        plain,
    )
    times = {
        "view of that template, with its first places of use": lambda: client.get("/inserts/notice?turn=0"),
        f"the {USES:,} places of use of a template": lambda: templates.all_uses(
            app, actor, "inserts", "notice"
        ),
        f"the effect of a change on {USES:,} places": lambda: templates.effect(
            app, actor, "inserts", "notice", NOTICE.replace("Mind it", "Mind this")
        ),
        f"a category that a template gives to {USES:,} pages": lambda: categories.category(
            app, actor, "inserts", "notices"
        ),
    }
    client.get("/inserts/notice")  # what the writes left to be counted is counted
    for name, act in times.items():
        print(f"  {name:<58} {said(once(act)):>11}")
    start = len("Before.\n\n")
    said_again = "Vent the well for {} minutes, and keep a second person within call while the lid is off."
    long = "\n\n".join(f"Words of paragraph {n}: " + "more of them, " * 40 for n in range(12))
    for n in range(100):
        text = f"Before.\n\n{said_again.format(n)}\n\n{long} {n}\n"
        writing.save(app, actor, writing.Save("inserts", f"Says it {n}", text, revision=0))
    passage = (start, start + len(said_again.format(0)))
    taken = requests.Extract("inserts", "says it 0", *passage, "Vent", slots=(requests.Slot("minutes", "0"),))
    times = {
        "plan of an extract, 99 pages of 8 KB say the same": lambda: doing.plan(app, actor, taken),
        f"text that is repeated on the {USES + 105:,} pages of the volume": lambda: upkeep.report(
            app, actor, "inserts", "repeats"
        ),
        "plan to put its text in the place of 200 inserts of a page": lambda: doing.plan(
            app, actor, requests.InlineEverywhere("inserts", "other")
        ),
    }
    writing.save(
        app,
        actor,
        writing.Save("inserts", "Inliner", "\n\n".join(calls).replace("Notice", "Other"), revision=0),
    )
    for name, act in times.items():
        print(f"  {name:<58} {said(once(act)):>11}")
    print(f"  {'a nest that would come to 8 to the power of 12 inserts':<58} {said(_nest()):>11}")
