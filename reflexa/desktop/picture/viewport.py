"""The figure in motion: a plain widget that shows a snapshot with labels over it, and hands the pointer on."""

from __future__ import annotations

from dataclasses import asdict, replace
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QRegion, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QInputDialog, QWidget

from reflexa.desktop.look import theme
from reflexa.desktop.picture import pictures
from reflexa.desktop.picture.bars import CompareBar, ToolBar
from reflexa.desktop.picture.by_keys import ByKeys
from reflexa.desktop.picture.handle import Handle
from reflexa.desktop.picture.labels import caption, paint_labels
from reflexa.desktop.picture.manipulator import Manipulator
from reflexa.desktop.picture.posed import PosedFigure
from reflexa.desktop.picture.scene import scene
from reflexa.desktop.picture.snapshot import Snapshot, moved_camera, snapshot
from reflexa.desktop.picture.view import Look
from reflexa.desktop.picture.viewport_input import ViewportInput
from reflexa.desktop.widgets.focus import paint_focus
from reflexa.draw import Camera, Scene
from reflexa.motion.arrays import Array
from reflexa.session import Session, views
from reflexa.take import View

# How large a picture in motion is drawn, where that is done in software, and within how many pixels its meshes are exact.
_IN_MOTION, _DETAIL = 0.7, 4.0


