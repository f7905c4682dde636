"""People are told of changes: what they asked for, what they were told, and the mail that goes out."""

from __future__ import annotations

from alembic import op

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE watch (
            id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            person integer NOT NULL REFERENCES person ON DELETE CASCADE,
            kind smallint NOT NULL,
            volume integer REFERENCES volume ON DELETE CASCADE,
            page bigint,
            key text COLLATE "C",
            question integer REFERENCES kept_question ON DELETE CASCADE,
            CONSTRAINT watch_once UNIQUE NULLS NOT DISTINCT (person, kind, volume, page, key, question))"""
    )
    op.execute("CREATE INDEX watch_page ON watch (page) WHERE page IS NOT NULL")
    op.execute("CREATE INDEX watch_volume ON watch (volume) WHERE volume IS NOT NULL")
    op.execute("CREATE INDEX watch_question ON watch (question) WHERE question IS NOT NULL")
    op.execute(
        """CREATE TABLE muted (
            person integer NOT NULL REFERENCES person ON DELETE CASCADE,
            page bigint NOT NULL,
            PRIMARY KEY (person, page))"""
    )
    op.execute("CREATE INDEX muted_page ON muted (page)")
    op.execute("CREATE TABLE untold (change_set bigint PRIMARY KEY REFERENCES change_set ON DELETE CASCADE)")
    op.execute(
        """CREATE TABLE told (
            id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            person integer NOT NULL REFERENCES person ON DELETE CASCADE,
            change_set bigint REFERENCES change_set ON DELETE CASCADE,
            due date,
            at timestamptz NOT NULL,
            pages bigint[] NOT NULL,
            volume integer REFERENCES volume ON DELETE CASCADE,
            why smallint NOT NULL,
            watch integer,
            state smallint NOT NULL DEFAULT 0,
            letter bigint)"""
    )
    op.execute("CREATE UNIQUE INDEX told_act ON told (person, change_set) WHERE change_set IS NOT NULL")
    op.execute("CREATE UNIQUE INDEX told_due ON told (person, due, pages) WHERE due IS NOT NULL")
    op.execute("CREATE INDEX told_inbox ON told (person, state, id)")
    op.execute("CREATE INDEX told_change_set ON told (change_set)")
    op.execute("CREATE INDEX told_unsent ON told (person, id) WHERE letter IS NULL")
    op.execute("CREATE INDEX told_letter ON told (letter) WHERE letter IS NOT NULL")
    op.execute(
        """CREATE TABLE telling (
            person integer PRIMARY KEY REFERENCES person ON DELETE CASCADE,
            own boolean NOT NULL DEFAULT false,
            address text NOT NULL DEFAULT '',
            confirmed boolean NOT NULL DEFAULT false,
            how smallint NOT NULL DEFAULT 0,
            stopped text NOT NULL DEFAULT '',
            serial integer NOT NULL DEFAULT 0,
            digest timestamptz)"""
    )
    op.execute("CREATE INDEX telling_digest ON telling (how) WHERE how > 1 AND confirmed")
    op.execute(
        """CREATE TABLE letter (
            id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            person integer NOT NULL REFERENCES person ON DELETE CASCADE,
            kind smallint NOT NULL,
            message text COLLATE "C" NOT NULL,
            address text NOT NULL,
            at timestamptz NOT NULL,
            due timestamptz NOT NULL,
            tries smallint NOT NULL DEFAULT 0,
            state smallint NOT NULL DEFAULT 0,
            said text NOT NULL DEFAULT '',
            CONSTRAINT letter_message UNIQUE (message))"""
    )
    op.execute("CREATE INDEX letter_due ON letter (due) WHERE state = 0")
    op.execute("CREATE INDEX letter_person ON letter (person, id)")


def downgrade() -> None:
    op.execute("DROP TABLE letter, telling, told, untold, muted, watch")
