"""Undo for the library: tags, stars, sets, and the lists of library folders and searches.

It is a way of its own, for none of it is part of the project: undoing a step must not take off a tag.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

_MOST = 100


@dataclass(frozen=True)
class Change:
    """What was done, in words, and how to undo and redo it."""

    label: str
    undo: Callable[[], None]
    redo: Callable[[], None]


class UndoStack:
    """Changes that were done, and those that were undone since."""

    def __init__(self) -> None:
        self._done: list[Change] = []
        self._undone: list[Change] = []

    def did(self, change: Change) -> None:
        """Something was done; what was undone before cannot be redone any more."""
        self._done = [*self._done, change][-_MOST:]
        self._undone = []

    @property
    def undo_label(self) -> str:
        """What would be undone, or an empty text."""
        return self._done[-1].label if self._done else ""

    @property
    def redo_label(self) -> str:
        """What would be redone, or an empty text."""
        return self._undone[-1].label if self._undone else ""

    def undo(self) -> None:
        """Undo the last change, where there is one."""
        if self._done:
            change = self._done.pop()
            self._undone.append(change)
            change.undo()

    def redo(self) -> None:
        """Do again what was undone last, where there is such."""
        if self._undone:
            change = self._undone.pop()
            self._done.append(change)
            change.redo()
