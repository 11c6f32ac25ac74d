"""What can be done here, in three moving pictures, and a way into it: the demo, clips of one's own, what was open lately."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from PySide6.QtCore import QSettings, QTimer, Signal
from PySide6.QtWidgets import QCheckBox, QDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from reflexa.demo.shown import before_and_after
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.light_figure import LightFigure
from reflexa.desktop.widgets.qt_properties import named
from reflexa.library.light import Light, Strokes, light, strokes
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.session.work import Job, Work

_KEY = "welcome at start"
_TICK = 33


@dataclass(frozen=True, eq=False)
class Pair:
    """A figure before and after, and the clip's length in seconds."""

    before: tuple[Strokes, Light]
    after: tuple[Strokes, Light]
    heights: tuple[float, float]
    seconds: float


_STORIES = (
    ("Mirror it", "Turn a clip for one side into one for the other, including hands, feet and helper joints."),
    ("Retarget it", "Transfer the motion to another figure, with feet and hands kept in place."),
    ("Fix it", "Find and fix feet that slide, float or sink. Every step can be weighted, masked and undone."),
)


def wanted_at_start() -> bool:
    """True if the welcome is shown at start."""
    return str(QSettings().value(_KEY, "true")) == "true"


class Welcome(QDialog):
    """``chosen``: "demo", "tour", "import", "recent" or "empty"."""

    chosen = Signal(str)

    def __init__(self, work: Work, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Welcome to Reflexa")
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 18, 22, 16)
        column.setSpacing(12)
        column.addWidget(labels.heading("Revise skeletal animation clips. The source is never changed."))
        row, self.pictures = QHBoxLayout(), list[tuple[LightFigure, LightFigure]]()
        row.setSpacing(14)
        for title, text in _STORIES:
            row.addWidget(self._story(title, text))
        column.addLayout(row)
        ways = QHBoxLayout()
        for what, title, tip in (
            (
                "tour",
                "Show me: fix a clip",
                "Opens the demo and shows how to fix, compare and export a clip",
            ),
            (
                "demo",
                "Open the demo",
                "A copy of a project whose takes show typical problems and the steps that fix them",
            ),
            ("import", "Import clips…", "Import your own clips into a new project"),
            ("recent", "Recent projects…", "Continue with a recent project"),
        ):
            button = named(QPushButton(title), "main") if what == "tour" else QPushButton(title)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, w=what: self._choose(w))
            ways.addWidget(button)
        column.addLayout(ways)
        low = QHBoxLayout()
        self.again = QCheckBox("Show this at start")
        self.again.setChecked(wanted_at_start())
        self.again.toggled.connect(lambda on: QSettings().setValue(_KEY, "true" if on else "false"))
        low.addWidget(self.again, 1)
        close = QPushButton("Start with an empty project")
        close.clicked.connect(lambda: self._choose("empty"))
        low.addWidget(close)
        column.addLayout(low)
        self._pairs: list[Pair] = []
        self._seconds = 0.0
        self._timer = QTimer(self, interval=_TICK)
        self._timer.timeout.connect(self._play)
        self._job = work.start(self._making())

    def _making(self) -> Job[None]:
        """Has the figures made; each moves as soon as it is there."""
        made: list[Pair] = []

        def call(job: Job[None]) -> None:
            for pair in _pairs():
                made.append(pair)
                job.tell()

        job = Job(call, lambda _: self._begin(made))
        job.told = lambda _text, _part: self._begin(made)
        job.failed = lambda _: None  # the words say it too
        return job

    def _story(self, title: str, text: str) -> QWidget:
        out = QWidget()
        out.setFixedWidth(264)
        column = QVBoxLayout(out)
        column.setContentsMargins(0, 0, 0, 0)
        both = QHBoxLayout()
        both.setSpacing(2)
        pair = LightFigure(), LightFigure()
        for figure in pair:
            figure.setMinimumSize(120, 170)
            both.addWidget(figure)
        self.pictures.append(pair)
        column.addLayout(both)
        column.addWidget(named(QLabel(title), "section"))
        column.addWidget(labels.text(text))
        column.addStretch(1)
        return out

    def _begin(self, pairs: list[Pair]) -> None:
        self._pairs = list(pairs)
        for (left, right), pair in zip(self.pictures, self._pairs, strict=False):
            left.figure, right.figure = pair.before, pair.after
            left.height_of, right.height_of = pair.heights
        self._timer.start()

    def _play(self) -> None:
        self._seconds += _TICK / 1000
        for (left, right), pair in zip(self.pictures, self._pairs, strict=False):
            share = (self._seconds % pair.seconds) / pair.seconds
            for figure, (_, poses) in ((left, pair.before), (right, pair.after)):
                figure.pose = share * (len(poses.points) - 1)
                figure.update()

    def _choose(self, what: str) -> None:
        self.accept()
        self.chosen.emit(what)

    def done(self, result: int) -> None:
        self._timer.stop()
        self._job.cancel()
        super().done(result)


def _pairs() -> Iterator[Pair]:
    """Figures of the demo, before and after a step."""
    for a, b in before_and_after():
        yield Pair(_figure(*a), _figure(*b), (a[1].height, b[1].height), max(a[0].duration, 0.5))


def _figure(clip: Clip, rig: Rig) -> tuple[Strokes, Light]:
    drawn = strokes(rig)
    return drawn, light(clip, rig, drawn)
