"""Owners of the wiki, people who left, handles that somebody had; in which volumes' logs an act stands."""

from __future__ import annotations

from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Who owns a wiki that is there already, nobody knows; the start says that it has none.
    op.execute("ALTER TABLE person ADD COLUMN owns_wiki boolean NOT NULL DEFAULT false")
    op.execute("ALTER TABLE person ADD COLUMN closed timestamp with time zone")
    op.execute(
        """CREATE TABLE former_handle (
            handle text COLLATE "C" PRIMARY KEY,
            person integer NOT NULL REFERENCES person (id) ON DELETE CASCADE)"""
    )
    op.execute(
        """CREATE TABLE change_set_reach (
            volume integer NOT NULL REFERENCES volume (id) ON DELETE CASCADE,
            change_set bigint NOT NULL REFERENCES change_set (id) ON DELETE CASCADE,
            PRIMARY KEY (volume, change_set))"""
    )
    op.execute("CREATE INDEX change_set_reach_by_act ON change_set_reach (change_set)")
    op.execute(
        """INSERT INTO change_set_reach (volume, change_set)
        SELECT DISTINCT p.volume, c.id FROM revision r JOIN page p ON p.id = r.page
        JOIN change_set c ON c.id = r.change_set WHERE p.volume <> c.volume"""
    )
    op.execute("ALTER TABLE change_set ADD COLUMN proposed jsonb")
    op.execute(
        """CREATE TABLE change_set_person (
            person integer NOT NULL REFERENCES person (id) ON DELETE CASCADE,
            change_set bigint NOT NULL REFERENCES change_set (id) ON DELETE CASCADE,
            PRIMARY KEY (person, change_set))"""
    )
    # JSON may say NUL where a text cannot; such sources came in before they were looked at.
    op.execute(
        r"""UPDATE source SET fields = replace(CAST(fields AS text), '\u0000', '\ufffd')::json
        WHERE position('\u0000' in CAST(fields AS text)) > 0"""
    )
    op.execute("ALTER TABLE session ADD COLUMN seen timestamp with time zone NOT NULL DEFAULT now()")
    op.execute("CREATE INDEX session_person ON session (person)")
    op.execute(
        """CREATE TABLE sign_in_try (
            id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            key bytea NOT NULL,
            at timestamp with time zone NOT NULL)"""
    )
    op.execute("CREATE INDEX sign_in_try_key ON sign_in_try (key, at)")
    op.execute("CREATE INDEX sign_in_try_at ON sign_in_try (at)")
    # Sessions were kept for 30 days; the longest is 14 now.
    op.execute("UPDATE session SET expires = least(expires, now() + interval '14 days')")
    # Handles that were changed: the log has what each was before.
    op.execute(
        """INSERT INTO former_handle (handle, person)
        SELECT lower(changed -> 0 ->> 'name'), (changed -> 0 ->> 'id')::integer
        FROM change_set c, jsonb_array_elements(c.detail -> 'things') changed
        JOIN person p ON p.id = (changed -> 0 ->> 'id')::integer
        WHERE c.detail -> 'things' IS NOT NULL AND jsonb_typeof(c.detail -> 'things') = 'array'
        AND changed -> 0 ->> 'sort' = 'person'
        ORDER BY c.id ON CONFLICT DO NOTHING"""
    )
    op.execute(
        """INSERT INTO change_set_person (person, change_set)
        SELECT DISTINCT (changed -> 0 ->> 'id')::integer, c.id
        FROM change_set c, jsonb_array_elements(c.detail -> 'things') changed
        JOIN person p ON p.id = (changed -> 0 ->> 'id')::integer
        WHERE c.detail -> 'things' IS NOT NULL AND jsonb_typeof(c.detail -> 'things') = 'array'
        AND changed -> 0 ->> 'sort' = 'person' ON CONFLICT DO NOTHING"""
    )


def downgrade() -> None:
    op.execute("DROP TABLE sign_in_try")
    op.execute("DROP INDEX session_person")
    op.execute("ALTER TABLE session DROP COLUMN seen")
    op.execute("ALTER TABLE change_set DROP COLUMN proposed")
    op.execute("DROP TABLE change_set_person")
    op.execute("DROP TABLE change_set_reach")
    op.execute("DROP TABLE former_handle")
    op.execute("ALTER TABLE person DROP COLUMN closed")
    op.execute("ALTER TABLE person DROP COLUMN owns_wiki")
