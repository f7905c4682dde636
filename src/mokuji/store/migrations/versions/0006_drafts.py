"""Texts that somebody is writing and has not saved."""

from __future__ import annotations

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE draft (
            id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            person integer NOT NULL REFERENCES person (id) ON DELETE CASCADE,
            volume integer NOT NULL REFERENCES volume (id) ON DELETE CASCADE,
            page bigint REFERENCES page (id) ON DELETE CASCADE,
            key text COLLATE "C" NOT NULL,
            title text NOT NULL,
            text text NOT NULL,
            revision integer NOT NULL,
            changed timestamp with time zone NOT NULL)"""
    )
    # A page that is there keeps its draft through a rename; one that is still to be written has only its name.
    op.execute("CREATE UNIQUE INDEX draft_of_page ON draft (person, page) WHERE page IS NOT NULL")
    op.execute("CREATE UNIQUE INDEX draft_of_name ON draft (person, volume, key) WHERE page IS NULL")
    op.execute("CREATE INDEX draft_page ON draft (page, changed)")


def downgrade() -> None:
    op.execute("DROP TABLE draft")
