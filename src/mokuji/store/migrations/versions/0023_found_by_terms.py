"""Pages are found by terms that the core reads: by names, by words with their places, and quoted line by line."""

from __future__ import annotations

from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """ALTER TABLE page_search
            ADD COLUMN names tsvector NOT NULL DEFAULT '',
            ADD COLUMN named text[] NOT NULL DEFAULT '{}',
            ADD COLUMN told text NOT NULL DEFAULT '',
            ALTER COLUMN words SET COMPRESSION lz4,
            ALTER COLUMN told SET COMPRESSION lz4"""
    )
    # What waits to be put into an index would be read through by each question; nobody waits for it to be put in.
    op.execute("ALTER INDEX page_search_words SET (fastupdate = off)")
    op.execute("CREATE INDEX page_search_names ON page_search USING gin (names) WITH (fastupdate = off)")
    op.execute("CREATE INDEX page_search_named ON page_search USING gin (named) WITH (fastupdate = off)")
    op.execute(
        """CREATE TABLE word (
            word text COLLATE "C" NOT NULL,
            volume integer NOT NULL REFERENCES volume ON DELETE CASCADE,
            PRIMARY KEY (word, volume))"""
    )
    op.execute(
        "CREATE INDEX word_trigrams ON word USING gin (lower(word) gin_trgm_ops) WITH (fastupdate = off)"
    )
    op.execute("CREATE INDEX revision_note ON revision USING gin (note gin_trgm_ops) WHERE note <> ''")
    op.execute("CREATE INDEX page_name_inserts ON page_name (name) WHERE kind = 1")
    op.execute("CREATE INDEX page_key_alone ON page (lower(key))")
    op.execute("CREATE INDEX alias_key_alone ON alias (lower(key))")
    op.execute(
        """CREATE TABLE kept_question (
            id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
            person integer NOT NULL REFERENCES person ON DELETE CASCADE,
            key text COLLATE "C" NOT NULL,
            name text NOT NULL,
            line text NOT NULL,
            volume integer REFERENCES volume ON DELETE CASCADE,
            shared boolean NOT NULL,
            at timestamptz NOT NULL,
            CONSTRAINT kept_question_own UNIQUE (person, key))"""
    )
    op.execute("CREATE INDEX kept_question_volume ON kept_question (volume) WHERE shared")
    # Words of before are those of PostgreSQL's own reader: every page is read anew.
    op.execute("INSERT INTO unsearched (page) SELECT id FROM page ON CONFLICT DO NOTHING")


def downgrade() -> None:
    op.execute("DROP INDEX revision_note, page_name_inserts, page_key_alone, alias_key_alone")
    op.execute("DROP TABLE word, kept_question")
    op.execute("ALTER INDEX page_search_words RESET (fastupdate)")
    op.execute("ALTER TABLE page_search DROP COLUMN names, DROP COLUMN named, DROP COLUMN told")
    op.execute("INSERT INTO unsearched (page) SELECT id FROM page ON CONFLICT DO NOTHING")
