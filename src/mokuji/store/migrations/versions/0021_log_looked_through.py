"""The log is looked through by pages, times and the names of people."""

from __future__ import annotations

from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("CREATE INDEX change_set_page ON change_set (page, id)")
    op.execute("CREATE INDEX change_set_at ON change_set (at)")
    op.execute("CREATE INDEX person_called ON person (lower(name))")


def downgrade() -> None:
    op.execute("DROP INDEX person_called")
    op.execute("DROP INDEX change_set_at")
    op.execute("DROP INDEX change_set_page")
