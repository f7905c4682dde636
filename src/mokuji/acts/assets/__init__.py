"""Acts on what pages name beside pages: files, sources, people."""
