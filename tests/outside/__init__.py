"""Checks against what others have published: standards with their examples, and their data.

Packages with such texts are fetched by name when a test needs them, kept in
``.tools/outside``, and never committed.
"""
