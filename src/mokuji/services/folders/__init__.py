"""Work on a plain folder of pages, without a database: check it, do acts on it, bring it in."""
