"""How many pages lead to each page, and how many a volume has, is kept in step as orphans are: each view shows it."""

from __future__ import annotations

from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE led (
            page bigint NOT NULL REFERENCES page (id) ON DELETE CASCADE,
            home integer NOT NULL,
            pages integer NOT NULL,
            PRIMARY KEY (page, home)
        )"""
    )
    op.execute("CREATE TABLE volume_size (volume integer PRIMARY KEY, pages integer NOT NULL)")
    # What is there already is looked at once, whole.
    op.execute("INSERT INTO stale (name) VALUES (NULL)")


def downgrade() -> None:
    op.execute("DROP TABLE volume_size")
    op.execute("DROP TABLE led")
