"""Type a few letters of a command's name, Return runs it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from reflexa.desktop.actions.registry import Registry


class CommandSearch(QDialog):
    """Commands that cannot be run now say why."""

    def __init__(self, commands: Registry, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find a command")
        self.resize(560, 400)
        self.commands = commands
        column = QVBoxLayout(self)
        self.field = QLineEdit(placeholderText="What do you want to do?")
        self.field.setAccessibleName("Search commands")
        self.field.textChanged.connect(self._list)
        self.field.returnPressed.connect(self._run)
        column.addWidget(self.field)
        self.found = QListWidget()
        self.found.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.found.itemActivated.connect(lambda _i: self._run())
        column.addWidget(self.found)
        self._list("")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            by = 1 if event.key() == Qt.Key.Key_Down else -1
            self.found.setCurrentRow(max(0, min(self.found.count() - 1, self.found.currentRow() + by)))
        else:
            super().keyPressEvent(event)

    def _list(self, text: str) -> None:
        words = text.lower().split()
        self.found.clear()
        own = [c for c in self.commands if all(w in f"{c.title} {c.menu}".lower() for w in words)]
        others = [
            c for c in self.commands if c not in own and all(w in f"{c.title} {c.menu} {c.also}".lower() for w in words)
        ]
        for c in (*own, *others):
            reason = self.commands.why_not(c)
            shortcut = f"   {c.shortcut.split(' | ')[0]}" if c.shortcut else ""
            item = QListWidgetItem(f"{c.title}{shortcut}" + (f" — {reason}" if reason else ""))
            item.setData(Qt.ItemDataRole.UserRole, c.id)
            item.setToolTip(f"In the menu {c.menu.split('/')[0]}" + (f"\n{reason}" if reason else ""))
            if reason:
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
            self.found.addItem(item)
        self.found.setCurrentRow(0)

    def _run(self) -> None:
        item = self.found.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.accept()
            self.commands.run(item.data(Qt.ItemDataRole.UserRole))
