"""Every command once: menus, shortcuts and command search are all made from here."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu

from reflexa.desktop.actions.desk import Command, Desk


class Registry:
    """Commands by id, and the actions made from them."""

    def __init__(self, desk: Desk, commands: Iterable[Command]) -> None:
        self._desk = desk
        self._commands: dict[str, Command] = {}
        self._actions: dict[str, QAction] = {}
        for command in commands:
            self.add(command)

    def add(self, command: Command) -> None:
        """Take a command into the list. Raises ValueError where there is one of that id already."""
        if command.id in self._commands:
            raise ValueError(f"there is a command {command.id!r} already")
        window = self._desk.window
        self._commands[command.id] = command
        action = QAction(command.title, window)
        action.setObjectName(command.id)
        if command.shortcut:
            action.setShortcuts([QKeySequence(s) for s in command.shortcut.split(" | ")])
        if command.checked is not None:
            action.setCheckable(True)
        action.triggered.connect(lambda *_: self.run(command.id))
        self._actions[command.id] = action
        window.addAction(action)

    def why_not(self, command: Command) -> str:
        """The reason why a command cannot run now, or an empty text."""
        return command.why_not(self._desk)

    def run(self, command_id: str) -> None:
        """Run a command, unless there is a reason against it; then say the reason."""
        command = self._commands[command_id]
        reason = self.why_not(command)
        if reason:
            self._desk.say(reason)
        else:
            command.run(self._desk)
        self.refresh()

    def refresh(self) -> None:
        """Bring enabled and checked states up to date; a disabled command says why in its tool tip."""
        for id_, command in self._commands.items():
            reason = self.why_not(command)
            action = self._actions[id_]
            action.setEnabled(not reason)
            if command.named is not None:
                action.setText(command.named(self._desk))
            action.setToolTip(reason or action.text())
            action.setStatusTip(reason)
            if command.checked is not None:
                action.setChecked(command.checked(self._desk))

    def action(self, command_id: str) -> QAction:
        """The action of a command, to be put into a menu."""
        return self._actions[command_id]

    def __iter__(self) -> Iterator[Command]:
        return iter(self._commands.values())

    def fill_menu_bar(self) -> None:
        """One menu for each name, in the order of the commands, with a line between groups."""
        menus: dict[str, QMenu] = {}
        for command in self._commands.values():
            name, _, group = command.menu.partition("/")
            menu = menus.get(name)
            if menu is None:
                menu = menus[name] = self._desk.window.menuBar().addMenu(name)
                menu.setToolTipsVisible(True)
                menu.aboutToShow.connect(self.refresh)
            if group != menu.property("group") and menu.actions():
                menu.addSeparator()
            menu.setProperty("group", group)
            menu.addAction(self._actions[command.id])
