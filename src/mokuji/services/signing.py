"""What Mokuji says and later knows again as its own: signed by the key of the wiki, each purpose apart."""

from __future__ import annotations

import hashlib

from itsdangerous import BadSignature, Signer

from mokuji.services.app_context import AppContext


def _signer(app: AppContext, purpose: str) -> Signer:
    return Signer(app.secret, salt=f"mokuji:{purpose}", key_derivation="hmac", digest_method=hashlib.sha256)


def signature(app: AppContext, purpose: str, said: str) -> str:
    """What proves something that is not sent along itself."""
    return _signer(app, purpose).get_signature(said).decode()


def proves(app: AppContext, purpose: str, said: str, token: str) -> bool:
    """Whether a token is the signature of this."""
    return token.isascii() and _signer(app, purpose).verify_signature(said, token)


def signed(app: AppContext, purpose: str, said: str) -> str:
    """Something with its signature, fit for an address."""
    return _signer(app, purpose).sign(said).decode()


def unsigned(app: AppContext, purpose: str, token: str) -> str | None:
    """What was signed for this purpose; None if it was not."""
    try:
        return _signer(app, purpose).unsign(token).decode() if token.isascii() else None
    except BadSignature:
        return None
