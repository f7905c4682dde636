"""Documents of other programs in and out, by pandoc, where the machine has it; AsciiDoc by Asciidoctor before it.

It runs as a process of its own with bounds of time and memory. What somebody brings is read in its sandbox, from its
standard input: it opens no file and asks nothing of a network. What is written is our own HTML, whose pictures lie
beside it in a folder made for that.
"""

from __future__ import annotations

import os
import resource
import shutil
import subprocess
import tempfile
import threading
from collections.abc import Mapping
from pathlib import Path

from mokuji.core.base.errors import BadFile, Refused, TooMany

SECONDS = 60.0
"""So long one document may take, in or out."""
MOST_MEMORY = 1 << 30
"""Maximum number of bytes that pandoc may hold."""
MOST_READ = 30_000_000
"""Maximum number of bytes of what a document becomes."""
AT_ONCE = 1
PATIENCE = 30.0
"""Seconds that one waits for another."""
_READERS = {"docx": "docx", "asciidoc": "docbook"}
_TEMPLATE = Path(__file__).with_name("document.html")
HOW_TO_GET = "As root: apt-get install pandoc pandoc-data. Or install it with your system's package manager."
_places = threading.BoundedSemaphore(AT_ONCE)


def is_there() -> bool:
    """Whether the machine has pandoc."""
    return shutil.which("pandoc") is not None


def need() -> str:
    """Where pandoc is. Refused, with how to get it, if the machine has none."""
    program = shutil.which("pandoc")
    if program is None:
        raise Refused(
            f"Such documents need pandoc, which is not installed here. {HOW_TO_GET}", code="no_pandoc"
        )
    return program


def html_of(data: bytes, form: str, path: str) -> bytes:
    """A document as HTML, formulas as MathML, pictures by their names inside it: ``docx``, ``rst``, or ``asciidoc``,
    which Asciidoctor makes DocBook of first. BadFile if it cannot be read or is too large; Refused if a program that it
    needs is not there."""
    options = ["--sandbox", "--to=html", "--mathml", "--no-highlight", "--wrap=none"]
    # A collection of reStructuredText has its titles as headings; the others say theirs apart.
    options += ["--from=rst"] if form == "rst" else [f"--from={_READERS[form]}", f"--template={_TEMPLATE}"]
    need()
    try:
        if form == "asciidoc":
            data = _docbook(data)
        made = _run(options, data, Path("/"))
    except subprocess.TimeoutExpired:
        raise BadFile(
            f"“{path}” takes longer than {SECONDS:.0f} seconds to read. Part it in several, or leave it out.",
            code="bad_document",
        ) from None
    except _Failed as fault:
        raise BadFile(f"“{path}” cannot be read by pandoc: {fault}", code="bad_document") from None
    if len(made) > MOST_READ:
        raise BadFile(
            f"“{path}” becomes more than {MOST_READ // 1_000_000} MB of text. Part it in several.",
            code="bad_document",
        )
    return made


def docx_of(page: str, title: str, subtitle: str, files: Mapping[str, bytes], *, contents: bool) -> bytes:
    """Our own HTML as an Office Open XML document. ``files`` are its pictures by their relative addresses; with
    ``contents`` a list of its headings stands first. Refused if it takes too long, or pandoc is not there."""
    with tempfile.TemporaryDirectory(prefix="mokuji-docx-") as made:
        folder = Path(made)
        for name, data in files.items():
            target = folder / name
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)
        options = ["--from=html", "--to=docx", "--output=-", f"--metadata=title={title}"]
        options += [f"--metadata=subtitle={subtitle}"]
        if contents:
            options += ["--toc", "--toc-depth=3"]
        try:
            return _run(options, page.encode(), folder)
        except (subprocess.TimeoutExpired, _Failed) as fault:
            why = (
                "takes longer than a minute"
                if isinstance(fault, subprocess.TimeoutExpired)
                else f"fails: {fault}"
            )
            raise Refused(
                f"Writing this as one document {why} Take a branch of it, or another form.",
                code="document_large",
            ) from None


def _docbook(data: bytes) -> bytes:
    """AsciiDoc as DocBook, which takes in no other file."""
    program = shutil.which("asciidoctor")
    if program is None:
        raise Refused(
            "AsciiDoc needs Asciidoctor beside pandoc, which is not installed here. As root: apt-get install "
            "asciidoctor. Or install it with your system's package manager.",
            code="no_asciidoctor",
        )
    return _alone([program, "--safe-mode=secure", "--backend=docbook5", "--out-file=-", "-"], data, Path("/"))


class _Failed(Exception):
    pass


def _run(options: list[str], data: bytes, folder: Path) -> bytes:
    return _alone([need(), "+RTS", f"-M{MOST_MEMORY}", "-RTS", *options], data, folder)


def _alone(command: list[str], data: bytes, folder: Path) -> bytes:
    if not _places.acquire(timeout=PATIENCE):
        raise TooMany("Another document is being read or written. Try again in a minute.", 60, code="busy")
    try:
        return _bounded(command, data, folder)
    finally:
        _places.release()


def _bounded(command: list[str], data: bytes, folder: Path) -> bytes:
    process = subprocess.Popen(  # noqa: S603 - a program of the machine, by its path; the document goes in as bytes
        command,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        cwd=folder,
        # No path, so that it starts no other program, and no home, whose settings it would take. Asciidoctor's own
        # interpreter is looked for by name.
        env={
            "PATH": "/usr/bin" if command[0].endswith("asciidoctor") else "",
            "HOME": os.devnull,
            "LC_ALL": "C.UTF-8",
        },
    )
    try:
        cpu = int(SECONDS) + 1
        resource.prlimit(process.pid, resource.RLIMIT_CPU, (cpu, cpu))
        resource.prlimit(process.pid, resource.RLIMIT_FSIZE, (0, 0))
        if command[0].endswith("asciidoctor"):
            resource.prlimit(process.pid, resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    except (ProcessLookupError, PermissionError):
        pass
    try:
        made, said = process.communicate(data, timeout=SECONDS)
    except subprocess.TimeoutExpired:
        process.kill()
        process.communicate()
        raise
    if process.returncode:
        raise _Failed(_said(said))
    return made


def _said(errors: bytes) -> str:
    """What pandoc complains of, in a line."""
    lines = [
        line for line in errors.decode("utf-8", "replace").splitlines() if line and "[WARNING]" not in line
    ]
    if any("heap" in line.lower() for line in lines):
        return "it needs more memory than one document may."
    told = " ".join(" ".join(lines).split())[:200]
    return f"{told or 'it does not say why'}."
