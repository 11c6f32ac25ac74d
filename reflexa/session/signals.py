"""Plain signals: whoever changes something tells those who asked to be told, at once and in the same thread."""

from __future__ import annotations

import weakref
from collections.abc import Callable
from typing import Any, Generic, TypeVarTuple, overload

Args = TypeVarTuple("Args")


def _lives(_owner: object) -> bool:
    return True


# Does the owner of a bound method still live? A toolkit whose objects end before their Python halves do puts its own answer here.
lives: Callable[[object], bool] = _lives


class Signal(Generic[*Args]):
    """A list of calls that are made, in the order in which they were connected, whenever the signal is emitted.

    Bound methods are held weakly, so that a listener's life is its own; other functions are held for as long as the signal is.

    >>> moved, seen = Signal[int](), []
    >>> moved.connect(seen.append)
    >>> moved.emit(3)
    >>> seen
    [3]
    """

    def __init__(self) -> None:
        self._listeners: list[Callable[[], Callable[..., Any] | None]] = []

    @overload
    def connect(self, call: Callable[[*Args], Any]) -> None: ...
    @overload
    def connect(self, call: Callable[[], Any]) -> None: ...
    def connect(self, call: Callable[..., Any]) -> None:
        """Have something called from now on."""
        self._listeners.append(_held(call))

    def disconnect(self, call: Callable[..., Any]) -> None:
        """Have it called no longer; nothing happens where it never was."""
        self._listeners = [held for held in self._listeners if held() not in (None, call)]

    def emit(self, *args: *Args) -> None:
        """Tell everybody. A listener that fails keeps nobody else from hearing; the first such error is raised at the end."""
        errors: list[Exception] = []
        for held in tuple(self._listeners):
            call = held()
            if call is None:  # whoever is told may tell others: the list may be another by now
                self._listeners = [other for other in self._listeners if other is not held]
                continue
            try:
                call(*args)
            except Exception as e:
                errors.append(e)
        if errors:
            raise errors[0]


def _held(call: Callable[..., Any]) -> Callable[[], Callable[..., Any] | None]:
    owner, name = getattr(call, "__self__", None), getattr(call, "__name__", "")
    if owner is None:
        return lambda: call
    try:
        weak = weakref.ref(owner)
    except TypeError:  # a list's append: nothing that has a life of its own
        return lambda: call
    return lambda: getattr(alive, name) if (alive := weak()) is not None and lives(alive) else None
