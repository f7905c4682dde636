"""In which order pages that answer a question stand."""

from __future__ import annotations

from enum import IntEnum


class Tier(IntEnum):
    """Why a page stands so far up: it is called so (by its very title, or as names are compared), nearly so, its names
    or a heading hold the words, its text does, or what it puts in does."""

    TITLE = 0
    SAME_TITLE = 1
    ALIAS = 2
    NEAR_NAME = 3
    IN_TITLE = 4
    IN_ALIAS = 5
    IN_HEADING = 6
    ALMOST = 7
    IN_TEXT = 8
    PUT_IN = 9
