"""Open formats in and out. Pure: bytes and values, no files, no database."""
