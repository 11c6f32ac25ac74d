"""How far something is that takes time."""

from __future__ import annotations

from collections.abc import Callable

# Told a few words and how far it is, 0 to 1. It may raise, which stops the work.
Progress = Callable[[str, float], None]


def quiet(_text: str, _part: float) -> None:
    """Progress that nobody looks at."""
