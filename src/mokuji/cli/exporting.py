"""``mokuji export``: volumes as folders or zips that are imported again, pages as what other programs read."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import typer

from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import counted
from mokuji.services import people
from mokuji.services.app_context import AppContext
from mokuji.services.folders import exporting
from mokuji.services.folders.exporting import File
from mokuji.services.folders.whole import whole_files
from mokuji.services.publishing import taking_away
from mokuji.services.publishing.forms import TYPES, Form, left_words

STEP = 100
"""Number of files after which it is said how many there are."""


@dataclass(frozen=True, slots=True)
class Asked:
    """What is to be written in a form: of which volume, from which page on, as whose reading."""

    volumes: list[str]
    page: str
    branch: str
    reader: str


def as_folder(
    app: AppContext, into: Path, volumes: list[str], *, whole: bool, passwords: bool, audit: bool
) -> None:
    """Volumes as they are imported again."""
    if whole and volumes:
        raise Refused("The whole is of all volumes. Leave --volume out, or --whole.", code="bad_choice")
    if (passwords or audit) and not whole:
        raise Refused(
            "--password-hashes and --audit-trail belong to --whole. Say that as well.", code="bad_choice"
        )
    made = whole_files(app, passwords=passwords, audit=audit) if whole else exporting.wiki_files(app, volumes)
    with made as found, _told("file") as tell:
        _write(app, into, _counted(found, tell))
    if not whole:
        typer.echo(
            "History, people, rights, trash and drafts are not in it; --whole takes them along.", err=True
        )
    for volume in volumes:
        led = taking_away.led_out_of(app, volume)
        if led:
            typer.echo(
                f"Pages of other volumes that “{volume}” refers to or puts in: {'; '.join(led)}.", err=True
            )


def in_form(app: AppContext, into: Path, form: str, asked: Asked, *, whole: bool) -> None:
    """Pages as what other programs read; what stays behind is said."""
    if whole or (asked.page and asked.branch):
        said = "--whole is a folder" if whole else "--page and --branch exclude each other"
        raise Refused(f"{said}. Say one of them.", code="bad_choice")
    if len(asked.volumes) != 1 or not asked.reader:
        raise Refused(
            "Say of which volume with --volume, and with --as HANDLE who is to read it: what they may not read stays.",
            code="bad_choice",
        )
    reach = "branch" if asked.branch else "page" if asked.page else "volume"
    what, as_form = taking_away.asked(asked.volumes[0], asked.branch or asked.page, reach, form)
    ending = TYPES[as_form][0]
    if as_form is not Form.COMMONMARK and into.suffix != f".{ending}":
        raise Refused(f"This form is one file: give a name that ends in .{ending}.", code="bad_choice")
    actor = people.actor_called(app, asked.reader)
    with _told("page") as tell, taking_away.written(app, actor, what, as_form, tell) as written:
        if as_form is Form.COMMONMARK:
            _write(app, into, written.files)
        else:
            with exporting.new_file(into) as opened:
                opened.writelines(data for _, data in written.files)
    if written.left:
        typer.echo(left_words(written.left), err=True)
    typer.echo(f"{counted(len(written.what.pages), 'page')} went along.")


def _write(app: AppContext, into: Path, found: Iterator[File]) -> None:
    if into.suffix == ".zip":
        number = exporting.new_zip(found, into, app.clock())
    else:
        number = exporting.write_folder(found, into)
    typer.echo(f"{counted(number, 'file')} {'was' if number == 1 else 'were'} written.")


@contextmanager
def _told(what: str) -> Iterator[Callable[[int], None]]:
    """Says on a terminal how far it is."""
    shown = sys.stderr.isatty()

    def tell(number: int) -> None:
        if shown and number % STEP == 0:
            sys.stderr.write(f"\r{counted(number, what)} …")
            sys.stderr.flush()

    yield tell
    if shown:
        sys.stderr.write("\r\x1b[K")


def _counted(found: Iterator[File], tell: Callable[[int], None]) -> Iterator[File]:
    for number, file in enumerate(found, 1):
        tell(number)
        yield file
