"""Every command once: menus, shortcuts and command search are all made from this list."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMainWindow, QMenu


@dataclass(frozen=True)
class Command:
    """menu "" keeps it out of the menus. why_not gives the reason why it cannot run now, or an empty text."""

    id: str
    title: str
    menu: str
    run: Callable[[], object]
    shortcut: str = ""
    why_not: Callable[[], str] = lambda: ""
    checked: Callable[[], bool] | None = None


class Registry:
    """Commands by id, and the actions made from them."""

    def __init__(self, window: QMainWindow) -> None:
        self._window = window
        self._commands: dict[str, Command] = {}
        self._actions: dict[str, QAction] = {}

    def add(self, command: Command) -> None:
        self._commands[command.id] = command
        action = QAction(command.title, self._window)
        action.setObjectName(command.id)
        if command.shortcut:
            action.setShortcuts([QKeySequence(s) for s in command.shortcut.split(" | ")])
        if command.checked is not None:
            action.setCheckable(True)
        action.triggered.connect(lambda *_: self.run(command.id))
        self._actions[command.id] = action
        self._window.addAction(action)

    def run(self, command_id: str) -> None:
        """Run a command, unless there is a reason against it; then say the reason."""
        command = self._commands[command_id]
        reason = command.why_not()
        if reason:
            self._window.statusBar().showMessage(reason, 6000)
        else:
            command.run()
        self.refresh()

    def refresh(self) -> None:
        """Bring enabled and checked states up to date; a disabled command says why in its tool tip."""
        for id_, command in self._commands.items():
            reason = command.why_not()
            action = self._actions[id_]
            action.setEnabled(not reason)
            action.setToolTip(reason or command.title)
            action.setStatusTip(reason)
            if command.checked is not None:
                action.setChecked(command.checked())

    def action(self, command_id: str) -> QAction:
        return self._actions[command_id]

    def __iter__(self) -> Iterator[Command]:
        return iter(self._commands.values())

    def fill_menu_bar(self) -> None:
        """One menu for each name, in the order of the commands; "-" in a title's place makes a line."""
        menus: dict[str, QMenu] = {}
        for command in self._commands.values():
            if not command.menu:
                continue
            name, _, group = command.menu.partition("/")
            menu = menus.get(name)
            if menu is None:
                menu = menus[name] = self._window.menuBar().addMenu(name)
                menu.setToolTipsVisible(True)
                menu.aboutToShow.connect(self.refresh)
            if group != menu.property("group") and menu.actions():
                menu.addSeparator()
            menu.setProperty("group", group)
            menu.addAction(self._actions[command.id])
