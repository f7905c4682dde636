"""The ground that every room of the core stands on: faults, ranges, edits, names, findings.  Names no other room."""
