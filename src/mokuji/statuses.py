"""The HTTP status and the heading of each kind of fault: what web pages and the JSON interface share."""

from __future__ import annotations

from http import HTTPStatus

from mokuji.core.base.errors import Forbidden, Missing, MokujiError

_STATUS = {
    "missing": 404,
    "volume_missing": 404,
    "page_missing": 404,
    "act_missing": 404,
    "category_missing": 404,
    "forbidden": 403,
    "sign_in": 403,
    "form_token": 403,
    "conflict": 409,
    "edited_meanwhile": 409,
    "gone_meanwhile": 409,
    "plan_stale": 409,
    "collision": 409,
    "refused": 409,
    "revision_required": 428,
    "revision_stale": 412,
    "text_large": 413,
    "file_large": 413,
    "picture_large": 413,
    "file_missing": 404,
    "large": 413,
    "too_many": 429,
    "busy": 503,
    "database_down": 503,
    "collided": 503,
}
_HEADINGS = {
    400: "That could not be understood",
    403: "This is not yours to change",
    404: "There is nothing here",
    405: "This address takes no such request",
    401: "Sign in first",
    409: "Nothing was changed",
    412: "Nothing was changed",
    413: "That is too large",
    422: "Something is missing or wrong",
    428: "Say which revision you began with",
    429: "Too many tries",
    500: "Mokuji made a mistake",
    503: "Not just now",
}


def status_of(fault: MokujiError) -> int:
    """The HTTP status of a fault; 422 for words or texts that cannot be kept."""
    if isinstance(fault, Missing | Forbidden):
        return _STATUS.get(fault.code, 404 if isinstance(fault, Missing) else 403)
    return _STATUS.get(fault.code, 422 if fault.code.startswith("bad_") else 409)


def heading_of(status: int, code: str) -> str:
    """A few plain words for a status."""
    if code == "sign_in":
        return "Sign in first"
    if code in {"database_down", "collided"}:
        return "The database does not answer"
    return _HEADINGS.get(status) or HTTPStatus(status).phrase
