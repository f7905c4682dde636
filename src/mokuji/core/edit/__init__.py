"""Changes of one page's text at exact places: its front matter, one field of it, the levels of its headings."""
