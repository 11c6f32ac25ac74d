"""The row of buttons below a dialog."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QBoxLayout, QDialog, QDialogButtonBox, QPushButton

from reflexa.desktop.widgets.qt_properties import named


def add_buttons(
    dialog: QDialog, column: QBoxLayout, go: str, leave: str, then: Callable[[], object]
) -> tuple[QPushButton, QPushButton]:
    """Put a row with what the dialog is for, and with leaving it, below a column. then: what ``go`` does. Both buttons."""
    row = QDialogButtonBox()
    buttons = (
        named(row.addButton(go, QDialogButtonBox.ButtonRole.AcceptRole), "main"),
        row.addButton(leave, QDialogButtonBox.ButtonRole.RejectRole),
    )
    row.accepted.connect(then)
    row.rejected.connect(dialog.reject)
    column.addWidget(row)
    return buttons
