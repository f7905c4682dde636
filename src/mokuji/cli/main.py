"""``mokuji …``: each command is short; what it does is in services, the cluster in store.

Exit status 0 done, 1 refused or failed with a sentence, 2 wrong use.
"""

from __future__ import annotations

import errno
import os
import shutil
import signal
import sys
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import replace
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, ParamSpec, TypeVar

import typer

from mokuji import __version__
from mokuji.cli.listed import Commands
from mokuji.core.base.errors import MokujiError, Refused
from mokuji.core.base.phrases import counted

if TYPE_CHECKING:
    from mokuji.services.app_context import AppContext
    from mokuji.services.site import Site
    from mokuji.settings import Settings
    from mokuji.telling.sending import Post

# What a command needs is imported where it is used: to list them all, or to say how one is used, takes no time.
app = typer.Typer(
    name="mokuji",
    cls=Commands,
    help="A documentation wiki in plain text, in which no reference breaks.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)
P = ParamSpec("P")
R = TypeVar("R")


def _settings() -> Settings:
    from pydantic import ValidationError

    from mokuji.settings import Settings

    try:
        return Settings()
    except ValidationError as fault:
        for error in fault.errors():
            name = "MOKUJI_" + "_".join(str(part) for part in error["loc"]).upper()
            typer.echo(f"{name} cannot be used: {error['msg']}.", err=True)
        raise typer.Exit(2) from fault


def _sentences(command: Callable[P, R]) -> Callable[P, R]:
    """Faults come out as a sentence and exit status 1, not as a traceback."""

    @wraps(command)
    def run(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            return command(*args, **kwargs)
        except MokujiError as fault:
            typer.echo(fault.message, err=True)
            raise typer.Exit(1) from fault
        except BrokenPipeError:
            raise  # who reads the output has gone: no fault of ours
        except OSError as fault:
            typer.echo(_of_the_system(fault), err=True)
            raise typer.Exit(1) from fault

    return run


def _of_the_system(fault: OSError) -> str:
    """What a file or the disk does not allow, and what to do."""
    where = f"“{fault.filename}” cannot be used" if fault.filename else "A file cannot be used"
    why = (fault.strerror or str(fault)).rstrip(".")
    mend = "Choose another folder (MOKUJI_HOME says where Mokuji keeps its own files)."
    if fault.errno in {errno.ENOSPC, errno.EDQUOT}:
        mend = "Make room on the disk, then do it again."
    elif fault.errno in {errno.EACCES, errno.EPERM, errno.EROFS}:
        mend = "See that you may write there, or choose another folder (MOKUJI_HOME for Mokuji's own files)."
    return f"{where}: {why}. {mend}"


def _leave(_: int, __: object) -> None:
    """Being told to end is no reason to leave the database running."""
    raise SystemExit(0)


@contextmanager
def _app_context(
    settings: Settings, name: str, *, fresh: bool = False, demo: bool = False
) -> Iterator[AppContext]:
    import structlog

    from mokuji.services import hosting
    from mokuji.services.app_context import AppContext

    # What is logged is no answer of the command. Standard error is looked up each time: it may be another one later.
    structlog.configure(logger_factory=lambda *_: structlog.PrintLogger(sys.stderr))
    signal.signal(signal.SIGTERM, _leave)
    home = _home(settings)
    with hosting.database(home, settings.database_url, name, fresh=fresh) as engine:
        yield AppContext(engine, settings.secret_key(home), demo=demo, mails=settings.mail is not None)


def _home(settings: Settings) -> Path:
    from mokuji.services import hosting

    return hosting.home(settings.home, chosen=settings.home_chosen)


def _check_port(host: str, port: int) -> None:
    import socket

    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except socket.gaierror as fault:
            raise Refused(
                f"MOKUJI_HOST is “{host}”, which is no address. Use one of this machine, such as 127.0.0.1."
            ) from fault
        except OSError as fault:
            if fault.errno == errno.EADDRNOTAVAIL:
                raise Refused(
                    f"MOKUJI_HOST is {host}, and this machine has no such address. Use one of its own, such as "
                    "127.0.0.1, or 0.0.0.0 for all of them."
                ) from fault
            if fault.errno in {errno.EACCES, errno.EPERM}:
                raise Refused(
                    f"Port {port} is kept for the administrator of the machine. Choose one from 1024 on, such as "
                    "MOKUJI_PORT=8700."
                ) from fault
            raise Refused(
                f"Port {port} of {host} is taken by another program. Stop that one, or choose another port: "
                f"MOKUJI_PORT={port + 1}."
            ) from fault


def _serve(context: AppContext, settings: Settings) -> None:
    from mokuji.server import create_app, run
    from mokuji.services import hosting

    hosting.settle()
    hosts = [settings.host, *filter(None, settings.hosts.split(","))]
    site = _site(settings)
    _post(settings, site)  # a mail server that is none is said before anything starts
    with _worker_beside(context, settings, site):
        behind = f", and listens at {_local(settings)}" if settings.address else ""
        typer.echo(f"Mokuji {__version__} is open at {site.origin}{site.path}{behind}  (Ctrl-C stops it)")
        if not settings.address and settings.host not in {"127.0.0.1", "localhost", "::1"}:
            typer.echo(
                "Set MOKUJI_ADDRESS to the address by which others open it, so that calendars and exports say that."
            )
        sys.stdout.flush()
        run(create_app(context, hosts, site), settings.host, settings.port, settings.proxies)


def _local(settings: Settings) -> str:
    host = f"[{settings.host}]" if ":" in settings.host else settings.host
    return f"http://{host}:{settings.port}"


def _site(settings: Settings) -> Site:
    """Where readers find the wiki."""
    from mokuji.services.site import Site

    try:
        return Site.at(settings.address or _local(settings))
    except ValueError as fault:
        raise Refused(f"MOKUJI_ADDRESS: {fault}", code="bad_address") from None


def _post(settings: Settings, site: Site) -> Post | None:
    """What sends mail, if a mail server is set; Refused with a sentence if it is none."""
    from mokuji.adapters.smtp import MailServer
    from mokuji.telling.sending import Post
    from mokuji.web.telling_places import PLACES

    if settings.mail is None:
        return None
    return Post(MailServer.at(settings.mail, settings.mail_from or f"mokuji@{site.host}"), PLACES)


def _worker_beside(context: AppContext, settings: Settings, site: Site) -> AbstractContextManager[None]:
    """A worker in a process of its own, as long as this one lives."""
    return _beside(
        ["worker"],
        MOKUJI_DATABASE_URL=context.url,
        MOKUJI_SECRET=context.secret.decode(),
        MOKUJI_ADDRESS=site.origin + site.path,
        MOKUJI_MAIL=settings.mail,
        MOKUJI_MAIL_FROM=settings.mail_from,
    )


@contextmanager
def _beside(command: list[str], **settings: str | None) -> Iterator[None]:
    """A command in a process of its own, as long as this one lives: it ends when its standard input does."""
    import subprocess

    environment = {**os.environ, **{name: value for name, value in settings.items() if value}}
    process = subprocess.Popen(  # noqa: S603 - our own program, with what it was started with
        [sys.executable, "-m", "mokuji.cli.main", *command, "--beside"],
        stdin=subprocess.PIPE,
        stdout=subprocess.DEVNULL,
        env=environment,
        start_new_session=True,
    )
    try:
        yield
    finally:
        process.terminate()
        try:
            process.wait(10)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


@app.command()
@_sentences
def worker(
    beside: Annotated[
        bool, typer.Option("--beside", hidden=True, help="End when standard input does.")
    ] = False,
) -> None:
    """Do what takes long, such as large reports; a running server has a worker already, and more make it quicker."""
    import asyncio

    from mokuji.services import site
    from mokuji.upkeep import jobs

    settings = _settings()
    here = _site(settings)
    post = _post(settings, here)

    async def until_told() -> None:
        stop = asyncio.Event()
        loop = asyncio.get_running_loop()
        for told in (signal.SIGINT, signal.SIGTERM):
            loop.add_signal_handler(told, stop.set)
        if beside:
            # Nothing is ever sent: what can be read is the end.
            loop.add_reader(sys.stdin.fileno(), stop.set)
        await jobs.work(context, stop, post)

    with _app_context(settings, "mokuji") as context, site.asked(here):
        if not beside:
            typer.echo("A worker is at work  (Ctrl-C stops it)")
        asyncio.run(until_told())


@app.command()
@_sentences
def mailbox(
    port: Annotated[int, typer.Option("--port", help="Port of its page in the browser.")] = 8701,
    smtp: Annotated[int, typer.Option("--smtp", help="Port that takes mail.")] = 8702,
    beside: Annotated[
        bool, typer.Option("--beside", hidden=True, help="End when standard input does.")
    ] = False,
) -> None:
    """A stand-in for a mail server: takes mail, sends none on, shows it in the browser."""
    from mokuji.cli import standing_in

    settings = _settings()
    for each in (port, smtp):
        _check_port("127.0.0.1", each)
    typer.echo(
        f"A mailbox is open at http://127.0.0.1:{port}, and takes mail at port {smtp}  (Ctrl-C stops it)"
    )
    standing_in.mailbox(_home(settings) / "mailbox", port, smtp, beside=beside)


@app.command()
@_sentences
def bounce() -> None:
    """Take the report of a mail that came back, from standard input as mail servers hand it on; no more goes there."""
    from mokuji.formats import bounces
    from mokuji.services.telling import mailing

    found = bounces.read(sys.stdin.buffer.read(bounces.LARGEST))
    if found is None:
        typer.echo("This is no report of a mail that failed, so nothing was done.")
        return
    with _app_context(_settings(), "mokuji") as context:
        stopped = mailing.bounced(context, found.message, f"mail came back ({found.why}).")
        typer.echo("Mail to that address has stopped." if stopped else "This mail was none of this wiki.")


@app.command()
@_sentences
def purge() -> None:
    """Remove for good what has lain in the trash for 60 days; a running server does so every day."""
    from mokuji.services.looking_back import trash

    with _app_context(_settings(), "mokuji") as context:
        typer.echo(f"{counted(trash.purge(context), 'page')} removed for good.")


@app.command()
@_sentences
def serve() -> None:
    """Serve the wiki; the database is started and brought up to date first."""
    settings = _settings()
    _check_port(settings.host, settings.port)
    with _app_context(settings, "mokuji") as context:
        from mokuji.services import first_owner, people

        if first_owner.wanted(context):
            typer.echo(
                "Nobody is here yet. Whoever opens Mokuji first and types this key owns it: "
                f"{first_owner.key(context)}"
            )
        elif not people.has_owner(context):
            typer.echo(
                "Nobody owns this wiki yet, so nobody can rename, close or reset people. "
                "Make somebody its owner: mokuji wiki-owner HANDLE, or mokuji add-person HANDLE --owner-of-wiki."
            )
        _serve(context, settings)


@app.command()
@_sentences
def demo(
    fresh: Annotated[
        bool, typer.Option("--fresh", help="Throw the demo's data away and load it anew.")
    ] = False,
    load_only: Annotated[bool, typer.Option("--load-only", help="Load the data, do not serve.")] = False,
) -> None:
    """Serve the demo wiki, with data and people of its own."""
    from mokuji.demo import making as demo_service

    settings = _settings()
    if not load_only:
        _check_port(settings.host, settings.port)
    private = settings.database_url is None
    if fresh:
        shutil.rmtree(_home(settings) / "mailbox", ignore_errors=True)
    with _app_context(settings, "demo", fresh=fresh, demo=True) as context:
        half = private and demo_service.is_loaded(context) is False
        if not half:
            _load_and_serve(context, settings, load_only=load_only)
            return
    typer.echo("The demo was not loaded to its end last time: starting it over.")
    with _app_context(settings, "demo", fresh=True, demo=True) as context:
        _load_and_serve(context, settings, load_only=load_only)


def _load_and_serve(context: AppContext, settings: Settings, *, load_only: bool) -> None:
    from mokuji.demo import making as demo_service

    if not demo_service.is_loaded(context):
        typer.echo("Loading the demo …")
        demo_service.load(context)
    if load_only:
        return
    with _with_mailbox(settings) as served:
        _serve(replace(context, mails=served.mail is not None), served)


@contextmanager
def _with_mailbox(settings: Settings) -> Iterator[Settings]:
    """The settings with a mailbox beside the demo that takes its mail; as they are if another mail server is set, or
    the ports beside its own are taken."""
    port, smtp = settings.port + 1, settings.port + 2
    if settings.mail is not None:
        yield settings
        return
    try:
        for each in (port, smtp):
            _check_port("127.0.0.1", each)
    except Refused:
        typer.echo("The ports for a mailbox are taken, so the demo sends no mail.")
        yield settings
        return
    mail = f"smtp://127.0.0.1:{smtp}"
    with _beside(["mailbox", "--port", str(port), "--smtp", str(smtp)], MOKUJI_HOME=str(_home(settings))):
        typer.echo(f"Its mail is read at http://127.0.0.1:{port}")
        yield settings.model_copy(update={"mail": mail, "mail_from": "mokuji@tern.example"})


@app.command("import")
@_sentences
def import_folder(
    folder: Annotated[
        Path,
        typer.Argument(
            help="A folder of .md files, or of such folders: one volume each. With --into also a zip of one."
        ),
    ],
    owner: Annotated[
        str, typer.Option("--owner", help="Handle of the person who will own the volumes.")
    ] = "",
    into: Annotated[str, typer.Option("--into", help="Bring it back into this volume, which is there.")] = "",
    by: Annotated[
        str, typer.Option("--as", help="Handle of the person whose act it is; --into needs one.")
    ] = "",
    prefer: Annotated[
        str, typer.Option("--prefer", help="Which side counts where both changed the same: folder or wiki.")
    ] = "",
    only_plan: Annotated[
        bool, typer.Option("--plan", help="With --into: say what would change, and do nothing.")
    ] = False,
    note: Annotated[str, typer.Option("--note", help="What the log is to say of it.")] = "",
    whole: Annotated[
        bool, typer.Option("--whole", help="All that “export --whole” wrote, into a wiki that is empty.")
    ] = False,
    leave_out: Annotated[
        bool,
        typer.Option(
            "--leave-out", help="Import the rest if something cannot be: it is named, and left out."
        ),
    ] = False,
) -> None:
    """Bring a folder of page files into the wiki as new volumes, or back into one: all of it, or nothing."""
    from mokuji.cli import bringing
    from mokuji.cli.on_folder import put_in_order
    from mokuji.services import people

    if folder.is_dir():
        put_in_order(folder)
    with _app_context(_settings(), "mokuji") as context:
        if whole:
            bringing.bring_whole(context, folder)
        elif into:
            if not by:
                raise Refused(
                    "Say whose act it is: --as HANDLE, of somebody who may write there.", code="no_actor"
                )
            actor = people.actor_called(context, by)
            bringing.bring_back(context, actor, folder, into, prefer=prefer, only_plan=only_plan, note=note)
        else:
            bringing.bring_new(context, folder, owner=owner, by=by, note=note, leave_out=leave_out)


@app.command("export")
@_sentences
def export(
    into: Annotated[Path, typer.Argument(help="A new folder, or a file that ends in .zip, .html or .docx.")],
    volume: Annotated[
        list[str] | None, typer.Option("--volume", help="Only this volume; can be said several times.")
    ] = None,
    form: Annotated[
        str,
        typer.Option(
            "--form", help="As what other programs read: commonmark, html or docx; needs --volume, --as."
        ),
    ] = "",
    page: Annotated[str, typer.Option("--page", help="With --form: only this page.")] = "",
    branch: Annotated[str, typer.Option("--branch", help="With --form: this page and all below it.")] = "",
    reader: Annotated[
        str, typer.Option("--as", help="With --form: handle of the person who may read what goes along.")
    ] = "",
    whole: Annotated[
        bool, typer.Option("--whole", help="Also history, people, rights, trash, drafts, former files.")
    ] = False,
    passwords: Annotated[
        bool, typer.Option("--password-hashes", help="With --whole: also the hashes of passwords.")
    ] = False,
    audit: Annotated[
        bool, typer.Option("--audit-trail", help="With --whole: also who did what with rights and keys.")
    ] = False,
) -> None:
    """Write the volumes as a folder of plain files, which can be imported again; or one as other programs read it."""
    from mokuji.cli import exporting

    with _app_context(_settings(), "mokuji") as context:
        if form:
            asked = exporting.Asked(volume or [], page, branch, reader)
            exporting.in_form(context, into, form, asked, whole=whole)
        else:
            exporting.as_folder(context, into, volume or [], whole=whole, passwords=passwords, audit=audit)


@app.command("convert")
@_sentences
def convert(
    folder: Annotated[Path, typer.Argument(help="A folder of plain Markdown with relative links.")],
    into: Annotated[Path, typer.Argument(help="A new folder for the pages that it becomes.")],
    only_plan: Annotated[
        bool, typer.Option("--plan", help="Say what became of each link that is lost; write nothing.")
    ] = False,
) -> None:
    """Make pages of a folder of plain Markdown, HTML and CSV: relative links become references."""
    from mokuji.cli.converting import convert as do

    do(folder, into, only_plan=only_plan)


@app.command("add-person")
@_sentences
def add_person(
    handle: Annotated[str, typer.Argument(help="Short name for signing in: letters, digits, hyphens.")],
    name: Annotated[str, typer.Option("--name", help="The name that others see.")],
    password: Annotated[
        str, typer.Option("--password", prompt=True, hide_input=True, confirmation_prompt=True)
    ],
    owner_of: Annotated[
        list[str] | None, typer.Option("--owner-of", help="A volume this person owns.")
    ] = None,
    owner_of_wiki: Annotated[
        bool,
        typer.Option("--owner-of-wiki", help="Owns every volume, and may rename, close and reset people."),
    ] = False,
) -> None:
    """Let somebody sign in; with --owner-of also manage and write a volume."""
    from mokuji.services import people

    with _app_context(_settings(), "mokuji") as context:
        people.add(context, handle, name, password, owner_of or [], owner_of_wiki=owner_of_wiki)
        typer.echo(f"{name} can sign in as “{handle}”.")


@app.command("wiki-owner")
@_sentences
def wiki_owner(
    handle: Annotated[str, typer.Argument(help="Handle of the person.")],
    no_longer: Annotated[bool, typer.Option("--no-longer", help="Take it from them again.")] = False,
) -> None:
    """Make somebody who is there an owner of the wiki: of every volume, and of what concerns people."""
    from mokuji.services import people

    with _app_context(_settings(), "mokuji") as context:
        people.give_wiki(context, handle, owns=not no_longer)
        typer.echo(f"“{handle}” {'no longer owns' if no_longer else 'owns'} the wiki.")


@app.command("close-person")
@_sentences
def close_person(
    handle: Annotated[str, typer.Argument(help="Handle of the person.")],
    again: Annotated[bool, typer.Option("--again", help="Let them in again.")] = False,
    heir: Annotated[
        str, typer.Option("--heir", help="Handle of who owns the volumes then that nobody else owns.")
    ] = "",
) -> None:
    """Let somebody sign in no more; what they wrote stays."""
    from mokuji.acts import leaving
    from mokuji.services import people

    with _app_context(_settings(), "mokuji") as context:
        if again:
            people.let_in_again(context, handle)
        else:
            leaving.close(context, handle, heir=heir)
        typer.echo(f"“{handle}” can {'sign in again' if again else 'no longer sign in'}.")


@app.command("reset-person")
@_sentences
def reset_person(
    handle: Annotated[str, typer.Argument(help="Handle of the person.")],
    password: Annotated[
        str, typer.Option("--password", prompt=True, hide_input=True, confirmation_prompt=True)
    ],
) -> None:
    """Give somebody another password; wherever they are signed in, they are no longer."""
    from mokuji.services import people

    with _app_context(_settings(), "mokuji") as context:
        people.reset(context, handle, password)
        typer.echo(f"“{handle}” has another password.")


def _show_version(shown: bool) -> None:
    if shown:
        typer.echo(__version__)
        raise typer.Exit


@app.callback()
def main(
    version: Annotated[
        bool, typer.Option("--version", callback=_show_version, is_eager=True, help="Show the version.")
    ] = False,
) -> None:
    """A documentation wiki in plain text, in which no reference breaks."""


if __name__ == "__main__":
    app()
