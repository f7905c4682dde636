"""The whole of a wiki goes out and into an empty one, and is the same wiki there, table by table."""

from __future__ import annotations

import base64
import json
import random
import shutil
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Connection, text

from mokuji.acts import doing, requests
from mokuji.core.base.errors import BadFile, Conflict, Forbidden, Missing, MokujiError
from mokuji.core.model.policy import Actor, Role
from mokuji.services import people
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.folders import exporting, whole
from mokuji.services.writing import drafts, files, writing
from mokuji.store import whole as stored
from mokuji.store.database import reading
from mokuji.store.tables import metadata
from tests.outside.test_media import picture
from tests.services.making import pages, person, volume
from tests.store.filling import check_indexes


def test_each_table_belongs_to_the_whole_or_it_is_said_why_it_does_not() -> None:
    groups = (stored.KEPT, stored.ON_REQUEST, stored.DERIVED, stored.SECRET, stored.PASSING)
    assert sorted(name for group in groups for name in group) == sorted(metadata.tables), (
        "put a new table into one of the groups of store.whole"
    )


def rows_of(connection: Connection, name: str) -> list[str]:
    told = connection.execute(text(f"SELECT CAST(row_to_json(t) AS text) FROM {name} t")).scalars()
    return sorted(told)


def everything(app: AppContext, *, audit: bool = False) -> dict[str, list[str]]:
    """All rows of what belongs to the whole, but for passwords."""
    refresh(app)
    with reading(app.engine) as connection:
        found = {name: rows_of(connection, name) for name in stored.tables(audit=audit)}
    told = [json.loads(row) for row in found["person"]]
    found["person"] = [json.dumps({**row, "password": ""}) for row in told]
    return found


def taken_away(app: AppContext, into: Path, **how: bool) -> Path:
    with whole.whole_files(app, **how) as found:
        exporting.write_folder(found, into)
    return into


def test_the_demo_goes_out_whole_and_is_the_same_wiki_elsewhere(
    demo_app: AppContext, app: AppContext, tmp_path: Path
) -> None:
    folder = taken_away(demo_app, tmp_path / "out", passwords=True, audit=True)
    counts = whole.bring_whole(app, folder)
    assert counts["change_set"] > 50 and counts["trash"] >= 1
    assert everything(app, audit=True) == everything(demo_app, audit=True)
    check_indexes(app.engine)
    with reading(app.engine) as one, reading(demo_app.engine) as other:
        for name in ("led", "orphan", "asked", "unplaced", "volume_size"):
            if name != "asked":
                assert rows_of(one, name) == rows_of(other, name), name
    assert people.sign_in(app, "wenna", "buoy") is not None, "hashes of passwords came, as was asked"
    # It goes on from there: nothing new takes a number that is taken.
    wenna = people.actor_called(app, "wenna")
    writing.save(app, wenna, writing.Save("field-guide", "Night work", "New.\n", revision=0))


def test_an_owner_takes_the_whole_away_as_a_zip_and_nobody_else_does(
    app: AppContext, other_app: AppContext, tmp_path: Path
) -> None:
    volume(app, "Guide")
    ada = person(app, "ada", guide=Role.OWNER)
    pages(app, ada, "guide", {"Pump": "See [[Valve]].", "Valve": "x"})
    with pytest.raises(Forbidden, match="owners of the wiki"):
        whole.zipped_whole(app, ada)
    people.give_wiki(app, "ada", owns=True)
    sent = whole.zipped_whole(app, people.actor_called(app, "ada"))
    (tmp_path / "whole.zip").write_bytes(b"".join(sent.parts()))
    whole.bring_whole(other_app, tmp_path / "whole.zip")
    assert everything(other_app) == everything(app)
    (tmp_path / "bad.zip").write_bytes(b"no zip")
    with pytest.raises(BadFile, match="cannot be unpacked"):
        whole.bring_whole(other_app, tmp_path / "bad.zip")


