"""Cycle, by hand: where the loop begins."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.kinds.time_lanes import Ends, TimeLanes
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.session import Session, line


class CyclePanel(StepPanel):
    """Begin with the strike of a foot by one click."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.buttons = QWidget()
        row = QHBoxLayout(self.buttons)
        row.setContentsMargins(0, 0, 0, 0)
        for side in ("left", "right"):
            button = QPushButton(f"{side.capitalize()} strike")
            button.setToolTip(f"Start where the {side} foot strikes")
            button.clicked.connect(lambda _=False, s=side: line.set_setting(session, "start", f"{s} strike"))
            row.addWidget(button)
        self.column.addWidget(self.buttons)

    def refresh(self) -> None:
        rig = self.session.computed.step_rig
        self.buttons.setVisible(rig is not None and any(rig.joint(f"{s} foot") >= 0 for s in ("left", "right")))


ENDS = Ends(
    lambda s, count: [min(s.start, count - 1)] if isinstance(s.start, int) else [],
    lambda s, _, frame, __: replace(s, start=frame),
    "Drag the frame where the loop starts",
)
VIEW = StepView(
    "cycle",
    also="repeat loop start offset",
    panel=CyclePanel,
    lanes=lambda session, time: TimeLanes(session, time, ENDS),
    lanes_title="Time",
)
