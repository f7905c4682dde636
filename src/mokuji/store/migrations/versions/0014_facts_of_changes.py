"""What is told of a change in one place, with the act that it is told by and the version of its form.

Before, its words lay beside what undoing needs, under names that several acts shared. Acts that named what may stand
in another volume (move, merge, join, retarget, link, inline) are told by their names as before: which object they
meant was not kept.
"""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

_THING = {"before": "from", "after": "to", "places": "places", "pages": "pages"}
_GONE = {"name": "from", "instead": "to", "places": "places", "pages": "pages", "left": "left"}
FIELDS: dict[str, dict[str, str]] = {
    "rename": {"before": "from", "after": "to"},
    "section": {"before": "from", "after": "to"},
    "delete": {"title": "title", "pages": "pages", "references": "references"},
    "restore": {"title": "title", "pages": "pages"},
    "create volume": {"title": "to"},
    "rename volume": {"before": "from", "after": "to"},
    "language": {"title": "to", "language": "language"},
    "delete volume": {"title": "from", "pages": "pages"},
    "category": {"before": "from", "after": "to", "pages": "pages", "marks": "marks"},
    "category move": {"name": "from", "under": "under"},
    "file": {"categories": "categories"},
    "slot": {"before": "from", "after": "to", "template": "template", "places": "places"},
    "slot value": {"slot": "slot", "value": "to", "template": "template", "places": "places"},
    "extract": {"source": "from", "title": "to", "template": "template", "places": "places"},
    "inline everywhere": {
        "template": "template", "places": "places", "left": "left", "why": "why", "trash": "trash"
    },
    "file rename": _THING,
    "file replace": _THING,
    "source rename": _THING,
    "source edit": _THING,
    "person rename": _THING,
    "file delete": _GONE,
    "source delete": _GONE,
}  # fmt: skip
"""Of each act the fields of version 1, and what they were called."""


def upgrade() -> None:
    for act, fields in FIELDS.items():
        pairs = ", ".join(f"'{new}', detail -> '{old}'" for new, old in fields.items())
        op.execute(
            sa.text(
                # The names are those above.
                f"UPDATE change_set SET detail = (detail - CAST(:old AS text[])) || jsonb_build_object('facts', "  # noqa: S608
                f"jsonb_build_object('of', CAST(:act AS text), 'version', 1, {pairs})) "
                "WHERE act = :act AND detail ?& CAST(:old AS text[]) AND NOT detail ? 'facts'"
            ).bindparams(act=act, old=_array(fields.values()))
        )


def downgrade() -> None:
    for act, fields in FIELDS.items():
        pairs = ", ".join(f"'{old}', detail -> 'facts' -> '{new}'" for new, old in fields.items())
        op.execute(
            sa.text(
                f"UPDATE change_set SET detail = (detail - 'facts') || jsonb_build_object({pairs}) "  # noqa: S608
                "WHERE act = :act AND detail ? 'facts'"
            ).bindparams(act=act)
        )


def _array(names: object) -> str:
    return "{" + ",".join(json.dumps(each) for each in dict.fromkeys(names)) + "}"  # type: ignore[call-overload]
