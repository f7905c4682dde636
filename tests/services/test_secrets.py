"""A secret is taken out of all that a volume keeps, for good: asked of the database itself, every table of it."""

from __future__ import annotations

import functools
import gc
import io
import json
import re
import sys
import types

import pytest
from sqlalchemy import text

from mokuji.acts import doing, requests, secrets
from mokuji.adapters import diagrams
from mokuji.core.base.cache import BoundedCache
from mokuji.core.base.errors import BadName, Forbidden, Refused
from mokuji.core.base.names import key
from mokuji.core.language.scan import read_text
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.folders import brought
from mokuji.services.looking_back import history
from mokuji.services.reading import reading, searching
from mokuji.services.writing import drafts, files, writing
from mokuji.store import page_index
from mokuji.store.database import reading as reading_transaction
from mokuji.store.tables import metadata
from mokuji.upkeep import one_page, upkeep
from tests.services.making import pages, person, texts, volume
from tests.services.test_owners import done
from tests.store.filling import index_anew, indexes

SECRET = 'Pa$$w0rd "Heron" é'
FOLDED = "kestrel-9x"


@pytest.fixture
def owner(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Other")
    return person(app, "mirela", guide=Role.OWNER, other=Role.OWNER)


def _everything(app: AppContext) -> dict[str, str]:
    """All rows of all tables, as text."""
    with reading_transaction(app.engine) as connection:
        return {
            table.name: "\n".join(
                connection.execute(text(f"SELECT row_to_json(t)::text FROM {table.name} t")).scalars()
            )
            for table in metadata.sorted_tables
        }


def _holding(app: AppContext, words: str) -> set[str]:
    """The tables that hold words, or what is kept of them as a name."""
    forms = {json.dumps(each, ensure_ascii=False)[1:-1] for each in (words, key(words))}
    forms |= {json.dumps(form, ensure_ascii=False)[1:-1] for form in forms}  # JSON in JSON
    return {name for name, rows in _everything(app).items() for form in forms if form in rows}


def _spread(app: AppContext, owner: Actor) -> None:
    """The secret wherever somebody may have typed it."""
    pages(
        app,
        owner,
        "guide",
        {
            "Pump": f"---\nsummary: use {FOLDED}\nowner: {FOLDED}\n---\nLog in with {SECRET} here.",
            "Well": f"[[{FOLDED} page]] - [ ] change {SECRET} @mirela\n\n## {FOLDED} now\n\n[^a]: {SECRET}\n",
            "Lid": f"Was {SECRET}.",
            "Gone": f"{SECRET} in the trash",
        },
    )
    writing.save(app, owner, writing.Save("guide", "Lid", "Clean.", revision=1, note=f"took {SECRET} away"))
    done(app, owner, requests.Delete("guide", "gone"), note=f"because of {SECRET}")
    drafts.keep(app, owner, "guide", "pump", f"{SECRET} in a draft", title="Pump", revision=1)
    done(app, owner, requests.Rename("guide", "lid", f"Lid {FOLDED}"))
    done(app, owner, requests.Rename("guide", f"Lid {FOLDED}", "Cover"))
    upkeep.overview(app, owner, "guide")
    brought.receive_files(app, owner, "guide", [("out/Pump.md", io.BytesIO(f"{SECRET} {FOLDED}".encode()))])
    brought.receive_files(app, owner, "guide", [("out/Pump.md", io.BytesIO(b"clean"))])


@pytest.mark.parametrize("words", [SECRET, FOLDED])
def test_nothing_of_it_is_left_in_any_table(app: AppContext, owner: Actor, words: str) -> None:
    _spread(app, owner)
    assert len(_holding(app, words)) >= 3
    plan = secrets.plan(app, owner, "guide", words)
    assert plan.anything
    number = secrets.take_out(app, owner, "guide", words, plan.digest)
    assert isinstance(number, int)
    assert _holding(app, words) == set()
    assert len(brought.listed(app, owner, "guide").folders) == 1, "a folder that holds it is discarded"
    with app.engine.connect() as connection:
        while page_index.catch_up(connection, read_text):
            pass
        kept = indexes(connection)
        index_anew(connection)
        assert kept == indexes(connection)
        connection.rollback()
    assert not secrets.plan(app, owner, "guide", words).anything


def test_no_word_of_it_is_left_to_be_found_or_to_be_near(app: AppContext, owner: Actor) -> None:
    pages(app, owner, "guide", {"Pump": "The way in is quagga7 for now.", "Well": "A quagga is an animal."})
    assert searching.find(app, owner, "quagga7").found
    number = secrets.take_out(
        app, owner, "guide", "quagga7", secrets.plan(app, owner, "guide", "quagga7").digest
    )
    assert isinstance(number, int)
    with app.engine.connect() as connection:
        said = connection.execute(text("SELECT told, CAST(words AS text) FROM page_search")).all()
        known = connection.execute(text("SELECT word FROM word")).scalars().all()
    assert "quagga7" not in repr((said, known))
    answer = searching.find(app, owner, "quaggaa7")
    assert not answer.found and "quagga7" not in repr(answer.instead)
    assert [each.hit.head.title for each in searching.find(app, owner, "quagga").found] == ["Well"]


def _remembered(words: str) -> set[str]:
    """The functions and caches of modules that hold these words in memory."""
    holding: set[str] = set()
    for name, module in list(sys.modules.items()):
        if name.partition(".")[0] != "mokuji":
            continue
        for label, kept in list(vars(module).items()):
            if not isinstance(kept, BoundedCache | functools._lru_cache_wrapper):
                continue
            seen: set[int] = set()
            front: list[object] = [kept]
            while front:
                each = front.pop()
                if id(each) in seen or isinstance(each, types.ModuleType | types.FunctionType | type):
                    continue
                seen.add(id(each))
                if isinstance(each, str) and words in each:
                    holding.add(f"{name}.{label}")
                front += gc.get_referents(each)
    return holding


def test_nothing_of_it_is_left_in_memory(app: AppContext, owner: Actor) -> None:
    text = f"[[A|{SECRET} *here*]] and ${SECRET}$\n\n```python\nkey = '{SECRET}'\n```\n\n"
    text += f'```dot\ndigraph {{ "{SECRET}" -> b }}\n```\n'
    pages(app, owner, "guide", {"Pump": text})
    one_page.to_mend(app, owner, "guide", "pump", ())
    diagrams.draw(f'digraph {{ "{SECRET}" -> b }}\n')
    assert len(_remembered(SECRET)) >= 4
    plan = secrets.plan(app, owner, "guide", SECRET)
    assert isinstance(secrets.take_out(app, owner, "guide", SECRET, plan.digest), int)
    assert _remembered(SECRET) == set()


def test_the_plan_names_what_it_will_change(app: AppContext, owner: Actor) -> None:
    _spread(app, owner)
    files.bring(app, owner, "guide", "keys.txt", SECRET.encode())
    occurrences = secrets.plan(app, owner, "guide", SECRET).found
    assert {title for _, title, *_ in occurrences.pages} == {"Cover", "Gone", "Well", "Pump"}
    assert len(occurrences.drafts) == 1 and occurrences.acts and occurrences.files == ("keys.txt",)
    assert len(occurrences.current) == 2


def test_it_is_told_in_the_log_without_the_words_and_cannot_be_undone(app: AppContext, owner: Actor) -> None:
    pages(app, owner, "guide", {"Pump": f"Log in with {SECRET}.", "Well": "[[Pump]]"})
    number = secrets.take_out(app, owner, "guide", SECRET, secrets.plan(app, owner, "guide", SECRET).digest)
    assert isinstance(number, int)
    view = history.one_act(app, owner, number)
    assert view.act.act == "secret" and "1 page (1 revision)" in view.act.note and not view.may_undo
    assert doing.plan(app, owner, requests.Undo(number)).refusal is not None
    assert texts(app)["Pump"] == f"Log in with {'█' * len(SECRET)}."
    assert not searching.find(app, owner, "Heron").found
    shown = reading.open_page(app, owner, "guide", "pump")
    assert isinstance(shown, reading.PageView) and "Heron" not in repr(shown.ready)
    # What was done before can still be undone, and brings nothing back.
    renamed = done(app, owner, requests.Rename("guide", "pump", "Feed pump"))
    done(app, owner, requests.Undo(renamed))
    assert "Heron" not in repr(_everything(app))


def test_pages_of_other_volumes_keep_their_words(app: AppContext, owner: Actor) -> None:
    pages(app, owner, "guide", {"Pump": SECRET})
    pages(app, owner, "other", {"Note": SECRET})
    plan = secrets.plan(app, owner, "guide", SECRET)
    assert [title for _, title, *_ in plan.found.pages] == ["Pump"]
    secrets.take_out(app, owner, "guide", SECRET, plan.digest)
    assert texts(app)["Note"] == SECRET


def test_only_an_owner_may_and_only_what_was_seen_is_done(app: AppContext, owner: Actor) -> None:
    pages(app, owner, "guide", {"Pump": f"{SECRET} {FOLDED}x"})
    writer = person(app, "jonas", guide=Role.WRITER)
    with pytest.raises(Forbidden):
        secrets.plan(app, writer, "guide", SECRET)
    with pytest.raises(Forbidden):
        secrets.take_out(app, writer, "guide", SECRET, "x")
    plan = secrets.plan(app, owner, "guide", SECRET)
    writing.save(app, owner, writing.Save("guide", "Pump", f"{SECRET} again", revision=1))
    again = secrets.take_out(app, owner, "guide", SECRET, plan.digest)
    assert isinstance(again, secrets.SecretPlan) and again.revisions == 2
    assert isinstance(secrets.take_out(app, owner, "guide", SECRET, again.digest), int)
    for words in ("", "abc", "    ", "x" * 501):
        with pytest.raises(BadName):
            secrets.plan(app, owner, "guide", words)


def test_a_title_is_renamed_first(app: AppContext, owner: Actor) -> None:
    pages(app, owner, "guide", {"Heron key": "x", "Well": "[[Heron key]]"})
    plan = secrets.plan(app, owner, "guide", "Heron key")
    assert plan.found.titles == ("Heron key",)
    with pytest.raises(Refused, match="Rename"):
        secrets.take_out(app, owner, "guide", "Heron key", plan.digest)
    done(app, owner, requests.Rename("guide", "Heron key", "Card"))
    plan = secrets.plan(app, owner, "guide", "Heron key")
    assert isinstance(secrets.take_out(app, owner, "guide", "Heron key", plan.digest), int)
    assert _holding(app, "Heron key") == set()
    assert re.search(r"\[\[Card\]\]", texts(app)["Well"])