class Viewport(QWidget):
    """look: how one wants to look; camera: from where. What is shown is looked up once for every change. ``menu_wanted``: of what
    lies at a pixel."""

    menu_wanted = Signal(QPoint)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 220)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)  # nothing behind it need be painted
        self.setAccessibleName("Viewport")
        self.look = Look()
        self._camera = Camera()
        self._seen: Snapshot | None = None
        self._framed_for: object = None
        self._cameras: dict[object, Camera] = {}
        self._rest_framed = False
        self._fine = False
        self._picture = QRegion()
        self._settle = QTimer(self)
        self._settle.setInterval(160)
        self._settle.setSingleShot(True)
        self._settle.timeout.connect(self._draw_fine)
        self.hands = ViewportInput(session, lambda: self.seen, self.set_camera)
        self.by_keys = ByKeys(session, lambda: self.seen, self.set_camera)
        self._compare = CompareBar(self, self.look.compare)
        self._compare.chosen.connect(self.set_compare)
        self._tools = ToolBar(self, asdict(self.look))
        self._tools.switched.connect(lambda name, on: self.set_look(**{name: on}))
        self._tools.view_chosen.connect(self.set_view)
        self._tools.parallel_wanted.connect(self.toggle_parallel)
        self._tools.kept.aboutToShow.connect(self._fill_kept)
        self.buttons, self.compare_buttons = self._tools.buttons, self._compare.buttons
        self.compare_bar, self.tool_bar = self._compare.frame, self._tools.frame
        self.buttons["frame"].clicked.connect(self.frame_figure)
        self.refresh_icons = self._tools.refresh_icons
        for signal in (session.player.moved, session.evaluator.previewed):
            signal.connect(self.refresh)
        # Else the picture is drawn in the turn behind that of the panels: it takes as long as all of them.
        self._later = QTimer(self, singleShot=True, interval=0)
        self._later.timeout.connect(self.refresh)
        for signal in (
            session.player.changed, session.selection.changed, session.project_changed, session.take_changed,
            session.evaluator.waiting, session.evaluator.reported,
        ):  # fmt: skip
            signal.connect(self._on_told)
        self._computed = QTimer(self, singleShot=True, interval=0)
        self._computed.timeout.connect(self._show_computed)
        session.evaluator.done.connect(self._on_evaluated)
        session.selection.looked.connect(self._on_looked)
        session.selection.comparing.connect(self.set_compare)
        session.trail_wanted.connect(lambda: self.buttons["trail"].setChecked(True))

    # What is seen -----------------------------------------------------------------------------------------------

    @property
    def seen(self) -> Snapshot:
        """What is to be seen now."""
        size = self.width(), self.height()
        if self._seen is None or (self._seen.sight.width, self._seen.sight.height) != size:
            self._seen = snapshot(self.session, self.look, self._camera, *size)
        return self._seen

    @property
    def camera(self) -> Camera:
        return self._camera

    def set_camera(self, camera: Camera) -> None:
        """See it from elsewhere."""
        self._camera = camera
        if self._seen is not None:
            self._seen = moved_camera(self._seen, camera)
        self.update()

    def refresh(self) -> None:
        """Something else is to be seen."""
        self._seen = None
        self.update(self._picture)

    def set_look(self, **to: Any) -> None:
        """Look otherwise: fields of ``Look``."""
        self.look = replace(self.look, **to)
        self.refresh()

    def figures(self) -> tuple[PosedFigure, ...]:
        """Every figure that the picture shows."""
        return self.seen.figures

    def handle(self) -> Handle | None:
        """The handle that can be pulled, where there is one."""
        hold = self.seen.hold
        return hold.handle if isinstance(hold, Manipulator) else None

    def caption(self) -> str:
        """What the picture says of itself."""
        return caption(self.seen)

    def scene(self, times: float = 1) -> Scene:
        """What the picture shows now; strokes and marks ``times`` as large, for a larger picture."""
        pointing = self.hands.pointing
        if self.by_keys.part >= 0:
            pointing = replace(pointing, hot=self.by_keys.part)
        return scene(self.seen, pointing, times)

    # Looking ----------------------------------------------------------------------------------------------------

    def set_compare(self, name: str) -> None:
        """Compare in one of the ways of ``COMPARE``."""
        self.compare_buttons[name].setChecked(True)
        self.set_look(compare=name)

    def hold_before(self, held: bool, step: bool = False) -> None:
        """Show the source for as long as a key is held; with ``step``, the figure just before the selected step."""
        self.set_look(before_held=held, step_held=held and step)

    def toggle_parallel(self) -> None:
        """See it in perspective, or in parallel."""
        self.set_camera(replace(self._camera, perspective=not self._camera.perspective))
        self._tools.parallel.setChecked(not self._camera.perspective)

    def set_view(self, name: str) -> None:
        """One of the standard views."""
        self.set_camera(self._camera.standard(name))

    def show_view(self, view: View) -> None:
        """A saved view of the take."""
        self.buttons["follow"].setChecked(view.follow)
        self.set_camera(views.camera_of(view, self._camera))
        self._tools.parallel.setChecked(not view.perspective)

    def _fill_kept(self) -> None:
        """The views that are kept of the take, and what can be done with them."""
        menu, session = self._tools.kept, self.session
        menu.clear()
        saved = session.take.views if session.take is not None else ()
        for view in saved:
            one = menu.addMenu(view.name)
            one.addAction("Show it", partial(self.show_view, view))
            one.addAction(
                "Update from this view", partial(views.keep, session, view.name, self._camera, self.look.follow)
            )
            one.addAction("Rename…", partial(self._rename_view, view))
            one.addAction("Remove", partial(views.remove, session, view))
        if not saved:
            menu.addAction("None yet: Judge, Save this view").setEnabled(False)

    def _rename_view(self, view: View) -> None:
        name, good = QInputDialog.getText(self, "Rename view", "Name", text=view.name)
        if good:
            views.rename(self.session, view, name)

    def frame_figure(self) -> None:
        """Bring the figure of the frame in hand into the picture."""
        shown = self.figures()
        if shown:
            self.set_camera(self._camera.framed(*self._bounds(shown), self.width() / max(self.height(), 1)))

    def _bounds(self, shown: tuple[PosedFigure, ...]) -> tuple[Array, Array]:
        """Lowest and highest corner of the room that figures take at the frame in hand."""
        bounds = np.concatenate([f.bounds for f in shown])
        return bounds.min(axis=0), bounds.max(axis=0)

    def _on_looked(self) -> None:
        self.refresh()
        if self._rest_framed != self.session.selection.rest_shown:
            self._rest_framed = self.session.selection.rest_shown
            self.frame_figure()

    def _on_told(self) -> None:
        self._seen = None
        self._later.start()

    def _on_evaluated(self) -> None:
        self._seen = None
        self._computed.start()

    def _show_computed(self) -> None:
        self.refresh()
        take = self.session.take
        key = (take.id or take.name, take.source) if take is not None else None
        if key != self._framed_for and self.session.computed.evaluation is not None:
            if self._framed_for is not None:
                self._cameras[self._framed_for] = self._camera
            self._framed_for = key
            self._look_at_take(key)

    def _look_at_take(self, key: object) -> None:
        """From where the take was looked at last; a figure that is out of sight there is framed."""
        kept, shown = self._cameras.get(key), self.figures()
        if kept is not None and shown and kept.shows(*self._bounds(shown), self.width() / max(self.height(), 1)):
            self.set_camera(kept)
        else:
            self.frame_figure()

    # Painting ---------------------------------------------------------------------------------------------------

    def resizeEvent(self, event: QResizeEvent) -> None:
        for bar in (self.compare_bar, self.tool_bar):
            bar.adjustSize()
        self.compare_bar.move(10, self.height() - self.compare_bar.height() - 10)
        self.tool_bar.move(self.width() - self.tool_bar.width() - 10, 10)
        self._picture = QRegion(self.rect())
        for bar in (self.compare_bar, self.tool_bar):
            # They cover it but for their round corners, and need not be drawn anew with every frame.
            at, r = bar.geometry(), theme.ROUND
            self._picture -= QRegion(at.adjusted(r, 0, -r, 0)) + QRegion(at.adjusted(0, r, 0, -r))

    def sizeHint(self) -> QSize:
        return QSize(760, 480)

    def _draw_fine(self) -> None:
        self._fine = True
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        ratio = self.devicePixelRatioF()
        w, h = round(self.width() * ratio), round(self.height() * ratio)
        # Without a GPU edges are smoothed by drawing larger, and only once the picture stands still.
        # While it plays it is drawn smaller: who looks at motion does not count pixels, but frames.
        software, plays = pictures.needs_supersampling(), self.session.player.playing
        fine = self._fine and software and not plays
        times = max(2.0 / ratio, 1.0) if fine else _IN_MOTION if software and plays else 1.0
        detail = _DETAIL if software and plays else 0.0
        image = pictures.render(self.scene(times * ratio), self._camera, round(w * times), round(h * times), detail)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, times != 1)
        painter.drawImage(QRectF(0, 0, self.width(), self.height()), image)
        if self._fine or self.session.player.playing:
            self._fine = False
        else:
            self._settle.start()
        paint_labels(
            painter, self.seen, self.hands, self.by_keys.says, min(self.width() - 28, max(self.tool_bar.x() - 28, 260))
        )
        paint_focus(self, painter)
        painter.end()

    # The pointer ------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self.hands.press(event)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.hands.move(event):
            over = self.hands.over
            self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        asked = event.button() == Qt.MouseButton.RightButton and not self.hands.looking
        self.hands.release(event)
        self.update()
        if asked:
            self.menu_wanted.emit(event.position().toPoint())

    def event(self, event: QEvent) -> bool:
        asks = event.type() == QEvent.Type.ShortcutOverride
        if asks and isinstance(event, QKeyEvent) and self.by_keys.wants(Qt.Key(event.key()), event.modifiers()):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.by_keys.press(event):
            self.refresh()
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.by_keys.let_go()
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self.hands.leave()
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.set_camera(self._camera.zoomed(0.9985 ** event.angleDelta().y()))
