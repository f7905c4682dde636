"""Mokuji: a documentation wiki in plain text, in which no reference breaks.

The rooms, and what may lean on what (import-linter holds it):

    web | api | cli  →  services  →  store | formats  →  core

``core`` holds the rules of the job and is pure. See docs/architecture.md.
"""

__version__ = "0.1.0"
