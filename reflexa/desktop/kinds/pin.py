"""Keep in the world: what is kept, and when."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QLabel, QPushButton

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.settings.span_rows import SpanRows
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets.qt_properties import named
from reflexa.session import Session, line
from reflexa.steps.pin import PinReport, PinSettings
from reflexa.words import length

ENDS = ("left foot", "right foot", "left hand", "right hand", "head")


class PinPanel(StepPanel):
    """What is kept, as boxes to tick, and when."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.boxes: dict[str, QCheckBox] = {}
        for end in ENDS:
            box = QCheckBox(end.capitalize())
            box.clicked.connect(lambda on, e=end: self._tick(e, on))
            self.column.addWidget(box)
            self.boxes[end] = box
        self.joint = QPushButton("Add the selected joint")
        self.joint.clicked.connect(lambda: self._tick(session.selection.joint, True))
        self.column.addWidget(self.joint)
        self.column.addWidget(named(QLabel("When, in frames"), "section"))
        self.when = SpanRows(session, "spans")
        self.column.addWidget(self.when)
        self.said = QLabel(wordWrap=True)
        self.column.addWidget(self.said)

    def _settings(self) -> PinSettings | None:
        settings = self.session.step.settings if self.session.step is not None else None
        return settings if isinstance(settings, PinSettings) else None

    def _tick(self, name: str, on: bool) -> None:
        settings = self._settings()
        if settings is not None and name:
            joints = tuple(j for j in settings.joints if j != name) + ((name,) if on else ())
            line.edit_settings(self.session, "choose pinned joints", replace(settings, joints=joints))

    def refresh(self) -> None:
        session, settings = self.session, self._settings()
        rig = session.computed.step_rig
        if settings is None or rig is None:
            return
        self.when.refresh()
        for end, box in self.boxes.items():
            box.setVisible(rig.joint(end) >= 0)
            box.setChecked(end in settings.joints)
        joint = session.selection.joint
        self.joint.setEnabled(bool(joint) and joint not in settings.joints)
        why = (
            "It is pinned already"
            if joint in settings.joints
            else ""
            if joint
            else "Select a joint in the picture first"
        )
        self.joint.setToolTip(why)
        others = [j for j in settings.joints if j not in ENDS]
        text = f"Also {', '.join(others)}. " if others else ""
        report = session.computed.report
        if isinstance(report, PinReport):
            text += f"The step moves joints by up to {length(report.moved)} to keep them in place."
        self.said.setText(session.computed.step_problem or text)


VIEW = StepView("pin", panel=PinPanel, acts_on="end")
