"""Helper joints: whom each follows, and how far it was and is from its rule."""

from __future__ import annotations

from reflexa.desktop.kinds.model import Offer, StepView
from reflexa.desktop.settings.joint_table import Row
from reflexa.desktop.settings.step_panel import TablePanel
from reflexa.session import Session


class HelperPanel(TablePanel):
    """Rules are edited in the Figure view."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Helper joints", ["Joint", "was mm", "is mm"])
        self._shown: object = None

    def refresh(self) -> None:
        session = self.session
        rig, report = session.computed.step_rig, session.computed.report
        if rig is None or report is None or report is self._shown:
            return
        self._shown = report
        self.table.setVisible(bool(report))
        if not report:
            self.summary.setText("No helper joints were found. Set what a joint follows in the Figure view.")
            return
        most = max(r.was for r in report)
        self.summary.setText(
            f"{len(report)} helper joints, up to {most:.1f} mm off before this step. Edit their rules in the "
            "Figure view."
        )
        rows: list[Row] = []
        for r in report:
            rule = rig.helpers.get(r.joint)
            tip = (
                f"{r.joint} follows {rule.follows}, {rule.how} (by {rule.found_by}, {rule.sure:.0%} sure)"
                if rule
                else ""
            )
            rows.append(((r.joint, f"{r.was:.1f}", f"{r.now:.1f}"), tip, r.joint, r.frame))
        self.table.show_rows(rows)


VIEW = StepView(
    "helper-joints", also="markers sockets ik", panel=HelperPanel, offer=Offer("Put helper joints back in {}")
)
