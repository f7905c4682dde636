"""Faults as programs see them: problem+json (RFC 9457)."""

from __future__ import annotations

from fastapi.responses import JSONResponse, Response

from mokuji.api.schemas import Problem
from mokuji.statuses import heading_of


def problem(status: int, message: str, code: str) -> Response:
    """A fault as a response; ``code`` is for programs, ``message`` for people."""
    body = Problem(
        type=f"urn:mokuji:{code}", title=heading_of(status, code), status=status, detail=message, code=code
    )
    return JSONResponse(body.model_dump(), status, media_type="application/problem+json")
