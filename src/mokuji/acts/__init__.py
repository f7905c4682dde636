"""Acts on the structure of a wiki: what can be asked for, planned, shown, done and undone."""
