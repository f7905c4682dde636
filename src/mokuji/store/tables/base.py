"""The metadata that all tables belong to."""

from sqlalchemy import MetaData

metadata = MetaData()
