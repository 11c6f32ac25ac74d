"""Trim, by hand: both ends dragged, spans cut out by drawing over them."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QLabel, QPushButton

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.kinds.time_lanes import Ends, TimeLanes
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.session import Session, line
from reflexa.steps.trim import TrimReport, TrimSettings
from reflexa.words import counted


def _frames(s: TrimSettings, count: int) -> list[int]:
    ends = [s.first, count - 1 if s.last < 0 else s.last]
    return [min(f, count - 1) for f in (*ends, *(f for span in s.cut for f in span))]


def _moved(s: TrimSettings, which: int, frame: int, count: int) -> TrimSettings:
    ends = _frames(s, count)
    if which == 0:
        return replace(s, first=min(frame, ends[1]))
    if which == 1:
        return replace(s, last=-1 if frame >= count - 1 else max(frame, s.first))
    cut = [list(span) for span in s.cut]
    span = cut[(which - 2) // 2]
    span[which % 2] = min(frame, span[1]) if which % 2 == 0 else max(frame, span[0])
    return replace(s, cut=tuple((a, b) for a, b in cut))


def _swept(s: TrimSettings, first: int, last: int) -> TrimSettings:
    """Cut out what was drawn over, together with spans that it touches."""
    apart = [c for c in s.cut if c[1] < first - 1 or c[0] > last + 1]
    together = [c for c in s.cut if c not in apart] + [(first, last)]
    return replace(s, cut=tuple(sorted([*apart, (min(a for a, _ in together), max(b for _, b in together))])))


ENDS = Ends(
    _frames,
    _moved,
    "Drag an end (Left and Right move the last one clicked); drag over frames to cut them out",
    _swept,
)


class TrimPanel(StepPanel):
    """What is kept, and rest-pose frames with one click to leave them out."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.said = QLabel(wordWrap=True)
        self.column.addWidget(self.said)
        self.rest = QPushButton("Remove the rest pose")
        self.rest.clicked.connect(lambda: line.set_setting(session, "rest_ends", True))
        self.column.addWidget(self.rest)
        self.clear = QPushButton("Remove all cuts")
        self.clear.clicked.connect(lambda: line.set_setting(session, "cut", ()))
        self.column.addWidget(self.clear)

    def refresh(self) -> None:
        session, report = self.session, self.session.computed.report
        settings = session.step.settings if session.step is not None else None
        if session.computed.step_problem:
            self.said.setText(session.computed.step_problem)
        if not isinstance(settings, TrimSettings) or not isinstance(report, TrimReport):
            return
        spans = ", ".join(f"{a}–{b}" for a, b in report.kept)
        head, tail = report.rest
        rest = " and ".join(f"{counted(n, 'frame')} at the {end}" for n, end in ((head, "head"), (tail, "tail")) if n)
        said = f"{report.after} of {report.before} frames are kept: {spans}."
        self.said.setText(said + (f"\nRest pose: {rest}." if rest else ""))
        self.rest.setVisible(bool(rest) and not settings.rest_ends)
        self.clear.setVisible(bool(settings.cut))


VIEW = StepView(
    "trim",
    also="cut crop shorten",
    panel=TrimPanel,
    panel_first=True,
    hidden=frozenset({"cut"}),
    lanes=lambda session, time: TimeLanes(session, time, ENDS),
    lanes_title="Time",
)
