"""A whole text as it is read once: all that it holds, and a page with it.

Nothing here knows whether another page exists; that is ``core.model.references``.
"""
