"""Writing to a plain folder, whole or not at all, whatever cuts it off.

All that an act will write is laid down in ``.mokuji-act`` first, with what it
takes the place of; then a journal beside it says, step by step, what goes where.
From then on the act is going to be done: whoever works on the folder next
finishes it, or takes it back where that cannot be. Without a journal nothing was
changed yet, and what was laid down is cleared away.
"""

from __future__ import annotations

import errno
import fcntl
import hashlib
import json
import os
import shutil
import signal
import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import asdict, dataclass
from pathlib import Path, PurePosixPath

from mokuji.core.base.errors import MokujiError, Refused
from mokuji.core.base.phrases import counted

ACT = ".mokuji-act"
JOURNAL = "journal.json"


@dataclass(frozen=True, slots=True)
class Step:
    """One step, which can be done twice. ``put`` lays a staged file down at a path, ``move`` takes a file there from
    another path, ``remove`` takes it away. ``was`` and ``becomes`` are the SHA-256 of what stands at the path before
    and after; none for no file. What was there is kept as ``old-N``, what is put as ``new-N``."""

    do: str
    path: str
    source: str = ""
    was: str | None = None
    becomes: str | None = None


@dataclass(frozen=True, slots=True)
class Journal:
    """What is being done: the name of the act, and its steps in order; ``folders`` are made for it."""

    act: str
    steps: tuple[Step, ...]
    folders: tuple[str, ...] = ()


def _read_journal(data: bytes) -> Journal:
    """A journal as it was written; ValueError for anything else, since a folder may come from anybody."""
    told = json.loads(data)
    try:
        journal = Journal(told["act"], tuple(Step(**each) for each in told["steps"]), tuple(told["folders"]))
    except (TypeError, KeyError) as fault:
        raise ValueError("no journal") from fault
    texts: list[object] = [journal.act, *journal.folders]
    for step in journal.steps:
        texts += [step.do, step.path, step.source, step.was or "", step.becomes or ""]
        if step.do not in {"put", "move", "remove"} or (step.do == "move") != bool(step.source):
            raise ValueError(f"no step: {step.do}")
        for path in (step.path, *filter(None, [step.source])):
            _check_inside(path)
    if not all(isinstance(text, str) for text in texts):
        raise ValueError("no journal")
    for path in journal.folders:
        _check_inside(path)
    return journal


def _check_inside(path: str) -> None:
    parts = PurePosixPath(path).parts
    if not parts or path.startswith("/") or ".." in parts or parts[0] == ACT or "\x00" in path:
        raise ValueError(f"no path of a file in the folder: {path}")


def write(
    folder: Path,
    act: str,
    texts: Mapping[str, str | None],
    *,
    before: Mapping[str, str],
    copied: Mapping[str, str] | None = None,
    moved: Mapping[str, str] | None = None,
) -> None:
    """Does an act on a folder: writes texts by path (None takes the file away), copies and moves files (new path to
    old one). ``before`` are the texts as the plan knew them, empty for a file that is not there.

    Raises: Refused if another command is at work there, or changed something since; MokujiError if something cannot be
    written, with everything as it was.
    """
    with _alone(folder):
        if said := recover(folder, locked=True):
            raise Refused(f"{said} Nothing else was written; try again.", code="plan_stale")
        for path, text in before.items():
            here = folder / path
            if (here.read_bytes().decode("utf-8", "replace") if here.exists() else "") != text:
                raise Refused(
                    f"{path} was changed meanwhile. Nothing was written; try again.", code="plan_stale"
                )
        stage = folder / ACT
        try:
            with _stopped_in_order():
                stage.mkdir()
                journal = _lay_down(folder, act, texts, copied or {}, moved or {})
        except OSError as fault:
            shutil.rmtree(stage, ignore_errors=True)
            raise _not_written(folder, fault) from fault
        except BaseException:
            shutil.rmtree(stage, ignore_errors=True)
            raise
        with _not_interrupted():
            try:
                _write_journal(stage, journal)
                for nth in range(len(journal.steps)):
                    _do(folder, journal, nth)
                _flush_all(folder, journal)
            except OSError as fault:
                try:
                    _take_back(folder, journal)
                except OSError as worse:
                    raise MokujiError(
                        f"{_why(folder, fault)} What was done before that could not be taken back either: "
                        f"{_why(folder, worse)} The next command on this folder puts it in order.",
                        code="not_writable",
                    ) from worse
                raise _not_written(folder, fault) from fault
            _clear(folder)


