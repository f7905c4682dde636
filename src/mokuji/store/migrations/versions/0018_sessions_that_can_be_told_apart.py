"""Sessions say since when they are, and on what device, so that people can tell their own apart and end one."""

from __future__ import annotations

from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("ALTER TABLE session ADD COLUMN id bigint GENERATED ALWAYS AS IDENTITY UNIQUE")
    # Of those that are there it is not known; they were in use then at the latest.
    op.execute("ALTER TABLE session ADD COLUMN begun timestamp with time zone")
    op.execute("UPDATE session SET begun = seen")
    op.execute("ALTER TABLE session ALTER COLUMN begun SET NOT NULL")
    op.execute("ALTER TABLE session ADD COLUMN device text NOT NULL DEFAULT ''")


def downgrade() -> None:
    op.execute("ALTER TABLE session DROP COLUMN device")
    op.execute("ALTER TABLE session DROP COLUMN begun")
    op.execute("ALTER TABLE session DROP COLUMN id")
