"""The volume in which each revision was written, whose readers may read it."""

from __future__ import annotations

from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("ALTER TABLE revision ADD COLUMN written_in integer")
    op.execute("UPDATE revision r SET written_in = p.volume FROM page p WHERE p.id = r.page")
    op.execute("UPDATE revision r SET written_in = t.volume FROM trash t WHERE t.page = r.page")
    # Those of pages that are gone for good are nobody's to read.
    op.execute("UPDATE revision SET written_in = 0 WHERE written_in IS NULL")
    op.execute("ALTER TABLE revision ALTER COLUMN written_in SET NOT NULL")


def downgrade() -> None:
    op.execute("ALTER TABLE revision DROP COLUMN written_in")
