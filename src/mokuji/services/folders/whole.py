"""The whole of a wiki as files, and from them into an empty one: history, people, rights, trash, drafts, former
versions of files, beside the pages that everybody can read (``exporting``).

Texts, rows and files go in parts of bounded size, so memory does not grow with the wiki. What is derived is made anew.
"""

from __future__ import annotations

import json
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from hashlib import sha256
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from mokuji.core.base import names
from mokuji.core.base.errors import BadFile, BadText, Conflict, Missing
from mokuji.core.language.scan import check_page, read_text
from mokuji.core.model.policy import Actor
from mokuji.formats.folder_base import BESIDE
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.folders.exporting import File, check_owns, every_file, note_taken, zip_sent
from mokuji.services.folders.importing import BATCH
from mokuji.services.spool import Outgoing
from mokuji.store import files, page_index, pages, whole
from mokuji.store.database import Connection, form_of, look_again, reading, writing
from mokuji.store.snapshot import load_volumes

AT = f"{BESIDE}/whole"
ABOUT = f"{AT}/about.json"
BLOBS = f"{AT}/blobs"
PART = 8_000_000
"""Bytes of rows from which on a part of a table ends."""
FORM = 1


@contextmanager
def whole_files(app: AppContext, *, passwords: bool = False, audit: bool = False) -> Iterator[Iterator[File]]:
    """All of a wiki as files, for who runs it; hashes of passwords and the audit trail only if they are asked for."""
    with reading(app.engine) as connection:
        yield _all(app, connection, passwords=passwords, audit=audit)


def zipped_whole(app: AppContext, actor: Actor) -> Outgoing:
    """The whole of the wiki as a zip, without hashes of passwords and audit trail, for its owners."""
    check_owns(actor)
    note_taken(app, actor, "the whole wiki")
    return zip_sent(app, "whole", lambda: whole_files(app))


def _all(app: AppContext, connection: Connection, *, passwords: bool, audit: bool) -> Iterator[File]:
    yield from every_file(app, connection)
    counts: dict[str, int] = {}
    for table in whole.tables(audit=audit):
        counts[table] = 0
        part, size, number = [], 0, 1
        for row in whole.rows(connection, table, passwords=passwords):
            line = (json.dumps(row, ensure_ascii=False) + "\n").encode()
            part.append(line)
            counts[table] += 1
            size += len(line)
            if table == "blob":
                hash_ = row["hash"]
                data = files.data(connection, whole.as_bytes(hash_))
                yield f"{BLOBS}/{sha256(data).hexdigest()}", data
            if size >= PART:
                yield _part(table, number), b"".join(part)
                part, size, number = [], 0, number + 1
        if part:
            yield _part(table, number), b"".join(part)
    numbers = {table: whole.last_number(connection, table) for table in counts}
    told = {"form": FORM, "database": form_of(connection), "tables": counts, "last_numbers": numbers}
    yield ABOUT, (json.dumps(told, indent=1) + "\n").encode()


def _part(table: str, number: int) -> str:
    return f"{AT}/{table}-{number:05d}.jsonl"


def bring_whole(app: AppContext, source: Path) -> Mapping[str, int]:
    """Brings the whole of a wiki, a folder or a zip of one, into one that is empty, all of it or nothing; how many rows
    each table got. Conflict if the wiki is not empty, BadFile for what is no whole, or of another form."""
    if source.suffix != ".zip":
        return _bring(app, source)
    with TemporaryDirectory(prefix="mokuji-whole-") as folder:
        try:
            with zipfile.ZipFile(source) as archive:
                archive.extractall(folder)  # paths that lead out are made such as stay inside
        except (OSError, ValueError, zipfile.BadZipFile, NotImplementedError, RuntimeError) as fault:
            raise BadFile(f"{source} cannot be unpacked: {fault}. Export it again.", code="bad_zip") from None
        return _bring(app, Path(folder))


