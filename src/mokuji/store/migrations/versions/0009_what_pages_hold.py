"""What pages name beside other pages: files, sources, people; tasks; former versions of files; the list of sources."""

from __future__ import annotations

from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE held (
            page bigint NOT NULL REFERENCES page (id) ON DELETE CASCADE,
            kind smallint NOT NULL,
            key text COLLATE "C" NOT NULL,
            count integer NOT NULL,
            PRIMARY KEY (page, kind, key))"""
    )
    op.execute("CREATE INDEX held_key ON held (kind, key, page)")
    op.execute("ALTER TABLE blob ADD COLUMN at timestamp with time zone NOT NULL DEFAULT now()")
    op.execute(
        """CREATE TABLE file_version (
            file bigint NOT NULL,
            number integer NOT NULL,
            volume integer NOT NULL REFERENCES volume (id) ON DELETE CASCADE,
            name text NOT NULL,
            hash bytea NOT NULL REFERENCES blob (hash),
            type text NOT NULL,
            size bigint NOT NULL,
            width integer NOT NULL,
            height integer NOT NULL,
            person integer REFERENCES person (id),
            at timestamp with time zone NOT NULL,
            until timestamp with time zone NOT NULL,
            PRIMARY KEY (file, number))"""
    )
    op.execute(
        """CREATE TABLE scaled (
            hash bytea NOT NULL REFERENCES blob (hash) ON DELETE CASCADE,
            width integer NOT NULL,
            data bytea NOT NULL,
            PRIMARY KEY (hash, width))"""
    )
    op.execute("ALTER TABLE scaled ALTER COLUMN data SET STORAGE EXTERNAL")
    op.execute("CREATE INDEX file_version_hash ON file_version (hash)")
    op.execute("CREATE INDEX file_version_volume ON file_version (volume)")
    op.execute(
        """CREATE TABLE task (
            page bigint NOT NULL REFERENCES page (id) ON DELETE CASCADE,
            number integer NOT NULL,
            done boolean NOT NULL,
            priority text COLLATE "C" NOT NULL,
            due date,
            people text[] NOT NULL,
            PRIMARY KEY (page, number))"""
    )
    op.execute("CREATE INDEX task_open ON task (due, priority, page, number) WHERE NOT done")
    op.execute("CREATE INDEX task_done ON task (page, number) WHERE done")
    op.execute(
        """CREATE TABLE source (
            id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            key text COLLATE "C" NOT NULL UNIQUE,
            name text NOT NULL,
            fields json NOT NULL,
            person integer REFERENCES person (id),
            at timestamp with time zone NOT NULL)"""
    )
    op.execute("ALTER TABLE person ADD COLUMN calendar integer NOT NULL DEFAULT 0")
    # Pages that are there already are read again in the background.
    op.execute("INSERT INTO unfiled (page) SELECT id FROM page ON CONFLICT DO NOTHING")


def downgrade() -> None:
    op.execute("ALTER TABLE person DROP COLUMN calendar")
    op.execute("DROP TABLE source")
    op.execute("DROP TABLE task")
    op.execute("DROP TABLE scaled")
    op.execute("DROP TABLE file_version")
    op.execute("ALTER TABLE blob DROP COLUMN at")
    op.execute("DROP TABLE held")