TITLES = ["Pump", "contents", "漢" * 120, "A/B", "A-B", "pump house", "CON", "Straße", ".hidden", "Ends."]
TEXTS = [
    "See [[Pump]] and [[A/B#Part]].\n\n## Part\n\nx\n",
    "---\ntitle: Its own\naliases: [Also]\n---\n[[contents]]\n",
    "\ufeffBOM [[=Pump]]\n",
    "---\nbroken: [\n---\n",
    "---\n---\n",
    "- [ ] A task @ada due:2027-01-01 #parts\n",
    "![](lamp.png) [^gale-2019]\n",
]


def worked(app: AppContext, seed: int) -> Actor:
    """A wiki after some random work: pages written, renamed, moved, merged, deleted, undone; files, drafts, people."""
    rng = random.Random(seed)
    volume(app, "Guide")
    volume(app, "Notes", closed=True)
    ada = person(app, "ada", guide=Role.OWNER, notes=Role.OWNER)
    person(app, "bo", guide=Role.READER)
    pages(app, ada, "guide", {title: rng.choice(TEXTS) for title in TITLES[:4]})
    files.bring(app, ada, "guide", "lamp.png", picture("PNG"))
    done: list[int] = []

    def page() -> str:
        with reading(app.engine) as connection:
            found = (
                connection.execute(text("SELECT key FROM page WHERE volume = 1 ORDER BY id")).scalars().all()
            )
        return str(rng.choice(found)) if found else "pump"

    acts: list[Callable[[], requests.Request]] = [
        lambda: requests.Rename("guide", page(), rng.choice(TITLES)),
        lambda: requests.Create("guide", rng.choice(TITLES), rng.choice(TEXTS)),
        lambda: requests.Delete("guide", page()),
        lambda: requests.Move("guide", page(), "notes"),
        lambda: requests.Merge("guide", page(), rng.choice(TITLES)),
        lambda: requests.Edit("guide", page(), rng.choice(TEXTS)),
        lambda: requests.GiveRole("guide", "bo", rng.choice(["writer", "nobody"])),
        lambda: requests.Undo(rng.choice(done or [1])),
        lambda: requests.Language("guide", rng.choice(["de", "en"])),
    ]
    for _ in range(14):
        try:
            made = doing.apply(app, ada, rng.choice(acts)(), None, note=rng.choice(["", "a note “x”"]))
        except MokujiError:
            continue
        done.append(made.change_set)  # type: ignore[union-attr]
    drafts.keep(app, ada, "guide", "begun", "half a text", title="Begun")
    return ada


@pytest.mark.parametrize("seed", range(4))
def test_a_random_history_goes_out_whole_and_comes_back(
    app: AppContext, other_app: AppContext, tmp_path: Path, seed: int
) -> None:
    worked(app, seed)
    before = everything(app)
    whole.bring_whole(other_app, taken_away(app, tmp_path / "out"))
    assert everything(other_app) == before
    check_indexes(other_app.engine)
    again = taken_away(other_app, tmp_path / "again")
    for path in sorted((tmp_path / "out").rglob("*")):
        if path.is_file() and path.name != "format.json":
            assert path.read_bytes() == (again / path.relative_to(tmp_path / "out")).read_bytes(), path


def test_what_lets_somebody_in_is_in_no_file(app: AppContext, tmp_path: Path) -> None:
    worked(app, 0)
    with app.engine.begin() as connection:
        connection.execute(text("UPDATE person SET password = 'hash-of-heron'"))
    people.sign_in(app, "ada", "nothing")
    folder = taken_away(app, tmp_path / "out")
    held = b"".join(path.read_bytes() for path in folder.rglob("*") if path.is_file())
    assert b"hash-of-heron" not in held
    assert not list(folder.rglob("session*")) and not list(folder.rglob("audit*"))
    with_hashes = taken_away(app, tmp_path / "with", passwords=True)
    assert b"hash-of-heron" in (with_hashes / whole.AT / "person-00001.jsonl").read_bytes()


