"""What acts on pages need: a trash, former names, volumes that can go, names that can be exchanged at once."""

from __future__ import annotations

from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

STATEMENTS = """
ALTER TABLE revision DROP CONSTRAINT revision_page_fkey;
ALTER TABLE page DROP CONSTRAINT page_volume_key;
ALTER TABLE page ADD CONSTRAINT page_volume_key UNIQUE (volume, key) DEFERRABLE INITIALLY IMMEDIATE;
ALTER TABLE volume ADD COLUMN deleted_by BIGINT;
ALTER TABLE volume DROP CONSTRAINT volume_key;
CREATE UNIQUE INDEX volume_key ON volume (key) WHERE deleted_by IS NULL;
CREATE TABLE trash (
    page BIGINT NOT NULL,
    volume INTEGER NOT NULL,
    key TEXT COLLATE "C" NOT NULL,
    title TEXT NOT NULL,
    revision INTEGER NOT NULL,
    change_set BIGINT NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    successor BIGINT,
    leads JSONB DEFAULT '[]' NOT NULL,
    PRIMARY KEY (page),
    FOREIGN KEY(volume) REFERENCES volume (id),
    FOREIGN KEY(change_set) REFERENCES change_set (id)
);
CREATE INDEX trash_by_act ON trash (change_set, page);
CREATE INDEX trash_by_volume ON trash (volume, change_set);
CREATE TABLE former (
    volume INTEGER NOT NULL,
    key TEXT COLLATE "C" NOT NULL,
    page BIGINT NOT NULL,
    PRIMARY KEY (volume, key)
);
CREATE INDEX former_page ON former (page);
CREATE TABLE former_volume (
    key TEXT COLLATE "C" NOT NULL,
    volume INTEGER NOT NULL,
    PRIMARY KEY (key),
    FOREIGN KEY(volume) REFERENCES volume (id) ON DELETE CASCADE
);
CREATE TABLE differing (
    volume INTEGER NOT NULL,
    one TEXT COLLATE "C" NOT NULL,
    other TEXT COLLATE "C" NOT NULL,
    person INTEGER,
    PRIMARY KEY (volume, one, other),
    FOREIGN KEY(volume) REFERENCES volume (id) ON DELETE CASCADE,
    FOREIGN KEY(person) REFERENCES person (id)
);
"""


def upgrade() -> None:
    for statement in filter(None, map(str.strip, STATEMENTS.split(";"))):
        op.execute(statement)


def downgrade() -> None:
    raise NotImplementedError("There is no way back: pages in the trash would have no place.")
