"""Compiled loops over frames and joints. Each is imported when it is first used: the compiler takes its time to start."""

from __future__ import annotations

import sys
import threading
from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from reflexa.motion.kernels import blocks as blocks
    from reflexa.motion.kernels import chains as chains
    from reflexa.motion.kernels import changes as changes
    from reflexa.motion.kernels import compiling as compiling
    from reflexa.motion.kernels import courses as courses
    from reflexa.motion.kernels import feet as feet
    from reflexa.motion.kernels import hinges as hinges
    from reflexa.motion.kernels import limbs as limbs
    from reflexa.motion.kernels import moments as moments
    from reflexa.motion.kernels import oscillators as oscillators
    from reflexa.motion.kernels import rotations as rotations
    from reflexa.motion.kernels import rows as rows
    from reflexa.motion.kernels import solving as solving
    from reflexa.motion.kernels import spans as spans
    from reflexa.motion.kernels import text as text

__all__ = [
    "blocks",
    "chains",
    "changes",
    "compiling",
    "courses",
    "feet",
    "hinges",
    "limbs",
    "moments",
    "oscillators",
    "rotations",
    "rows",
    "solving",
    "spans",
    "text",
]


# So few numbers are quicker worked through, to the same bits, than the compiler is started.
_FEW = 400_000


def use_compiled(numbers: int, kernel: str) -> bool:
    """True if so many numbers are work for a kernel, such as ``"chains.forward"``: for any number once it has been called, and
    for a few once the compiler has started, but not where a window waits: there the plain way gives the same bits at once."""
    if numbers >= _FEW:
        return True
    house, name = kernel.split(".")
    loaded = sys.modules.get(f"{__name__}.{house}")
    if loaded is not None and getattr(getattr(loaded, name, None), "called", False):
        return True
    started = getattr(sys.modules.get(f"{__name__}.compiling"), "STARTED", False)
    return started and not (_has_window() and threading.current_thread() is threading.main_thread())


def compiled_so_far() -> tuple[int, int] | None:
    """While loops are compiled because none are kept on the disk, how many are, and of how many; else None."""
    compiling = sys.modules.get(f"{__name__}.compiling")
    return compiling.compiled_so_far() if getattr(compiling, "STARTED", False) else None  # type: ignore[union-attr]


def _has_window() -> bool:
    return "PySide6.QtWidgets" in sys.modules


def __getattr__(name: str) -> Any:
    if name in __all__:
        return import_module(f"{__name__}.{name}")
    raise AttributeError(name)
