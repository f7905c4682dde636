"""Acts on volumes and their contents, a module each."""
