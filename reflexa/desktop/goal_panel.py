"""Goals: when they act, where the target is taken from, how far the limb is from it; keep in the world; follow-through."""

from __future__ import annotations

import msgspec
import numpy as np
from PySide6.QtWidgets import QCheckBox, QLabel, QPushButton

from reflexa.desktop.reach_rows import ReachRows
from reflexa.desktop.session import Session
from reflexa.desktop.tables import StepPanel
from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.steps.follow_through import FollowThroughSettings, links
from reflexa.steps.goal import GoalSettings, TargetKey, distance, looks, meets_with
from reflexa.steps.keep import KeepSettings


class GoalPanel(StepPanel):
    """When, where from, how near."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.here = QPushButton("Put the target where the limb is now")
        self.here.setToolTip("The target comes to the palm, sole or joint as it is at the playhead")
        self.here.clicked.connect(self._here)
        self.column.addWidget(self.here)
        self.column.addWidget(QLabel("When", objectName="section"))
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
        joint = rig.joint(settings.limb)
        joint = rig.skeleton.index.get(settings.limb, -1) if joint < 0 else joint
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
        self.column.addWidget(QLabel("When", objectName="section"))
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
        self.joint.setToolTip("" if session.joint else "Select a joint in the picture first")
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


class FollowPanel(StepPanel):
    """Which links follow, how far their end leaves its way, and a button that shows it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.said = QLabel(wordWrap=True)
        self.column.addWidget(self.said)
        self.show_end = QPushButton("Show the trail of its end")
        self.show_end.setToolTip("Selects the last link: its way before and after this step is drawn in the picture")
        self.show_end.clicked.connect(self._show)
        self.column.addWidget(self.show_end)
        self._seen: object = None

    def _chain(self) -> list[int]:
        settings = self.session.step.settings if self.session.step is not None else None
        rig = self.session.step_rig
        if not isinstance(settings, FollowThroughSettings) or rig is None:
            return []
        try:
            return links(rig, settings.chain)
        except RecipeError:
            return []

    def _show(self) -> None:
        chain, rig = self._chain(), self.session.step_rig
        if chain and rig is not None:
            self.session.select_joint(rig.skeleton.names[chain[-1]])
            self.session.trail_wanted.emit()

    def refresh(self) -> None:
        session = self.session
        chain, rig = self._chain(), session.step_rig
        self.show_end.setEnabled(bool(chain))
        if not chain or rig is None:
            self.said.setText(session.step_problem or "Choose a chain: a tail, a coat, an arm.")
            return
        evaluation = session.settled
        if evaluation is None or (evaluation, session.card) == self._seen:
            return
        self._seen = (evaluation, session.card)
        at = session.stage_of(session.card)
        end = chain[-1]
        away = np.linalg.norm(
            evaluation.clips[at].model[1][:, end] - evaluation.clips[at - 1].model[1][:, end], axis=-1
        )
        names = rig.skeleton.names
        clip = evaluation.clips[at]
        text = f"{len(chain)} links, {names[chain[0]]} to {names[end]}. The last is up to {100 * away.max():.1f} cm off its way."
        if clip.loop:
            turns = quat.multiply(quat.conjugate(clip.rotations[0, chain]), clip.rotations[-1, chain])
            text += f" The loop closes within {np.degrees(quat.angle(turns)).max():.3f}°."
        self.said.setText(text)
