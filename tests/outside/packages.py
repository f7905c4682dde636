"""Fetches published packages once, by name and version, with the ordinary clients."""

from __future__ import annotations

import fcntl
import subprocess
import tarfile
from pathlib import Path

KEPT = Path(__file__).parents[2] / ".tools" / "outside"


def npm_folder(name: str, version: str, path: str) -> dict[str, bytes]:
    """All files of a folder of a package of the npm registry, by their paths in it."""
    npm_file(name, version, "package.json")
    with tarfile.open(next((KEPT / f"{name}-{version}").glob("*.tgz"))) as archive:
        lead = f"package/{path}/"
        members = [each for each in archive.getmembers() if each.isfile() and each.name.startswith(lead)]
        return {
            each.name.removeprefix(lead): opened.read()
            for each in members
            if (opened := archive.extractfile(each)) is not None
        }


def npm_file(name: str, version: str, path: str) -> Path:
    """A file of a package of the npm registry. The test fails with what npm said if it cannot be had."""
    folder = KEPT / f"{name}-{version}"
    KEPT.mkdir(parents=True, exist_ok=True)
    with (KEPT / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (folder / "package" / path).exists():
            folder.mkdir(exist_ok=True)
            command = ["npm", "pack", "--silent", f"{name}@{version}"]
            done = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
            assert done.returncode == 0, f"npm could not fetch {name} {version}: {done.stderr or done.stdout}"
            with tarfile.open(next(folder.glob("*.tgz"))) as archive:
                member = archive.extractfile(f"package/{path}")
                assert member is not None, f"{name} {version} holds no {path}"
                (folder / "package" / path).parent.mkdir(parents=True, exist_ok=True)
                (folder / "package" / path).write_bytes(member.read())
    return folder / "package" / path
