"""The time area: one time axis for playing, the range, events, the envelope and the keys."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QObject, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QSpinBox,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa.desktop import theme
from reflexa.desktop.curve_view import VIEWS, CurveView
from reflexa.desktop.key_lanes import KeyLanes
from reflexa.desktop.plant_lanes import PlantLanes
from reflexa.desktop.session import Session

GUTTER = 128


class TimeMap(QObject):
    """Frames to pixels and back, shared by ruler and lanes. ``first`` to ``last`` is what is visible."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.first, self.last = 0.0, 1.0
        self.width = 600

    def show_all(self) -> None:
        last = max(self.session.frames - 1, 1)
        self.first, self.last = -0.015 * last, 1.015 * last
        self.changed.emit()

    def show(self, first: int, last: int) -> None:
        """Bring some frames into sight, with a little room."""
        room = max(2.0, 0.08 * (last - first))
        self.first, self.last = first - room, last + room
        self._keep_inside()

    def x(self, frame: float) -> float:
        return GUTTER + (frame - self.first) / (self.last - self.first) * (self.width - GUTTER - 10)

    def frame(self, x: float) -> float:
        return self.first + (x - GUTTER) / max(self.width - GUTTER - 10, 1) * (self.last - self.first)

    def frame_width(self) -> float:
        """Pixels between two frames."""
        return self.x(1) - self.x(0)

    def zoom(self, factor: float, x: float) -> None:
        """Zoom about a pixel; never out beyond the clip nor in below eight frames."""
        centre = self.frame(x)
        whole = max(self.session.frames - 1, 1) * 1.03
        span = min(max((self.last - self.first) * factor, min(8.0, whole)), whole)
        share = (centre - self.first) / (self.last - self.first)
        self.first = centre - share * span
        self.last = self.first + span
        self._keep_inside()

    def wheel(self, e: object) -> None:
        """Wheel zooms about the pointer; sideways or with Shift it pans."""
        by, side = e.angleDelta().y(), e.angleDelta().x()
        if side or e.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.pan(-(side or by) / 120 * (self.last - self.first) * 0.08)
        else:
            self.zoom(0.9985**by, e.position().x())

    def pan(self, frames: float) -> None:
        self.first += frames
        self.last += frames
        self._keep_inside()

    def _keep_inside(self) -> None:
        end = max(self.session.frames - 1, 1)
        low, high = -0.015 * end, 1.015 * end
        span = self.last - self.first
        self.first = min(max(self.first, low), max(high - span, low))
        self.last = self.first + span
        self.changed.emit()


def tick_step(frame_width: float) -> int:
    """Frames between numbered ticks, so that they stand at least 56 pixels apart."""
    for step in (1, 2, 5, 10, 20, 30, 60, 100, 150, 300, 600, 1200, 3000, 6000, 30000):
        if step * frame_width >= 56:
            return step
    return 60000


