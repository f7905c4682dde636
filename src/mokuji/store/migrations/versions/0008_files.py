"""Files beside the pages of a volume."""

from __future__ import annotations

from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE blob (
            hash bytea PRIMARY KEY,
            data bytea NOT NULL)"""
    )
    # Pictures and archives are compressed already.
    op.execute("ALTER TABLE blob ALTER COLUMN data SET STORAGE EXTERNAL")
    op.execute(
        """CREATE TABLE file (
            id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            volume integer NOT NULL REFERENCES volume (id) ON DELETE CASCADE,
            key text COLLATE "C" NOT NULL,
            name text NOT NULL,
            version integer NOT NULL,
            hash bytea NOT NULL REFERENCES blob (hash),
            type text NOT NULL,
            size bigint NOT NULL,
            width integer NOT NULL,
            height integer NOT NULL,
            person integer REFERENCES person (id),
            at timestamp with time zone NOT NULL,
            CONSTRAINT file_volume_key UNIQUE (volume, key))"""
    )
    op.execute("CREATE INDEX file_hash ON file (hash)")
    op.execute("CREATE INDEX file_key_trigrams ON file USING gin (key gin_trgm_ops)")


def downgrade() -> None:
    op.execute("DROP TABLE file")
    op.execute("DROP TABLE blob")
