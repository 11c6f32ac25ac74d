"""Contacts: a row for each, and lanes to correct them in."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QHeaderView, QPushButton

from reflexa.contacts.find import joint_of
from reflexa.desktop.kinds import touching
from reflexa.desktop.kinds.contact_lanes import ContactLanes
from reflexa.desktop.kinds.contacts_now import contacts_of, edit
from reflexa.desktop.kinds.model import Moment, StepView
from reflexa.desktop.picture.overlay import NOTHING, Overlay
from reflexa.desktop.picture.view import Sight
from reflexa.desktop.settings.joint_table import Row
from reflexa.desktop.settings.step_panel import TablePanel
from reflexa.draw.figure import LEFT, RIGHT
from reflexa.draw.scene import Lines
from reflexa.session import Session, line
from reflexa.steps.contacts import ContactsReport, ContactsSettings
from reflexa.words import counted


class ContactsPanel(TablePanel):
    """A row leads to the part and to the frame at which it comes to touch."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Contacts", ["Contact", "frames"])
        header = self.table.horizontalHeader()
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        row = QHBoxLayout()
        self.write = QPushButton("Edit by hand")
        self.write.setToolTip("Keep the detected contacts as a list that you can change in the time area")
        self.write.clicked.connect(lambda: edit(session, "list the contacts", contacts_of(session)))
        self.again = QPushButton("Detect again")
        self.again.setToolTip("Discard changes made by hand")
        self.again.clicked.connect(self._find)
        self.two = QPushButton("Pick two parts that touch…")
        self.two.setToolTip("Pick a hand and what it touches in the picture, for the contact around this frame")
        self.two.setCheckable(True)
        self.two.clicked.connect(lambda on: touching.begin(session, on))
        for button in (self.write, self.again):
            row.addWidget(button)
        self.column.insertLayout(0, row)
        self.column.insertWidget(1, self.two)
        self._shown: object = None

    def _find(self) -> None:
        settings = self._settings()
        if settings is not None:
            line.edit_settings(self.session, "detect contacts", replace(settings, find=True, contacts=()))

    def _settings(self) -> ContactsSettings | None:
        settings = self.session.step.settings if self.session.step is not None else None
        return settings if isinstance(settings, ContactsSettings) else None

    def refresh(self) -> None:
        settings, report, rig = self._settings(), self.session.computed.report, self.session.computed.step_rig
        if settings is None:
            return
        self.two.setChecked(self.session.selection.waiting is not None)
        self.write.setEnabled(settings.find)
        self.again.setEnabled(not settings.find)
        if self.session.computed.step_problem:
            self.summary.setText(self.session.computed.step_problem)
            self.table.hide()
            self._shown = None
        elif isinstance(report, ContactsReport) and rig is not None and report is not self._shown:
            self._shown = report
            rows: list[Row] = []
            for c in report.contacts:
                joint = joint_of(rig, c.limb)
                touches = c.other or "ground"
                tip = f"{c.limb.capitalize()} on {touches}, frames {c.first} to {c.last}"
                texts = c.name if c.on else f"{c.name}, off", f"{c.first}–{c.last}"
                rows.append((texts, tip, rig.skeleton.names[joint] if joint >= 0 else "", c.first))
            how = "detected" if settings.find else "listed"
            self.summary.setText(
                f"{counted(len(rows), 'contact')} {how}. Drag them in the time area; double-click to add one."
                if rows
                else "No contacts were found. Double-click in the time area to add one."
            )
            self.table.setVisible(bool(rows))
            self.table.show_rows(rows)


def _overlay(moment: Moment, sight: Sight, _hot: int) -> Overlay:
    """Parts that touch each other, or are kept near each other, joined by a line."""
    session = moment.session
    report, clip, rig = session.computed.report, session.computed.shown, session.computed.rig
    if not isinstance(report, ContactsReport) or clip is None or rig is None or moment.frame >= clip.frames:
        return NOTHING
    # As the figure in sight has them: what was only detected here may be named for the other side by now.
    contacts = report.contacts if clip is moment.clip else clip.contacts or ()
    now = [c for c in contacts if c.other and c.on and c.first <= moment.frame <= c.last]
    now = [c for c in now if min(rig.joint(c.limb), rig.joint(c.other)) >= 0]
    if not now:
        return NOTHING
    pairs = np.array([(rig.joint(c.limb), rig.joint(c.other)) for c in now])
    ends = clip.model[1][moment.frame][pairs]
    hues = np.array([LEFT if c.limb.startswith("left") else RIGHT for c in now])
    rgba = np.concatenate([hues, np.ones((len(pairs), 1))], axis=1)
    return Overlay(lines=(Lines(ends + sight.shift, np.full((len(pairs), 2), 3.4), rgba),))


VIEW = StepView(
    "contacts",
    icon="foot-lock",
    also="touch relation hands feet knees hold together detect",
    panel=ContactsPanel,
    panel_first=True,
    hidden=frozenset({"find", "contacts"}),
    overlay=_overlay,
    lanes=ContactLanes,
    lanes_title="Contacts",
)
