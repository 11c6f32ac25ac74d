"""Boxes that say or ask something, with icons of our own."""

from __future__ import annotations

from PySide6.QtWidgets import QMessageBox, QWidget

from reflexa.desktop.look import theme

# Pixels across.
_ICON = 40
# What a box is about: the icon, and its colour by token.
WARNING, NOTE, QUESTION = ("warning", "warn"), ("note", "accent"), ("question", "accent")


def box(about: tuple[str, str], title: str, text: str, parent: QWidget | None) -> QMessageBox:
    """A box without buttons yet (where none is given to it, it has OK)."""
    out = QMessageBox(parent)
    out.setWindowTitle(title)
    out.setText(text)
    out.setIconPixmap(theme.icon(*about).pixmap(_ICON, _ICON))
    return out


def answer(asking: QMessageBox, *answers: str) -> int:
    """Wait for the answer to a box: its number, the last one where the box is closed."""
    roles = [
        QMessageBox.ButtonRole.AcceptRole,
        *[QMessageBox.ButtonRole.ActionRole] * (len(answers) - 2),
        QMessageBox.ButtonRole.RejectRole,
    ]
    buttons = [asking.addButton(a, role) for a, role in zip(answers, roles, strict=True)]
    asking.exec()
    return next((i for i, b in enumerate(buttons) if b is asking.clickedButton()), len(answers) - 1)
