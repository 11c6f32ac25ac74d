"""What of a result is exported: all of it or the difference from a base, all joints or some."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QHBoxLayout, QWidget

from reflexa.desktop.settings.choices import clip_choices
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.output.additive import FIRST, REST
from reflexa.rig import PRESETS, Rig
from reflexa.rig.bodymap import joints_of
from reflexa.session import Session
from reflexa.take import Export, Part

_WITHOUT: dict[Part, tuple[str, str]] = {
    "helpers": ("Helper joints", "Joints that follow others by a rule, and twist joints"),
    "fingers": ("Fingers", "Fingers and thumbs, and what hangs on them"),
    "tracks": ("Tracks", "Scalar curves, such as the weights of face shapes"),
    "scale": ("Scale", "Scales of joints"),
}


class PartRows:
    """Rows of a form: the base of an additive clip, and the part of the skeleton."""

    def __init__(self, session: Session, form: QFormLayout, chosen: Export, rig: Rig | None) -> None:
        self.base = styled(QComboBox(), accessibleName="Motion")
        frame = session.player.frame
        self.base.addItem("All of it", "")
        self.base.addItem("Difference from the rest pose", REST)
        self.base.addItem("Difference from its first frame", FIRST)
        self.base.addItem(f"Difference from frame {frame}, at the playhead", f"frame {frame}")
        for title, name in clip_choices(session)[1:]:
            self.base.addItem(f"Difference from {title}", name)
        self.base.setToolTip(
            "An additive clip contains only what differs from a base. In the engine, it is added onto any clip of the same rig."
        )
        if self.base.findData(chosen.additive) < 0:
            self.base.addItem(f"Difference from {chosen.additive}", chosen.additive)
        self.base.setCurrentIndex(self.base.findData(chosen.additive))
        form.addRow("Motion", self.base)
        self.turns = styled(QComboBox(), accessibleName="Axes of the difference")
        self.turns.addItem("About the joint's own axes", "own")
        self.turns.addItem("About the axes of its parent", "parent")
        self.turns.setCurrentIndex(self.turns.findData(chosen.additive_turns))
        self.root = QCheckBox("With the root")
        self.root.setToolTip("Off: the root moves as it does in the base")
        self.root.setChecked(chosen.additive_root)
        self._additive = in_a_row(self.turns, self.root)
        form.addRow("Rotations", self._additive)
        self.base.currentIndexChanged.connect(lambda: form.setRowVisible(self._additive, bool(self.base.currentData())))
        form.setRowVisible(self._additive, bool(chosen.additive))
        self.joints = styled(QComboBox(), accessibleName="Joints")
        self.joints.addItem("All joints", ())
        for name in _groups(rig) if rig is not None else ():
            self.joints.addItem(f"{name[:1].upper()}{name[1:]}", (name,))
        if chosen.joints and self._at(chosen.joints) < 0:
            self.joints.addItem(", ".join(chosen.joints), chosen.joints)
        self.joints.setCurrentIndex(max(self._at(chosen.joints), 0))
        form.addRow("Joints", self.joints)
        self.without: dict[Part, QCheckBox] = {
            word: styled(QCheckBox(title), toolTip=tip) for word, (title, tip) in _WITHOUT.items()
        }
        for word, box in self.without.items():
            box.setChecked(word in chosen.without)
        form.addRow("Leave out", in_a_row(*self.without.values()))

    def _at(self, joints: tuple[str, ...]) -> int:
        return next((i for i in range(self.joints.count()) if tuple(self.joints.itemData(i) or ()) == joints), -1)

    def chosen(self, export: Export) -> Export:
        """Export settings with what is chosen here."""
        return replace(
            export, additive=self.base.currentData(), additive_turns=self.turns.currentData(),
            additive_root=self.root.isChecked(), joints=tuple(self.joints.currentData() or ()),
            without=tuple(word for word, box in self.without.items() if box.isChecked()),
        )  # fmt: skip


def _groups(rig: Rig) -> list[str]:
    return [*rig.groups, *(p for p in PRESETS if joints_of(rig.body_map, p)), *rig.chains]


def in_a_row(*parts: QWidget) -> QWidget:
    """Fields beside each other, for one row of a form."""
    out = QWidget()
    row = QHBoxLayout(out)
    row.setContentsMargins(0, 0, 0, 0)
    for part in parts:
        row.addWidget(part, 0 if isinstance(part, QCheckBox) else 1)
    return out
