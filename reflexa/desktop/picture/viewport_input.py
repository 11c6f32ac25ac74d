"""Mouse input in the picture: hover, pick, drag handles, move the camera."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QMouseEvent

from reflexa.desktop.kinds import view_of
from reflexa.desktop.picture.handle import HOOPS, RODS, SWING
from reflexa.desktop.picture.manipulator import Drag, Manipulator
from reflexa.desktop.picture.overlay import near_joints
from reflexa.desktop.picture.scene import Pointing
from reflexa.desktop.picture.snapshot import Snapshot
from reflexa.draw import Camera
from reflexa.motion.arrays import Array
from reflexa.session import Session, masks, rigs
from reflexa.words import plain


@dataclass(frozen=True, eq=False)
class _Grip:
    """A part of a handle in the hand: how the handle stood, where the drag began, and the way on screen (pixels) that
    turns it by one radian."""

    hold: Manipulator
    drag: Drag
    part: int
    way: Array
    start: QPointF


class ViewportInput:
    """hovered: the joint under the pointer; looking: the camera is in the hand; hot: the part of the handle, hot_point: the
    point on the ground, that is under the pointer or in the hand. near: joints whose marks the pointer calls up. says: how far
    the drag under way has come, in words."""

    def __init__(self, session: Session, see: Callable[[], Snapshot], turn_camera: Callable[[Camera], None]) -> None:
        self.session = session
        self._see, self._turn_camera = see, turn_camera
        self.hovered, self.hot, self.hot_point, self.says = "", -1, -1, ""
        self.near: frozenset[str] = frozenset()
        # Where was clicked, and which of the joints that lie there it has come to.
        self._clicked: tuple[QPointF, int] | None = None
        self._grip: _Grip | None = None
        self._point = -1
        self._press: QPointF | None = None
        self.looking = False

    @property
    def busy(self) -> bool:
        """True while something is dragged."""
        return self._grip is not None or self._point >= 0

    def press(self, e: QMouseEvent) -> None:
        """A button goes down: a part of the handle is grabbed, or a point on the ground, or nothing yet."""
        at = e.position()
        self._press, self.looking = at, False
        if e.button() != Qt.MouseButton.LeftButton:
            return
        seen = self._see()
        part = self._part_at(seen, at)
        if part >= 0 and isinstance(seen.hold, Manipulator):
            self._grab(seen.hold, part, at)
        else:
            self._point = seen.point_at(at.x(), at.y())

    def _part_at(self, seen: Snapshot, at: QPointF) -> int:
        if not isinstance(seen.hold, Manipulator):
            return -1
        sight = seen.sight
        return seen.hold.handle.at(at.x(), at.y(), sight.camera, sight.width, sight.height)

    def _grab(self, hold: Manipulator, part: int, at: QPointF) -> None:
        sight = self._see().sight
        way = np.zeros(2)
        if part < RODS:
            way = hold.handle.tangent(part, at.x(), at.y(), sight.camera, sight.width, sight.height)
        elif part == SWING:
            way = hold.handle.swing_tangent(sight.camera, sight.width, sight.height)
        drag = hold.begin()
        if drag is not None:
            self._grip = _Grip(hold, drag, part, way, at)
            self.hot = part

    def move(self, e: QMouseEvent) -> bool:
        """The pointer moves. True where something else is to be seen."""
        at = e.position()
        snap = bool(e.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if self._grip is not None:
            self._pull(self._grip, at, snap)
            return True
        if self._press is None:
            return self._hover(at)
        if self._point >= 0:
            self._move_point(at, snap)
            return True
        by = at - self._press
        if not self.looking and abs(by.x()) + abs(by.y()) < 4:
            return False
        self.looking, self._press = True, at
        self._look(by, e)
        return True

    def _pull(self, grip: _Grip, at: QPointF, snap: bool) -> None:
        """The drag has come this far from where it began."""
        by = np.array([at.x() - grip.start.x(), at.y() - grip.start.y()])
        if grip.part >= RODS and grip.part != SWING:
            sight = self._see().sight
            moved = grip.drag.move(grip.hold.handle.moved(grip.part, by, sight.camera, sight.height), snap)
            self.says = f"{100 * float(np.linalg.norm(moved)):.1f} cm"
            return
        degrees = float(np.degrees(by @ grip.way / (grip.way @ grip.way)))
        if grip.part == SWING:
            grip.drag.swing(degrees)
            self.says = f"swing  {plain(degrees, 1, '+')}°"
        else:
            self.says = f"{HOOPS[grip.part][0]}  {plain(grip.drag.turn(grip.part, degrees, snap), 1, '+')}°"

    def _move_point(self, at: QPointF, snap: bool) -> None:
        step = self.session.step
        ground = view_of(step.kind).ground if step is not None else None
        place = self._see().sight.on_ground(at.x(), at.y())
        if ground is not None and place is not None:
            ground.move(self.session, self._point, place, snap)

    def _look(self, by: QPointF, e: QMouseEvent) -> None:
        sight = self._see().sight
        camera, buttons = sight.camera, e.buttons()
        if buttons & Qt.MouseButton.MiddleButton or e.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._turn_camera(camera.panned(by.x(), by.y(), sight.height))
        elif buttons & Qt.MouseButton.RightButton:
            self._turn_camera(camera.zoomed(1.005 ** by.y()))
        else:
            self._turn_camera(camera.orbited(by.x(), by.y()))

    def _hover(self, at: QPointF) -> bool:
        seen = self._see()
        hot = self._part_at(seen, at)
        name = "" if hot >= 0 else seen.joint_at(at.x(), at.y())
        point = -1 if hot >= 0 else seen.point_at(at.x(), at.y())
        figure = seen.after
        near = near_joints(figure, seen.sight, at.x(), at.y()) if figure is not None else frozenset()
        changed = (hot, name, point, near) != (self.hot, self.hovered, self.hot_point, self.near)
        self.hot, self.hovered, self.hot_point, self.near = hot, name, point, near
        return changed

    @property
    def pointing(self) -> Pointing:
        """What the pointer is on."""
        return Pointing(self.hot, self.hot_point, self.near)

    @property
    def over(self) -> bool:
        """True if the pointer is over something that can be dragged."""
        return bool(self.hovered) or self.hot >= 0 or self.hot_point >= 0

    def release(self, e: QMouseEvent) -> None:
        """The button goes up: what was in the hand stays where it is, or a click picks what is under it."""
        clicked = self._grip is not None and not self.says  # a part of the handle, that was not pulled
        if self.busy and not clicked:
            self.let_go()
        elif not self.looking and e.button() == Qt.MouseButton.LeftButton:
            self._pick(e.position(), bool(e.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        if clicked:
            self.let_go()
        self._press, self.looking = None, False

    def let_go(self) -> None:
        """Nothing is in the hand any more; what it did is one edit."""
        self._grip, self._point, self.hot, self.says = None, -1, -1, ""
        self.session.history.end_merge()

    def leave(self) -> None:
        """The pointer is elsewhere."""
        self.hovered, self.hot, self.hot_point, self.near = "", -1, -1, frozenset()

    def _next_at(self, there: list[str], at: QPointF) -> str:
        """The joint that a click means: the most useful one that lies there; clicked again in the same place, the next."""
        turn = 0
        if self._clicked is not None and (self._clicked[0] - at).manhattanLength() < 4:
            turn = self._clicked[1] + 1
        self._clicked = at, turn
        return there[turn % len(there)] if there else ""

    def _pick(self, at: QPointF, with_shift: bool) -> None:
        session, seen = self.session, self._see()
        joint = self._next_at(seen.joints_at(at.x(), at.y()), at)
        if joint and session.selection.painting:
            masks.paint(session, joint, with_shift)
        elif joint:
            rigs.pick(session, joint)
        elif self._grip is None:  # a click on a bare part of the handle means nothing
            prop = seen.prop_at(at.x(), at.y())
            if prop:
                session.selection.select_prop(prop)
            else:
                session.selection.select_joint("")
                session.selection.select_prop("")
