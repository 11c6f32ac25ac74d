"""A dialog that does something to many takes, one after the other: a list of them, a folder, progress, and what came of it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QDialog, QLabel, QListWidget, QProgressBar, QVBoxLayout, QWidget

from reflexa.desktop.dialogs.folder_row import FolderRow
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.buttons import add_buttons
from reflexa.desktop.widgets.qt_properties import styled


class RunDialog(QDialog):
    """``go`` and ``stop`` are its buttons; ``more`` has room for what else can be said. Subclasses start and stop."""

    def __init__(self, parent: QWidget, title: str, about: str, action: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(600, 480)
        column = QVBoxLayout(self)
        column.addWidget(QLabel(about))
        self.list = styled(QListWidget(), accessibleName="Takes")
        column.addWidget(self.list, 1)
        self.place = FolderRow(self, Path())
        self.place.insertWidget(0, QLabel("Folder"))
        column.addLayout(self.place)
        self.more = QVBoxLayout()
        column.addLayout(self.more)
        self.bar = styled(QProgressBar(), accessibleName=title)
        self.bar.hide()
        column.addWidget(self.bar)
        self.said = labels.text()
        column.addWidget(self.said)
        self.go, self.stop = add_buttons(self, column, action, "Close", self.start)

    def start(self) -> None:
        """Begin."""

    def show_running(self, count: int) -> None:
        """It has begun, with so many."""
        self.bar.setRange(0, count)
        self.bar.setValue(0)
        self.bar.show()
        self.go.setEnabled(False)
        self.stop.setText("Stop")

    def show_ended(self) -> None:
        """Nothing is under way any more."""
        self.bar.hide()
        self.stop.setText("Close")
