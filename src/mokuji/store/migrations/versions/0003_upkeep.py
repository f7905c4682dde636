"""Upkeep: what no page leads to, what is asked for and not written, what has no place; and what to look at again.

Whatever can change one of these writes down, by a trigger, which name or place
to look at again (``stale``): so no writer can forget it, and writers do not
wait for each other over counts.
"""

from __future__ import annotations

from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

TABLES = """
CREATE TABLE stale (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name bigint,
    volume integer,
    key text COLLATE "C"
);
CREATE TABLE orphan (
    page bigint PRIMARY KEY REFERENCES page (id) ON DELETE CASCADE,
    volume integer NOT NULL,
    key text COLLATE "C" NOT NULL,
    homes integer[] NOT NULL
);
CREATE INDEX orphan_volume ON orphan (volume, key);
CREATE TABLE asked (
    volume integer NOT NULL,
    key text COLLATE "C" NOT NULL,
    home integer NOT NULL,
    pages integer NOT NULL,
    PRIMARY KEY (volume, key, home)
);
CREATE TABLE unplaced (
    page bigint PRIMARY KEY REFERENCES page (id) ON DELETE CASCADE,
    volume integer NOT NULL,
    key text COLLATE "C" NOT NULL,
    reached boolean NOT NULL
);
CREATE INDEX unplaced_volume ON unplaced (volume, key);
CREATE TABLE unsearched (
    page bigint PRIMARY KEY REFERENCES page (id) ON DELETE CASCADE
);
"""

FUNCTIONS = """
CREATE FUNCTION stale_names() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO stale (name) SELECT DISTINCT name FROM touched;
    RETURN NULL;
END $$;
CREATE FUNCTION stale_places() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO stale (volume, key) SELECT DISTINCT volume, key FROM touched;
    RETURN NULL;
END $$;
CREATE FUNCTION stale_moved() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF (OLD.volume, OLD.key) IS DISTINCT FROM (NEW.volume, NEW.key) THEN
        INSERT INTO stale (volume, key) VALUES (OLD.volume, OLD.key), (NEW.volume, NEW.key);
    END IF;
    RETURN NULL;
END $$;
CREATE FUNCTION stale_all() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO stale (name) VALUES (NULL);
    RETURN NULL;
END $$;
"""


def _triggers() -> list[str]:
    made = []
    for table, function in (
        ("page_name", "stale_names"),
        *((t, "stale_places") for t in ("page", "alias", "contents")),
    ):
        made.append(
            f"CREATE TRIGGER {table}_came AFTER INSERT ON {table} REFERENCING NEW TABLE AS touched "
            f"FOR EACH STATEMENT EXECUTE FUNCTION {function}()"
        )
        made.append(
            f"CREATE TRIGGER {table}_went AFTER DELETE ON {table} REFERENCING OLD TABLE AS touched "
            f"FOR EACH STATEMENT EXECUTE FUNCTION {function}()"
        )
    for table in ("page", "contents"):
        made.append(
            f"CREATE TRIGGER {table}_moved AFTER UPDATE OF volume, key ON {table} "
            "FOR EACH ROW EXECUTE FUNCTION stale_moved()"
        )
    made.append(
        "CREATE TRIGGER volume_changed AFTER INSERT OR DELETE OR UPDATE OF key, closed, libraries, deleted_by, front "
        "ON volume FOR EACH ROW EXECUTE FUNCTION stale_all()"
    )
    return made


def upgrade() -> None:
    for statement in (TABLES, FUNCTIONS):
        op.execute(statement)
    for statement in _triggers():
        op.execute(statement)
    # What is there already is looked at once, whole.
    op.execute("INSERT INTO stale (name) VALUES (NULL)")


def downgrade() -> None:
    for table, names in {
        "page_name": ("came", "went"),
        "page": ("came", "went", "moved"),
        "alias": ("came", "went"),
        "contents": ("came", "went", "moved"),
        "volume": ("changed",),
    }.items():
        for name in names:
            op.execute(f"DROP TRIGGER {table}_{name} ON {table}")
    for name in ("names", "places", "moved", "all"):
        op.execute(f"DROP FUNCTION stale_{name}()")
    for table in ("unsearched", "unplaced", "asked", "orphan", "stale"):
        op.execute(f"DROP TABLE {table}")
