"""All drafts of a person are found by an index."""

from __future__ import annotations

from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("CREATE INDEX draft_person ON draft (person, changed)")


def downgrade() -> None:
    op.execute("DROP INDEX draft_person")