def test_it_goes_into_an_empty_wiki_only(app: AppContext, tmp_path: Path) -> None:
    worked(app, 0)
    folder = taken_away(app, tmp_path / "out")
    before = everything(app)
    with pytest.raises(Conflict, match="empty one only"):
        whole.bring_whole(app, folder)
    assert everything(app) == before
    with pytest.raises(Missing, match="holds no whole wiki"):
        whole.bring_whole(app, tmp_path)


def line(folder: Path, table: str, change: Callable[[dict[str, Any]], Any]) -> None:
    """Changes the first row of a table as it lies there."""
    path = folder / whole.AT / f"{table}-00001.jsonl"
    first, _, rest = path.read_text().partition("\n")
    told = json.loads(first)
    made = change(told)
    path.write_text(json.dumps(told if made is None else made) + "\n" + rest)


def _no_blob(folder: Path) -> None:
    next((folder / whole.BLOBS).iterdir()).write_bytes(b"another")


def _about(folder: Path, **other: object) -> None:
    path = folder / whole.ABOUT
    path.write_text(json.dumps({**json.loads(path.read_bytes()), **other}))


@pytest.mark.parametrize(
    ("harm", "said"),
    [
        (lambda f: line(f, "page", lambda row: row.update(volume="one")), "page-00001.jsonl, line 1: “volume”"),
        (lambda f: line(f, "page", lambda row: row.update(key="other")), "key is not that of the title"),
        (lambda f: line(f, "page", lambda row: row.update(volume=77)), "does not fit together"),
        (lambda f: line(f, "page", lambda row: row.pop("key") and None), "key is not that"),
        (lambda f: line(f, "revision", lambda row: row.update(text="a\0b")), "NUL"),
        (lambda f: line(f, "revision", lambda row: row.update(at="yesterday")), "“at” is missing"),
        (lambda f: line(f, "person", lambda row: row.update(id=True)), "“id” is missing"),
        (lambda f: line(f, "volume", lambda row: row.update(libraries=["x"])), "“libraries”"),
        (lambda f: line(f, "volume", lambda row: []), "is no row"),
        (lambda f: (f / whole.AT / "page-00001.jsonl").write_text("{"), "is no JSON"),
        (lambda f: (f / whole.AT / "trash-00001.jsonl").unlink(missing_ok=True), None),
        (lambda f: (f / whole.AT / "draft-00001.jsonl").unlink(), "A part is missing"),
        (_no_blob, "bytes of this file are not there"),
        (lambda f: _about(f, database="0001"), "another version"),
        (lambda f: _about(f, form=9), "cannot be read"),
        (lambda f: (f / whole.ABOUT).write_text("[" * 100_000), "cannot be read"),
    ],
)  # fmt: skip
def test_what_is_harmed_is_refused_in_a_sentence_and_nothing_of_it_is_there(
    app: AppContext, other_app: AppContext, tmp_path: Path, harm: Callable[[Path], object], said: str | None
) -> None:
    worked(app, 1)
    folder = taken_away(app, tmp_path / "out")
    harm(folder)
    before = everything(other_app)
    if said is None:
        return
    with pytest.raises(BadFile, match=said):
        whole.bring_whole(other_app, folder)
    assert everything(other_app) == before
    shutil.rmtree(folder)


def test_rows_lie_in_parts_of_bounded_size(
    app: AppContext, other_app: AppContext, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    worked(app, 2)
    monkeypatch.setattr(whole, "PART", 300)
    folder = taken_away(app, tmp_path / "out")
    assert len(list((folder / whole.AT).glob("revision-*.jsonl"))) > 3
    whole.bring_whole(other_app, folder)
    assert everything(other_app) == everything(app)


def test_moments_and_bytes_are_told_exactly() -> None:
    moment = datetime(2026, 11, 30, 12, 0, 0, 123456, tzinfo=UTC)
    assert stored.as_bytes(base64.b64encode(b"\0\xff").decode()) == b"\0\xff"
    assert stored.as_bytes("no such thing!") == b"" == stored.as_bytes(None)
    assert datetime.fromisoformat(moment.isoformat()) == moment
