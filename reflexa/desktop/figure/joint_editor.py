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

from reflexa.desktop.widgets.number_fields import DecimalField
from reflexa.desktop.widgets.qt_properties import named, styled
from reflexa.rig import PARTS, Rig
from reflexa.rig import notes as edits
from reflexa.rig.foot_rest import stand_of, tilt_of
from reflexa.rig.helpers import How
from reflexa.rig.pairs import Pair
from reflexa.session import Session, rigs

_STANDS_BY = {
    "told": "set here",
    "clips": "seen in its clips",
    "skin": "seen in its skin",
    "rest pose": "in the rest pose",
    "proportions": "as feet of people usually do, because the rest pose shows no standing foot",
}
_HOW: tuple[How, ...] = ("rest offset", "exactly")


class JointEditor(QWidget):
    """Edits are said of the rig: they hold for all its clips, undo, and are saved with the project."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(2, 2, 2, 2)
        column.setSpacing(4)
        self.title = named(QLabel(), "section")
        column.addWidget(self.title)
        form = QFormLayout()
        form.setSpacing(4)
        self.part = styled(QComboBox(), accessibleName="Body part")
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
        self.pair = styled(
            QPushButton("Pair with…"), toolTip="Then pick the partner in the picture or in the list", checkable=True
        )
        self.centre = styled(QPushButton("Centre"), toolTip="Mark the joint as a centre joint: it is its own partner")
        self.alone = styled(QPushButton("Unpair"), toolTip="Remove the joint from its pair, or from the centre line")
        self.pair.clicked.connect(lambda on: rigs.start_pairing(session, session.selection.joint if on else ""))
        self.centre.clicked.connect(lambda: rigs.mark_centre(session))
        self.alone.clicked.connect(lambda: rigs.unpair(session))
        for button in (self.pair, self.centre, self.alone):
            row.addWidget(button)
        column.addLayout(row)
        self.rule = QWidget()
        form = QFormLayout(self.rule)
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(4)
        self.follows = styled(QComboBox(), accessibleName="Helper joint follows")
        self.follows.activated.connect(self._follow)
        self.how = styled(QComboBox(), accessibleName="How it follows")
        self.how.addItems(["with its rest offset", "exactly"])
        self.how.activated.connect(self._follow)
        form.addRow("Follows", self.follows)
        form.addRow("", self.how)
        column.addWidget(self.rule)
        self.stance = QWidget()
        form = QFormLayout(self.stance)
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(4)
        self.height_up = styled(
            DecimalField(minimum=0.0, maximum=100.0, decimals=1, singleStep=0.5, suffix=" cm"),
            accessibleName="Ankle height",
            toolTip="Height of the ankle above the floor when the foot stands, for both feet",
        )
        self.tilt = styled(
            DecimalField(minimum=-90.0, maximum=90.0, decimals=1, singleStep=1.0, suffix="°"),
            accessibleName="Toes lower than in rest pose",
            toolTip="How much lower the toes are than in rest pose when the foot stands, for both feet",
        )
        for number in (self.height_up, self.tilt):
            number.setKeyboardTracking(False)
            number.valueChanged.connect(self._stand)
        form.addRow("Ankle at", self.height_up)
        form.addRow("Toes down", self.tilt)
        self.stands_by = named(QLabel(wordWrap=True), "quiet")
        form.addRow(self.stands_by)
        self.as_found = styled(QPushButton("Reset"), toolTip="Use the detected values again")
        self.as_found.clicked.connect(lambda: rigs.stand_as_found(session))
        form.addRow(self.as_found)
        column.addWidget(self.stance)
        for box in self.findChildren(QComboBox):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(6)
        self._listed: Rig | None = None

    def refresh(self) -> None:
        """Show what is known of the selected joint."""
        session = self.session
        rig, joint = session.computed.rig, session.selection.joint
        self.setVisible(rig is not None and joint in rig.skeleton.index)
        self.pair.setChecked(bool(session.selection.pairing))
        if rig is None or joint not in rig.skeleton.index:
            return
        part = rig.part_of(joint)
        how = rig.found.get(part)
        sure = f"  ({how.by}, {how.sure:.0%} sure)" if how is not None and how.by != "told" else ""
        self.title.setText(
            joint + (f" · {session.selection.pairing}: pick its partner" if session.selection.pairing else "")
        )
        self.part.setCurrentIndex(max(0, self.part.findData(part)))
        self.part.setToolTip(f"The body part that the joint plays{sure}")
        found = next((p for p in rig.pairs if joint in (p.left, p.right)), None)
        self._show_partner(rig, joint, found)
        self.centre.setEnabled(joint not in rig.centre)
        self.alone.setEnabled(found is not None or joint in rig.centre)
        self._show_rule(rig, joint, part)
        self._show_stance(rig, part)

    def _show_stance(self, rig: Rig, part: str) -> None:
        """Of a foot: how it stands, what tells so, and how sure that is."""
        side, _, what = part.partition(" ")
        self.stance.setVisible(what == "foot")
        if what != "foot":
            return
        s = stand_of(rig, side)
        for box, value in ((self.height_up, 100 * s.height), (self.tilt, tilt_of(rig, side))):
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)
        self.stands_by.setText(f"Stands as {_STANDS_BY[s.by]}" + ("." if s.by == "told" else f", {s.sure:.0%} sure."))
        self.as_found.setVisible(s.by == "told")

    def _stand(self) -> None:
        rigs.stand(self.session, self.height_up.value() / 100, self.tilt.value())

    def _show_partner(self, rig: Rig, joint: str, found: Pair | None) -> None:
        if found is not None:
            other = found.right if joint == found.left else found.left
            side = "left" if joint == found.left else "right"
            self.partner.setText(f"Pair: {other} · {found.residual_mm:.1f} mm, {found.residual_deg:.1f}°")
            self.partner.setToolTip(
                f"{joint} is the {side} one, {other} its partner. Found by {found.found_by}, {found.sure:.0%} "
                f"sure; they differ by {found.residual_mm:.1f} mm and {found.residual_deg:.1f}° from mirror "
                "images in rest pose."
            )
        else:
            self.partner.setText("On the centre line" if joint in rig.centre else "No partner")
            self.partner.setToolTip("")

    def _show_rule(self, rig: Rig, joint: str, part: str) -> None:
        if self._listed is None or self._listed.key != rig.key:
            self._listed = rig
            self.follows.clear()
            self.follows.addItem("nothing (no helper joint)", "")
            for name in rig.skeleton.names:
                self.follows.addItem(name, name)
        rule = rig.helpers.get(joint)
        # Only what is no part of the body can follow one.
        self.rule.setVisible(rule is not None or not part)
        self.follows.setCurrentIndex(self.follows.findData(rule.follows if rule else ""))
        self.how.setVisible(rule is not None)
        self.how.setCurrentIndex(_HOW.index(rule.how) if rule else 0)

    def _assign(self) -> None:
        rig, part = self.session.computed.rig, self.part.currentData()
        if rig is None:
            return
        notes = edits.assign(edits.notes_of(rig), self.session.selection.joint, part, rig.skeleton.index)
        # Going through the list by keys is one edit, whatever stands on the way.
        joint = self.session.selection.joint
        rigs.edit(self.session, f"{joint} is {part or 'no part'}", rig, notes, merge=f"part of {joint}")

    def _follow(self) -> None:
        rig, joint, followed = self.session.computed.rig, self.session.selection.joint, self.follows.currentData()
        if rig is None:
            return
        rule = edits.Rule(followed, _HOW[self.how.currentIndex()]) if followed and followed != joint else None
        notes = edits.follow(edits.notes_of(rig), joint, rule)
        rigs.edit(self.session, f"{joint} follows {followed or 'nothing'}", rig, notes, merge=f"rule of {joint}")
