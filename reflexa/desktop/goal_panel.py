"""Goals: when they act, where the target is taken from, how far the limb is from it."""

from __future__ import annotations

import msgspec
import numpy as np
from PySide6.QtWidgets import QLabel, QPushButton

from reflexa.desktop.reach_rows import ReachRows
from reflexa.desktop.session import Session
from reflexa.desktop.tables import StepPanel
from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.steps.goal import GoalSettings, TargetKey, distance, looks, meets_with


class GoalPanel(StepPanel):
    """When, where from, how near."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.here = QPushButton("Put the target where the limb is now")
        self.here.setToolTip("The target comes to the palm, sole or joint as it is at the playhead")
        self.here.clicked.connect(self._here)
        self.column.addWidget(self.here)
        self.column.addWidget(QLabel("When, in frames", objectName="section"))
        self.when = ReachRows(session, "reaches")
        self.column.addWidget(self.when)
        self.said = QLabel(wordWrap=True)
        self.column.addWidget(self.said)
        self._seen: object = None

    def _settings(self) -> GoalSettings | None:
        settings = self.session.step.settings if self.session.step is not None else None
        return settings if isinstance(settings, GoalSettings) else None

    def _here(self) -> None:
        session, settings = self.session, self._settings()
        below, rig, step = session.below, session.below_rig, session.step
        if settings is None or below is None or rig is None or step is None:
            return
        joint = rig.joint_called(settings.limb)
        if joint < 0:
            return
        frame = min(session.frame, below.frames - 1)
        turned, place = below.model[0][frame, joint], below.model[1][frame, joint]
        at = tuple(round(float(v), 4) for v in place + quat.rotate(turned, meets_with(rig, settings)))
        if settings.to == "keyed":
            keys = sorted(
                [*(k for k in settings.keys if k.frame != frame), TargetKey(frame, at)], key=lambda k: k.frame
            )
            new = msgspec.structs.replace(settings, keys=tuple(keys))
        else:
            new = msgspec.structs.replace(settings, to="point", point=at)
        session.edit_step("put the target here", msgspec.structs.replace(step, settings=new))

    def refresh(self) -> None:
        session, settings = self.session, self._settings()
        if settings is None:
            return
        self.when.refresh()
        self.here.setVisible(settings.to in ("point", "keyed") and settings.limb != "head")
        evaluation, rig = session.settled, session.step_rig
        key = (evaluation, session.card)
        if session.step_problem:
            self.said.setText(session.step_problem)
        if evaluation is None or rig is None or key == self._seen:
            return
        self._seen = key
        at = session.stage_of(session.card)
        try:
            away, weight = distance(evaluation.clips[at], rig, settings, session.stage)
            was, _ = distance(evaluation.clips[at - 1], rig, settings, session.stage)
        except RecipeError as e:
            self.said.setText(str(e))
            return
        holds = weight > 0.999
        if not holds.any():
            self.said.setText("It never acts fully: no frame lies between there and held to.")
            return
        aims = looks(rig, settings.limb)
        scale, unit = (180 / np.pi, "°") if aims else (1000.0, "mm")
        worst = int(np.flatnonzero(holds)[np.argmax(away[holds])])
        text = f"Where it acts: {scale * was[holds].max():.1f} {unit} off before, {scale * away[holds].max():.2f} {unit} now."
        if not aims and away[holds].max() > 0.002:
            text += f" Out of reach, most at frame {worst}: the limb points straight at it."
        others = [s.name for i, s in enumerate(session.take.steps) if i > session.card and s.on
                  and isinstance(s.settings, GoalSettings) and s.settings.limb == settings.limb]  # fmt: skip
        if others:
            text += f" Where {others[-1]} acts too, that one wins: it comes later."
        self.said.setText(text)
