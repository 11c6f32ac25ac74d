"""One clip of a library folder, large: it plays, what is known of it stands beside, and its picture can be chosen."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QSlider, QVBoxLayout, QWidget

from reflexa.desktop.library.model import LibraryModel
from reflexa.desktop.library.words import facts
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.light_figure import LightFigure
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.library.finder import Row

_STEP = 33


class BigPreview(QDialog):
    """``frame_chosen``: the frame that shows the clip best, or none (None): the one that is found; ``take_wanted``: it is to be
    made a take. Space and Esc close it, up and down go to the clip before and after."""

    frame_chosen = Signal(object)
    take_wanted = Signal()
    step_wanted = Signal(int)

    def __init__(self, model: LibraryModel, parent: QWidget) -> None:
        super().__init__(parent)
        self.setModal(False)
        self._model = model
        self._row: Row | None = None
        self._seconds = 0.0
        self.stage = LightFigure()
        self.slider = styled(
            QSlider(Qt.Orientation.Horizontal), accessibleName="Frame", toolTip="Drag to look at a frame"
        )
        self.slider.sliderPressed.connect(self._pause)
        self.slider.valueChanged.connect(self._look)
        self.play = styled(QPushButton("Pause"), toolTip="Play or pause the clip")
        self.play.clicked.connect(self._toggle)
        self.keep = styled(
            QPushButton("Use as picture"), toolTip="Use this frame as the preview picture in the library"
        )
        self.keep.clicked.connect(lambda: self.frame_chosen.emit(self.slider.value()))
        self.found = styled(QPushButton("Automatic picture"), toolTip="Use the automatically chosen frame again")
        self.found.clicked.connect(lambda: self.frame_chosen.emit(None))
        self.take = styled(QPushButton("Make take"), toolTip="Import the clip and make a take of it")
        self.take.clicked.connect(self.take_wanted)
        self._tips = {w: w.toolTip() for w in (self.slider, self.play, self.keep, self.found, self.take)}
        self.facts = labels.text()
        self.facts.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.facts.setMinimumWidth(230)
        left, right, row = QVBoxLayout(), QVBoxLayout(), QHBoxLayout()
        left.addWidget(self.stage, 1)
        left.addWidget(self.slider)
        for button in (self.play, self.keep, self.found):
            row.addWidget(button)
        left.addLayout(row)
        self.name = labels.heading("")
        right.addWidget(self.name)
        right.addWidget(self.facts)
        right.addStretch(1)
        right.addWidget(self.take)
        both = QHBoxLayout(self)
        both.addLayout(left, 1)
        both.addLayout(right)
        self._timer = QTimer(self)
        self._timer.setInterval(_STEP)
        self._timer.timeout.connect(self._on_time)
        self.resize(620, 460)

    def show_row(self, row: Row) -> None:
        """Show one; it plays."""
        self._row = row
        self._seconds = 0.0
        self.setWindowTitle(row.clip)
        self.stage.figure = self._model.poses(row.id) if row.id > 0 else None
        self.stage.height_of = row.height
        self.name.setText(row.clip)
        self.facts.setText("\n\n".join(facts(row, self._model.work.fits.get(row.rig, ""))))
        self.slider.setRange(0, max(row.frames - 1, 0))
        for widget, tip in self._tips.items():
            widget.setEnabled(not row.error)
            widget.setToolTip("The file cannot be read" if row.error else tip)
        self._play(not row.error and row.frames > 1)

    def _play(self, on: bool) -> None:
        (self._timer.start if on else self._timer.stop)()
        self.play.setText("Pause" if on else "Play")

    def _pause(self) -> None:
        self._play(False)

    def _toggle(self) -> None:
        self._play(not self._timer.isActive())

    def _on_time(self) -> None:
        row = self._row
        if row is not None and row.duration > 0:
            self._seconds = (self._seconds + _STEP / 1000) % row.duration
            self.slider.setValue(round(self._seconds * row.rate))
            self._show(self._seconds / row.duration)

    def _look(self, frame: int) -> None:
        row = self._row
        if row is not None and row.frames > 1 and not self._timer.isActive():
            self._seconds = frame / row.rate
            self._show(frame / (row.frames - 1))

    def _show(self, share: float) -> None:
        if self.stage.figure is not None:
            self.stage.pose = min(share, 1.0) * (len(self.stage.figure[1].points) - 1)
            self.stage.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space:
            self.close()
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.step_wanted.emit(1 if event.key() == Qt.Key.Key_Down else -1)
        else:
            super().keyPressEvent(event)

    def done(self, result: int) -> None:
        self._timer.stop()
        super().done(result)

    def closeEvent(self, event: object) -> None:
        self._timer.stop()
