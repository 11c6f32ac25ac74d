"""Results computed once per clip, cached for as long as the clip is in use."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any, ParamSpec, TypeVar
from weakref import WeakKeyDictionary

from reflexa.motion.clip import Clip

P = ParamSpec("P")
T = TypeVar("T")


def cached_per_clip(f: Callable[P, T]) -> Callable[P, T]:
    """Decorator for a function whose first argument is a clip and whose others can be hashed, by position: made once per clip
    and arguments."""
    made: WeakKeyDictionary[Clip, dict[tuple[Hashable, ...], T]] = WeakKeyDictionary()

    def ask(*args: P.args, **_: P.kwargs) -> T:
        clip: Any = args[0]
        own, key = made.setdefault(clip, {}), args[1:]
        if key not in own:
            own[key] = f(*args)  # type: ignore[call-arg]
        return own[key]

    ask.__doc__ = f.__doc__
    return ask
