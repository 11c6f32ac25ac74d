"""The figure in motion: looking, comparing, picking, turning."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter
from PySide6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QMenu, QToolButton, QWidget

from reflexa.desktop import picture, stage_hand, stage_view, theme
from reflexa.desktop.handle import Handle
from reflexa.desktop.plants_shown import plants_shown
from reflexa.desktop.session import Session
from reflexa.desktop.shown import Look, Shown, figures, retarget_match
from reflexa.desktop.viewport_hands import Hands
from reflexa.desktop.viewport_labels import Labels
from reflexa.draw import Camera, Figure, Scene
from reflexa.draw import figure as drawn
from reflexa.draw.camera import STANDARD
from reflexa.draw.scene import Lines, matrices_at
from reflexa.motion.arrays import Array
from reflexa.rig.match import Match
from reflexa.steps.correction import CorrectionSettings

COMPARE = ("After", "Before", "Both", "Side by side")
GHOST = 4  # frames from ghost to ghost


class Viewport(Hands, Labels, QWidget):
    """A plain widget: the renderer's picture with labels painted over it."""

    dropped = Signal(list)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 220)
        self.setAccessibleName("Viewport")
        self.camera = Camera()
        self.compare = "After"
        self.show_mesh, self.show_joints = True, True
        self.follow, self.in_place = True, False
        self.ghosts, self.trail = False, False
        self.before_held = self.step_held = False
        self.other_take = ""
        self.hovered = ""
        self._hot = -1
        self._press: QPoint | None = None
        self._drag = ""
        self._grab: tuple[int, Array, QPointF] | None = None
        self._start: tuple[CorrectionSettings | Match, Array] | None = None
        self._turned = 0.0
        self._held: Handle | None = None
        self._in_hand: stage_hand.Held | None = None
        self._path_point = self._hot_point = -1
        self._framed_for = ""
        self._rest_framed = False
        self._fine = False
        self._settle = QTimer(self, interval=160, singleShot=True)
        self._settle.timeout.connect(self._draw_fine)
        self._make_overlays()
        session.evaluated.connect(self._on_evaluated)
        session.playhead_changed.connect(self.update)
        session.selection_changed.connect(self.update)
        session.project_changed.connect(self.update)
        session.view_changed.connect(self._on_view)
        session.take_changed.connect(self.update)
        session.trail_wanted.connect(lambda: self.buttons["trail"].setChecked(True))

    # Overlays ---------------------------------------------------------------------------------------------

    def _make_overlays(self) -> None:
        self.compare_bar = QFrame(self, objectName="overlay")
        row = QHBoxLayout(self.compare_bar)
        row.setContentsMargins(4, 3, 4, 3)
        row.setSpacing(2)
        group = QButtonGroup(self)
        self.compare_buttons: dict[str, QToolButton] = {}
        for name in COMPARE:
            button = QToolButton(text=name, checkable=True, checked=name == self.compare)
            button.setToolTip({
                "After": "The figure at the tap", "Before": "The source, before any step (hold B)",
                "Both": "The source as a pale figure in the same place", "Side by side": "The source beside the result",
            }[name])  # fmt: skip
            button.clicked.connect(lambda _=False, n=name: self.set_compare(n))
            group.addButton(button)
            row.addWidget(button)
            self.compare_buttons[name] = button
        self.tool_bar = QFrame(self, objectName="overlay")
        row = QHBoxLayout(self.tool_bar)
        row.setContentsMargins(4, 3, 4, 3)
        row.setSpacing(2)
        self.buttons: dict[str, QToolButton] = {}
        for id_, icon, tip, checkable in (
            ("mesh", "mesh", "Show the skin", True), ("joints", "joints", "Show joints and bones", True),
            ("follow", "follow", "Keep the travelling figure in the picture", True),
            ("in_place", "in_place", "Hold in place: show the clip without its travel", True),
            ("ghosts", "ghosts", "Ghosts: the figure some frames before and after", True),
            ("trail", "trail", "Trail of the selected joint, before and after the steps", True),
            ("frame", "frame", "Bring the figure into the picture (F5)", False), ("view", "view", "Standard views", False),
        ):  # fmt: skip
            button = QToolButton(checkable=checkable, toolTip=tip)
            button.setIconSize(QSize(18, 18))
            button.setAccessibleName(tip)
            button.setProperty("icon_name", icon)
            row.addWidget(button)
            self.buttons[id_] = button
        for id_, attribute in (
            ("mesh", "show_mesh"),
            ("joints", "show_joints"),
            ("follow", "follow"),
            ("in_place", "in_place"),
            ("ghosts", "ghosts"),
            ("trail", "trail"),
        ):
            self.buttons[id_].setChecked(getattr(self, attribute))
            self.buttons[id_].toggled.connect(lambda on, a=attribute: self._set(a, on))
        self.buttons["frame"].clicked.connect(self.frame_figure)
        menu = QMenu(self)
        for name in STANDARD:
            menu.addAction(name.capitalize(), lambda n=name: self.set_view(n))
        menu.addSeparator()
        self._parallel = menu.addAction("Parallel view", self.toggle_parallel)
        self._parallel.setCheckable(True)
        self.buttons["view"].setMenu(menu)
        self.buttons["view"].setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.refresh_icons()

    def refresh_icons(self) -> None:
        """Icons in the colours of the theme."""
        for button in self.buttons.values():
            button.setIcon(theme.icon(button.property("icon_name")))
        self.update()

    def _set(self, attribute: str, value: bool) -> None:
        setattr(self, attribute, value)
        self.update()

    def set_compare(self, name: str) -> None:
        self.compare = name
        self.compare_buttons[name].setChecked(True)
        self.update()

    def hold_before(self, held: bool, step: bool = False) -> None:
        """Show the source for as long as a key is held; with ``step``, the figure just before the selected step."""
        self.before_held = held
        self.step_held = held and step
        self.update()

    def compare_with(self, take: str) -> None:
        """Take another take's result for the "before" (an empty text: the source again)."""
        self.other_take = take
        if take and self.compare == "After":
            self.set_compare("Side by side")
        self.update()

    def toggle_parallel(self) -> None:
        self.camera = replace(self.camera, perspective=not self.camera.perspective)
        self._parallel.setChecked(not self.camera.perspective)
        self.update()

    def set_view(self, name: str) -> None:
        self.camera = self.camera.standard(name)
        self.update()

    def frame_figure(self) -> None:
        """Bring the figure of the frame in hand into the picture."""
        shown = self.figures()
        if not shown:
            return
        bounds = np.concatenate([f.bounds for f in shown])
        self.camera = self.camera.framed(bounds.min(axis=0), bounds.max(axis=0))
        self.update()

    def resizeEvent(self, _: object) -> None:
        self.compare_bar.adjustSize()
        self.tool_bar.adjustSize()
        self.compare_bar.move(10, self.height() - self.compare_bar.height() - 10)
        self.tool_bar.move(self.width() - self.tool_bar.width() - 10, 10)

    def _on_view(self) -> None:
        if self._rest_framed != self.session.rest_shown:
            self._rest_framed = self.session.rest_shown
            self.frame_figure()
        self.update()

    def _on_evaluated(self) -> None:
        key = self.session.take_name + str(self.session.take.source if self.session.take else "")
        if key != self._framed_for and self.session.evaluation is not None:
            self._framed_for = key
            self.frame_figure()
        self.update()

    # Drawing ----------------------------------------------------------------------------------------------

    @property
    def look(self) -> Look:
        return Look(self.compare, self.before_held, self.in_place, self.follow, self.step_held, self.other_take)

    def figures(self) -> list[Shown]:
        """Every figure that the picture shows."""
        return figures(self.session, self.look, self.camera)

    def _draw_fine(self) -> None:
        self._fine = True
        self.update()

    def scene(self, times: int = 1) -> Scene:
        """What the viewport shows now; strokes and marks ``times`` as large, for a larger picture."""
        t = theme.current()
        drawn_figures, lines, marks = [], [], []
        floor_shift = np.zeros(3)
        for f in self.figures():
            if f.role == "after" and self.follow and not self.in_place and not self.session.rest_shown:
                floor_shift = f.offset
            skin = f.rig.meshes if self.show_mesh and not f.bare else ()
            figure = Figure(
                skin, matrices_at(f.clip, f.frame), t.before, 0.0 if f.role == "after" else 0.55,
                0.42 if f.role == "pale" else 1.0, shadow=f.role != "pale",
            )  # fmt: skip
            drawn_figures.append(picture.moved(figure, f.offset))
            if self.show_joints or not skin:
                by_part = retarget_match(self.session) is not None
                faint = (0.75 if f.bare else 0.35) if f.role == "pale" else 0.9
                colours = f.colours if f.role == "after" or by_part else 0.5 * f.colours + 0.5 * np.array(t.before)
                l, m = picture.shifted(
                    drawn.bones(f.rig, f.clip, f.frame, colours, faint * (0.55 if skin else 1.0)),
                    drawn.joint_marks(f.rig, f.clip, f.frame, colours, faint, _rgb(t.colour("card")), 10.0), f.offset,
                )  # fmt: skip
                lines.append(l)
                if f.role != "pale":
                    marks.append(m)
        if self.ghosts or self.trail:
            lines += self._history()
        extent = max(6.0, self.camera.distance * 2.2)
        ground = picture.ground(np.array(self.camera.target) - floor_shift, extent)
        ground = replace(ground, ends=ground.ends + floor_shift)
        drawn_figures += self._stage(lines, marks)
        handle = self.handle()
        if handle is not None:
            l, m = handle.draw(self.camera, self._hot)
            lines.append(l)
            marks.append(m)
        if times > 1:
            lines = [replace(l, widths=l.widths * times) for l in lines]
            marks = [replace(m, sizes=m.sizes * times) for m in marks]
            ground = replace(ground, widths=ground.widths * times)
        return Scene(t.sky, t.floor, t.shadow, ground, tuple(drawn_figures), tuple(lines), tuple(marks))

    def world_shift(self) -> Array:
        """How far the world is moved in the picture, so that the figure stays in it ``(3,)`` metres."""
        shown = next((f for f in self.figures() if f.role == "after"), None)
        still = shown is None or self.session.rest_shown or self.compare == "Side by side"
        return np.zeros(3) if still else shown.offset

    def _stage(self, lines: list[Lines], marks: list) -> list[Figure]:
        """Props, and what the selected step says of the ground, put to the lines and marks."""
        session, clip = self.session, self.session.shown
        if clip is None or session.rest_shown:
            return []
        by, frame = self.world_shift(), min(session.frame, clip.frames - 1)
        figures, edges = stage_view.props(session.stage, clip, frame, by, session.prop)
        lines += edges
        step = session.step
        if session.prop or (step is not None and step.kind == "goal"):
            marks.append(stage_view.grips(session.stage, clip, frame, by))
        if step is None or session.evaluation is None or not step.on:
            return figures
        at = session.stage_of(session.card)
        after, rig = session.evaluation.clips[at], session.evaluation.rigs[at]
        if step.kind == "plants":
            lines += stage_view.plant_places(plants_shown(session), after, rig, frame, by)
        elif step.kind == "root-motion":
            lines.append(stage_view.way_over_ground(after, rig, by))
            path = stage_hand.path_of(session)
            if path:
                drawn_path, points = stage_view.drawn_path(path, by, max(self._path_point, self._hot_point))
                lines += [] if drawn_path is None else [drawn_path]
                marks.append(points)
        elif step.kind == "goal":
            found = stage_view.goal_mark(step.settings, after, session.stage, frame, by)
            if found is not None:
                marks.append(found[1])
        return figures

    def _history(self) -> list[Lines]:
        """Strokes of the figure some frames away, and the way of the selected joint through the clip."""
        session, evaluation = self.session, self.session.evaluation
        shown = next((f for f in self.figures() if f.role == "after"), None)
        if shown is None or evaluation is None or session.rest_shown or session.shown is None:
            return []
        clip, t = session.shown, theme.current()
        place = shown.offset
        out: list[Lines] = []
        if self.ghosts:
            for by in (-2 * GHOST, -GHOST, GHOST, 2 * GHOST):
                frame = session.frame + by
                if 0 <= frame < clip.frames:
                    faint = 0.42 if abs(by) == GHOST else 0.22
                    drawn_ = drawn.bones(shown.rig, clip, frame, shown.colours, faint)
                    out.append(replace(drawn_, ends=drawn_.ends + place))
        if self.trail and session.joint in clip.skeleton.index:
            # While a step is selected, its own before and after is what is looked at.
            source = session.below if session.step is not None and session.below is not None else evaluation.clips[0]
            for track, colour, wide in ((source, t.before, 1.6), (clip, _rgb(t.colour("accent")), 2.6)):
                if session.joint in track.skeleton.index and (track is clip or source is not clip):
                    out.append(_way(track.model[1][:, track.skeleton.index[session.joint]] + place, colour, wide))
        return out

    def paintEvent(self, _: object) -> None:
        ratio = self.devicePixelRatioF()
        w, h = round(self.width() * ratio), round(self.height() * ratio)
        # Without a GPU edges are smoothed by drawing larger, and only once the picture stands still.
        fine = self._fine and picture.needs_supersampling()
        times = 2 if fine else 1
        image = picture.render(self.scene(times), self.camera, w * times, h * times)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, fine)
        painter.drawImage(QRectF(0, 0, self.width(), self.height()), image)
        if self._fine or self.session.playing:
            self._fine = False
        else:
            self._settle.start()
        self._paint_labels(painter)
        painter.end()

    # Mouse and keys ---------------------------------------------------------------------------------------

    def joint_at(self, x: float, y: float) -> str:
        """The joint whose mark is nearest to a pixel (within 14), the nearer to the eye where two are as close."""
        best, least = "", 14.0
        for f in self.figures():
            if f.role == "pale":
                continue
            at = self.camera.project(f.placed, self.width(), self.height())
            away = np.hypot(at[:, 0] - x, at[:, 1] - y) + np.where(np.isfinite(at[:, 2]), 0, 1e9)
            # Helper joints lie on the joints that they follow: the body wins.
            names = f.rig.skeleton.names
            away = away + np.array([3.0 if n in f.rig.helpers or j == f.rig.joint("root") else 0.0
                                    for j, n in enumerate(names)])  # fmt: skip
            j = int(np.argmin(away))
            if away[j] < least:
                best, least = names[j], float(away[j])
        return best

    def mousePressEvent(self, e: QMouseEvent) -> None:
        self._press = e.position().toPoint()
        self._drag = ""
        self.setFocus()
        if e.button() == Qt.MouseButton.LeftButton:
            handle = self.handle()
            x, y = e.position().x(), e.position().y()
            if handle is not None:
                axis = handle.at(x, y, self.camera, self.width(), self.height())
                if axis >= 0:
                    self._begin_turn(axis, e.position())
                    self._hot = axis
                    return
            shift = self.world_shift()
            self._path_point = stage_hand.path_point_at(
                self.session, self.camera, x, y, self.width(), self.height(), shift
            )

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        at = e.position()
        if self._grab is not None:
            self._turn(at, bool(e.modifiers() & Qt.KeyboardModifier.ControlModifier))
            self.update()
            return
        if self._press is None:
            self._hover(at)
            return
        if self._path_point >= 0:
            shift = self.world_shift()
            place = stage_hand.on_ground(self.camera, at.x(), at.y(), self.width(), self.height(), shift)
            if place is not None:
                snap = bool(e.modifiers() & Qt.KeyboardModifier.ControlModifier)
                stage_hand.move_path_point(self.session, self._path_point, place, snap)
            return
        by = at.toPoint() - self._press
        if not self._drag and by.manhattanLength() < 4:
            return
        self._drag = "view"
        self._press = at.toPoint()
        buttons, keys = e.buttons(), e.modifiers()
        if buttons & Qt.MouseButton.MiddleButton or keys & Qt.KeyboardModifier.ShiftModifier:
            self.camera = self.camera.panned(by.x(), by.y(), self.height())
        elif buttons & Qt.MouseButton.RightButton:
            self.camera = self.camera.zoomed(1.005 ** by.y())
        else:
            self.camera = self.camera.orbited(by.x(), by.y())
        self.update()

    def _hover(self, at: QPointF) -> None:
        handle = self.handle()
        hot = handle.at(at.x(), at.y(), self.camera, self.width(), self.height()) if handle else -1
        name = "" if hot >= 0 else self.joint_at(at.x(), at.y())
        point = -1
        if hot < 0:
            size = self.width(), self.height()
            point = stage_hand.path_point_at(self.session, self.camera, at.x(), at.y(), *size, self.world_shift())
        if (hot, name, point) != (self._hot, self.hovered, self._hot_point):
            self._hot, self.hovered, self._hot_point = hot, name, point
            over = name or hot >= 0 or point >= 0
            self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
            self.update()

    def mouseReleaseEvent(self, e: QMouseEvent) -> None:
        if self._grab is not None or self._path_point >= 0:
            self._grab = self._in_hand = None
            self._hot = self._path_point = -1
            self.session.end_merge()
            self.update()
        elif not self._drag and e.button() == Qt.MouseButton.LeftButton:
            joint = self.joint_at(e.position().x(), e.position().y())
            if self.session.painting and joint:
                self.session.paint(joint, bool(e.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            elif joint or not self._pick_prop(e.position()):
                self.session.select_joint(joint)
                if not joint:
                    self.session.select_prop("")
        self._press = None
        self._drag = ""

    def _pick_prop(self, at: QPointF) -> bool:
        """Select the prop under the pointer, where there is one."""
        session, clip = self.session, self.session.shown
        if clip is None or session.rest_shown:
            return False
        frame = min(session.frame, clip.frames - 1)
        name = stage_view.prop_at(
            session.stage, clip, frame, self.world_shift(), self.camera, at.x(), at.y(), self.width(), self.height()
        )
        if name:
            session.select_prop(name)
        return bool(name)

    def leaveEvent(self, _: QEvent) -> None:
        self.hovered, self._hot = "", -1
        self.update()

    def wheelEvent(self, e: object) -> None:
        self.camera = self.camera.zoomed(0.9985 ** e.angleDelta().y())
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(760, 480)


def _way(places: Array, colour: tuple[float, float, float], wide: float) -> Lines:
    """A joint's way through a clip as strokes; every fifth frame is marked by a wider one."""
    ends = np.stack([places[:-1], places[1:]], axis=1)
    widths = np.where(np.arange(len(ends)) % 5 == 0, 2.2 * wide, wide)[:, None] * np.ones(2)
    rgba = np.tile([*colour, 0.9], (len(ends), 1))
    return Lines(ends, widths, rgba, on_top=True)


def _rgb(c: QColor) -> tuple[float, float, float]:
    return c.redF(), c.greenF(), c.blueF()
