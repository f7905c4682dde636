"""What was read of the pages of a folder, kept for the next command: of most pages nothing has changed since.

Kept in the folder for such things of whoever runs the command (XDG Base
Directory Specification 0.8), as lines of JSON: the digest of all that a
summary depends on, and the summary. What is damaged, or was made by another
Mokuji, is passed over, and read anew.
"""

from __future__ import annotations

import hashlib
import json
import os
import tempfile
from collections.abc import Mapping
from contextlib import suppress
from functools import lru_cache
from pathlib import Path
from typing import Any

import pyromark

import mokuji
from mokuji.core.base.edits import Edit
from mokuji.core.base.names import Name
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page
from mokuji.core.reports.page_findings import PageFinding
from mokuji.core.style.flaws import Mend
from mokuji.core.style.style import Style
from mokuji.core.syntax.reference import Kind
from mokuji.services.folders.summaries import Summary, SummedReference, read_all

KEPT_FROM = 300_000
"""Number of code points from which on what was read of them is kept: less is read in no time."""
FOLDERS = 20
"""Of so many folders what was read is kept."""


def summed_up(
    folder: Path,
    pages: list[Page],
    volumes: frozenset[str],
    styles: Mapping[int, Style],
    *,
    anew: bool = False,
) -> dict[int, Summary]:
    """What stands on the pages of a folder, by id (``summaries.read_all``); what was kept of earlier is not read again,
    unless all is to be read ``anew``."""
    kept_in = _file(folder, styles) if sum(len(page.text) for page in pages) >= KEPT_FROM else None
    if kept_in is None:
        return read_all(pages, volumes, styles)
    digests = _digests(pages, volumes, styles)
    known = {} if anew else _known(kept_in)
    found: dict[int, Summary] = {}
    lines: dict[bytes, bytes] = {}
    for id_, digest in digests.items():
        line = known.get(digest)
        with suppress(ValueError, TypeError, KeyError, IndexError, AttributeError):
            if line is not None:
                found[id_] = _from_plain(json.loads(line))
                lines[digest] = line
    unread = [page for page in pages if page.head.id not in found]
    if unread or len(lines) != len(known):
        for id_, summary in read_all(unread, volumes, styles).items():
            found[id_] = summary
            if id_ in digests:
                line = json.dumps(_plain(summary), ensure_ascii=False, separators=(",", ":")).encode()
                lines[digests[id_]] = line
        _keep(kept_in, lines)
    return found


# ---- what a summary depends on ------------------------------------------------------


def _digests(pages: list[Page], volumes: frozenset[str], styles: Mapping[int, Style]) -> dict[int, bytes]:
    """The digest of all that the summary of each page depends on. Of pages whose words are looked up in a dictionary
    there is none: the machine's may be another tomorrow."""
    every = hashlib.blake2b(repr((_program(), sorted(volumes))).encode(), digest_size=16)
    by_style: dict[int | None, Any] = {None: every}
    for id_, style in styles.items():
        by_style[id_] = every.copy()
        by_style[id_].update(repr(style).encode())
    found: dict[int, bytes] = {}
    for page in pages:
        own = styles.get(page.head.volume)
        if own is not None and own.spelling:
            continue
        digest = by_style[page.head.volume if own is not None else None].copy()
        digest.update(f"{len(page.head.title)} {page.head.title}{page.text}".encode())
        found[page.head.id] = digest.hexdigest().encode()
    return found


@lru_cache(maxsize=1)
def _program() -> tuple[tuple[str, int, int], ...]:
    """The files of the program and of its parser: their names, sizes and times."""
    found = []
    for top in (Path(mokuji.__file__).parent, Path(pyromark.__file__).parent):
        for at, folders, files in os.walk(top):
            folders[:] = [each for each in folders if each not in {"__pycache__", "static", "templates"}]
            for name in files:
                state = os.stat(f"{at}/{name}")
                found.append((name, state.st_size, state.st_mtime_ns))
    return tuple(sorted(found))


# ---- the file -----------------------------------------------------------------------


def _file(folder: Path, styles: Mapping[int, Style]) -> Path | None:
    """Where what was read of a folder is kept; None if it cannot be."""
    at = os.environ.get("XDG_CACHE_HOME") or os.path.expanduser("~/.cache")
    if not os.path.isabs(at):
        return None
    name = hashlib.blake2b(os.fsencode(folder.resolve()), digest_size=16).hexdigest()
    return Path(at, "mokuji", "folders", f"{name}-{'style' if styles else 'plain'}")


def _known(file: Path) -> dict[bytes, bytes]:
    """What is kept, by digest; nothing if it is damaged."""
    try:
        digest, _, body = file.read_bytes().partition(b"\n")
    except OSError:
        return {}
    if digest != _digest(body):
        return {}
    return {line[:32]: line[33:] for line in body.split(b"\n") if line}


def _digest(body: bytes) -> bytes:
    return hashlib.blake2b(body, digest_size=16).hexdigest().encode()


def _keep(file: Path, lines: Mapping[bytes, bytes]) -> None:
    """Keeps lines, whole or not at all; a disk that is full or may not be written is no reason to fail."""
    body = b"\n".join(digest + b" " + line for digest, line in lines.items())
    with suppress(OSError):
        file.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        # Nobody else may read it: it says what stands on the pages.
        handle, name = tempfile.mkstemp(dir=file.parent)
        try:
            with open(handle, "wb") as opened:
                opened.write(_digest(body) + b"\n" + body)
            os.replace(name, file)
        except OSError:
            os.unlink(name)
            raise
        others = sorted(file.parent.iterdir(), key=lambda each: each.stat().st_mtime_ns)
        for old in others[: -2 * FOLDERS]:
            old.unlink()


# ---- as data ------------------------------------------------------------------------


def _plain(summary: Summary) -> list[Any]:
    references = [
        (each.kind.value, each.name, each.section, each.line, each.column, *each[5:])
        for each in summary.references
    ]
    findings = [
        [
            each.code,
            each.kind,
            each.message,
            each.span,
            [
                [mend.words, [[edit.span, edit.words] for edit in mend.edits], mend.title, mend.learn]
                for mend in each.mends
            ],
            each.word,
        ]
        for each in summary.findings
    ]
    return [
        references,
        summary.ids,
        summary.words,
        sorted(summary.parts),
        findings,
        summary.understood,
        summary.drawn,
        summary.aliases,
        summary.inserts,
    ]


def _from_plain(plain: Any) -> Summary:
    references, ids, words, parts, findings, understood, drawn, aliases, inserts = plain
    return Summary(
        tuple(
            SummedReference(
                _KINDS[kind],
                None if name is None else Name(*name),
                section,
                line,
                column,
                typed,
                title,
                Span(*span),
                flags,
            )
            for kind, name, section, line, column, typed, title, span, flags in references
        ),
        tuple(ids),
        tuple(words),
        frozenset(parts),
        tuple(
            PageFinding(code, kind, message, Span(*span), tuple(map(_mend, mends)), word)
            for code, kind, message, span, mends, word in findings
        ),
        understood,
        drawn,
        tuple(aliases),
        tuple((nth, typed) for nth, typed in inserts),
    )


def _mend(plain: Any) -> Mend:
    words, edits, title, learn = plain
    return Mend(
        words,
        tuple(Edit(Span(*span), typed) for span, typed in edits),
        title,
        None if learn is None else (learn[0], learn[1]),
    )


_KINDS = {kind.value: kind for kind in Kind}
