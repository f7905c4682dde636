"""Every statement of the store is found, and uses indexes in a wiki large enough for PostgreSQL to choose so."""

from __future__ import annotations

import ast
import importlib
import inspect
import pkgutil
import re
from collections.abc import Iterator
from typing import TypeGuard

import pytest
from sqlalchemy import ClauseElement, Engine, Executable, Insert, TextClause
from sqlalchemy.dialects.postgresql import psycopg

import mokuji.store
from tests.store.test_database import large as large

DIALECT = psycopg.dialect(paramstyle="named")  # type: ignore[no-untyped-call]
VERBS = {"select", "insert", "insert_or_else", "update", "delete"}
MADE: set[str] = set()
"""Functions that make a statement of pieces."""


def _modules() -> Iterator[str]:
    for found in pkgutil.walk_packages(mokuji.store.__path__, "mokuji.store."):
        if ".migrations" not in found.name:
            yield found.name


def _asks(node: ast.AST) -> TypeGuard[ast.Call]:
    """Whether this is a call that asks the database."""
    called = isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and bool(node.args)
    return called and isinstance(node.func, ast.Attribute) and node.func.attr == "execute"  # type: ignore[attr-defined]


def _asked_while_running(tree: ast.Module) -> Iterator[ast.FunctionDef]:
    """The functions but for those that only the module itself calls: what they make are its constants."""
    functions = [node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef)]
    inside = {node.id for each in functions for node in ast.walk(each) if isinstance(node, ast.Name)}
    once = {
        node.func.id
        for statement in tree.body
        if not isinstance(statement, ast.FunctionDef)
        for node in ast.walk(statement)
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name)
    }
    yield from (each for each in functions if each.name in inside or each.name not in once)


def _said(statement: ClauseElement) -> str:
    """A statement of expressions as it is sent; one that puts in rows as it is for all columns that may be given."""
    given = None
    if isinstance(statement, Insert) and statement.select is None:
        given = [column.name for column in statement.table.columns if column.identity is None]
    return str(statement.compile(dialect=DIALECT, column_keys=given))


def _statements() -> Iterator[tuple[str, str]]:
    """All statements: those that a module names, and those that its functions hold as text."""
    for name in _modules():
        module = importlib.import_module(name)
        short = name.removeprefix("mokuji.store.")
        for label, value in vars(module).items():
            for which, one in (value if isinstance(value, dict) else {"": value}).items():
                if isinstance(one, TextClause):
                    yield f"{short}.{label} {which}".strip(), one.text
                # What is lower case is a part of statements.
                elif label.isupper() and isinstance(one, ClauseElement) and isinstance(one, Executable):
                    yield f"{short}.{label} {which}".strip(), _said(one)
        tree = ast.parse(inspect.getsource(module))
        asked = {
            call.args[0].id for call in ast.walk(tree) if _asks(call) and isinstance(call.args[0], ast.Name)
        }
        statements = {key for key, value in vars(module).items() if isinstance(value, ClauseElement)}
        assert all(each.isupper() for each in asked & statements), name
        for function in _asked_while_running(tree):
            number = 0
            for call in ast.walk(function):
                if isinstance(call, ast.Call) and isinstance(call.func, ast.Name) and call.func.id == "text":
                    number += 1
                    words = call.args[0]
                    if isinstance(words, ast.Constant):
                        yield f"{short}.{function.name} {number}", str(words.value)
                    else:
                        MADE.add(f"{short}.{function.name}")
                elif isinstance(call, ast.Call) and isinstance(call.func, ast.Name) and call.func.id in VERBS:
                    MADE.add(f"{short}.{function.name}")


