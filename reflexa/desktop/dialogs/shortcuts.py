"""Every command with its shortcut, and what the mouse does."""

from __future__ import annotations

from html import escape

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QTextBrowser, QVBoxLayout, QWidget

from reflexa.desktop.actions.registry import Registry
from reflexa.desktop.picture.by_keys import HOW

MOUSE = (
    ("Drag in the picture", "orbit"),
    ("Shift+drag or middle drag", "pan"),
    ("Wheel or right drag", "zoom"),
    ("Click a joint", "select it"),
    ("Drag a hoop", "rotate the joint (Ctrl: steps of 5°)"),
    ("Drag keys", "move them by whole frames"),
    ("Drag from empty space", "select keys in a box"),
    ("Double-click the envelope", "add or remove a point"),
    ("Wheel in the time area", "zoom in time (Shift: pan)"),
    ("Drag a card", "move the step"),
    ("Double-click a card's name", "rename the step"),
    *HOW,
    ("Up and Down in the key sheet", "go to the row above or below"),
    ("Page Up and Page Down in the key sheet", "go to the next key of the row (Shift: select it too)"),
    ("+ and - in the key sheet", "collapse the body part of the row, expand all"),
    (
        "Page Up and Page Down on the ruler",
        "go to the next event (Shift+Left and Right move it, Return renames, Insert adds)",
    ),
    (
        "Page Up and Page Down on the ranges",
        "choose a range (Up and Down: the range or one of its ends; Left and Right move it)",
    ),
    ("Left and Right on a card", "go to the next card"),
    ("Ctrl+B, then a letter", "add a step"),
    ("Ctrl+H, then a letter", "what the picture shows"),
    ("Ctrl+G, then the menu's letter and another", "commands without another shortcut"),
)


class Shortcuts(QDialog):
    """Two columns: what, and with which keys."""

    def __init__(self, commands: Registry, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys and mouse")
        self.resize(460, 560)
        rows = [(c.title, c.shortcut.replace(" | ", " or ")) for c in commands if c.shortcut]
        rows += [(b.capitalize(), a) for a, b in MOUSE]
        html = "".join(
            f"<tr><td style='padding:2px 24px 2px 0'>{escape(a)}</td><td>{escape(b)}</td></tr>" for a, b in rows
        )
        column = QVBoxLayout(self)
        text = QTextBrowser()
        text.setHtml(f"<table>{html}</table>")
        column.addWidget(text)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
