"""A variation between two: a slider, the figure as it moves then, and its values."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QDialog, QSlider, QVBoxLayout, QWidget

from reflexa.desktop.dialogs.variations import Playing, Seen, seen
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.buttons import add_buttons
from reflexa.desktop.widgets.light_figure import LightFigure
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.session import Session, variations
from reflexa.session.work import Job
from reflexa.take import Evaluation, Take
from reflexa.take.families import between
from reflexa.words import counted

_PAUSE = 60  # milliseconds of the hand's rest, before the figure is computed


class Between(QDialog):
    """0 % is the first take, 100 % the second; numbers that vary are mixed, and nothing else."""

    def __init__(self, session: Session, family: tuple[Take, Take, Take], line: Evaluation, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._family, self._line = session, family, line
        _, a, b = family
        self.setWindowTitle("Variation in between")
        self.resize(420, 520)
        column = QVBoxLayout(self)
        column.addWidget(labels.text(f"From {a.name} (left) to {b.name} (right)."))
        self.figure = LightFigure()
        self.figure.setMinimumSize(240, 260)
        column.addWidget(self.figure, 1)
        self.slider = styled(QSlider(Qt.Orientation.Horizontal), accessibleName="Share of the second take in percent")
        self.slider.setRange(0, 100)
        self.slider.setValue(50)
        self.slider.setToolTip("0 %: as the first take. 100 %: as the second.")
        column.addWidget(self.slider)
        self.said = labels.text()
        column.addWidget(self.said)
        self.found = labels.quiet()
        column.addWidget(self.found)
        self.go, _ = add_buttons(self, column, "Make take", "Cancel", self._make)
        self._job: Job[Seen] | None = None
        self._later = QTimer(self, singleShot=True, interval=_PAUSE)
        self._later.timeout.connect(self._compute)
        self.slider.valueChanged.connect(self._changed)
        self._playing = Playing(self)
        self._changed()

    def _take(self) -> Take:
        return between(*self._family, self.slider.value() / 100)

    def _changed(self) -> None:
        self.said.setText(f"{self.slider.value()} %: {variations.said_of(self._take())}")
        self._later.start()

    def _compute(self) -> None:
        take = self._take()
        job = Job(lambda job: seen(take, self._line, self._session, job), self._show)
        job.lands = lambda: take == self._take()
        self._job = self._session.work.start(job, "variations")

    def _show(self, now: Seen) -> None:
        self._playing.show([(self.figure, now)])
        self.found.setText(now.problem or (counted(now.findings, "finding") if now.findings else "No findings"))

    def _make(self) -> None:
        variations.keep_between(self._session, *self._family, self.slider.value() / 100)
        self.accept()

    def done(self, result: int) -> None:
        self._later.stop()
        if self._job is not None:
            self._job.cancel()
        super().done(result)
