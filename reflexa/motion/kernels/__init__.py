"""Compiled loops over frames and joints. Each is imported when it is first used: the compiler takes its time to start."""

from __future__ import annotations

import sys
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


def use_compiled(numbers: int) -> bool:
    """Are so many numbers work for the kernels? They are where the compiler has started already; whoever has little to
    compute need not wait for them."""
    return numbers >= _FEW or f"{__name__}.compiling" in sys.modules


def __getattr__(name: str) -> Any:
    if name in __all__:
        return import_module(f"{__name__}.{name}")
    raise AttributeError(name)
