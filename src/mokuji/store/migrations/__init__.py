"""The steps from one form of the database to the next, run by Alembic."""
