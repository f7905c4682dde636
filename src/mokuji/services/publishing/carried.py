"""The files that pages name, where they are carried along in one form or another."""

from __future__ import annotations

import base64
import io
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

from mokuji.core.base.errors import Refused
from mokuji.core.syntax import files as file_names
from mokuji.services.reading.rendering import FileShown
from mokuji.store import files
from mokuji.store.database import Connection
from mokuji.store.files import StoredFile

MOST_INSIDE = 60_000_000
"""Maximum number of bytes of the files that one file holds."""
MOST_LINKED = 20_000_000
"""A larger file that is no picture is named, and not held."""


@dataclass
class Named:
    """The files of the volumes that a reader may see, each looked up once. ``shown`` is what stands for one."""

    connection: Connection
    volumes: frozenset[int]
    shown: Callable[[StoredFile], FileShown]
    _known: dict[tuple[int, str], FileShown | None] = field(default_factory=dict)

    def __call__(self, volume: int, name: str) -> FileShown | None:
        """A file by the volume where it is named and its name; None if it is not there, or closed to the reader."""
        key = file_names.key(name)
        if (volume, key) not in self._known:
            found = files.called(self.connection, volume, [key]).get(key) if volume in self.volumes else None
            self._known[volume, key] = None if found is None else self.shown(found)
        return self._known[volume, key]


@dataclass
class Beside:
    """Files that lie beside pages, in ``folder``; two of one name are told apart by a number."""

    folder: str
    _at: dict[str, tuple[str, StoredFile]] = field(default_factory=dict)
    """Names with their files, by what no two may have in common."""

    def shown(self, file: StoredFile) -> FileShown:
        """Its relative address."""
        name, number = file.name, 1
        while self._at.setdefault(file_names.key(name), (name, file))[1].id != file.id:
            number += 1
            name = file_names.numbered(file.name, number)
        return FileShown(f"{self.folder}/{file_names.destination(name)}", file.type)

    def every(self, connection: Connection) -> Iterator[tuple[str, bytes]]:
        """All that were named, with their paths."""
        for name, file in self._at.values():
            yield f"{self.folder}/{name}", files.data(connection, file.hash)


@dataclass
class Inside:
    """Files as parts of the page itself; what is too large for that is counted in ``left``."""

    connection: Connection
    left: Counter[str]
    _bytes: int = 0

    def shown(self, file: StoredFile) -> FileShown:
        """The file in its own address. Refused if all of them are too large together."""
        if not file.type.startswith("image/") and file.size > MOST_LINKED:
            self.left[file.name] += 1
            return FileShown("", file.type)
        self._bytes += file.size
        if self._bytes > MOST_INSIDE:
            raise Refused(
                f"The files of these pages come to more than {MOST_INSIDE // 1_000_000} MB, which is too much for one "
                "file. Take a branch, or another form.",
                code="files_large",
            )
        data = base64.b64encode(files.data(self.connection, file.hash)).decode()
        return FileShown(f"data:{file.type};base64,{data}", file.type, file.width, file.height)


@dataclass
class AsPictures:
    """Pictures as a word processor takes them, beside a page; drawings become PNG. Other files are named only."""

    connection: Connection
    left: Counter[str]
    made: dict[str, bytes] = field(default_factory=dict)
    _bytes: int = 0

    def shown(self, file: StoredFile) -> FileShown:
        """The picture's relative address."""
        if not file.type.startswith("image/"):
            self.left[file.name] += 1
            return FileShown("", file.type)
        data = files.data(self.connection, file.hash)
        picture = _as_png(data, file.type)
        if picture is None:
            self.left[file.name] += 1
            return FileShown("", "application/octet-stream")
        return FileShown(self._put(*picture), file.type, file.width, file.height)

    def drawing(self, svg: str) -> str:
        """The relative address of a drawing."""
        return self._put(_drawn(svg), "png")

    def _put(self, data: bytes, ending: str) -> str:
        self._bytes += len(data)
        if self._bytes > MOST_INSIDE:
            raise Refused(
                f"The pictures of these pages come to more than {MOST_INSIDE // 1_000_000} MB, which is too much for "
                "one document. Take a branch, or another form.",
                code="files_large",
            )
        name = f"pictures/{len(self.made) + 1}.{ending}"
        self.made[name] = data
        return name


_TAKEN: Mapping[str, str] = {"image/png": "png", "image/jpeg": "jpg", "image/gif": "gif"}


def _as_png(data: bytes, type_: str) -> tuple[bytes, str] | None:
    """A picture and its ending, made into PNG where word processors do not take it; None if that fails."""
    if type_ in _TAKEN:
        return data, _TAKEN[type_]
    try:
        if type_ == "image/svg+xml":
            return _drawn(data.decode("utf-8")), "png"
        from PIL import Image  # loaded where it is needed

        with Image.open(io.BytesIO(data)) as picture:
            made = io.BytesIO()
            picture.save(made, "PNG")
            return made.getvalue(), "png"
    except (OSError, ValueError, UnicodeDecodeError):
        return None


def _drawn(svg: str) -> bytes:
    """A drawing as PNG, at twice its size; black where it follows the text around it."""
    import resvg_py  # loaded where it is needed

    return bytes(
        resvg_py.svg_to_bytes(
            svg_string=svg.replace("currentColor", "#000000"), zoom=2, font_family="sans-serif"
        )
    )