class Ruler(QWidget):
    """Frame numbers, events, the playhead, and the handles of the range."""

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__()
        self.session, self.time = session, time
        self.setFixedHeight(50)
        self.setMouseTracking(True)
        self.setAccessibleName("Time ruler")
        self._grab = ""
        time.changed.connect(self.update)
        for signal in (session.playhead_changed, session.take_changed, session.evaluated):
            signal.connect(self.update)

    def resizeEvent(self, _: object) -> None:
        self.time.width = self.width()
        self.time.changed.emit()

    def paintEvent(self, _: object) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        session, time = self.session, self.time
        first, last = session.range
        p.fillRect(QRectF(GUTTER, 20, self.width() - GUTTER, 30), t.colour("field"))
        x0, x1 = time.x(first), time.x(last)
        p.setClipRect(QRectF(GUTTER - 8, 0, self.width() - GUTTER + 8, 50))
        p.fillRect(QRectF(x0, 20, x1 - x0, 30), t.colour("soft"))
        step = tick_step(time.frame_width())
        p.setPen(t.colour("quiet"))
        f = int(time.first // step) * step
        while f <= time.last:
            if 0 <= f < session.frames:
                x = time.x(f)
                p.drawLine(QPointF(x, 42), QPointF(x, 50))
                # The handles of the range stand where the first and last number would be.
                aside = 13 if f == first else -13 if f == last else 0
                p.drawText(QRectF(x - 30 + aside, 23, 60, 16), Qt.AlignmentFlag.AlignCenter, str(f))
            f += step
        if time.frame_width() >= 5:
            p.setPen(t.colour("line"))
            for f in range(max(0, int(time.first)), min(session.frames, int(time.last) + 2)):
                x = time.x(f)
                p.drawLine(QPointF(x, 46), QPointF(x, 50))
        for frame, sign in ((first, 1), (last, -1)):
            x = time.x(frame)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(t.colour("accent"))
            p.drawRoundedRect(QRectF(x - (6 if sign > 0 else 0), 20, 6, 30), 2, 2)
        clip = session.result
        if clip is not None:
            for event in clip.events:
                x = time.x(event.frame)
                p.setPen(t.colour("ink"))
                p.setBrush(t.colour("good"))
                p.drawPolygon(QPolygonF([QPointF(x, 19), QPointF(x - 4, 12), QPointF(x + 4, 12)]))
                p.drawText(
                    QRectF(x + 6, 3, 110, 16), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, event.name
                )
        x = time.x(session.frame)
        p.setPen(QPen(t.colour("ink"), 1.6))
        p.drawLine(QPointF(x, 20), QPointF(x, 50))
        text = str(session.frame)
        w = p.fontMetrics().horizontalAdvance(text) + 12
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("ink"))
        p.drawRoundedRect(QRectF(x - w / 2, 22, w, 18), 4, 4)
        p.setPen(t.colour("card"))
        p.drawText(QRectF(x - w / 2, 22, w, 18), Qt.AlignmentFlag.AlignCenter, text)
        p.setClipping(False)
        p.setPen(t.colour("quiet"))
        p.drawText(QRectF(10, 3, GUTTER - 14, 16), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, "Events")
        p.drawText(
            QRectF(10, 24, GUTTER - 14, 18), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, "Frames"
        )
        p.end()

    def _what(self, x: float, y: float) -> str:
        first, last = self.session.range
        if y >= 18:
            if abs(x - self.time.x(first) + 3) < 6:
                return "first"
            if abs(x - self.time.x(last) - 3) < 6:
                return "last"
        return "playhead"

    def mousePressEvent(self, e: QMouseEvent) -> None:
        if e.button() == Qt.MouseButton.LeftButton:
            self._grab = self._what(e.position().x(), e.position().y())
            self.mouseMoveEvent(e)

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        x = e.position().x()
        if not self._grab:
            edge = self._what(x, e.position().y()) != "playhead"
            self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)
            return
        frame = round(self.time.frame(x))
        if self._grab == "playhead":
            self.session.set_frame(frame)
        else:
            set_range(self.session, **{self._grab: frame})

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self._grab = ""
        self.session.end_merge()

    def wheelEvent(self, e: object) -> None:
        self.time.wheel(e)


def set_range(session: Session, first: int | None = None, last: int | None = None) -> None:
    """Set one or both ends of what is played and exported, inside the clip and in order."""
    take = session.take
    if take is None:
        return
    a, b = session.range
    end = session.frames - 1
    if first is not None:
        a = max(0, min(first, b))
    if last is not None:
        b = max(a, min(last, end))
    export = replace(take.export, first=a, last=None if b == end else b)
    session.edit_take("set the range", replace(take, export=export), merge="range")


