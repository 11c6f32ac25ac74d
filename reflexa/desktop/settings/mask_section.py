"""How much of a step counts, where and when: weight, mask, soft edge, envelope."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QInputDialog, QPushButton, QSpinBox

from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.numbers import CountBox, put
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.rig import PRESETS
from reflexa.session import Session, line, masks, rigs
from reflexa.steps import Mask, kind_of
from reflexa.words import counted

_BELOW = "below"

_KEEP = "Save these joints with the rig, under your own name"
_REMOVE = "Remove the group from the rig. The mask stays."


class MaskSection(StepPanel):
    """The same for every kind of step that can be weighed."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        form = QFormLayout()
        form.setSpacing(6)
        self.weight = styled(QSpinBox(minimum=0, maximum=100, suffix=" %"), accessibleName="Weight")
        self.weight.setKeyboardTracking(False)
        self.weight.valueChanged.connect(lambda v: line.weigh(session, session.selection.card, v / 100))
        form.addRow("Weight", self.weight)
        self.choice = styled(QComboBox(), accessibleName="Joints")
        self._groups: dict[str, tuple[str, ...]] | None = None
        self._fill()
        self.choice.activated.connect(lambda _i: self._choose(self.choice.currentData()))
        form.addRow("Joints", self.choice)
        self.paint = styled(QPushButton("Paint"), checkable=True)
        self.paint.setToolTip(
            "Click joints in the picture or the Figure view to add or remove them; Shift: from there down"
        )
        self.paint.clicked.connect(session.selection.set_painting)
        self.other = QPushButton("Mirror")
        self.other.setToolTip("Mirror the mask to the other side")
        self.other.clicked.connect(lambda: masks.mirror(session))
        row = QHBoxLayout()
        row.addWidget(self.paint)
        row.addWidget(self.other)
        form.addRow("Mask", row)
        self.edge = styled(CountBox("joints", minimum=0, maximum=20), accessibleName="Soft edge")
        self.edge.setKeyboardTracking(False)
        self.edge.setToolTip("From the topmost joint of the mask down, the step fades in over this many joints")
        self.edge.valueChanged.connect(lambda v: masks.set_edge(session, v))
        form.addRow("Soft edge", self.edge)
        self.column.addLayout(form)
        group = QHBoxLayout()
        self.keep = QPushButton("Save…")
        self.keep.clicked.connect(self._keep_group)
        self.remove = QPushButton("Remove")
        self.remove.clicked.connect(lambda: rigs.keep_group(session, self.choice.currentText(), ()))
        group.addWidget(self.keep)
        group.addWidget(self.remove)
        form.addRow("Group", group)
        self.said = labels.text()
        self.column.addWidget(self.said)
        self.clear = QPushButton("Clear the envelope")
        self.clear.clicked.connect(self._clear)
        self.column.addWidget(self.clear)

    def _fill(self) -> None:
        """What there is to choose from: groups of the rig too."""
        rig = self.session.computed.step_rig
        groups = dict(rig.groups) if rig is not None else {}
        if groups == self._groups:
            return
        self._groups = groups
        self.choice.clear()
        self.choice.addItem("Whole body", None)
        for name in PRESETS:
            self.choice.addItem(name.capitalize(), Mask(parts=(name,)))
        for name, joints in groups.items():
            self.choice.addItem(name, Mask(joints=dict.fromkeys(joints, 1.0)))
        self.choice.addItem("From the selected joint down", _BELOW)

    def _keep_group(self) -> None:
        step, rig = self.session.step, self.session.computed.step_rig
        if step is None or step.mask is None or rig is None:
            return
        reached = step.mask.weights(rig)
        joints = tuple(n for n, w in zip(rig.skeleton.names, reached.tolist(), strict=True) if w > 0)
        name, good = QInputDialog.getText(self, "Save as a group", f"Name of these {counted(len(joints), 'joint')}")
        if good:
            rigs.keep_group(self.session, name, joints)

    def _choose(self, mask: Mask | str | None) -> None:
        session = self.session
        if mask == _BELOW:
            mask = masks.below_joint(session)
            if mask is None:
                session.said.emit("Select a joint first: the mask covers it and everything below it.")
                self.refresh()
                return
        assert not isinstance(mask, str)
        masks.set_mask(session, mask)

    def _clear(self) -> None:
        if self.session.step is not None:
            line.edit(self.session, "clear the envelope", replace(self.session.step, envelope=()))

    def refresh(self) -> None:
        step = self.session.step
        if step is None:
            return
        self._fill()
        self.weight.setMaximum(round(100 * kind_of(step.kind).most_weight))
        put(self.weight, round(step.weight * 100))
        self.paint.setChecked(self.session.selection.painting)
        self.other.setEnabled(step.mask is not None)
        self.edge.setEnabled(step.mask is not None)
        put(self.edge, step.mask.edge if step.mask is not None else 0)
        self.choice.setCurrentIndex(self._index(step.mask))
        own = self.choice.currentText() in (self._groups or {})
        self.keep.setEnabled(step.mask is not None and not own)
        self.keep.setToolTip(
            "The step affects the whole body: choose or paint joints first" if step.mask is None
            else "These joints are saved as that group already" if own else _KEEP
        )  # fmt: skip
        self.remove.setEnabled(own)
        self.remove.setToolTip(_REMOVE if own else "Choose one of your groups above first")
        self.said.setText(_said(step.mask))
        self.clear.setEnabled(bool(step.envelope))
        self.clear.setToolTip("" if step.envelope else "The step has no envelope")

    def _index(self, mask: Mask | None) -> int:
        """Which entry of the list a mask is; the last where it is none of the presets."""
        if mask is None:
            return 0
        last = self.choice.count() - 1
        plain = replace(mask, edge=0)
        return next((i for i in range(1, last) if self.choice.itemData(i) == plain), last)


def _said(mask: Mask | None) -> str:
    if mask is None:
        return "The step affects all joints."
    count = len(mask.joints)
    if count:
        return f"Affects {counted(count, 'joint')}: {', '.join(list(mask.joints)[:4])}{' …' if count > 4 else ''}."
    return f"Affects {', '.join(mask.parts) or 'no joint'}."
