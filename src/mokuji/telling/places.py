"""Addresses that mail and feeds give out. The rooms above make them; they are handed in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Places:
    """Whole addresses: of a page (key of its volume, its key), of a change set, of what differs between two revisions
    of a page; of the inbox, of all that one is told of; of what a signed word opens: confirming an address, ending
    the mail."""

    page: Callable[[str, str], str]
    change: Callable[[int], str]
    differs: Callable[[str, str, int, int], str]
    inbox: Callable[[], str]
    told_of: Callable[[], str]
    confirm: Callable[[str], str]
    end: Callable[[str], str]
