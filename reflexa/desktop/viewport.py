"""The figure in motion: looking, comparing, picking, turning."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QFont, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QMenu, QToolButton, QWidget

from reflexa.desktop import picture, stage_hand, stage_view, theme
from reflexa.desktop.handle import HOOPS, RODS, SWING, Handle, handle_at
from reflexa.desktop.plants_shown import plants_shown
from reflexa.desktop.session import RESULT_CARD, Session
from reflexa.desktop.shown import Look, Shown, figures, retarget_match
from reflexa.draw import Camera, Figure, Scene
from reflexa.draw import figure as drawn
from reflexa.draw.camera import STANDARD
from reflexa.draw.scene import Lines, matrices_at
from reflexa.motion import quat
from reflexa.motion.quat import Array
from reflexa.rig.match import Match
from reflexa.rig.notes import notes_of, set_fit
from reflexa.steps.correction import CorrectionSettings, Vector, aim_point, set_key, track_at, usual_track

COMPARE = ("After", "Before", "Both", "Side by side")
SNAP = 5.0  # degrees
SNAP_MOVE = 0.01  # metres
GHOST = 4  # frames from ghost to ghost


class Viewport(QWidget):
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

    def _paint_labels(self, painter: QPainter) -> None:
        t = theme.current()
        session = self.session
        take = session.take
        if take is None:
            self._paint_empty(painter)
            return
        bold = QFont(self.font())
        bold.setWeight(QFont.Weight.DemiBold)
        painter.setFont(bold)
        painter.setPen(t.colour("ink"))
        lines = [self._caption()]
        if session.evaluation is None:
            lines.append(session.problem or session.computing or ("Computing…" if session.document is not None else ""))
        elif session.computing or session.problem:
            lines.append(session.computing or session.problem)
        if session.take and session.document is None:
            lines = [f"{take.source.file} is missing or cannot be read", session.missing.get(take.source.file, "")]
            painter.setPen(t.colour("warn"))
        painter.drawText(14, 26, lines[0])
        room = QRectF(14, 34, min(self.width() - 28, max(self.tool_bar.x() - 28, 260)), 120)
        if len(lines) > 1 and any(lines[1:]):
            text, wrap = "\n".join(lines[1:]), int(Qt.TextFlag.TextWordWrap)
            box = QRectF(painter.boundingRect(room, wrap, text))
            painter.fillRect(box.adjusted(-6, -2, 6, 3), t.colour("card", 215))
            painter.drawText(box, wrap, text)
        painter.setFont(self.font())
        side_by_side = self.compare == "Side by side" and not self.before_held
        for f in self.figures():
            if f.role == "pale" or (f.role == "before" and not side_by_side):
                continue
            self._paint_joint_names(painter, f)
            if side_by_side and not session.rest_shown:
                low, middle = f.placed.min(axis=0), f.placed.mean(axis=0)
                at = self.camera.project(np.array([middle[0], low[1], middle[2]]), self.width(), self.height())
                _label(painter, QPointF(at[0], min(at[1] + 24, self.height() - 60)), f.label, t, centred=True)
        handle = self.handle()
        if handle is not None:
            for axis, (letter, _colour) in enumerate(HOOPS):
                at = self.camera.project(handle.bead(axis, self.camera), self.width(), self.height())
                painter.setPen(QColor("white"))
                painter.drawText(QRectF(at[0] - 8, at[1] - 8.5, 16, 16), Qt.AlignmentFlag.AlignCenter, letter)
            if self._grab is None and self._hot >= 0:
                at = self.camera.project(handle.centre, self.width(), self.height())
                _label(
                    painter,
                    QPointF(at[0] + 86, at[1] - 60),
                    f"{stage_hand.says(session) or session.joint}: {handle.says(self._hot)}",
                    t,
                )
            if self._grab is not None:
                at = self.camera.project(handle.centre, self.width(), self.height())
                grabbed = self._grab[0]
                text = f"{self._turned:.1f} cm"
                if grabbed < RODS or grabbed == SWING:
                    text = f"{'swing' if grabbed == SWING else HOOPS[grabbed][0]}  {self._turned:+.1f}°"
                _label(painter, QPointF(at[0] + 86, at[1] - 60), text, t)
        self._paint_scale(painter, t)

    def _caption(self) -> str:
        session = self.session
        take = session.take
        assert take is not None
        where = {RESULT_CARD: "result", -1: "source"}.get(session.tap)
        if where is None:
            where = f"after {take.steps[session.tap].name}"
        if self.before_held or self.compare == "Before":
            where = "source (before)"
            if self.step_held and session.step is not None:
                where = f"before {session.step.name}"
            elif self.other_take:
                where = f"take {self.other_take}"
        elif self.other_take and self.compare != "After":
            where += f", beside take {self.other_take}"
        if session.rest_shown:
            where = (
                "rest pose" if retarget_match(session) is None else "aligned rest of the target under the source's rest"
            )
        return f"{take.name} · {where}"

    def _paint_joint_names(self, painter: QPainter, f: Shown) -> None:
        t = theme.current()
        index = f.clip.skeleton.index
        for name, strong in ((self.hovered, False), (self.session.joint, True)):
            if name in index and not (strong and name == self.hovered):
                at = self.camera.project(f.placed[index[name]], self.width(), self.height())
                if np.isfinite(at[2]):
                    painter.setPen(QPen(t.colour("accent"), 2.4 if name == self.session.joint else 1.6))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawEllipse(QPointF(at[0], at[1]), 9.5, 9.5)
                    side = f.rig.side_of[index[name]]
                    suffix = f" · {side}" if side in ("left", "right") else " · no partner" if side == "none" else ""
                    _label(painter, QPointF(at[0] + 15, at[1] - 4), name + suffix, t)

    def _paint_scale(self, painter: QPainter, t: theme.Theme) -> None:
        """A bar of a round length in the corner, true at the camera's target."""
        size = self.camera.pixel_size(np.array(self.camera.target), self.height())
        length = next(
            v for v in (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200) if v / size > 56 or v == 200
        )
        px = length / size
        x, y = self.width() - 16, self.height() - 20
        painter.setPen(QPen(t.colour("ink"), 1.6))
        painter.drawLine(QPointF(x - px, y), QPointF(x, y))
        painter.drawLine(QPointF(x - px, y - 4), QPointF(x - px, y))
        painter.drawLine(QPointF(x, y - 4), QPointF(x, y))
        text = f"{length:g} m" if length >= 1 else f"{length * 100:g} cm"
        painter.drawText(QRectF(x - px - 30, y - 22, px + 30, 16), Qt.AlignmentFlag.AlignRight, text)

    def _paint_empty(self, painter: QPainter) -> None:
        t = theme.current()
        painter.setPen(t.colour("ink"))
        big = QFont(self.font())
        big.setPointSizeF(13)
        big.setWeight(QFont.Weight.DemiBold)
        painter.setFont(big)
        middle = self.rect().center()
        painter.drawText(QRectF(0, middle.y() - 30, self.width(), 26), Qt.AlignmentFlag.AlignCenter, "No take is open")
        painter.setFont(self.font())
        text = "Drop a .bvh, .glb or .gltf file here, or double-click a clip on the left."
        painter.drawText(QRectF(0, middle.y(), self.width(), 22), Qt.AlignmentFlag.AlignCenter, text)

    # The handle -------------------------------------------------------------------------------------------

    def handle(self) -> Handle | None:
        """The hoops about the selected joint: where a correction (or a fit of the rest pose) can be made to what is shown."""
        session = self.session
        on_stage = stage_hand.handle(session, self.camera, self.height(), self.world_shift())
        if on_stage is not None:
            return on_stage
        shown = self.figures()
        if not shown or session.playing or session.joint not in shown[0].rig.skeleton.index:
            return None
        if self.before_held or self.compare == "Before" or self.why_no_handle():
            return None
        f = shown[0]
        joint = f.rig.skeleton.index[session.joint]
        axes = np.array(quat.IDENTITY)
        track = usual_track(session.correction or CorrectionSettings(), f.rig, session.joint)
        if not session.rest_shown:
            if track.space == "own":
                axes = f.clip.model[0][f.frame, joint]
            elif track.space == "parent" and f.rig.skeleton.parents[joint] >= 0:
                axes = f.clip.model[0][f.frame, f.rig.skeleton.parents[joint]]
        drives = track.drives
        moves = drives != "joint" and not session.rest_shown
        grip = bend = None
        if moves and drives == "aim":
            grip = aim_point(f.rig, f.clip.model[0][f.frame, joint], f.placed[joint])
        elif moves and drives == "limb" and (limb := f.rig.limb(f.rig.part_of(session.joint))) is not None:
            bend = f.placed[list(limb)]
        return handle_at(f.placed[joint], axes, self.camera, self.height(), moves, grip, bend)

    def why_no_handle(self) -> str:
        """Why the selected joint cannot be turned in this picture, or an empty text."""
        session = self.session
        take = session.take
        if session.rest_shown:
            return "" if retarget_match(session) is not None else "the rest pose is only looked at"
        if take is None or session.evaluation is None:
            return "no take is open"
        if session.painting:
            return "a mask is being painted"
        if session.step is not None and session.step.kind == "retarget":
            return "show the rest pose to fit the rigs"
        if session.correction is None:
            return "" if session.tap == RESULT_CARD else "the picture shows the middle of the line"
        later = [s for s in take.steps[session.card + 1 :] if s.on and s.weight]
        if session.stage_of(session.tap) != session.card + 1 and later:
            return "later steps change what this correction does"
        return ""

    def _begin_turn(self, axis: int, at: QPointF) -> None:
        session = self.session
        handle = self.handle()
        if handle is None:
            return
        if stage_hand.says(session):
            self._begin_on_stage(axis, at, handle)
            return
        now = np.zeros(7)
        if session.rest_shown:
            m = retarget_match(session)
            assert m is not None
            now[:3] = m.target.fits.get(m.source.key, {}).get(session.joint, (0.0, 0.0, 0.0))
            start: CorrectionSettings | Match = m
        else:
            if session.correction is None:
                session.add_step("correction", f"Correct {session.joint}")
            settings = session.begun_correction()
            assert settings is not None
            track = settings.track(session.joint)
            if track.keys:
                now = np.concatenate([np.ravel(v) for v in track_at(track, np.array([session.frame]))])
            start = settings
        way = np.zeros(2)
        if axis < RODS:
            way = handle.tangent(axis, at.x(), at.y(), self.camera, self.width(), self.height())
        elif axis == SWING:
            way = handle.swing_tangent(self.camera, self.width(), self.height())
        self._held = handle
        self._grab = (axis, way, at)
        self._start = (start, now)
        self._turned = 0.0

    def _begin_on_stage(self, axis: int, at: QPointF, handle: Handle) -> None:
        way = np.zeros(2)
        if axis < RODS:
            way = handle.tangent(axis, at.x(), at.y(), self.camera, self.width(), self.height())
        self._in_hand = stage_hand.take_hold(self.session)
        if self._in_hand is not None:
            self._held, self._grab, self._turned = handle, (axis, way, at), 0.0

    def _turn(self, at: QPointF, snap: bool) -> None:
        assert self._grab is not None
        session = self.session
        axis, way, start = self._grab
        by = np.array([at.x() - start.x(), at.y() - start.y()])
        if self._in_hand is not None and self._held is not None:
            if axis < RODS:
                angle = float(np.degrees(by @ way / (way @ way)))
                self._turned = stage_hand.turn(session, self._in_hand, axis, angle, snap)
            else:
                moved = self._held.moved(axis, by, self.camera, self.height())
                self._turned = float(np.linalg.norm(moved)) * 100
                stage_hand.move(session, self._in_hand, moved, snap)
            return
        assert self._start is not None
        what, now = self._start
        if RODS <= axis < SWING:
            self._move(axis, by, snap)
            return
        self._turned = float(np.degrees(by @ way / (way @ way)))
        if snap:
            self._turned = round(self._turned / SNAP) * SNAP
        if axis == SWING:
            assert isinstance(what, CorrectionSettings)
            self._key(what, f"swing {session.joint}", swing=float(now[6] + self._turned))
            return
        change = quat.about(axis, np.radians(self._turned))
        before = quat.from_rotvec(np.radians(now[:3]))
        rig = session.step_rig
        own = (
            isinstance(what, CorrectionSettings)
            and rig is not None
            and usual_track(what, rig, session.joint).space == "own"
        )
        v = np.degrees(quat.to_rotvec(quat.multiply(before, change) if own else quat.multiply(change, before)))
        rotate = (float(v[0]), float(v[1]), float(v[2]))
        if isinstance(what, Match):
            notes = set_fit(notes_of(what.target), what.source.key, session.joint, rotate)
            session.edit_rig(f"fit {session.joint}", what.target, notes, merge="turn")
            return
        self._key(what, f"turn {session.joint}", rotate=rotate)

    def _move(self, grabbed: int, by: Array, snap: bool) -> None:
        """A rod or the hub is pulled: the change is keyed in the track's own space."""
        assert self._start is not None and self._held is not None
        settings, now = self._start
        assert isinstance(settings, CorrectionSettings)
        world = self._held.moved(grabbed, by, self.camera, self.height())
        if snap:
            world = np.round(world / SNAP_MOVE) * SNAP_MOVE
        self._turned = float(np.linalg.norm(world)) * 100
        rig = self.session.step_rig
        assert rig is not None
        space = usual_track(settings, rig, self.session.joint).space
        change = world if space == "world" else quat.rotate(quat.conjugate(self._held.axes), world)
        v = now[3:6] + change
        self._key(settings, f"move {self.session.joint}", move=(float(v[0]), float(v[1]), float(v[2])))

    def _key(self, settings: CorrectionSettings, label: str, **values: Vector | float) -> None:
        session = self.session
        step, rig = session.step, session.step_rig
        assert step is not None and rig is not None
        track = usual_track(settings, rig, session.joint)
        new = set_key(
            settings, session.joint, session.frame, session.frames - 1, drives=track.drives, stay=track.stay,
            space=track.space, **values,
        )  # fmt: skip
        session.edit_correction(label, new, merge="turn")
        session.preview_step(msgspec.structs.replace(step, settings=new))
        session.select_keys({(session.joint, session.frame)})

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


def _label(painter: QPainter, at: QPointF, text: str, t: theme.Theme, centred: bool = False) -> None:
    width = painter.fontMetrics().horizontalAdvance(text) + 12
    box = QRectF(at.x() - (width / 2 if centred else 0), at.y() - 10, width, 20)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(t.colour("card", 235))
    painter.drawRoundedRect(box, 5, 5)
    painter.setPen(t.colour("ink"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
