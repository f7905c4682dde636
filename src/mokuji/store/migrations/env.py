"""Alembic's environment: it runs on the connection that ``store.database.migrate`` hands in."""

from __future__ import annotations

from alembic import context

from mokuji.store.tables import metadata

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=metadata, transaction_per_migration=True)
with context.begin_transaction():
    context.run_migrations()
