"""How many pages lead to each page is kept in step, as orphans are: a screen of contents shows a hundred of them."""

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
    # What is there already is looked at once, whole.
    op.execute("INSERT INTO stale (name) VALUES (NULL)")


def downgrade() -> None:
    op.execute("DROP TABLE led")
