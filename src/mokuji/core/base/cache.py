"""What was made of something, kept for whoever asks next. Losing it costs time only."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

from cachetools import LRUCache

V = TypeVar("V")


class BoundedCache(Generic[V]):
    """Keeps values up to a weight in all (1 each, without ``weight``); those not asked for longest go. Safe to share
    between threads."""

    def __init__(self, most: int, weight: Callable[[V], int] | None = None) -> None:
        self._kept: LRUCache[Hashable, V] = LRUCache(most, getsizeof=weight)
        self._lock = threading.Lock()

    def clear(self) -> None:
        """Forgets everything."""
        with self._lock:
            self._kept.clear()

    def get(self, key: Hashable) -> V | None:
        """What is kept under a key."""
        with self._lock:
            return self._kept.get(key)

    def put(self, key: Hashable, value: V) -> None:
        """Keeps a value, unless it alone weighs more than all that may be kept."""
        try:
            with self._lock:
                self._kept[key] = value
        except ValueError:
            return

    def made(self, key: Hashable, make: Callable[[], V]) -> V:
        """What is kept under a key; made if nothing is, which others do not wait for."""
        found = self.get(key)
        if found is None:
            found = make()
            self.put(key, found)
        return found
