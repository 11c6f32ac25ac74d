"""Follow-through: which links follow, how far their end leaves its way, and its trail."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel, QPushButton

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.session import Session
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.steps.follow_through import FollowReport


class FollowPanel(StepPanel):
    """Which links follow, how far their end leaves its way, and a button that shows it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.said = QLabel(wordWrap=True)
        self.column.addWidget(self.said)
        self.show_end = QPushButton("Show the trail of its end")
        self.show_end.clicked.connect(self._show)
        self.column.addWidget(self.show_end)

    def _report(self) -> FollowReport | None:
        report = self.session.report
        return report if isinstance(report, FollowReport) and not self.session.step_problem else None

    def _show(self) -> None:
        report = self._report()
        if report is not None:
            self.session.selection.select_joint(report.joints[-1])
            self.session.trail_wanted.emit()

    def refresh(self) -> None:
        report = self._report()
        self.show_end.setEnabled(report is not None)
        about = "Selects the last link: its way before and after this step is drawn in the picture"
        self.show_end.setToolTip(about if report is not None else "Choose a chain first")
        if report is None:
            self.said.setText(self.session.step_problem or "Choose a chain: a tail, a coat, an arm.")
            return
        text = (
            f"{len(report.joints)} links, {report.joints[0]} to {report.joints[-1]}. The last is up to "
            f"{100 * report.away:.1f} cm off its way."
        )
        if report.seam is not None:
            text += f" The loop closes within {report.seam:.3f}°."
        self.said.setText(text)


VIEW = StepView("follow-through", panel=FollowPanel)
