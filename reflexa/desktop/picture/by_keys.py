"""The picture without a mouse: looking about, choosing a joint, and holding its handle to turn and move by steps."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent

from reflexa.desktop.picture.handle import HOOPS, RODS, SWING
from reflexa.desktop.picture.manipulator import Drag, Manipulator
from reflexa.desktop.picture.snapshot import Snapshot
from reflexa.draw import Camera
from reflexa.draw.figure import usefulness
from reflexa.motion import quat
from reflexa.session import Session

HOW = (
    ("Shift+arrows in the picture", "orbit"),
    ("Alt+Shift+arrows in the picture", "pan"),
    ("+ and - in the picture", "zoom"),
    ("Page Up and Page Down in the picture", "choose a joint, hands and feet first"),
    (
        "Return in the picture",
        "use the joint's handle: up and down choose an axis, left and right rotate or move (Shift: finer)",
    ),
)
# Degrees and pixels for one press of an arrow key; degrees and metres for one step of what is held, and the finer ones.
_ORBIT, _PAN, _ZOOM = 10.0, 40.0, 0.9
_TURN, _MOVE, _FINE = 5.0, 0.01, 0.2
_ARROWS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
_SHIFT, _ALT = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier


class ByKeys:
    """part: which part of the handle is held, or -1. says: how far it has come, in words."""

    def __init__(self, session: Session, see: Callable[[], Snapshot], turn_camera: Callable[[Camera], None]) -> None:
        self._session, self._see, self._turn_camera = session, see, turn_camera
        self.part, self.says = -1, ""
        self._drag: Drag | None = None
        self._hold: Manipulator | None = None
        self._come = 0.0

    def wants(self, key: Qt.Key, modifiers: Qt.KeyboardModifier) -> bool:
        """True for a key that belongs to the picture although the window uses it too."""
        if self.part >= 0:
            return key in (*_ARROWS, Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_Enter)
        return (key in _ARROWS and bool(modifiers & _SHIFT)) or key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)

    def press(self, e: QKeyEvent) -> bool:
        """A key goes down. False where it means nothing here."""
        key = Qt.Key(e.key())
        if self.part >= 0:
            return self._held(key, bool(e.modifiers() & _SHIFT))
        if key in _ARROWS and e.modifiers() & _SHIFT:
            self._look(_ARROWS[key], bool(e.modifiers() & _ALT))
        elif e.text() in ("+", "=", "-"):
            self._turn_camera(self._see().sight.camera.zoomed(1 / _ZOOM if e.text() == "-" else _ZOOM))
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self._choose(1 if key == Qt.Key.Key_PageDown else -1)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and isinstance(self._see().hold, Manipulator):
            self._take(0)
        else:
            return False
        return True

    def _look(self, way: tuple[int, int], pans: bool) -> None:
        sight = self._see().sight
        if pans:
            self._turn_camera(sight.camera.panned(-way[0] * _PAN, way[1] * _PAN, sight.height))
        else:
            camera = sight.camera
            pitch = float(np.clip(camera.pitch + way[1] * _ORBIT, -89.9, 89.9))
            self._turn_camera(replace(camera, yaw=camera.yaw + way[0] * _ORBIT, pitch=pitch))

    def _choose(self, by: int) -> None:
        """The next joint: what is pulled every day first, from the top of the figure down."""
        figure = self._see().after
        if figure is None:
            return
        useful, names = usefulness(figure.rig), figure.rig.skeleton.names
        order = sorted(range(len(names)), key=lambda j: (-useful[j], j))
        now = self._session.selection.joint
        at = next((i for i, j in enumerate(order) if names[j] == now), -1 if by > 0 else 0)
        self._session.selection.select_joint(names[order[(at + by) % len(order)]])

    # The handle in the hand -------------------------------------------------------------------------------------

    def _parts(self) -> list[int]:
        hold = self._see().hold
        handle = hold.handle if isinstance(hold, Manipulator) else None
        if handle is None:
            return []
        moves = [*range(RODS, RODS + 3)] if handle.moves else []
        return [*range(RODS), *moves, *([SWING] if handle.bend is not None else [])]

    def _take(self, which: int) -> None:
        hold, parts = self._see().hold, self._parts()
        drag = hold.begin() if isinstance(hold, Manipulator) and parts else None
        if drag is not None and isinstance(hold, Manipulator):
            self.part, self._drag, self._hold, self._come = parts[which % len(parts)], drag, hold, 0.0
            self.says = f"{hold.handle.says(self.part)}: Left and Right, Return when done"

    def let_go(self) -> None:
        """Nothing is held any more; what was done is one edit."""
        if self.part >= 0:
            self.part, self.says, self._drag, self._hold = -1, "", None, None
            self._session.history.end_merge()

    def _held(self, key: Qt.Key, fine: bool) -> bool:
        parts = self._parts()
        if key not in _ARROWS or not parts or self._drag is None or self._hold is None:
            self.let_go()
            return True
        across, up = _ARROWS[key]
        if up:
            at = parts.index(self.part) if self.part in parts else 0
            self.let_go()
            self._take(at - up)
            return True
        self._step(self._drag, self._hold, across * (_FINE if fine else 1.0))
        return True

    def _step(self, drag: Drag, hold: Manipulator, steps: float) -> None:
        """So many steps further from where the handle was taken."""
        self._come += steps
        if self.part == SWING:
            drag.swing(_TURN * self._come)
            self.says = f"swing  {_TURN * self._come:+.0f}°"
        elif self.part < RODS:
            self.says = f"{HOOPS[self.part][0]}  {drag.turn(self.part, _TURN * self._come, False):+.0f}°"
        else:
            way = quat.rotate(hold.handle.axes, np.eye(3)[self.part - RODS])
            moved = drag.move(way * _MOVE * self._come, False)
            self.says = f"{'xyz'[self.part - RODS]}  {100 * float(moved @ way):+.1f} cm"