def _bring(app: AppContext, folder: Path) -> Mapping[str, int]:
    about = _about(folder)
    with writing(app.engine, alone=True) as connection:
        if not whole.is_empty(connection):
            raise Conflict(
                "The whole of a wiki goes into an empty one only: this one has volumes or people already. Start one "
                "with another MOKUJI_HOME, or bring back volumes with --into.",
                code="not_empty",
            )
        if about["database"] != form_of(connection):
            raise BadFile(
                "This export was written by another version of Mokuji, whose tables had another form. Import it with "
                "that version, upgrade, and export it again.",
                code="bad_whole",
            )
        counts = {}
        for table in whole.tables(audit="audit" in about["tables"]):
            last = about["last_numbers"].get(table, 0)
            counts[table] = whole.put(connection, table, _rows(folder, table), last)
            if counts[table] != about["tables"].get(table):
                raise BadFile(
                    f"“{table}” has {counts[table]} rows, and {about['tables'].get(table)} were "
                    "written. A part is missing: nothing was brought in.",
                    code="bad_whole",
                )
        look_again(connection)
        _derive(connection)
    app.forget()
    refresh(app)
    return counts


def _about(folder: Path) -> dict[str, Any]:
    path = folder / ABOUT
    if not path.is_file():
        raise Missing(
            f"{folder} holds no whole wiki: {ABOUT} is not there. It is written by “mokuji export --whole”; unpack a "
            "zip of it first.",
            code="no_whole",
        )
    try:
        told = json.loads(path.read_bytes())
        numbers = told["last_numbers"].values()
        of_numbers = all(type(each) is int and 0 <= each < 2**31 for each in numbers)
        if (
            told["form"] == FORM
            and told["tables"].keys()
            and of_numbers
            and isinstance(told["database"], str)
        ):
            return dict(told)
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        pass
    raise BadFile(
        f"{ABOUT} cannot be read, or is of a form that this version does not know.", code="bad_whole"
    )


def _rows(folder: Path, table: str) -> Iterator[tuple[str, Mapping[str, Any]]]:
    """The rows of a table, part by part, each with where it stands."""
    for path in sorted((folder / AT).glob(f"{table}-[0-9][0-9][0-9][0-9][0-9].jsonl")):
        if path.is_symlink():
            raise BadFile(f"{path.name} is a link. Put the file itself there.", code="bad_whole")
        with path.open("rb") as opened:
            for number, line in enumerate(opened, 1):
                where = f"{path.name}, line {number}"
                try:
                    told = json.loads(line)
                except (ValueError, RecursionError):
                    raise BadFile(f"{where} is no JSON. Nothing was brought in.", code="bad_whole") from None
                if not isinstance(told, dict):
                    raise BadFile(f"{where} is no row. Nothing was brought in.", code="bad_whole")
                yield where, _checked(folder, where, table, told)


def _checked(folder: Path, where: str, table: str, told: dict[str, Any]) -> Mapping[str, Any]:
    """A row that says what such a row can say beyond the kinds of its values."""
    if table in {"page", "volume"} and names.key(str(told.get("title"))) != told.get("key"):
        raise BadFile(f"{where}: the key is not that of the title. Nothing was brought in.", code="bad_whole")
    if table == "revision":
        try:
            check_page(str(told.get("text")))
        except BadText as fault:
            raise BadFile(f"{where}: {fault.message} Nothing was brought in.", code="bad_whole") from fault
    if table == "blob":
        hash_ = whole.as_bytes(told.get("hash"))
        path = folder / BLOBS / hash_.hex()
        data = path.read_bytes() if path.is_file() and not path.is_symlink() else None
        if data is None or sha256(data).digest() != hash_:
            raise BadFile(
                f"{where}: the bytes of this file are not there, or are others. Nothing was brought in.",
                code="bad_whole",
            )
        return {**told, "data": data}
    return told


def _derive(connection: Connection) -> None:
    """Makes all that is read from texts."""
    for volume in sorted(load_volumes(connection).values(), key=lambda each: each.id):
        ids: Sequence[int] = pages.all_ids(connection, volume.id)
        for at in range(0, len(ids), BATCH):
            found = [
                (head, read_text(body)) for head, body in pages.newest_texts(connection, ids[at : at + BATCH])
            ]
            page_index.index_new(connection, found)
