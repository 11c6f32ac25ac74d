"""Choosing among projects that were open lately."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import styled

_FOLDER = Qt.ItemDataRole.UserRole


class RecentDialog(QDialog):
    """``chosen``: a project's folder, or None for the demo."""

    chosen = Signal(object)

    def __init__(self, folders: Sequence[Path], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Recent projects")
        self.list = styled(QListWidget(), accessibleName="Recent projects")
        for folder in folders:
            self._add(f"{folder.name}\n{folder.parent}", folder)
        self._add("Saltmarsh Ferry, the demo\na fresh copy", None)
        self.list.setCurrentRow(0)
        self.list.itemActivated.connect(lambda _: self.accept())
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Open | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        if not folders:
            column.addWidget(labels.quiet("Projects that you save or open are listed here."))
        column.addWidget(self.list)
        column.addWidget(self.buttons)
        self.resize(460, 340)

    def _add(self, text: str, folder: Path | None) -> None:
        item = QListWidgetItem(text)
        item.setData(_FOLDER, folder)
        self.list.addItem(item)

    def accept(self) -> None:
        item = self.list.currentItem()
        super().accept()
        if item is not None:
            self.chosen.emit(item.data(_FOLDER))
