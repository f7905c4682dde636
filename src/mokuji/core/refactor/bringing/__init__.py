"""Pages that were taken away as files and come back: which file is which page, what became of each, and the plan."""
