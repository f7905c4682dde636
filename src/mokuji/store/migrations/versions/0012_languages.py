"""The language that a volume is written in."""

from __future__ import annotations

from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""ALTER TABLE volume ADD COLUMN language text COLLATE "C" NOT NULL DEFAULT ''""")


def downgrade() -> None:
    op.execute("ALTER TABLE volume DROP COLUMN language")
