"""What carries the selected prop, and when."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton

from reflexa.desktop.stage.fields import PropFields, away_button, form, without
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.session import Session
from reflexa.stage import Carrying, Prop

_FIRST = ("right hand", "left hand", "pelvis", "head")


class CarriedFields(PropFields):
    """A row for each time that it is carried, and what adds one."""

    def __init__(self, session: Session, prop: Prop) -> None:
        super().__init__(session)
        self.column.addWidget(labels.section("Attached to"))
        for i, hold in enumerate(prop.holds):
            self._add_row(i, hold)
        clip = session.computed.shown
        self.joint = styled(QComboBox(), accessibleName="Attached to")
        self.begin = styled(QComboBox(), accessibleName="Attached from")
        self.end = styled(QComboBox(), accessibleName="Attached to frame")
        self._fill_joints()
        self.begin.addItem("this frame", None)
        self.end.addItem("the end", "")
        self.end.addItem("this frame", None)
        for box in (self.begin, self.end):
            for e in clip.events if clip is not None else ():
                box.addItem(f"event {e.name}", e.name)
        rows = form()
        for title, box in (("Joint", self.joint), ("From", self.begin), ("To", self.end)):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(6)
            rows.addRow(title, box)
        self.column.addLayout(rows)
        add = QPushButton("Attach")
        add.setToolTip("The prop follows the joint in this span, then stays where it is released")
        add.clicked.connect(self._add)
        self.column.addWidget(add)

    def _add_row(self, index: int, hold: Carrying) -> None:
        row = QHBoxLayout()
        end = f"to {hold.end}" if hold.end != "" else "to the end"
        row.addWidget(labels.text(f"{hold.joint}, from {hold.begin} {end}"), 1)
        away = away_button(f"Remove attachment {index + 1}", "Detach it")
        away.clicked.connect(lambda: self._remove(index))
        row.addWidget(away)
        self.column.addLayout(row)

    def _fill_joints(self) -> None:
        rig = self.session.computed.rig
        if rig is None:
            return
        for part in _FIRST:
            if rig.joint(part) >= 0:
                self.joint.addItem(part.capitalize(), rig.skeleton.names[rig.joint(part)])
        for joint in rig.skeleton.names:
            self.joint.addItem(joint, joint)

    def _remove(self, index: int) -> None:
        if self.prop is not None:
            self.set("detach the prop", holds=without(self.prop.holds, index))

    def _add(self) -> None:
        prop, frame, joint = self.prop, self.session.player.frame, self.joint.currentData()
        if prop is None or joint is None:
            return
        begin, end = self.begin.currentData(), self.end.currentData()
        hold = Carrying(joint, frame if begin is None else begin, frame if end is None else end)
        if isinstance(hold.begin, int) and isinstance(hold.end, int) and hold.end <= hold.begin:
            hold = replace(hold, end="")
        self.set("attach the prop", holds=(*prop.holds, hold))
