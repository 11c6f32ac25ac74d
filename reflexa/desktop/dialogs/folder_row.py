"""A field for a folder with a button that chooses one."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QPushButton, QWidget

from reflexa.desktop.widgets.qt_properties import styled


class FolderRow(QHBoxLayout):
    """``field`` holds its name."""

    def __init__(self, parent: QWidget, folder: Path) -> None:
        super().__init__()
        self._parent = parent
        self.field = styled(QLineEdit(str(folder)), accessibleName="Folder")
        button = QPushButton("Choose…")
        button.clicked.connect(self._browse)
        self.addWidget(self.field, 1)
        self.addWidget(button)

    @property
    def folder(self) -> Path:
        """The folder, with ``~`` written out."""
        return Path(self.field.text()).expanduser()

    def _browse(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self._parent, "Folder", self.field.text())
        if chosen:
            self.field.setText(chosen)
