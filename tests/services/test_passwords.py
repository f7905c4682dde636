"""What may be a new password, and that it is known again."""

from __future__ import annotations

import pytest

from mokuji.core.base.errors import BadName, BadText
from mokuji.services import passwords


def test_a_password_is_kept_as_a_hash_that_only_it_fits() -> None:
    kept = passwords.new("seven odd gulls sing")
    assert kept.startswith("$argon2id$") and "gulls" not in kept
    assert passwords.fits("seven odd gulls sing", kept)
    assert not passwords.fits("seven odd gulls sin", kept)
    assert not passwords.fits("seven odd gulls sing", None)
    assert not passwords.fits("seven odd gulls sing", "no hash at all")


# The first are the most common of at least twelve characters (zxcvbn's own list), the others follow what it looks for.
@pytest.mark.parametrize(
    "soon_guessed",
    [
        "unbelievable",
        "professional",
        "aaaaaaaaaaaaaaaa",
        "qwertyuiopasdf",
        "abcdefghijklmn",
        "1234567890123",
        "Passw0rd1234",
    ],
)
def test_what_programs_try_first_is_no_password(soon_guessed: str) -> None:
    with pytest.raises(BadName, match=r"soon be guessed .*Use several words") as refused:
        passwords.new(soon_guessed)
    assert refused.value.code == "bad_password"


def test_who_somebody_is_makes_no_password_stronger() -> None:
    passwords.new("wennapenhaligon")
    with pytest.raises(BadName, match="soon be guessed"):
        passwords.new("wennapenhaligon", ["wenna", "penhaligon"])


def test_a_password_has_12_to_128_characters_whatever_they_are() -> None:
    """OWASP ASVS 4.0.3, 2.1.1 and 2.1.2; characters are counted, not bytes."""
    with pytest.raises(BadName, match=r"too short\. Use at least 12"):
        passwords.new("kelp-Ox7!q~")
    passwords.new("kelp-Ox7!q~z")
    words = "seven odd gulls sing över kelp 海鳥 "
    long = (words * 5)[:128]
    assert passwords.fits(long, passwords.new(long))
    with pytest.raises(BadName, match=r"too long\. Use at most 128"):
        passwords.new(long + "x")


def test_what_cannot_be_stored_is_said() -> None:
    with pytest.raises(BadText):
        passwords.new("seven odd \x00 gulls sing")


def test_an_accent_may_be_typed_in_either_way() -> None:
    composed, apart = "sept mouettes \u00e9tranges", "sept mouettes e\u0301tranges"
    for new, typed in ((composed, apart), (apart, composed)):
        assert passwords.fits(typed, passwords.new(new))
    # From before this was known: as it was typed.
    assert passwords.fits(apart, passwords.kept(apart))


def test_a_shorter_one_from_before_holds() -> None:
    assert passwords.fits("buoy", passwords.kept("buoy"))
