"""PostgreSQL through SQLAlchemy: tables, migrations, queries, compare-and-set writes.

The only room that knows the database. Faults of the driver are translated
here, once, at its edge. Nothing here decides what a reference means; it keeps
and finds what the core has read.
"""
