"""Variations of the open take: which settings take which values; all of them play beside each other, and are kept as takes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QElapsedTimer, QObject, Qt, QTimer
from PySide6.QtWidgets import QComboBox, QDialog, QGridLayout, QHBoxLayout, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from reflexa.checks import counted as not_accepted
from reflexa.checks import judge
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.buttons import add_buttons
from reflexa.desktop.widgets.choosers import keep_narrow
from reflexa.desktop.widgets.light_figure import LightFigure
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.errors import ReflexaError
from reflexa.library.light import Light, Strokes, light, strokes
from reflexa.session import Session, variations
from reflexa.session.work import Job
from reflexa.take import Evaluation, Take, evaluate
from reflexa.take.variations import Variation
from reflexa.words import counted

# Settings that vary at once, figures that are shown, and figures in a row.
_SETTINGS, _SHOWN, _ROW = 3, 24, 4
_PAUSE, _FRAME = 500, 33  # milliseconds: of the hand, before figures are computed; between pictures


@dataclass(frozen=True)
class Seen:
    """One of the family as it is shown: its figure, how long it lasts in seconds, its height in metres, and what is found."""

    figure: tuple[Strokes, Light]
    seconds: float
    height: float
    findings: int
    problem: str = ""


def seen(take: Take, line: Evaluation, session: Session, job: Job[Any]) -> Seen:
    """A take as it is shown, computed of the source that a line begins with."""
    done = evaluate(take, line.clips[0], line.rigs[0], session.within, lambda: job.cancelled, lenient=True)
    drawn = strokes(done.rig)
    found = not_accepted(judge(done, session.project.limits).found, take.accepted)
    problem = next(map(str, done.refused.values()), "")
    shown = light(done.result, done.rig, drawn)
    return Seen((drawn, shown), max(done.result.duration, 1e-3), done.rig.height, len(found), problem)


class Playing(QObject):
    """Figures that play, each at its own length, for as long as its dialog is there."""

    def __init__(self, dialog: QDialog) -> None:
        super().__init__(dialog)
        self.shown: list[tuple[LightFigure, Seen]] = []
        self._clock = QElapsedTimer()
        self._clock.start()
        timer = QTimer(self, interval=_FRAME)
        timer.timeout.connect(self._tick)
        timer.start()
        dialog.finished.connect(timer.stop)

    def show(self, shown: list[tuple[LightFigure, Seen]]) -> None:
        """These, instead of those before."""
        self.shown = shown
        for figure, one in shown:
            figure.figure, figure.height_of = one.figure, one.height

    def _tick(self) -> None:
        at = self._clock.elapsed() / 1000
        for figure, one in self.shown:
            figure.pose = (at % one.seconds) / one.seconds * (len(one.figure[1].points) - 1)
            figure.update()


class Variations(QDialog):
    """Values are texts: ``0.5, 1``, or ``0..1/5`` for five values, evenly."""

    def __init__(self, session: Session, take: Take, line: Evaluation, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._take, self._line = session, take, line
        self.setWindowTitle(f"Variations of {take.name}")
        self.resize(900, 620)
        column = QVBoxLayout(self)
        column.addWidget(
            labels.text(
                "Each combination of these values is a variation. 0.5, 1: two values. 0..1/5: five, evenly. 0..1~5: five, at "
                "random. The takes that are made follow this one in everything else."
            )
        )
        self.rows: list[tuple[QComboBox, QLineEdit]] = []
        for i in range(_SETTINGS):
            row, setting = QHBoxLayout(), styled(QComboBox(), accessibleName=f"Setting {i + 1}")
            setting.addItem("—", "")
            for text, name in variations.settings_of(take):
                setting.addItem(text, name)
            keep_narrow(setting)
            values = styled(QLineEdit(), accessibleName=f"Values {i + 1}", placeholderText="0.5, 1   or   0..1/5")
            row.addWidget(setting, 1)
            row.addWidget(values, 1)
            column.addLayout(row)
            self.rows.append((setting, values))
            setting.currentIndexChanged.connect(self._changed)
            values.textChanged.connect(self._changed)
        self.said = labels.quiet()
        column.addWidget(self.said)
        self._area = QScrollArea(widgetResizable=True)
        column.addWidget(self._area, 1)
        self.go, _ = add_buttons(self, column, "Make takes", "Close", self._make)
        self.members: list[Variation] = []
        self.figures: list[LightFigure] = []
        self._job: Job[list[Seen]] | None = None
        self._later = QTimer(self, singleShot=True, interval=_PAUSE)
        self._later.timeout.connect(self._compute)
        self._playing = Playing(self)
        if self.rows[0][0].count() > 1:
            self.rows[0][0].setCurrentIndex(1)
            self.rows[0][1].setText("0.25, 0.5, 0.75, 1")
        self._changed()

    def _asked(self) -> list[tuple[str, str]]:
        pairs = ((setting.currentData(), values.text().strip()) for setting, values in self.rows)
        return [(setting, text) for setting, text in pairs if setting and text]

    def _changed(self) -> None:
        asked, problem = self._asked(), ""
        self.members = []
        try:
            self.members = variations.family(self._take, asked) if asked else []
        except ReflexaError as e:
            problem = f"{e.reason}. {e.advice}".strip()
        count = len(self.members)
        more = f" The first {_SHOWN} are shown." if count > _SHOWN else ""
        labels.say(self.said, "warn" if problem else "quiet")
        self.said.setText(
            problem or (f"{counted(count, 'variation')}.{more}" if count else "Choose a setting and its values.")
        )
        self.go.setEnabled(count > 0)
        self._later.start()

    def _compute(self) -> None:
        """Evaluate those that are shown, off the interface thread."""
        members = self.members[:_SHOWN]

        def call(job: Job[list[Seen]]) -> list[Seen]:
            out = []
            for i, member in enumerate(members):
                job.tell("Variations", i / len(members))
                out.append(seen(variations.take_of(self._take, member), self._line, self._session, job))
            return out

        if members:
            job = Job(call, self._show)
            told = self.said.text()
            job.told = lambda _, part: self.said.setText(f"{told} Computing, {part:.0%}")
            job.lands = lambda: self.members[:_SHOWN] == members
            self._job = self._session.work.start(job, "variations")
        else:
            self._show([])

    def _show(self, seen: list[Seen]) -> None:
        inner = QWidget()
        self.said.setText(self.said.text().partition(" Computing")[0])
        grid = QGridLayout(inner)
        self.figures = []
        for i, (one, member) in enumerate(zip(seen, self.members, strict=False)):
            figure = LightFigure()
            figure.setMinimumSize(150, 230)
            said = ", ".join(f"{name.replace('_', ' ')} {value}" for name, value in member.values)
            found = one.problem or (counted(one.findings, "finding") if one.findings else "no findings")
            figure.setAccessibleName(f"{said}: {found}")
            cell = QVBoxLayout()
            cell.addWidget(figure, 1)
            cell.addWidget(labels.text(said))
            note = labels.warning(found, strong=False) if one.findings or one.problem else labels.quiet(found)
            cell.addWidget(note)
            grid.addLayout(cell, i // _ROW, i % _ROW)
            self.figures.append(figure)
        grid.setRowStretch(len(seen) // _ROW + 1, 1)
        grid.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._playing.show(list(zip(self.figures, seen, strict=True)))
        self._area.setWidget(inner)

    def _make(self) -> None:
        if self._session.take != self._take:
            labels.say(self.said, "warn")
            self.said.setText("The take was changed since. Close this, and open it again.")
            return
        count = variations.keep(self._session, self._take, self.members)
        self._session.said.emit(f"{counted(count, 'take')} made.")
        self.accept()

    def done(self, result: int) -> None:
        self._later.stop()
        if self._job is not None:
            self._job.cancel()
        super().done(result)
