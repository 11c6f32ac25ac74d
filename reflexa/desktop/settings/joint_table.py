"""Small tables of numbers in the settings: a row leads to a joint, and to the frame where it is worst."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
)

from reflexa.session import Session

Row = tuple[tuple[str, ...], str, str, int]


class JointTable(QTableWidget):
    """Rows of texts; selecting one selects its joint, and goes to its frame where it has one (not below zero)."""

    def __init__(self, session: Session, name: str, columns: list[str]) -> None:
        super().__init__(0, len(columns))
        self.session = session
        self._goes: list[tuple[str, int]] = []
        self.setAccessibleName(name)
        self.setHorizontalHeaderLabels(columns)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(21)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        header = self.horizontalHeader()
        many = len(columns) > 3  # numbers mostly, which are short: they share what the first leaves
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch if many else QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(not many)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemSelectionChanged.connect(self._picked)

    def show_rows(self, rows: list[Row], most: int = 7) -> None:
        """Rows: texts, tool tip, joint, frame (-1: stay where the playhead is)."""
        self.blockSignals(True)
        self.setRowCount(len(rows))
        self._goes = [(joint, frame) for _, _, joint, frame in rows]
        for r, (texts, tip, _, _) in enumerate(rows):
            for c, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setToolTip(tip)
                if c and text[:1] in "0123456789-+":
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.setItem(r, c, item)
        self.clearSelection()
        self.blockSignals(False)
        self.setFixedHeight(26 + 21 * max(1, min(most, len(rows))))

    def _picked(self) -> None:
        rows = {i.row() for i in self.selectedItems()}
        if rows:
            joint, frame = self._goes[min(rows)]
            if frame >= 0:
                self.session.player.set_frame(frame)
            if joint:
                self.session.selection.select_joint(joint)