def recover(folder: Path, *, locked: bool = False) -> str:
    """Finishes or takes back what was cut off in a folder; what was done, in a sentence, or nothing if all is in order.

    Raises: Refused if another command is at work there, or if files were changed since by hand.
    """
    if not (folder / ACT).exists():
        return ""
    if not locked:
        with _alone(folder):
            return recover(folder, locked=True)
    if not (folder / ACT).exists():
        return ""
    try:
        return _put_in_order(folder)
    except OSError as fault:
        raise MokujiError(
            f"A command was cut off here, and what it did cannot be put in order: {_why(folder, fault)} Make that "
            "possible, then try again.",
            code="not_writable",
        ) from fault


def _put_in_order(folder: Path) -> str:
    kept = folder / ACT / JOURNAL
    if not kept.exists():
        shutil.rmtree(folder / ACT)
        return "A command was cut off here before it changed anything. What it left behind was cleared away."
    try:
        journal = _read_journal(kept.read_bytes())
        _check_places(folder, journal)
    except (TypeError, ValueError, RecursionError) as fault:
        raise Refused(
            f"A command was cut off here, but {ACT}/{JOURNAL} does not say what it was doing. Look whether the files "
            f"are as they should be, then remove {ACT}.",
            code="journal_unreadable",
        ) from fault
    with _not_interrupted():
        return _go_on(folder, journal)


def _go_on(folder: Path, journal: Journal) -> str:
    number = len(journal.steps)
    files = counted(number, "file")
    done = [_is_done(folder, journal, nth) for nth in range(number)]
    changed = [
        step.path
        for nth, step in enumerate(journal.steps)
        if not done[nth] and not _can_be_done(folder, journal, nth)
    ]
    if not changed:
        try:
            for nth in range(number):
                if not done[nth]:
                    _do(folder, journal, nth)
            _flush_all(folder, journal)
        except OSError as fault:
            _take_back(folder, journal)
            return (
                f"A command ({journal.act}) was cut off here and could not be finished: {_why(folder, fault)} It was "
                f"taken back; {files} are as they were before it."
            )
        _clear(folder)
        return f"A command ({journal.act}) was cut off here. It was finished now: {files} changed."
    edited = [
        step.path
        for nth, step in enumerate(journal.steps)
        if done[nth] and _hash(folder / step.path) != step.becomes
    ]
    if edited:
        raise Refused(
            f"A command ({journal.act}) was cut off here, and files were changed since: "
            f"{', '.join(sorted({*changed, *edited}))}. What was in the files before it lies in {ACT} as old-…, what "
            f"it would write as new-…: put the files right by hand, then remove {ACT}.",
            code="changed_since",
        )
    _take_back(folder, journal)
    were = "was" if len(changed) == 1 else "were"
    return (
        f"A command ({journal.act}) was cut off here, and {', '.join(changed)} {were} changed since. It was taken "
        "back; do it again."
    )


# ---- laying down ---------------------------------------------------------------------


