"""What writers do with one page and what it holds: edit, preview, save, check, files, sources, tasks."""
