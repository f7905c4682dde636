"""What is filed under which category: by front matter, by a mark in the text, or through a template."""

from __future__ import annotations

from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE filing (
            volume integer NOT NULL REFERENCES volume (id),
            key text COLLATE "C" NOT NULL,
            how smallint NOT NULL,
            page bigint NOT NULL REFERENCES page (id) ON DELETE CASCADE,
            name text NOT NULL,
            count integer NOT NULL,
            PRIMARY KEY (volume, key, how, page))"""
    )
    op.execute("CREATE INDEX filing_page ON filing (page)")
    op.execute("CREATE INDEX filing_given ON filing (volume, key, page) WHERE how = 2")
    op.execute(
        """CREATE TABLE field (
            volume integer NOT NULL REFERENCES volume (id),
            name text COLLATE "C" NOT NULL,
            value text COLLATE "C" NOT NULL,
            page bigint NOT NULL REFERENCES page (id) ON DELETE CASCADE,
            said text NOT NULL,
            PRIMARY KEY (volume, name, value, page))"""
    )
    op.execute("CREATE INDEX field_page ON field (page)")
    # Pages that are there already are read again in the background.
    op.execute("CREATE TABLE unfiled (page bigint PRIMARY KEY REFERENCES page (id) ON DELETE CASCADE)")
    op.execute("INSERT INTO unfiled (page) SELECT id FROM page")


def downgrade() -> None:
    op.execute("DROP TABLE field")
    op.execute("DROP TABLE unfiled")
    op.execute("DROP TABLE filing")