def _lay_down(
    folder: Path,
    act: str,
    texts: Mapping[str, str | None],
    copied: Mapping[str, str],
    moved: Mapping[str, str],
) -> Journal:
    steps: list[Step] = []

    def put(path: str, data: bytes, like: Path) -> None:
        place = folder / path
        staged = folder / ACT / f"new-{len(steps)}"
        staged.write_bytes(data)
        mode = like.stat().st_mode & 0o777 if like.exists() else 0o666 & ~_umask()
        staged.chmod(mode)
        _flush(staged)
        _keep_old(folder, place, len(steps))
        steps.append(Step(do="put", path=path, was=_hash(place), becomes=hashlib.sha256(data).hexdigest()))

    for path, text in texts.items():
        if text is not None:
            put(path, text.encode(), folder / path)
    for path, old in copied.items():
        put(path, (folder / old).read_bytes(), folder / old)
    for path, old in moved.items():
        steps.append(
            Step(do="move", path=path, source=old, was=_hash(folder / path), becomes=_hash(folder / old))
        )
    kept = {path.casefold(): path for path, text in texts.items() if text is not None}
    for path, text in texts.items():
        place = folder / path
        twin = folder / kept.get(path.casefold(), path)
        # On a disk that makes no difference between capitals the new file may be the old one.
        same = path.casefold() in kept and place.exists() and twin.exists() and place.samefile(twin)
        if text is None and not same and place.exists():
            _keep_old(folder, place, len(steps))
            steps.append(Step(do="remove", path=path, was=_hash(place)))
    return Journal(act=act, steps=tuple(steps), folders=tuple(_missing_folders(folder, steps)))


def _missing_folders(folder: Path, steps: Sequence[Step]) -> list[str]:
    found: dict[str, None] = {}
    for step in steps:
        for above in reversed(PurePosixPath(step.path).parents):
            if str(above) != "." and step.do != "remove" and not (folder / above).exists():
                found[str(above)] = None
    return list(found)


def _keep_old(folder: Path, place: Path, nth: int) -> None:
    if not place.exists():
        return
    kept = folder / ACT / f"old-{nth}"
    try:
        os.link(place, kept)
    except OSError:
        # A disk without hard links, or another disk.
        shutil.copy2(place, kept)
        _flush(kept)


def _write_journal(stage: Path, journal: Journal) -> None:
    laid = stage / f"{JOURNAL}.new"
    laid.write_text(json.dumps(asdict(journal), ensure_ascii=False))
    _flush(laid)
    os.replace(laid, stage / JOURNAL)
    _flush(stage)
    _flush(stage.parent)


# ---- steps ----------------------------------------------------------------------------


def _is_done(folder: Path, journal: Journal, nth: int) -> bool:
    step = journal.steps[nth]
    if step.do == "put":
        return not (folder / ACT / f"new-{nth}").exists() or _hash(folder / step.path) == step.becomes
    if step.do == "move":
        return not (folder / step.source).exists()
    return not (folder / step.path).exists()


def _can_be_done(folder: Path, journal: Journal, nth: int) -> bool:
    """Whether what a step takes the place of is as it was."""
    step = journal.steps[nth]
    if step.do == "move" and _hash(folder / step.source) != step.becomes:
        return False
    return _hash(folder / step.path) == step.was


def _do(folder: Path, journal: Journal, nth: int) -> None:
    step = journal.steps[nth]
    place = folder / step.path
    if step.do == "remove":
        place.unlink(missing_ok=True)
    else:
        place.parent.mkdir(parents=True, exist_ok=True)
        _bring(folder / (step.source if step.do == "move" else f"{ACT}/new-{nth}"), place, nth)


def _bring(source: Path, place: Path, nth: int) -> None:
    try:
        os.replace(source, place)
    except OSError as fault:
        if fault.errno != errno.EXDEV:
            raise
        # The place is on another disk: beside it first, so that it is there whole or not at all.
        beside = place.parent / f"{ACT}-{nth}"
        try:
            shutil.copy2(source, beside)
            _flush(beside)
            os.replace(beside, place)
        finally:
            beside.unlink(missing_ok=True)
        source.unlink()


