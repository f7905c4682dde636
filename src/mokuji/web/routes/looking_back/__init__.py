"""What was done, and how it was before: the log, revisions, the trash, a volume as it stood."""
