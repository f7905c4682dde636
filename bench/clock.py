"""Measures: medians of repeated runs, taken in turns so that a slow moment hits all alike."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable, Hashable, Mapping
from typing import TypeVar

K = TypeVar("K", bound=Hashable)


def in_turns(acts: Mapping[K, Callable[[], object]], *, turns: int, warm: int = 2) -> dict[K, list[float]]:
    """Seconds of each act, ``turns`` of each, one after the other; there and back, so that what comes at regular times
    (collections of garbage) does not always hit the same one."""
    for _ in range(warm):
        for act in acts.values():
            act()
    taken: dict[K, list[float]] = {name: [] for name in acts}
    for turn in range(turns):
        for name, act in list(acts.items())[:: -1 if turn % 2 else 1]:
            start = time.perf_counter()
            act()
            taken[name].append(time.perf_counter() - start)
    return taken


def once(act: Callable[[], object]) -> float:
    """Seconds of one run."""
    start = time.perf_counter()
    act()
    return time.perf_counter() - start


def said(seconds: float) -> str:
    """“1.23 ms”, “4.5 s”."""
    return f"{seconds * 1000:.2f} ms" if seconds < 1 else f"{seconds:.2f} s"


def show(taken: Mapping[str, list[float]], base: str) -> None:
    """A line for each act: median, 95th percentile, and the ratio of medians to the base."""
    unit = statistics.median(taken[base])
    for name, times in taken.items():
        middle = statistics.median(times)
        high = sorted(times)[int(len(times) * 0.95)] if len(times) > 1 else middle
        print(f"  {name:<58} {said(middle):>11} {said(high):>11}   × {middle / unit:.2f}")
