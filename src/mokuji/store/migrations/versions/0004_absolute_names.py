"""Names that say a volume that is not there, or is closed to the reader, are unwritten where they are typed."""

from __future__ import annotations

from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("CREATE INDEX name_by_volume ON name (vkey, home) WHERE vkey IS NOT NULL")
    op.execute("INSERT INTO stale (name) VALUES (NULL)")


def downgrade() -> None:
    op.execute("DROP INDEX name_by_volume")