class TimeArea(QFrame):
    """Transport, ruler and lanes."""

    def __init__(self, session: Session) -> None:
        super().__init__(objectName="panel")
        self.setProperty("class", "panel")
        self.session = session
        self.time = TimeMap(session)
        self.ruler = Ruler(session, self.time)
        self.lanes = KeyLanes(session, self.time)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 5, 6, 4)
        column.setSpacing(2)
        column.addLayout(self._transport())
        column.addWidget(self.ruler)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.lanes)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setMinimumHeight(60)
        self.curves = CurveView(session, self.time)
        self.pages = QStackedWidget()
        self.pages.addWidget(scroll)
        self.pages.addWidget(self.curves)
        self.plants = PlantLanes(session, self.time)
        below = QScrollArea()
        below.setWidgetResizable(True)
        below.setWidget(self.plants)
        below.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.pages.addWidget(below)
        column.addWidget(self.pages, 1)
        self._length = -1
        session.evaluated.connect(self._fit)
        session.take_changed.connect(self._fit)
        session.playhead_changed.connect(self._show)
        session.playing_changed.connect(self._show)
        session.selection_changed.connect(self._on_selection)
        session.take_changed.connect(self._on_selection)
        session.take_changed.connect(self._show)
        session.evaluated.connect(self._show)
        self.setMinimumHeight(150)
        self._show()

    def _transport(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(2)
        session = self.session
        self.buttons: dict[str, QToolButton] = {}
        for id_, tip, call in (
            ("first", "To the start of the range (Home)", lambda: session.set_frame(session.range[0])),
            ("previous", "One frame back (Left)", lambda: session.set_frame(session.frame - 1)),
            ("play", "Play or pause (Space)", session.toggle_play),
            ("next", "One frame on (Right)", lambda: session.set_frame(session.frame + 1)),
            ("last", "To the end of the range (End)", lambda: session.set_frame(session.range[1])),
            ("loop", "Play the range over and over", self._toggle_loop),
        ):
            button = QToolButton(toolTip=tip)
            button.setAccessibleName(tip)
            button.setIconSize(QSize(20, 20))
            button.clicked.connect(call)
            row.addWidget(button)
            self.buttons[id_] = button
        self.buttons["loop"].setCheckable(True)
        self.buttons["loop"].setChecked(session.looping)
        row.addSpacing(10)
        row.addWidget(QLabel("Frame", objectName="quiet"))
        self.frame_field = QSpinBox(accessibleName="Frame")
        self.frame_field.setFixedWidth(64)
        self.frame_field.setKeyboardTracking(False)
        self.frame_field.valueChanged.connect(session.set_frame)
        row.addWidget(self.frame_field)
        self.clock = QLabel()
        row.addWidget(self.clock)
        row.addStretch(1)
        self.page = QComboBox(accessibleName="Keys or curves")
        self.page.setToolTip("Keys of the selected step, or curves of the selected joint")
        self.page.addItem("Keys", "")
        for id_, (title, unit, _) in VIEWS.items():
            self.page.addItem(f"{title} ({unit})", id_)
        self.page.addItem("Envelope", "envelope")
        self.page.activated.connect(lambda _i: self.show_page(self.page.currentData()))
        row.addWidget(self.page)
        self.normal = QToolButton(
            checkable=True, toolTip="Each axis over its own range, so that small changes show too"
        )
        self.normal.setText("Normalise")
        self.normal.setVisible(False)
        self.normal.toggled.connect(lambda on: self.curves.set_normalised(on))
        row.addWidget(self.normal)
        row.addSpacing(8)
        row.addWidget(QLabel("Range", objectName="quiet"))
        self.first_field, self.last_field = (
            QSpinBox(accessibleName="First frame of the range"),
            QSpinBox(accessibleName="Last frame of the range"),
        )
        for field, end in ((self.first_field, "first"), (self.last_field, "last")):
            field.setFixedWidth(64)
            field.setKeyboardTracking(False)
            field.valueChanged.connect(lambda v, n=end: set_range(session, **{n: v}))
            row.addWidget(field)
            if end == "first":
                row.addWidget(QLabel("to", objectName="quiet"))
        self.length = QLabel()
        row.addWidget(self.length)
        self.refresh_icons()
        return row

    def show_page(self, view: str) -> None:
        """The keys (an empty text), or one of the curves."""
        self.page.setCurrentIndex(self.page.findData(view))
        curves = bool(view) and view != "envelope"
        lanes = 2 if self._plants_selected() and not view else 0
        self.pages.setCurrentIndex(1 if curves else lanes)
        self.normal.setVisible(curves)
        if curves:
            self.curves.set_view(view)

    def _plants_selected(self) -> bool:
        return self.session.step is not None and self.session.step.kind == "plants"

    def _on_selection(self) -> None:
        """With a plants step selected, its lanes stand in the keys' place."""
        if not self.page.currentData():
            self.pages.setCurrentIndex(2 if self._plants_selected() else 0)
        self.page.setItemText(0, "Plants" if self._plants_selected() else "Keys")

    def show_keys(self) -> None:
        """Bring the selected keys into sight, in the sheet and in the curves."""
        frames = sorted(f for _, f in self.session.keys)
        if frames:
            self.time.show(frames[0], frames[-1])
            self.curves.show_frames(frames[0], frames[-1])

    def refresh_icons(self) -> None:
        for id_, button in self.buttons.items():
            button.setIcon(theme.icon("pause" if id_ == "play" and self.session.playing else id_))

    def _toggle_loop(self) -> None:
        self.session.looping = self.buttons["loop"].isChecked()

    def _fit(self) -> None:
        if self._length != self.session.frames:
            self._length = self.session.frames
            self.time.show_all()

    def _show(self) -> None:
        session = self.session
        first, last = session.range
        end = session.frames - 1
        for field, value, low, high in (
            (self.frame_field, session.frame, 0, end),
            (self.first_field, first, 0, last),
            (self.last_field, last, first, end),
        ):
            if not field.hasFocus() or field is self.frame_field:
                field.blockSignals(True)
                field.setRange(low, high)
                field.setValue(value)
                field.blockSignals(False)
        clip = session.result
        rate = clip.rate if clip else 30.0
        self.clock.setText(f"  {session.frame / rate:.2f} s of {end / rate:.2f} s, {rate:g} frames a second")
        self.length.setText(f"  {last - first + 1} frames, {(last - first) / rate:.2f} s")
        self.buttons["play"].setIcon(theme.icon("pause" if session.playing else "play"))
        for button in self.buttons.values():
            button.setEnabled(clip is not None)