def _take_back(folder: Path, journal: Journal) -> None:
    """Puts everything as it was before the act; what was not begun stays."""
    for nth, step in reversed(list(enumerate(journal.steps))):
        if not _is_done(folder, journal, nth):
            continue
        place, old = folder / step.path, folder / ACT / f"old-{nth}"
        if step.do == "move":
            _bring(place, folder / step.source, nth)
        elif old.exists():
            _bring(old, place, nth)
        elif step.do == "put":
            place.unlink(missing_ok=True)
    for made in reversed(journal.folders):
        with suppress(OSError):
            (folder / made).rmdir()
    _flush_all(folder, journal)
    _clear(folder)


def _flush_all(folder: Path, journal: Journal) -> None:
    for above in {
        (folder / path).parent for step in journal.steps for path in (step.path, step.source or step.path)
    }:
        if above.exists():
            _flush(above)


def _clear(folder: Path) -> None:
    # Without the journal the rest is only in the way; so it goes first. If it cannot go, the next command finds that
    # all its steps are done.
    with suppress(OSError):
        (folder / ACT / JOURNAL).unlink(missing_ok=True)
    shutil.rmtree(folder / ACT, ignore_errors=True)


def _check_places(folder: Path, journal: Journal) -> None:
    """ValueError if a path leads out of the folder, by a link for instance: a folder may come from anybody."""
    root = folder.resolve()
    for step in journal.steps:
        for path in filter(None, (step.path, step.source)):
            if not (folder / path).parent.resolve().is_relative_to(root):
                raise ValueError(path)


# ---- around it -------------------------------------------------------------------------


@contextmanager
def _alone(folder: Path) -> Iterator[None]:
    """Holds the folder against other commands; the system lets it go with the process."""
    try:
        held = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    except OSError as fault:
        raise _not_written(folder, fault) from fault
    try:
        try:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as busy:
            raise Refused(
                "Another command is changing this folder. Nothing was written; wait for it, then try again.",
                code="folder_busy",
            ) from busy
        yield
    finally:
        os.close(held)


STOPPING = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


@contextmanager
def _not_interrupted() -> Iterator[None]:
    """Lets signals that would stop the command wait until its steps are done."""
    came: list[int] = []
    with _signals(lambda number, _frame: came.append(number)):
        yield
    for number in came[:1]:
        signal.raise_signal(number)


@contextmanager
def _stopped_in_order() -> Iterator[None]:
    """Turns signals that would stop the command at once into an exception, so that what was laid down goes."""

    def stop(number: int, _frame: object) -> None:
        raise SystemExit(128 + number)

    with _signals(stop):
        yield


@contextmanager
def _signals(handler: Callable[[int, object], None]) -> Iterator[None]:
    # Only the main thread of a process has signals. Masking them in it would leave them to the other threads.
    ours = threading.current_thread() is threading.main_thread()
    before = {each: signal.signal(each, handler) for each in STOPPING} if ours else {}
    try:
        yield
    finally:
        for each, earlier in before.items():
            signal.signal(each, earlier)


def _flush(path: Path) -> None:
    held = os.open(path, os.O_RDONLY)
    try:
        os.fsync(held)
    finally:
        os.close(held)


def _hash(path: Path) -> str | None:
    try:
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except FileNotFoundError:
        return None


def _why(folder: Path, fault: OSError) -> str:
    name = str(fault.filename2 or fault.filename or folder)
    with suppress(ValueError):
        name = Path(name).relative_to(folder).as_posix()
    what = "the folder" if name.startswith(ACT) or name == "." else name
    return f"{what} cannot be written: {fault.strerror}."


def _not_written(folder: Path, fault: OSError) -> MokujiError:
    why = _why(folder, fault).replace("the folder", "The folder", 1)
    return MokujiError(f"{why} Nothing was changed.", code="not_writable")


def _umask() -> int:
    now = os.umask(0)
    os.umask(now)
    return now
