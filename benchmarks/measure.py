"""Measuring: the best of some runs, printed as a ratio."""

from __future__ import annotations

import time
from collections.abc import Callable


def best(call: Callable[[], object], runs: int = 5) -> float:
    """Seconds of the fastest of some runs; fewer where one takes long."""
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        call()
        times.append(time.perf_counter() - start)
        if sum(times) > 10:
            break
    return min(times)


def line(what: str, seconds: float, base: float, of: str) -> None:
    print(f"  {what:<44} {seconds * 1000:10.1f} ms   {seconds / base:8.2f} x {of}")
