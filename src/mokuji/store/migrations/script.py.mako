"""${message}"""

from __future__ import annotations

from alembic import op

revision = ${repr(up_revision)}
down_revision = ${repr(down_revision)}
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Step forward."""
    ${upgrades if upgrades else "pass"}


def downgrade() -> None:
    """Step back."""
    ${downgrades if downgrades else "pass"}
