"""The panel of the foot lock: how well each contact is held before and after, and the list of contacts."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QPushButton

from reflexa.desktop.kinds.contact_lanes import ContactLanes
from reflexa.desktop.kinds.contacts_now import contacts_of, edit, report_of, settings_of
from reflexa.desktop.kinds.model import Moment, StepView
from reflexa.desktop.picture.overlay import NOTHING, Overlay
from reflexa.desktop.picture.view import Sight
from reflexa.desktop.settings.joint_table import Row
from reflexa.desktop.settings.step_panel import TablePanel
from reflexa.desktop.widgets import labels
from reflexa.draw.figure import LEFT, RIGHT
from reflexa.draw.scene import Lines
from reflexa.rig import Rig
from reflexa.session import Session, line
from reflexa.steps.foot_lock import FootLockReport
from reflexa.words import counted

_NONE_FOUND = (
    "No foot contacts were found. A clip in place has none until it travels: add root motion from feet. "
    "Otherwise raise the thresholds, or double-click in the time area."
)
_NONE_WRITTEN = "The list of contacts is empty. Double-click in the time area to add one."


class FootLockPanel(TablePanel):
    """A row leads to the foot and to the frame at which it drifts most."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Contacts", ["Contact", "frames", "was cm", "is mm"])
        row = QHBoxLayout()
        self.write = QPushButton("Edit by hand")
        self.write.clicked.connect(lambda: edit(session, "list the contacts", contacts_of(session)))
        self.again = QPushButton("Detect again")
        self.again.clicked.connect(self._find)
        row.addWidget(self.write)
        row.addWidget(self.again)
        self.column.insertLayout(0, row)
        self.more = labels.quiet()
        self.column.addWidget(self.more)
        self._shown: object = None

    def _find(self) -> None:
        settings = settings_of(self.session)
        if settings is not None:
            line.edit_settings(self.session, "detect contacts again", replace(settings, find=True, contacts=()))

    def refresh(self) -> None:
        session, settings, report, rig = (
            self.session, settings_of(self.session), report_of(self.session), self.session.computed.step_rig,
        )  # fmt: skip
        if settings is None:
            return
        self._switch(settings.find)
        if session.computed.step_problem:
            self.summary.setText(session.computed.step_problem)
            self.table.hide()
            self.more.hide()
            self._shown = None
        elif report is not None and rig is not None and report is not self._shown:
            self._shown = report
            self.table.setVisible(bool(report.contacts))
            self.more.setVisible(bool(report.contacts))
            if report.contacts:
                self._show(report, rig, settings.find)
            else:
                self.summary.setText(_NONE_FOUND if settings.find else _NONE_WRITTEN)

    def _switch(self, find: bool) -> None:
        self.write.setEnabled(find)
        self.again.setEnabled(not find)
        self.write.setToolTip(
            "Keep the detected contacts as a list that you can change in the time area"
            if find
            else "The contacts are a list already"
        )
        self.again.setToolTip(
            "The contacts are detected automatically already"
            if find
            else "Discard changes made by hand and detect contacts again"
        )

    def _show(self, report: FootLockReport, rig: Rig, find: bool) -> None:
        rows: list[Row] = []
        worst = 0.0
        for p, was, now in zip(report.contacts, report.was, report.now, strict=True):
            worst = max(worst, now.drift if p.on else 0.0)
            tip = (
                f"{p.limb}, frames {p.first} to {p.last}: drifted {was.drift / 10:.2f} cm, now {now.drift:.3f} "
                f"mm; below the ground {was.depth / 10:.1f} cm, now {now.depth:.2f} mm"
            )
            name = rig.skeleton.names[rig.joint(p.limb)] if rig.joint(p.limb) >= 0 else ""
            is_ = f"{now.drift:.2f}" if p.on else "left"
            texts = p.limb.removesuffix(" foot"), f"{p.first}–{p.last}", f"{was.drift / 10:.1f}", is_
            rows.append((texts, tip, name, was.frame))
        how = "found" if find else "in the list"
        text = (
            f"{counted(len(rows), 'contact')} {how}, held to within {max(worst, 0.01):.2f} mm. Drift before and after:"
        )
        if worst > 1.0:
            text = (
                f"{counted(len(rows), 'contact')} {how}. One still drifts {worst:.1f} mm because its leg is too "
                "short. Let the pelvis adapt more, or hold it at another place."
            )
        self.summary.setText(text)
        self.table.show_rows(rows)
        self.more.setText(
            f"Acceleration added at the ends of contacts: up to {report.acceleration:.1f} m/s². Longer ease in "
            "and out reduces it."
        )


# Picture --------------------------------------------------------------------------------------------------------


# Outlines further than this from the figure, in metres, are not drawn: a long clip has thousands.
_FAR = 25.0


def _overlay(moment: Moment, sight: Sight, _hot: int) -> Overlay:
    """Where feet are held: the outline of each sole on what it stands on, strong while it is held."""
    report = report_of(moment.session)
    if report is None or not len(report.outlines.of):
        return NOTHING
    ends, of = report.outlines.ends, report.outlines.of
    here = moment.clip.model[1][moment.frame, moment.rig.travel_joint]
    near = np.abs(ends[:, 0] - here).max(axis=-1) < _FAR
    ends, of = ends[near], of[near]
    now = np.array([p.first <= moment.frame <= p.last for p in report.contacts])[of]
    hues = np.array([LEFT if p.limb.startswith("left") else RIGHT for p in report.contacts])[of]
    rgba = np.concatenate([hues, np.where(now, 1.0, 0.55)[:, None]], axis=1)
    widths = np.repeat(np.where(now, 3.4, 1.8)[:, None], 2, axis=1)
    return Overlay(lines=(Lines(ends + sight.shift, widths, rgba),))


VIEW = StepView(
    "foot-lock",
    also="foot feet lock skate slide contact stand",
    panel=FootLockPanel,
    panel_first=True,
    more=frozenset({"low", "slow", "slack", "shortest", "ease_in", "ease_out", "share", "reach", "toes"}),
    overlay=_overlay,
    lanes=ContactLanes,
    lanes_title="Contacts",
)
