"""Links that let somebody in once: invitations with roles, and those for a forgotten password."""

from __future__ import annotations

from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE invitation (
            id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            token text COLLATE "C" NOT NULL UNIQUE,
            made_by integer NOT NULL REFERENCES person (id) ON DELETE CASCADE,
            note text NOT NULL DEFAULT '',
            at timestamp with time zone NOT NULL,
            expires timestamp with time zone NOT NULL)"""
    )
    op.execute("CREATE INDEX invitation_expires ON invitation (expires)")
    op.execute(
        """CREATE TABLE invitation_role (
            invitation integer NOT NULL REFERENCES invitation (id) ON DELETE CASCADE,
            volume integer NOT NULL REFERENCES volume (id) ON DELETE CASCADE,
            role smallint NOT NULL,
            PRIMARY KEY (invitation, volume))"""
    )
    op.execute("CREATE INDEX invitation_role_volume ON invitation_role (volume, invitation)")
    op.execute(
        """CREATE TABLE password_link (
            person integer PRIMARY KEY REFERENCES person (id) ON DELETE CASCADE,
            token text COLLATE "C" NOT NULL UNIQUE,
            made_by integer NOT NULL REFERENCES person (id) ON DELETE CASCADE,
            expires timestamp with time zone NOT NULL)"""
    )


def downgrade() -> None:
    op.execute("DROP TABLE password_link")
    op.execute("DROP TABLE invitation_role")
    op.execute("DROP TABLE invitation")
