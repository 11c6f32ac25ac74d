"""A first clip, found, fixed, compared and exported, step by step in the window itself; it can be left at any time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from reflexa.desktop.actions.desk import Desk
from reflexa.desktop.dialogs.export import ExportDialog
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import named
from reflexa.session import RESULT

# The clip that is fixed, of the demo.
CLIP = "walk, skating"
_LOOKS = 250


@dataclass(frozen=True)
class Stop:
    """What to do, and when it is done."""

    text: str
    done: Callable[[Desk], bool]


def _opened(d: Desk) -> bool:
    take = d.session.take
    return take is not None and take.source.clip == CLIP and not take.steps


def _at_a_finding(d: Desk) -> bool:
    found = [f for g in d.session.evaluator.judgement.groups for f in g.findings]
    return d.session.selection.view_point == RESULT and any(
        f.worst == d.session.player.frame and f.joint for f in found
    )


def _fixed(d: Desk) -> bool:
    take, judgement = d.session.take, d.session.evaluator.judgement
    return (
        take is not None
        and take.source.clip == CLIP
        and bool(take.steps)
        and judgement.line is not None
        and not judgement.count
    )


STOPS = (
    Stop(
        "In <b>Clips</b> on the left, double-click <b>walk, skating</b>. This makes a take of it and opens it.",
        _opened,
    ),
    Stop(
        "Its feet slide: the card <b>Result</b> counts the findings. Press <b>F8</b> to go to the worst place.",
        _at_a_finding,
    ),
    Stop(
        "Press <b>Fix all</b> on the right (Ctrl+Shift+F8): steps that help are added. Or press + and add "
        "<b>Foot lock</b>.",
        _fixed,
    ),
    Stop(
        "Click the picture, play with <b>Space</b>, and hold <b>B</b> to see the source. Or choose <b>Both</b> below.",
        lambda d: d.viewport.look.before_held or d.viewport.look.compare != "After",
    ),
    Stop(
        "<b>Export…</b> on the card Result (Ctrl+E) writes a new clip and verifies it by reading it back. The "
        "source is not changed.",
        lambda d: isinstance(d.dialog, ExportDialog),
    ),
)
_END = (
    "That is all: source, steps, result. The takes of the demo show more; each has a note on its page "
    "<b>Result</b>. F1 lists the keys."
)


class Tour(QFrame):
    """A small card over the picture. It looks how far one is, and goes on by itself."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk.viewport)
        named(self, "overlay")
        self._desk, self.at = desk, 0
        self.setFixedWidth(330)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 10)
        self.count = named(QLabel(), "section")
        self.text = labels.text()
        column.addWidget(self.count)
        column.addWidget(self.text)
        row = QHBoxLayout()
        self.skip = QPushButton("Next")
        self.skip.setToolTip("Skip this")
        self.skip.clicked.connect(self._next)
        self.leave = QPushButton("Leave")
        self.leave.setToolTip("Close. To start again: Help, First clip step by step.")
        self.leave.clicked.connect(self.close_tour)
        row.addStretch(1)
        row.addWidget(self.skip)
        row.addWidget(self.leave)
        column.addLayout(row)
        self._timer = QTimer(self, interval=_LOOKS)
        self._timer.timeout.connect(self._look)
        self._timer.start()
        desk.viewport.installEventFilter(self)
        self._show()
        self.show()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._place()
        return False

    def _place(self) -> None:
        room: QWidget = self._desk.viewport
        self.adjustSize()
        self.move(room.width() - self.width() - 12, room.height() - self.height() - 52)

    def _look(self) -> None:
        if self.at < len(STOPS) and STOPS[self.at].done(self._desk):
            self._next()

    def _next(self) -> None:
        self.at += 1
        if self.at > len(STOPS):
            self.close_tour()
        else:
            self._show()

    def _show(self) -> None:
        last = self.at == len(STOPS)
        self.count.setText("Done" if last else f"First clip, {self.at + 1} of {len(STOPS)}")
        self.text.setText(_END if last else STOPS[self.at].text)
        self.skip.setText("Close" if last else "Next")
        self.leave.setVisible(not last)
        self._place()

    def close_tour(self) -> None:
        """It is over."""
        if self._desk.tour is self:
            self._desk.tour = None
        self._timer.stop()
        self._desk.viewport.removeEventFilter(self)
        self.hide()
        self.deleteLater()
