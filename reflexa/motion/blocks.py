"""Work on long arrays in blocks, on all cores: NumPy lets go of the interpreter inside its loops."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

_CORES = os.cpu_count() or 1


def over(count: int, work: Callable[[slice], None], least: int, most: int) -> None:
    """Call ``work`` with slices that cover ``range(count)``, of at least ``least`` (but for the last) and at most
    ``most`` entries; on several threads where there is enough of it. ``work`` writes where nobody else does."""
    size = max(1, min(most, max(least, -(-count // _CORES))))
    spans = [slice(i, min(i + size, count)) for i in range(0, count, size)]
    if len(spans) < 2 or _CORES < 2:
        for span in spans:
            work(span)
        return
    with ThreadPoolExecutor(min(_CORES, len(spans))) as pool:
        for _ in pool.map(work, spans):
            pass
