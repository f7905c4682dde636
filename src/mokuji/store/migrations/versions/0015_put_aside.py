"""Findings that were put aside, with the reason; pairs that were said to differ are such findings of two reports."""

from __future__ import annotations

from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE put_aside (
            volume integer NOT NULL REFERENCES volume (id) ON DELETE CASCADE,
            report text COLLATE "C" NOT NULL,
            what text COLLATE "C" NOT NULL,
            page bigint,
            involved integer[] NOT NULL,
            title text NOT NULL,
            reason text NOT NULL,
            person integer REFERENCES person (id),
            at timestamp with time zone NOT NULL,
            PRIMARY KEY (volume, report, what))"""
    )
    for report in ("look-alikes", "categories"):
        op.execute(
            # The name is one of the two above.
            f"""INSERT INTO put_aside (volume, report, what, involved, title, reason, person, at)
            SELECT volume, '{report}', one || chr(9) || other, ARRAY[volume], one || ' · ' || other,
                'These differ.', person, now() FROM differing"""  # noqa: S608
        )
    op.execute("DROP TABLE differing")


def downgrade() -> None:
    op.execute(
        """CREATE TABLE differing (
            volume integer NOT NULL REFERENCES volume (id) ON DELETE CASCADE,
            one text COLLATE "C" NOT NULL,
            other text COLLATE "C" NOT NULL,
            person integer REFERENCES person (id),
            PRIMARY KEY (volume, one, other))"""
    )
    op.execute(
        """INSERT INTO differing (volume, one, other, person)
        SELECT volume, split_part(what, chr(9), 1), split_part(what, chr(9), 2), person FROM put_aside
        WHERE report = 'look-alikes'"""
    )
    op.execute("DROP TABLE put_aside")
