"""Places of pages in the contents of their volumes: read, numbered, changed."""
