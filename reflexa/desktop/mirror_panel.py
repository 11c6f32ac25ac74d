"""What a mirror will do on this rig: pairs, how they were found, how exact they are, and who has none."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from reflexa.desktop.session import Session


class MirrorPanel(QWidget):
    """Selecting a pair selects its left joint in the picture."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(5)
        self.unpaired = QLabel(objectName="warn", wordWrap=True)
        column.addWidget(self.unpaired)
        self.summary = QLabel(wordWrap=True)
        column.addWidget(self.summary)
        self.table = QTableWidget(0, 4)
        self.table.setAccessibleName("Pairs")
        self.table.setHorizontalHeaderLabels(["Left", "Right", "mm", "deg"])
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(21)
        self.table.setShowGrid(False)
        self.table.setIconSize(QSize(12, 12))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setMinimumHeight(210)
        header = self.table.horizontalHeader()
        for i in (0, 1):
            header.setSectionResizeMode(i, QHeaderView.ResizeMode.Stretch)
        for i in (2, 3):
            header.setSectionResizeMode(i, QHeaderView.ResizeMode.ResizeToContents)
        self.table.itemSelectionChanged.connect(self._picked)
        column.addWidget(self.table)
        self._rig: object = None

    def refresh(self) -> None:
        rig = self.session.rig
        if rig is None or rig is self._rig:
            return
        self._rig = rig
        self.unpaired.setVisible(bool(rig.unpaired))
        if rig.unpaired:
            self.unpaired.setText(f"Without a partner: {', '.join(rig.unpaired)}. They are mirrored in themselves.")
        ways: dict[str, int] = {}
        for p in rig.pairs:
            ways[p.found_by] = ways.get(p.found_by, 0) + 1
        found = ", ".join(f"{n} by {way}" for way, n in ways.items()) or "none"
        worst = max((p.residual_mm for p in rig.pairs), default=0.0)
        exact = "The rig is exactly symmetric." if worst < 0.01 else f"Rest poses differ by up to {worst:.1f} mm."
        self.summary.setText(f"Pairs: {found}; {len(rig.centre)} joints on the centre line. {exact}")
        self.table.blockSignals(True)
        self.table.setRowCount(len(rig.pairs))
        for row, p in enumerate(sorted(rig.pairs, key=lambda p: -p.residual_mm)):
            for col, text in enumerate((p.left, p.right, f"{p.residual_mm:.1f}", f"{p.residual_deg:.1f}")):
                item = QTableWidgetItem(text)
                item.setToolTip(
                    f"{p.left} and {p.right}, found by {p.found_by}: {p.residual_mm:.2f} mm, {p.residual_deg:.2f}°"
                )
                if col >= 2:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, col, item)
        self.table.blockSignals(False)

    def _picked(self) -> None:
        items = self.table.selectedItems()
        if items:
            self.session.select_joint(items[0].text())
