"""Follow-through: which links follow, how far their end leaves its way, and its trail."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel, QPushButton

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.errors import RecipeError
from reflexa.session import Session
from reflexa.steps.follow_through import FollowReport, FollowThroughSettings, links
from reflexa.words import length


class FollowPanel(StepPanel):
    """Which links follow, how far their end leaves its way, and a button that shows it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.said = QLabel(wordWrap=True)
        self.column.addWidget(self.said)
        self.show_end = QPushButton("Show the trail of its end")
        self.show_end.clicked.connect(self._show)
        self.column.addWidget(self.show_end)

    def _end(self) -> str:
        """The last link of the chain; an empty text where there is none."""
        step, rig = self.session.step, self.session.computed.step_rig
        if step is None or rig is None or not isinstance(step.settings, FollowThroughSettings):
            return ""
        try:
            return rig.skeleton.names[links(rig, step.settings.chain)[-1]]
        except RecipeError:
            return ""

    def _show(self) -> None:
        self.session.selection.select_joint(self._end())
        self.session.trail_wanted.emit()

    def refresh(self) -> None:
        session, report, end = self.session, self.session.computed.report, self._end()
        self.show_end.setEnabled(bool(end))
        about = "Selects the last joint and shows its motion trail before and after this step"
        self.show_end.setToolTip(about if end else "Choose a chain first")
        if session.computed.step_problem or not end:
            self.said.setText(session.computed.step_problem or "Choose a chain: a tail, a coat, an arm.")
        elif isinstance(report, FollowReport):
            self.said.setText(_said(report))


def _said(report: FollowReport) -> str:
    text = (
        f"{len(report.joints)} joints, {report.joints[0]} to {report.joints[-1]}. The last one moves up to "
        f"{length(report.away)} away from its motion."
    )
    return text if report.seam is None else f"{text} The loop closes within {report.seam:.3f}°."


VIEW = StepView(
    "follow-through", also="spring secondary overlap jiggle tail", panel=FollowPanel, more=frozenset({"softer", "most"})
)
