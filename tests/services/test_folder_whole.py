"""Acts on folders are whole or not done, whatever cuts them off, and what is left behind is put in order by whoever
comes next."""

from __future__ import annotations

import errno
import json
import os
import signal
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from mokuji.acts.requests import Rename
from mokuji.core.base.errors import MokujiError, Refused
from mokuji.services.folders import folder_plan, folder_writing
from mokuji.services.folders.folder_writing import ACT, JOURNAL
from tests.services.on_folders import planned

TEXTS = {
    "guide/Pump.md": "The [[Well]].\n",
    "guide/Well.md": "The [[Pump]] and ![](pump.png).\n",
    "guide/Lid.md": "[[pump|its words]]\n",
    "parts/List.md": "[[guide/Pump]]\n",
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for path, text in TEXTS.items():
        (tmp_path / path).parent.mkdir(exist_ok=True)
        (tmp_path / path).write_text(text)
    (tmp_path / "guide" / "files").mkdir()
    (tmp_path / "guide" / "files" / "pump.png").write_bytes(b"\x89PNG")
    return tmp_path


def _state(folder: Path) -> dict[str, bytes]:
    """All files of a folder, hidden ones too, and all folders."""
    paths = {path.relative_to(folder).as_posix(): path for path in folder.rglob("*")}
    return {name: path.read_bytes() if path.is_file() else b"" for name, path in paths.items()}


def _act(folder: Path) -> None:
    """An act of every kind of step: texts written, a new folder, a file copied, one moved, one taken away."""
    texts: dict[str, str | None] = {
        "guide/Pump.md": None,
        "guide/Bilge pump.md": "The [[Well]].\n",
        "guide/Well.md": "The [[Bilge pump]].\n",
        "new/deep/Lid.md": "[[Bilge pump]]\n",
        "parts/List.md": "[[guide/Bilge pump]]\n",
    }
    copied = {"parts/files/pump.png": "guide/files/pump.png"}
    moved = {"guide/files/bilge.png": "guide/files/pump.png"}
    before = {path: TEXTS.get(path, "") for path in texts}
    folder_writing.write(folder, "rename", texts, before=before, copied=copied, moved=moved)


CALLS = ["replace", "link", "unlink", "fsync", "mkdir", "chmod"]
"""What the system is asked for while an act is written."""


def _at_call(nth: int, then: Callable[[], None], patch: pytest.MonkeyPatch) -> list[int]:
    """Lets something happen before the ``nth`` call of the system, from 0; how many calls are left until then."""
    left = [nth]

    def watched(real: Callable[..., object]) -> Callable[..., object]:
        def call(*args: object, **kwargs: object) -> object:
            left[0] -= 1
            if left[0] == -1:
                then()
            return real(*args, **kwargs)

        return call

    for name in CALLS:
        patch.setattr(os, name, watched(getattr(os, name)))
    return left


def _cut_off(folder: Path, nth: int) -> bool:
    """Does the act in a process that is killed before a call of the system; False if it came to its end."""
    child = os.fork()
    if child == 0:
        with pytest.MonkeyPatch.context() as patch:
            _at_call(nth, lambda: os.kill(os.getpid(), signal.SIGKILL), patch)
            _act(folder)
        os._exit(0)
    _, status = os.waitpid(child, 0)
    return os.WIFSIGNALED(status)


def _copy(folder: Path, target: Path) -> Path:
    for name, data in _state(folder).items():
        place = target / name
        if (folder / name).is_dir():
            place.mkdir(parents=True, exist_ok=True)
        else:
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_bytes(data)
    return target


def test_after_a_kill_at_any_moment_the_act_is_whole_or_not_done(
    folder: Path, tmp_path_factory: pytest.TempPathFactory
) -> None:
    before = _state(folder)
    done = _copy(folder, tmp_path_factory.mktemp("done"))
    _act(done)
    after = _state(done)
    assert after["guide/files/bilge.png"] == after["parts/files/pump.png"] == b"\x89PNG"
    ends = set()
    for nth in range(500):
        tried = _copy(folder, tmp_path_factory.mktemp("tried"))
        if not _cut_off(tried, nth):
            break
        said = folder_writing.recover(tried)
        state = _state(tried)
        assert state in (before, after), f"cut off at call {nth}"
        assert state != before or "finished" not in said
        assert folder_writing.recover(tried) == ""
        ends.add(state == after)
    assert ends == {False, True} and nth > 30


def test_what_cannot_be_written_at_any_moment_leaves_everything_as_it_was(
    folder: Path, tmp_path_factory: pytest.TempPathFactory
) -> None:
    before = _state(folder)

    def full() -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    refused = 0
    for nth in range(500):
        tried = _copy(folder, tmp_path_factory.mktemp("tried"))
        with pytest.MonkeyPatch.context() as patch:
            left = _at_call(nth, full, patch)
            try:
                _act(tried)
            except MokujiError as fault:
                refused += 1
                assert "No space left on device" in fault.message and "Nothing was changed" in fault.message
                assert _state(tried) == before, f"refused at call {nth}"
                continue
        # What only clears away may fail: whoever comes next does it.
        folder_writing.recover(tried)
        assert (tried / "guide" / "Bilge pump.md").exists() and not (tried / ACT).exists()
        if left[0] >= 0:
            break
    assert refused > 20


def test_what_was_changed_by_hand_since_is_kept(folder: Path) -> None:
    before = _state(folder)
    for nth in range(500):
        assert _cut_off(folder, nth)
        if (folder / ACT / JOURNAL).exists():
            break
        folder_writing.recover(folder)
        assert _state(folder) == before
    (folder / "parts" / "List.md").write_text("Typed meanwhile.\n")
    said = folder_writing.recover(folder)
    assert "parts/List.md was changed since" in said and "taken back" in said
    assert _state(folder) == {**before, "parts/List.md": b"Typed meanwhile.\n"}


def test_files_changed_on_both_sides_are_left_with_what_to_do(folder: Path) -> None:
    _cut_in_the_middle(folder)
    (folder / "guide" / "Bilge pump.md").write_text("Typed into what was written.\n")
    (folder / "parts" / "List.md").write_text("Typed into what was not.\n")
    with pytest.raises(Refused, match=r"changed since: guide/Bilge pump\.md, parts/List\.md"):
        folder_writing.recover(folder)
    assert (folder / "guide" / "Bilge pump.md").read_text() == "Typed into what was written.\n"


def _cut_in_the_middle(folder: Path) -> None:
    """An act of which the first step is done, and no other."""

    class Cut(BaseException):
        pass

    real = folder_writing._do

    def once(at: Path, journal: folder_writing.Journal, nth: int) -> None:
        if nth == 1:
            raise Cut
        real(at, journal, nth)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(folder_writing, "_do", once)
        with pytest.raises(Cut):
            _act(folder)


def test_the_next_command_finishes_it_and_says_so(folder: Path) -> None:
    _cut_in_the_middle(folder)
    run = _mokuji("check", str(folder))
    assert "A command (rename) was cut off here. It was finished now" in run.stderr
    assert not (folder / ACT).exists() and not (folder / "guide" / "Pump.md").exists()


def test_a_plan_made_before_another_command_was_finished_is_stale(folder: Path) -> None:
    plan = planned(folder, Rename("", "guide/Well", "Sump"))
    _cut_in_the_middle(folder)
    with pytest.raises(Refused, match=r"It was finished now.*try again"):
        folder_plan.apply(plan)
    with pytest.raises(Refused, match="was changed meanwhile"):
        folder_plan.apply(plan)
    assert not (folder / "guide" / "Sump.md").exists()


def test_two_commands_at_once_do_not_mix(folder: Path) -> None:
    before = _state(folder)
    with (
        folder_writing._alone(folder),
        pytest.raises(Refused, match="Another command is changing this folder"),
    ):
        _act(folder)
    assert _state(folder) == before


@pytest.mark.parametrize("path", ["../out.md", "/etc/out.md", "link/out.md", f"{ACT}/x", "a\0b", "", 7, None])
def test_a_journal_that_leads_out_of_the_folder_is_not_followed(
    folder: Path, tmp_path_factory: pytest.TempPathFactory, path: object
) -> None:
    """A folder may come from anybody, with such a journal in it."""
    outside = tmp_path_factory.mktemp("outside")
    (folder / "link").symlink_to(outside)
    (folder / ACT).mkdir()
    (folder / ACT / "new-0").write_text("planted")
    steps = [{"do": "put", "path": path, "becomes": "0" * 64}]
    (folder / ACT / JOURNAL).write_text(json.dumps({"act": "rename", "steps": steps, "folders": []}))
    with pytest.raises(Refused, match="does not say what it was doing"):
        folder_writing.recover(folder)
    assert not list(outside.iterdir()) and (folder / ACT / "new-0").exists()


@pytest.mark.parametrize(
    "said", ["", "[]", "7", "{}", "[" * 100_000, '{"act": 1, "steps": [], "folders": []}', "\xff"]
)
def test_a_journal_that_is_none_is_left_with_what_to_do(folder: Path, said: str) -> None:
    (folder / ACT).mkdir()
    (folder / ACT / JOURNAL).write_text(said, encoding="latin-1")
    with pytest.raises(Refused, match="then remove"):
        folder_writing.recover(folder)


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGINT])
def test_a_signal_ends_a_command_in_order(folder: Path, number: signal.Signals) -> None:
    """While files are laid down nothing is changed; once steps are being done they are done to the end."""
    before = _state(folder)
    script = (
        "import sys, os, signal; from pathlib import Path; from mokuji.services.folders import folder_writing as w\n"
        "where, number = sys.argv[2], int(sys.argv[3])\n"
        "real = getattr(w, where)\n"
        "def cut(*given):\n"
        "    os.kill(os.getpid(), number)\n"
        "    return real(*given)\n"
        "setattr(w, where, cut)\n"
        "w.write(Path(sys.argv[1]), 'rename', {'guide/Well.md': 'New.', 'guide/Lid.md': 'New.'}, before={})\n"
    )
    for where, done in (("_keep_old", False), ("_do", True)):
        run = subprocess.run(
            [sys.executable, "-c", script, str(folder), where, str(int(number))], check=False
        )
        assert run.returncode not in (0, 1)
        state = _state(folder)
        assert (folder / "guide" / "Lid.md").read_text() == ("New." if done else TEXTS["guide/Lid.md"])
        assert set(state) == set(before), "nothing is left lying about"


def _mokuji(*given: str) -> subprocess.CompletedProcess[str]:
    command = [str(Path(sys.executable).parent / "mokuji"), *given]
    return subprocess.run(command, capture_output=True, text=True, check=False)


def test_a_folder_of_its_own_disk_inside_is_written_too(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A rename across disks is refused by the system; the file is brought beside its place first."""
    real = os.replace

    def across(source: Path, place: Path) -> None:
        if ACT in Path(source).parts and Path(source).parent.name == ACT and Path(place).name != JOURNAL:
            raise OSError(errno.EXDEV, os.strerror(errno.EXDEV))
        real(source, place)

    monkeypatch.setattr(os, "replace", across)
    plan = planned(folder, Rename("", "guide/Pump", "Bilge pump"))
    folder_plan.apply(plan)
    assert (folder / "guide" / "Bilge pump.md").read_text() == "The [[Well]].\n"
    assert not [name for name in _state(folder) if ".mokuji" in name]
