"""Handles that can be dragged in the picture, and what a drag does."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from reflexa.desktop.picture.handle import Handle
from reflexa.motion.arrays import Array


def _nothing(_: float) -> None:
    pass


@dataclass(frozen=True, eq=False)
class Drag:
    """A drag under way, from where it began. turn(axis, degrees, snap) gives the degrees that were turned; move(by, snap)
    takes metres in the world and gives those that were moved ``(3,)``; swing(degrees) turns an elbow or knee."""

    turn: Callable[[int, float, bool], float]
    move: Callable[[Array, bool], Array]
    swing: Callable[[float], None] = _nothing


@dataclass(frozen=True, eq=False)
class Manipulator:
    """A handle, what it belongs to in words, and how a drag of it begins (None: it cannot just now)."""

    handle: Handle
    says: str
    begin: Callable[[], Drag | None]


# Ctrl keeps turns to these degrees and moves to these metres.
SNAP_TURN, SNAP_MOVE = 5.0, 0.01


def snapped(degrees: float, snap: bool) -> float:
    """Degrees, on whole steps where that is asked for."""
    return round(degrees / SNAP_TURN) * SNAP_TURN if snap else degrees
