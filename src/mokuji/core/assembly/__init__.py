"""A page put together as its readers see it: inserts, their values, lists of pages."""
