"""Jobs (procrastinate's own form, version 3.10), and reports that were made by them."""

from __future__ import annotations

from importlib.resources import files

from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # The package is held to this version in pyproject.toml: a later one brings migrations of its own, to be put into
    # one of ours.
    schema = (files("procrastinate") / "sql" / "schema.sql").read_text(encoding="utf-8")
    op.get_bind().exec_driver_sql(schema.replace("%", "%%"))
    op.execute(
        """CREATE TABLE kept_report (
            volume integer NOT NULL REFERENCES volume (id) ON DELETE CASCADE,
            seen text COLLATE "C" NOT NULL,
            name text COLLATE "C" NOT NULL,
            at timestamp with time zone NOT NULL,
            stamp text NOT NULL,
            pages integer NOT NULL,
            whole boolean NOT NULL,
            number integer NOT NULL,
            findings jsonb NOT NULL,
            held_back jsonb NOT NULL,
            PRIMARY KEY (volume, seen, name))"""
    )
    op.execute(
        """CREATE TABLE staged (
            hash bytea NOT NULL REFERENCES blob (hash) ON DELETE CASCADE,
            person integer NOT NULL REFERENCES person (id) ON DELETE CASCADE,
            at timestamp with time zone NOT NULL,
            PRIMARY KEY (hash, person))"""
    )


def downgrade() -> None:
    op.execute("DROP TABLE staged")
    op.execute("DROP TABLE kept_report")
    op.execute(
        """DROP TABLE procrastinate_events, procrastinate_periodic_defers, procrastinate_jobs, procrastinate_workers
        CASCADE"""
    )
