"""Helper joints: whom each follows, and how far it was and is from its rule."""

from __future__ import annotations

from reflexa.desktop.session import Session
from reflexa.desktop.tables import Row, TablePanel
from reflexa.rig.helpers import distances


class HelperPanel(TablePanel):
    """Rules are edited in the Figure view."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Helper joints", ["Joint", "was mm", "is mm"])
        self._seen: object = None

    def refresh(self) -> None:
        session = self.session
        evaluation, rig = session.settled, session.step_rig
        key = (evaluation, session.card)
        if evaluation is None or rig is None or key == self._seen:
            return
        self._seen = key
        if not rig.helpers:
            self.summary.setText("No helper joints were found. Give a joint a rule in the Figure view: Follows.")
            self.table.hide()
            return
        at = session.stage_of(session.card)
        before = distances(rig.neutral, rig.helpers, *evaluation.clips[at - 1].model)
        after = distances(rig.neutral, rig.helpers, *evaluation.clips[at].model)
        most = max(d.max() for d, _ in before.values()) * 1000
        self.summary.setText(
            f"{len(rig.helpers)} helper joints, up to {most:.1f} mm from their rules before this step. Rules are edited in the "
            "Figure view."
        )
        self.table.show()
        rows: list[Row] = []
        for name, rule in rig.helpers.items():
            was, now = 1000 * before[name][0], 1000 * after[name][0]
            frame = int(was.argmax())
            tip = f"{name} follows {rule.follows}, {rule.how} (by {rule.found_by}, {rule.sure:.0%} sure)"
            rows.append(((name, f"{was.max():.1f}", f"{now.max():.1f}"), tip, name, frame))
        self.table.show_rows(rows)
