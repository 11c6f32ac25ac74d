"""Keep in the world: what is kept, and when."""

from __future__ import annotations

import msgspec
import numpy as np
from PySide6.QtWidgets import QCheckBox, QLabel, QPushButton

from reflexa.desktop.reach_rows import ReachRows
from reflexa.desktop.session import Session
from reflexa.desktop.tables import StepPanel
from reflexa.steps.keep import KeepSettings


class KeepPanel(StepPanel):
    """What is kept, as boxes to tick, and when."""

    ENDS = ("left foot", "right foot", "left hand", "right hand", "head")

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.boxes: dict[str, QCheckBox] = {}
        for end in self.ENDS:
            box = QCheckBox(end.capitalize())
            box.clicked.connect(lambda on, e=end: self._tick(e, on))
            self.column.addWidget(box)
            self.boxes[end] = box
        self.joint = QPushButton("The selected joint too")
        self.joint.clicked.connect(lambda: self._tick(session.joint, True))
        self.column.addWidget(self.joint)
        self.column.addWidget(QLabel("When, in frames", objectName="section"))
        self.when = ReachRows(session, "when")
        self.column.addWidget(self.when)
        self.said = QLabel(wordWrap=True)
        self.column.addWidget(self.said)
        self._seen: object = None

    def _settings(self) -> KeepSettings | None:
        settings = self.session.step.settings if self.session.step is not None else None
        return settings if isinstance(settings, KeepSettings) else None

    def _tick(self, name: str, on: bool) -> None:
        step, settings = self.session.step, self._settings()
        if step is not None and settings is not None and name:
            joints = tuple(j for j in settings.joints if j != name) + ((name,) if on else ())
            new = msgspec.structs.replace(settings, joints=joints)
            self.session.edit_step("choose what is kept", msgspec.structs.replace(step, settings=new))

    def refresh(self) -> None:
        session, settings = self.session, self._settings()
        rig = session.step_rig
        if settings is None or rig is None:
            return
        self.when.refresh()
        for end, box in self.boxes.items():
            box.setVisible(rig.joint(end) >= 0)
            box.setChecked(end in settings.joints)
        others = [j for j in settings.joints if j not in self.ENDS]
        self.joint.setEnabled(bool(session.joint) and session.joint not in settings.joints)
        kept = session.joint in settings.joints
        why = "It is kept already" if kept else "" if session.joint else "Select a joint in the picture first"
        self.joint.setToolTip(why)
        if session.step_problem:
            self.said.setText(session.step_problem)
            return
        text = f"Also {', '.join(others)}. " if others else ""
        evaluation = session.settled
        if evaluation is not None and (evaluation, session.card) != self._seen:
            self._seen = (evaluation, session.card)
            at = session.stage_of(session.card)
            moved = np.linalg.norm(evaluation.clips[at].model[1] - evaluation.clips[at - 1].model[1], axis=-1)
            text += f"The step moves joints by up to {100 * moved.max():.1f} cm to keep them."
            self.said.setText(text)
