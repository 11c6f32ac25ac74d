"""What the selected joint is: body part, partner, helper rule. Every answer can be corrected here."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from reflexa.desktop.session import Session
from reflexa.rig import PARTS, Rig
from reflexa.rig import notes as edits

_HOW = ("rest offset", "exactly")


class JointEditor(QWidget):
    """Edits are said of the rig: they hold for all its clips, undo, and are saved with the project."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(2, 2, 2, 2)
        column.setSpacing(4)
        self.title = QLabel(objectName="section")
        column.addWidget(self.title)
        form = QFormLayout()
        form.setSpacing(4)
        self.part = QComboBox(accessibleName="Body part")
        self.part.addItem("no part", "")
        for part in PARTS:
            self.part.addItem(part, part)
        self.part.activated.connect(self._assign)
        form.addRow("Part", self.part)
        column.addLayout(form)
        self.partner = QLabel()
        self.partner.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        column.addWidget(self.partner)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.pair = QPushButton(
            "Pair with…", toolTip="Then pick the partner in the picture or in the list", checkable=True
        )
        self.centre = QPushButton("Centre", toolTip="Put the joint on the centre line: it is its own partner")
        self.alone = QPushButton("Unpair", toolTip="Take the joint out of its pair, or off the centre line")
        self.pair.clicked.connect(lambda on: session.start_pairing(session.joint if on else ""))
        self.centre.clicked.connect(lambda: session.mark_centre())
        self.alone.clicked.connect(lambda: session.unpair())
        for button in (self.pair, self.centre, self.alone):
            row.addWidget(button)
        column.addLayout(row)
        self.rule = QWidget()
        form = QFormLayout(self.rule)
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(4)
        self.follows = QComboBox(accessibleName="Helper joint follows")
        self.follows.activated.connect(self._follow)
        self.how = QComboBox(accessibleName="How it follows")
        self.how.addItems(["with its rest offset", "exactly"])
        self.how.activated.connect(self._follow)
        form.addRow("Follows", self.follows)
        form.addRow("", self.how)
        column.addWidget(self.rule)
        for box in self.findChildren(QComboBox):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(6)
        self._listed: Rig | None = None

    def refresh(self) -> None:
        """Show what is known of the selected joint."""
        session = self.session
        rig, joint = session.rig, session.joint
        known = rig is not None and joint in rig.skeleton.index
        self.setVisible(known)
        self.pair.setChecked(bool(session.pairing))
        if not known:
            return
        part = rig.part_of(joint)
        how = rig.found.get(part)
        sure = f"  ({how.by}, {how.sure:.0%} sure)" if how is not None and how.by != "told" else ""
        self.title.setText(joint + (f" · {session.pairing}: pick its partner" if session.pairing else ""))
        self.part.setCurrentIndex(max(0, self.part.findData(part)))
        self.part.setToolTip(f"The body part that the joint plays{sure}")
        found = next((p for p in rig.pairs if joint in (p.left, p.right)), None)
        if found is not None:
            other = found.right if joint == found.left else found.left
            side = "left" if joint == found.left else "right"
            self.partner.setText(f"Pair: {other} · {found.residual_mm:.1f} mm, {found.residual_deg:.1f}°")
            self.partner.setToolTip(
                f"{joint} is the {side} one, {other} its partner. Found by {found.found_by}, {found.sure:.0%} sure; "
                f"{found.residual_mm:.1f} mm and {found.residual_deg:.1f}° from being reflections in rest."
            )
        else:
            self.partner.setText("On the centre line" if joint in rig.centre else "No partner")
            self.partner.setToolTip("")
        self.centre.setEnabled(joint not in rig.centre)
        self.alone.setEnabled(found is not None or joint in rig.centre)
        if self._listed is None or self._listed.key != rig.key:
            self._listed = rig
            self.follows.clear()
            self.follows.addItem("nothing: no helper joint", "")
            for name in rig.skeleton.names:
                self.follows.addItem(name, name)
        rule = rig.helpers.get(joint)
        # Only what is no part of the body can follow one.
        self.rule.setVisible(rule is not None or not part)
        self.follows.setCurrentIndex(self.follows.findData(rule.follows if rule else ""))
        self.how.setVisible(rule is not None)
        self.how.setCurrentIndex(_HOW.index(rule.how) if rule else 0)

    def _assign(self) -> None:
        rig, part = self.session.rig, self.part.currentData()
        notes = edits.assign(edits.notes_of(rig), self.session.joint, part, rig.skeleton.index)
        # Going through the list by keys is one edit, whatever stands on the way.
        joint = self.session.joint
        self.session.edit_rig(f"{joint} is {part or 'no part'}", rig, notes, merge=f"part of {joint}")

    def _follow(self) -> None:
        rig, joint, followed = self.session.rig, self.session.joint, self.follows.currentData()
        rule = edits.Rule(followed, _HOW[self.how.currentIndex()]) if followed and followed != joint else None
        notes = edits.follow(edits.notes_of(rig), joint, rule)
        self.session.edit_rig(f"{joint} follows {followed or 'nothing'}", rig, notes, merge=f"rule of {joint}")
