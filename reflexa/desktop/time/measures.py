"""Measures over time: curves of places, speeds, angles of the joints one looks at, before and after."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import pyqtgraph
from PySide6.QtCore import QBuffer, QByteArray, QIODevice, Qt
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QWheelEvent
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from reflexa.desktop.look import theme
from reflexa.desktop.time.time_map import GUTTER, TimeMap
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.choosers import keep_narrow
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.desktop.widgets.where import ask_where
from reflexa.errors import ReflexaError
from reflexa.formats.files import write_bytes
from reflexa.motion.clip import Clip
from reflexa.review.measures import MEASURES, measured
from reflexa.review.plots import HUES, Curve, drawing, table
from reflexa.rig import Rig
from reflexa.session import Session
from reflexa.session.work import Job

# Whose motion is measured, and how its curve is broken.
_WHOSE = {"After": "", "Before": "6 4", "Other": "2 3"}
_PENS = {"": Qt.PenStyle.SolidLine, "6 4": Qt.PenStyle.DashLine, "2 3": Qt.PenStyle.DotLine}


@dataclass(frozen=True)
class Wish:
    """A measure by its id, and the joints that it is of."""

    measure: str
    joints: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        return ", ".join([MEASURES[self.measure].title, *self.joints])


class _Plot(pyqtgraph.PlotWidget):  # type: ignore[misc]
    """The curves under the time axis of the area: a click or drag goes to a frame, the wheel zooms all of it."""

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__()
        self.session, self.time = session, time
        self.setMenuEnabled(False)
        self.hideButtons()
        self.setMouseEnabled(False, False)
        self.getPlotItem().setContentsMargins(0, 2, 10, 0)
        self.getPlotItem().getAxis("left").setWidth(GUTTER)
        self.getPlotItem().getAxis("bottom").setStyle(showValues=False)
        self.getPlotItem().getAxis("bottom").setHeight(4)
        self.setAccessibleName("Measures over time")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def _go(self, event: QMouseEvent) -> None:
        x = event.position().x()
        if x >= GUTTER - 8:
            self.session.player.set_frame(round(self.time.frame(x)))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._go(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._go(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        event.accept()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.time.wheel(event)


class MeasuresView(QWidget):
    """What is chosen above, of the selected joint; *Keep* holds a curve while another is chosen."""

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__()
        self.session, self.time = session, time
        self.kept: list[Wish] = []
        self.curves: list[Curve] = []
        self._before_joint = ""
        self._joint = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(self._tools())
        self.plot = _Plot(session, time)
        column.addWidget(self.plot, 1)
        self.playhead = pyqtgraph.InfiniteLine(0, 90)
        self.refresh_icons()
        time.changed.connect(self._fit)
        session.player.moved.connect(self._on_moved)
        for signal in (session.evaluator.done, session.selection.looked, session.selection.changed):
            signal.connect(self.refresh)

    def _tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(GUTTER - 100, 2, 8, 0)
        self.choice = styled(QComboBox(), accessibleName="Measure")
        for m in MEASURES.values():
            self.choice.addItem(f"{m.title} ({m.unit})", m.id)
        keep_narrow(self.choice)
        self.choice.activated.connect(lambda _i: self.refresh())
        self.keep = styled(
            QToolButton(), text="Keep", toolTip="Keep this curve while you look at another joint or measure"
        )
        self.keep.clicked.connect(self._keep)
        self.clear = styled(QToolButton(), text="Clear", toolTip="Remove all kept curves")
        self.clear.clicked.connect(self._clear)
        self.whose = {name: styled(QCheckBox(name), checked=name != "Other") for name in _WHOSE}
        for box in self.whose.values():
            box.toggled.connect(lambda _on: self.refresh())
        self.whose["Other"].setToolTip("The take to compare with, if there is one")
        self.save = styled(QToolButton(), text="Export", toolTip="The curves as a table or a drawing")
        menu = QMenu(self.save)
        for suffix, what in ((".csv", "Table (CSV)…"), (".svg", "Drawing (SVG)…"), (".png", "Picture (PNG)…")):
            menu.addAction(what, partial(self.ask_export, suffix))
        self.save.setMenu(menu)
        self.save.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.said = labels.quiet()
        self.said.setWordWrap(False)
        for widget in (self.choice, self.keep, self.clear, *self.whose.values(), self.save):
            row.addWidget(widget)
        row.addWidget(self.said, 1)
        return row

    # What is measured ---------------------------------------------------------------------------------------

    def wishes(self) -> list[Wish]:
        """The curves that are kept, and the one that is chosen now."""
        m = MEASURES[self.choice.currentData()]
        joint = self.session.selection.joint
        if joint != self._joint:
            self._before_joint, self._joint = self._joint, joint
        joints = {0: (), 1: (joint,), 2: (self._before_joint, joint)}[m.needs]
        now = [Wish(m.id, joints)] if all(joints) else []
        return [*self.kept, *(w for w in now if w not in self.kept)]

    def _keep(self) -> None:
        self.kept = self.wishes()
        self.refresh()

    def _clear(self) -> None:
        self.kept = []
        self.refresh()

    def refresh(self) -> None:
        """Measure what is chosen, off the interface thread, and draw it."""
        if not self.isVisible():
            return
        session, wishes = self.session, self.wishes()
        line, shown, rig, other = (
            session.computed.evaluation,
            session.computed.shown,
            session.computed.rig,
            session.evaluator.other,
        )
        needs = MEASURES[self.choice.currentData()].needs
        missing = {1: "Select a joint.", 2: "Select one joint, then another."}.get(needs, "")
        self.said.setText(missing if len(wishes) == len(self.kept) else "")
        if line is None or shown is None or rig is None:
            return
        seen, on = line.after(session.selection.view_point), {n for n, box in self.whose.items() if box.isChecked()}

        def call(_: Job[list[Curve]]) -> list[Curve]:
            return _measured(wishes, {
                "After": (shown, rig, None) if "After" in on else None,
                "Before": (line.clips[0], line.rigs[0], line.moments(seen, 0)) if "Before" in on else None,
                "Other": (other.clip, other.rig, None) if "Other" in on and other is not None else None,
            })  # fmt: skip

        session.work.start(Job(call, self._show), "measures")

    def _show(self, curves: list[Curve]) -> None:
        self.curves = curves
        item = self.plot.getPlotItem()
        item.clear()
        t = theme.current()
        if item.legend is None:
            item.addLegend(offset=(8, 2), colCount=2, labelTextColor=t.colour("ink"), brush=t.colour("card", 200))
        item.legend.clear()
        for c in curves:
            pen = pyqtgraph.mkPen(HUES[c.hue % len(HUES)], width=1.6, style=_PENS[c.dash])
            item.plot(np.arange(len(c.values)), c.values, pen=pen, name=c.name)
        item.addItem(self.playhead, ignoreBounds=True)
        item.enableAutoRange(axis="y")
        self._fit()
        self._on_moved()

    def _fit(self) -> None:
        self.plot.getPlotItem().setXRange(self.time.first, self.time.last, padding=0)

    def _on_moved(self) -> None:
        self.playhead.setValue(self.session.player.frame)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh_icons(self) -> None:
        """In the colours of the theme."""
        t = theme.current()
        self.plot.setBackground(t.colour("panel"))
        self.playhead.setPen(pyqtgraph.mkPen(t.colour("ink"), width=1.4))
        for side in ("left", "bottom"):
            axis = self.plot.getPlotItem().getAxis(side)
            axis.setPen(t.colour("line"))
            axis.setTextPen(t.colour("quiet"))
        self.refresh()

    # Handing over -------------------------------------------------------------------------------------------

    def ask_export(self, suffix: str) -> None:
        """Ask where the curves are to go."""
        if not self.curves:
            self.session.said.emit("There is no curve to export: select a joint first.")
            return
        path = ask_where(self, "Export the curves", f"{self.session.selection.take} measures", suffix)
        if path is not None:
            try:
                self.export(path)
            except ReflexaError as e:
                self.session.failed.emit(str(e))
            else:
                self.session.said.emit(f"Written: {path}")

    def export(self, path: Path) -> None:
        """Write the curves as the suffix says. Raises WriteError."""
        clip = self.session.computed.shown
        rate = clip.rate if clip is not None else 30.0
        makes: dict[str, Callable[[], bytes]] = {
            ".csv": lambda: table(self.curves, rate).encode(),
            ".svg": lambda: drawing(self.curves, rate).encode(),
            ".png": lambda: _png(drawing(self.curves, rate).encode()),
        }
        write_bytes(path, makes[path.suffix.lower()](), True)


def _measured(
    wishes: list[Wish], whose: dict[str, tuple[Clip, Rig, np.ndarray[Any, Any] | None] | None]
) -> list[Curve]:
    out = []
    for hue, wish in enumerate(wishes):
        m = MEASURES[wish.measure]
        for name, seen in whose.items():
            values = measured(m, seen[0], seen[1], wish.joints) if seen is not None else None
            if values is not None and seen is not None:
                values = values if seen[2] is None else values[seen[2]]
                title = wish.title if name == "After" else f"{wish.title}, {name.lower()}"
                out.append(Curve(title, m.unit, values, hue, _WHOSE[name]))
    return out


def _png(svg: bytes) -> bytes:
    """A drawing as a picture, twice as large as it is."""
    renderer = QSvgRenderer(QByteArray(svg))
    image = QImage(renderer.defaultSize() * 2, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    p = QPainter(image)
    renderer.render(p)
    p.end()
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]  # its stubs want bytes, and it does not
    return bytes(buffer.data().data())
