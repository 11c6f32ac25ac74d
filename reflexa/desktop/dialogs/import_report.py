"""What an import found in each file, and what could not be read."""

from __future__ import annotations

from collections.abc import Mapping
from html import escape

from PySide6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QTextBrowser, QVBoxLayout, QWidget


class ImportReport(QDialog):
    """``make_take`` is checked where takes are to be made of the clips."""

    def __init__(self, found: Mapping[str, list[str]], errors: list[str], parent: QWidget) -> None:
        """found: by file what is said of it."""
        super().__init__(parent)
        self.setWindowTitle("Import")
        self.resize(560, 420)
        column = QVBoxLayout(self)
        self.text = QTextBrowser()
        self.text.setAccessibleName("What the import found")
        parts = [f"<p><b>Not imported.</b> {escape(e)}</p>" for e in errors]
        for file, lines in found.items():
            rows = "".join(f"<li>{escape(line)}</li>" for line in lines)
            parts.append(f"<p><b>{escape(file)}</b></p><ul>{rows}</ul>")
        self.text.setHtml("".join(parts))
        column.addWidget(self.text)
        self.make_take = QCheckBox("Make a take of each clip and open the first one")
        self.make_take.setChecked(bool(found))
        self.make_take.setVisible(bool(found))
        column.addWidget(self.make_take)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok)
        buttons.accepted.connect(self.accept)
        column.addWidget(buttons)
