"""The one tree of faults and refusals of Mokuji.

    MokujiError
    ├── BadName          a title, volume or section that cannot be one
    ├── BadRequest       what came along with a request is none that was handed out
    ├── BadFile          bytes that are no file that is kept
    ├── BadFields        fields of a form that cannot be taken
    ├── BadText          a text that cannot be stored (NUL, lone surrogate, too large)
    ├── Refused          an act that would break a promise; nothing was done
    │   └── Collision    … since the name belongs to another page
    ├── Conflict         somebody changed the same thing meanwhile
    ├── TooMany          more requests of this kind than are answered at once; later they are
    ├── Missing          there is no such thing, or the actor may not know of it
    ├── Forbidden        the actor may see it, but not do this
    └── Overlap          edits that touch each other (a fault of the program)

Each carries a short ``code`` for programs and a ``message`` for people that
says what is wrong, where, and what to do. Expected outcomes of a plan are
values (see ``plans``); these are raised where no value can be given.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping

CLOSED = (
    "One of the pages or volumes concerned is closed to you, and this cannot be done as it is. Choose another name or "
    "target, or ask an owner of the wiki."
)
"""What is said in the place of a sentence that names what is closed to whoever asks."""


class MokujiError(Exception):
    """The root: a code for programs and a sentence for people.

    ``named`` are the volumes of all that the sentence names beside what the person typed; ``closed`` is what is said
    to who may not read one of them.
    """

    code = "error"

    def __init__(
        self, message: str, *, code: str | None = None, named: Iterable[int] = (), closed: str = CLOSED
    ) -> None:
        super().__init__(message)
        self.message = message
        self.named = frozenset(named)
        self.closed = closed
        if code is not None:
            self.code = code

    def readable(self, volumes: Collection[int]) -> MokujiError:
        """The same for who may read these volumes, and no others."""
        if self.named <= set(volumes):
            return self
        return type(self)(self.closed, code=self.code)


class BadName(MokujiError):
    """The words cannot be a title, a volume or a section."""

    code = "bad_name"


class BadRequest(MokujiError):
    """What was sent along with a request is none that was handed out, or does not go together."""

    code = "bad_request"


class BadFile(MokujiError):
    """The bytes are no file that is kept; the message says what to do."""

    code = "bad_file"


class BadFields(MokujiError):
    """Fields of a form that cannot be taken: a sentence for each, by its name."""

    code = "bad_fields"

    def __init__(self, fields: Mapping[str, str]) -> None:
        super().__init__(" ".join(fields.values()))
        self.fields = dict(fields)


class BadText(MokujiError):
    """The text cannot be stored; the message names line and column."""

    code = "bad_text"


class Refused(MokujiError):
    """The act would break a promise, so nothing was done."""

    code = "refused"


class Collision(Refused):
    """The name belongs to another page of the volume."""

    code = "collision"


class Conflict(MokujiError):
    """Somebody else changed the same thing meanwhile; nothing was overwritten."""

    code = "conflict"


class TooMany(MokujiError):
    """More of this is asked than is answered at once; ``wait`` is after how many seconds to try again."""

    code = "too_many"

    def __init__(self, message: str, wait: int, *, code: str | None = None) -> None:
        super().__init__(message, code=code)
        self.wait = wait


class Missing(MokujiError):
    """There is no such thing; also said of what the actor may not read."""

    code = "missing"


class Forbidden(MokujiError):
    """The actor may read it but not do this."""

    code = "forbidden"


class Overlap(MokujiError):
    """Two edits touch the same characters: a fault of the program."""

    code = "overlap"
