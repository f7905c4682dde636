"""Acts on pages and the references to them, a module each."""
