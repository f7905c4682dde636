"""Passwords: what may be one, how it is kept, and whether somebody said the right one.

They are kept as argon2id hashes (RFC 9106, argon2-cffi's defaults). A new one has 12 to 128 characters (OWASP ASVS
4.0.3, 2.1.1 and 2.1.2) and is not soon guessed, as zxcvbn judges with its own lists; older ones hold until they are
changed.
"""

from __future__ import annotations

import threading
import unicodedata
from collections.abc import Collection, Iterator
from contextlib import contextmanager

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from mokuji.core.base.errors import BadName, TooMany
from mokuji.core.language.scan import check as check_text

SHORTEST, LONGEST = 12, 128
"""Numbers of code points of a new password."""
LONGEST_KNOWN = 1_000
"""Longer ones were never anybody's."""
STRONG = 3
"""The least of zxcvbn's five grades (0 to 4): more than 10⁸ guesses."""
HASHING, WAITING = 2, 8
"""Maximum number of passwords that are looked at at once, and of those that wait for it: each holds a thread and a core
for a while."""

_hasher = PasswordHasher()
NOBODYS_HASH = (
    "$argon2id$v=19$m=65536,t=3,p=4$Csei3FUr2asqA/J16bQTJg$sNoNOYjcl5Oe6C8pyny/svz4ZCdX47ZJ2GZSDl0pywk"
)
"""Of a password that nobody knows: looking at it takes as long as at anybody's."""
_hashing = threading.BoundedSemaphore(HASHING)
_waiting = threading.BoundedSemaphore(WAITING)


@contextmanager
def _at_work() -> Iterator[None]:
    """Room to look at a password; TooMany at once if many wait for it already."""
    if not _waiting.acquire(blocking=False):
        raise TooMany("Many people sign in at this moment. Try again in a few seconds.", 5, code="busy")
    try:
        with _hashing:
            yield
    finally:
        _waiting.release()


def fits(password: str, kept: str | None) -> bool:
    """Whether this is the password of which a hash is kept; without one it takes as long to say no."""
    said = password[:LONGEST_KNOWN]
    # Keyboards differ in how they write an accent; of passwords from before this was known either may be kept.
    return any(_is(each, kept) for each in dict.fromkeys((unicodedata.normalize("NFC", said), said)))


def _is(password: str, kept: str | None) -> bool:
    try:
        with _at_work():
            _hasher.verify(NOBODYS_HASH if kept is None else kept, password)
    except (VerificationError, InvalidHashError):
        return False
    return kept is not None


def kept(password: str) -> str:
    """A password as it may be stored, whatever it is."""
    return _hasher.hash(password)


def new(password: str, about: Collection[str] = ()) -> str:
    """A new password as it may be stored; BadName if it cannot be one. ``about`` are words that anybody would
    try first, such as the handle."""
    check_text(password)
    password = unicodedata.normalize("NFC", password)
    if len(password) < SHORTEST:
        raise BadName(
            f"The password is too short. Use at least {SHORTEST} characters; several words are easy to remember.",
            code="bad_password",
        )
    if len(password) > LONGEST:
        raise BadName(f"The password is too long. Use at most {LONGEST} characters.", code="bad_password")
    with _at_work():
        _check_strong(password, about)
        return kept(password)


def _check_strong(password: str, about: Collection[str]) -> None:
    # It reads its lists when it is imported, which few requests need.
    from zxcvbn import zxcvbn

    judged = zxcvbn(password, user_inputs=["mokuji", *filter(None, about)], max_length=LONGEST)
    if judged["score"] < STRONG:
        why = judged["feedback"]["warning"].rstrip(".") or "it follows a pattern that programs try first"
        raise BadName(
            f"This password would soon be guessed ({why[0].lower()}{why[1:]}). Use several words that do not belong "
            "together.",
            code="bad_password",
        )
