"""Follow-through: which links follow, how far their end leaves its way, and its trail."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QLabel, QPushButton

from reflexa.desktop.session import Session
from reflexa.desktop.tables import StepPanel
from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.steps.follow_through import FollowThroughSettings, links


class FollowPanel(StepPanel):
    """Which links follow, how far their end leaves its way, and a button that shows it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.said = QLabel(wordWrap=True)
        self.column.addWidget(self.said)
        self.show_end = QPushButton("Show the trail of its end")
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
        about = "Selects the last link: its way before and after this step is drawn in the picture"
        self.show_end.setToolTip(about if chain else "Choose a chain first")
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
