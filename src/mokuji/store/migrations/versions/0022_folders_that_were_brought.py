"""Folders that were brought to a volume wait until they are taken in."""

from __future__ import annotations

from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE brought (
            id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            volume integer NOT NULL REFERENCES volume (id) ON DELETE CASCADE,
            person integer NOT NULL REFERENCES person (id) ON DELETE CASCADE,
            name text NOT NULL,
            at timestamp with time zone NOT NULL,
            files integer NOT NULL,
            said jsonb NOT NULL,
            choices jsonb NOT NULL DEFAULT '{}',
            taken bigint REFERENCES change_set (id) ON DELETE SET NULL)"""
    )
    op.execute("CREATE INDEX brought_person ON brought (person, volume, id)")
    op.execute("CREATE INDEX brought_volume ON brought (volume)")
    op.execute("CREATE INDEX brought_at ON brought (at)")
    op.execute("CREATE INDEX brought_taken ON brought (taken)")
    op.execute(
        """CREATE TABLE brought_file (
            brought integer NOT NULL REFERENCES brought (id) ON DELETE CASCADE,
            path text COLLATE "C" NOT NULL,
            hash bytea NOT NULL,
            read boolean NOT NULL,
            data bytea NOT NULL,
            about jsonb,
            PRIMARY KEY (brought, path))"""
    )


def downgrade() -> None:
    op.execute("DROP TABLE brought_file")
    op.execute("DROP TABLE brought")