STATEMENTS = {
    label: said for label, said in _statements() if re.match(r"\s*(SELECT|WITH|UPDATE|DELETE|INSERT)\b", said)
}
FEW = {
    "volume",
    "volume_size",
    "telling",
    "kept_question",
    "person",
    "membership",
    "house_style",
    "former_handle",
    "former_volume",
    "password_link",
    "alembic_version",
}
"""Tables that hold few rows however large a wiki is."""
QUEUES = {"stale", "unfiled", "unsearched", "untold", "procrastinate_jobs"}
"""Tables whose rows go when they were looked at."""
COUNTS_ALL = "it counts the whole wiki from scratch, which is done after an upgrade or a very large act"
OF_A_VOLUME = (
    "it reads all that a volume has; in one that is a good part of the wiki that is quicker by the table"
)
NIGHTLY = "it clears away what is over, once a day"
ALL_OF_IT = {
    "acts.secrets._forget_found_by 2": "it looks inside every word of a volume; so rare that it may take its time",
    **{
        f"index.recount.{name}": COUNTS_ALL
        for name in (
            "PAGES",
            "MEANINGS",
            "USES",
            "LED",
            "ORPHANS",
            "ASKED",
            "UNPLACED",
            "CLEAR_MOVED_ORPHANS",
            "CLEAR_MOVED_UNPLACED",
        )
    },
    "index.volume_pages.ALIAS_NAMES": OF_A_VOLUME,
    "kept.reports._SIZE": OF_A_VOLUME,
    "index.search.HOLDING": OF_A_VOLUME,
    "index.tasks.PEOPLE": OF_A_VOLUME,
    "index.tasks.NAMED_IN": OF_A_VOLUME,
    **{
        f"index.tasks.GATHER {order}": OF_A_VOLUME
        for order in ("date", "priority", "person", "page", "category")
    },
    "places.contents.NAMED_SO": OF_A_VOLUME,
    "places.contents._NAMED": OF_A_VOLUME,
    "sources.CITED": OF_A_VOLUME,
    "sources.LIKE": "letters inside names, titles and authors are looked for; a list of sources has some thousands",
    "database.create_database 1": "the databases of a cluster are few",
    "index.upkeep.REACHED": "what is out of reach is looked at again for all pages without a place",
    "roles.REVISIONS": "before a volume opens, what was written there is counted wherever it is now: once in a while",
    "people._FORGET_SESSIONS": "sessions that are over go when somebody signs in, so no more are there than signed in",
    "acts.trash._PURGE": NIGHTLY,
    "kept.reports._FORGET": NIGHTLY,
    "telling.entries._FORGET": NIGHTLY,
    "telling.letters._FORGET": NIGHTLY,
    "files._FORGET_STAGED": NIGHTLY,
    "files._FORGET_VERSIONS": NIGHTLY,
    "files._FORGET_BLOBS": NIGHTLY,
}
"""Statements that read a whole table, and why."""


def _plan(engine: Engine, said: str) -> str:
    """How a statement is answered whatever its values are."""
    named: dict[str, int] = {}

    def numbered(found: re.Match[str]) -> str:
        return f"${named.setdefault(found[1], len(named) + 1)}"

    said = re.sub(r"(?<![:\w]):([a-z_]\w*)", numbered, said)
    with engine.connect() as connection:
        raw = connection.connection.cursor()
        raw.execute("SET plan_cache_mode = force_generic_plan")
        raw.execute(f"PREPARE looked_at AS {said}")
        nothing = ", ".join(["NULL"] * len(named))
        raw.execute(f"EXPLAIN (COSTS OFF) EXECUTE looked_at{f'({nothing})' if named else ''}")
        plan = "\n".join(row[0] for row in raw.fetchall())
        connection.connection.rollback()
        raw.execute("DEALLOCATE looked_at")
    return plan


@pytest.mark.parametrize("label", STATEMENTS)
def test_a_statement_uses_indexes(large: Engine, label: str) -> None:
    plan = _plan(large, STATEMENTS[label])
    whole = set(re.findall(r"Seq Scan on (\w+)", plan)) - FEW - QUEUES
    assert not whole or label in ALL_OF_IT, plan
    assert whole or label not in ALL_OF_IT, "it is answered by indexes now"


SECRETS = "looks through all that a volume keeps, column by column; so rare that it may take its time"
PARTS = "parts of statements for one volume and for each of several, which are constants and are looked at"
EVERY_TABLE = "asks the same of every table, by what these say of themselves; for a whole export or import"
QUESTIONED = "_fact _hits _holding _noted _with_field are_few by_volume places".split()
OF_HITS = "made once, of parts that two statements share; the hits of a question are put before them"
QUESTION = "a question is a tree, so what is asked of the database is made of its parts"
PIECES = {
    "acts.secrets._in_json": SECRETS,
    "acts.secrets.find": SECRETS,
    "acts.secrets.rows": SECRETS,
    "acts.secrets.run": SECRETS,
    "acts.secrets.take_out": SECRETS,
    **{f"index.asked_for.{name}": QUESTION for name in QUESTIONED},
    **{f"index.hit_rows.{name}": OF_HITS for name in ("_best", "_leading", "_most")},
    "index.put_in.answering_with": QUESTION,
    "telling.entries._seen": PARTS,
    "telling.entries.unread_of": PARTS,
    "database.create_database": "names of databases cannot be values",
    "index.to_mend._open": PARTS,
    "index.to_mend._stands": PARTS,
    "index.to_mend._wanted": PARTS,
    "database.set_label": "names of databases cannot be values",
    "whole.is_empty": EVERY_TABLE,
    "whole.last_number": EVERY_TABLE,
    "whole.put": EVERY_TABLE,
    "whole.rows": EVERY_TABLE,
}
"""Functions that make a statement of pieces, and why: these are not looked at here."""


def test_no_statement_is_made_of_pieces_without_a_reason() -> None:
    assert PIECES.keys() == MADE
