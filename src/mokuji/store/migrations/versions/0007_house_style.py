"""The house style of each volume."""

from __future__ import annotations

from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE house_style (
            volume integer PRIMARY KEY REFERENCES volume (id) ON DELETE CASCADE,
            rules json NOT NULL,
            revision integer NOT NULL,
            person integer REFERENCES person (id),
            changed timestamp with time zone NOT NULL)"""
    )


def downgrade() -> None:
    op.execute("DROP TABLE house_style")
