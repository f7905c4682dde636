"""Roles that are offered to people, keys for programs, and the audit trail."""

from __future__ import annotations

from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE offer (
            id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            volume integer NOT NULL REFERENCES volume (id) ON DELETE CASCADE,
            handle text COLLATE "C" NOT NULL,
            person integer REFERENCES person (id) ON DELETE CASCADE,
            role smallint NOT NULL,
            made_by integer NOT NULL REFERENCES person (id) ON DELETE CASCADE,
            expires timestamp with time zone NOT NULL,
            UNIQUE (volume, handle))"""
    )
    op.execute("CREATE INDEX offer_person ON offer (person)")
    op.execute("CREATE INDEX offer_expires ON offer (expires)")
    op.execute(
        """CREATE TABLE program_key (
            id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            person integer NOT NULL REFERENCES person (id) ON DELETE CASCADE,
            token text COLLATE "C" NOT NULL UNIQUE,
            name text NOT NULL,
            writes boolean NOT NULL,
            volumes integer[] NOT NULL,
            made timestamp with time zone NOT NULL,
            expires timestamp with time zone NOT NULL,
            used timestamp with time zone)"""
    )
    op.execute("CREATE INDEX program_key_person ON program_key (person, id)")
    op.execute(
        """CREATE TABLE audit (
            id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            at timestamp with time zone NOT NULL,
            kind text COLLATE "C" NOT NULL,
            by_person integer REFERENCES person (id) ON DELETE SET NULL,
            person integer REFERENCES person (id) ON DELETE SET NULL,
            volume integer REFERENCES volume (id) ON DELETE CASCADE,
            change_set bigint REFERENCES change_set (id) ON DELETE SET NULL,
            address text NOT NULL DEFAULT '',
            said text NOT NULL DEFAULT '')"""
    )
    op.execute("CREATE INDEX audit_at ON audit (at)")
    op.execute("CREATE INDEX audit_volume ON audit (volume, id)")
    op.execute("CREATE INDEX audit_kind ON audit (kind, id)")
    op.execute("CREATE INDEX audit_by_person ON audit (by_person, id)")
    op.execute("CREATE INDEX audit_person ON audit (person, id)")
    op.execute("CREATE INDEX audit_change_set ON audit (change_set)")
    op.execute("CREATE INDEX change_set_author ON change_set (author, id)")
    op.execute("CREATE INDEX draft_volume ON draft (volume, changed)")


def downgrade() -> None:
    op.execute("DROP INDEX draft_volume")
    op.execute("DROP INDEX change_set_author")
    op.execute("DROP TABLE audit")
    op.execute("DROP TABLE program_key")
    op.execute("DROP TABLE offer")
