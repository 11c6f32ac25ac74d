"""Where the results of a batch go: takes of the project, or files."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QRadioButton, QVBoxLayout, QWidget

from reflexa.desktop.dialogs.folder_row import FolderRow
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.formats import STANDARD, writable
from reflexa.project.store import is_own
from reflexa.session import Session


class BatchResults(QWidget):
    """Takes can be edited further; files are written and read back. ``changed``: something else is wanted."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._folder = session.folder
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.takes = styled(
            QRadioButton("Takes, in a new folder"), checked=True,
            toolTip="A take of each clip with the steps of the recipe, which you can check and edit. One undo "
                    "removes them all.",
        )  # fmt: skip
        self.files = styled(QRadioButton("Files"), toolTip="A new clip file of each, verified by reading it back")
        column.addWidget(self.takes)
        column.addWidget(self.files)
        self._more = QWidget()
        form = QFormLayout(self._more)
        form.setContentsMargins(18, 0, 0, 0)
        self.place = FolderRow(self, session.folder / "build" if session.sources.placed else Path.home())
        form.addRow("Folder", self.place)
        self.kind = styled(QComboBox(), accessibleName="Format")
        for f in writable():
            self.kind.addItem(f.title, f.name)
        self.kind.setCurrentIndex(max(self.kind.findData(STANDARD), 0))
        form.addRow("Format", self.kind)
        self.over = QCheckBox("Overwrite existing files")
        form.addRow(self.over)
        column.addWidget(self._more)
        self.files.toggled.connect(self._more.setVisible)
        self._more.hide()
        self.files.toggled.connect(self.changed)
        self.place.field.textChanged.connect(self.changed)

    @property
    def folder(self) -> Path | None:
        """Where files go; None: takes are made."""
        return self.place.folder if self.files.isChecked() else None

    @property
    def format(self) -> str:
        return str(self.kind.currentData())

    @property
    def overwrite(self) -> bool:
        return self.over.isChecked()

    @property
    def problem(self) -> str:
        """What stands against it, or an empty text."""
        if not self.files.isChecked():
            return ""
        if not self.place.field.text().strip():
            return "Choose a folder for the files"
        return "That folder belongs to the project: choose another" if is_own(self._folder, self.place.folder) else ""
