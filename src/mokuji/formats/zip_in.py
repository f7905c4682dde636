"""A zip that somebody brings, read as what it claims to be a folder of: whatever is in it, nothing leads out of it and
it unpacks to no more than is said here."""

from __future__ import annotations

import stat
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import IO

from mokuji.core.base.errors import BadFile
from mokuji.core.base.names import is_storable
from mokuji.formats.folder_base import BESIDE, FORMAT_FILE

MOST_FILES = 60_000
MOST_UNPACKED = 600_000_000
"""Maximum number of bytes of all files together."""
MOST_OF_ONE = 15_000_000
"""Maximum number of bytes of one file; those beside the pages may have ``MOST_BESIDE``."""
MOST_BESIDE = 200_000_000
_UTF8 = 0x800
_ENCRYPTED = 0x1


@dataclass(frozen=True, slots=True)
class Entry:
    """A file in it, by its path with ``/``."""

    path: str
    info: zipfile.ZipInfo


class Zip:
    """A zip that was opened. BadFile says why one is not taken."""

    def __init__(self, source: IO[bytes]) -> None:
        try:
            self._zip = zipfile.ZipFile(source)
        except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError) as fault:
            raise BadFile(
                "This is no zip, or it is damaged. Pack the folder again as a .zip.", code="bad_zip"
            ) from fault
        infos = [info for info in self._zip.infolist() if not info.is_dir()]
        if len(infos) > MOST_FILES:
            raise BadFile(
                f"The zip holds {len(infos):,} files; {MOST_FILES:,} are the most. Bring it in parts.",
                code="bad_zip",
            )
        paths = [_path(info) for info in infos]
        taken: set[str] = set()
        for path in paths:
            if path in taken:
                raise BadFile(
                    f"The zip holds “{path}” twice, and which one counts cannot be told. Pack the folder again.",
                    code="bad_zip",
                )
            taken.add(path)
        lead = wrapped(taken)
        self.entries = tuple(
            Entry(path[len(lead) :], info)
            for path, info in zip(paths, infos, strict=True)
            if path.startswith(lead)
        )
        self._read = 0

    def data(self, entry: Entry) -> bytes:
        """The bytes of a file."""
        most = MOST_BESIDE if entry.path.startswith(f"{BESIDE}/") else MOST_OF_ONE
        try:
            with self._zip.open(entry.info) as opened:
                data = opened.read(most + 1)
        except (zipfile.BadZipFile, zlib.error, EOFError, OSError, ValueError, NotImplementedError) as fault:
            raise BadFile(f"“{entry.path}” cannot be unpacked: the zip is damaged, or packed in a way that is not "
                          "understood. Pack the folder again.", code="bad_zip") from fault  # fmt: skip
        if len(data) > most:
            raise BadFile(
                f"“{entry.path}” has more than {most / 1e6:.0f} MB. Make it smaller, or leave it out.",
                code="bad_zip",
            )
        self._read += len(data)
        if self._read > MOST_UNPACKED:
            raise BadFile(
                f"The zip unpacks to more than {MOST_UNPACKED / 1e6:.0f} MB. Bring it in parts.",
                code="bad_zip",
            )
        return data

    def __iter__(self) -> Iterator[Entry]:
        return iter(self.entries)


def _path(info: zipfile.ZipInfo) -> str:
    """The path of a file in it. BadFile for one that leads elsewhere, or is not to be read."""
    path = info.filename
    if stat.S_ISLNK(info.external_attr >> 16):
        raise BadFile(
            f"“{path}” is a link. Put the file itself in its place, and pack the folder again.",
            code="bad_zip",
        )
    if info.flag_bits & _ENCRYPTED:
        raise BadFile(f"“{path}” is locked with a password. Pack the folder without one.", code="bad_zip")
    if not info.flag_bits & _UTF8 and not path.isascii():
        # Without the flag it stands there in some old encoding, or in UTF-8 by those that forget the flag.
        try:
            path = path.encode("cp437").decode("utf-8")
        except UnicodeError:
            raise BadFile(
                f"The name of “{path}” is not UTF-8. Pack the folder with a program that writes names so.",
                code="bad_zip",
            ) from None
    return checked_path(path)


def checked_path(path: str) -> str:
    """A path of a file in what is brought, as it is kept. BadFile for one that leads elsewhere."""
    parts = PurePosixPath(path).parts
    if (
        not parts
        or path.startswith("/")
        or ".." in path.split("/")
        or "\\" in path
        or not is_storable(path)
        or (len(parts[0]) == 2 and parts[0][1] == ":")
    ):
        shown = path.encode("utf-8", "backslashreplace").decode().replace("\0", "\\0")
        raise BadFile(f"“{shown}” leads out of what was brought. Nothing was taken from it.", code="bad_zip")
    return "/".join(parts)


def wrapped(paths: set[str]) -> str:
    """What all paths begin with where the folder itself was packed rather than what lies in it."""
    inside = [path[: -len(FORMAT_FILE)] for path in paths if path.endswith(f"/{FORMAT_FILE}")]
    return inside[0] if FORMAT_FILE not in paths and len(inside) == 1 and inside[0].count("/") == 1 else ""
