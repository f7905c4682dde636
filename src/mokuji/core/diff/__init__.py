"""Texts compared and brought together: what differs, three-way merge, line ends.  Knows texts only, no pages."""
