"""Two clips in numbers: which joints differ, by how much and where."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from reflexa.desktop.settings.joint_table import JointTable, Row
from reflexa.desktop.widgets import labels
from reflexa.motion.compare import Comparison
from reflexa.session import Session
from reflexa.words import counted


class Differences(QDialog):
    """A row leads to its joint, and to the frame where it is furthest off."""

    def __init__(self, session: Session, names: tuple[str, str], found: Comparison, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"{names[0]} against {names[1]}")
        self.resize(560, 520)
        column = QVBoxLayout(self)
        said = (
            f"{found.frames[0]} and {counted(found.frames[1], 'frame')}." if found.frames[0] != found.frames[1] else ""
        )
        for name, only in zip(names, found.only, strict=True):
            said += f" Only in {name}: {', '.join(only[:8])}." if only else ""
        off = [d for d in found.joints if d.turn > 0.005 or d.move > 0.05]
        said += f" {len(off)} of {len(found.joints)} joints differ." if off else " No joint differs."
        column.addWidget(labels.text(said.strip()))
        self.table = JointTable(
            session, "Differences", ["Joint", "rotation °", "mean °", "move mm", "mean mm", "frame"]
        )
        rows: list[Row] = [
            (
                (d.joint, f"{d.turn:.2f}", f"{d.mean_turn:.2f}", f"{d.move:.1f}", f"{d.mean_move:.1f}", f"{d.move_frame}"),
                f"{d.joint}: largest rotation at frame {d.turn_frame}, largest move at frame {d.move_frame}",
                    d.joint, d.move_frame,
            ) for d in off
        ]  # fmt: skip
        self.table.show_rows(rows, most=18)
        column.addWidget(self.table)
        column.addStretch(1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
