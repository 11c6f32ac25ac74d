"""Every command once: menus, shortcuts and command search are all made from here."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from functools import lru_cache

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu

from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.actions.synonyms import ALSO
from reflexa.words import sentence

# What leads to commands without a key of their own: two strokes for what is done daily, three for the rest, the second of them
# the letter of the menu.
LEADS = {"Take/2/Add a step": "Ctrl+B", "View": "Ctrl+H", "Keys/6/Rows": "Ctrl+Shift+R"}
REST = "Ctrl+G"


class Registry:
    """Commands by id, and the actions made from them."""

    def __init__(self, desk: Desk, commands: Iterable[Command]) -> None:
        self._desk = desk
        self._commands: dict[str, Command] = {}
        self._actions: dict[str, QAction] = {}
        self._letters: dict[str, str] = {}
        for command in commands:
            self.add(command)

    def add(self, command: Command) -> None:
        """Take a command into the list. Raises ValueError where there is one of that id already."""
        if command.id in self._commands:
            raise ValueError(f"there is a command {command.id!r} already")
        window = self._desk.window
        self._commands[command.id] = replace(command, also=f"{command.also} {ALSO.get(command.id, '')}".strip())
        action = QAction(command.title, window)
        action.setObjectName(command.id)
        if command.shortcut:
            action.setShortcuts([QKeySequence(s) for s in command.shortcut.split(" | ")])
        if command.checked is not None:
            action.setCheckable(True)
        action.triggered.connect(lambda *_: self.run(command.id))
        self._actions[command.id] = action
        if command.frames:
            action.setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        for place in (self._desk.viewport, self._desk.time) if command.frames else (window,):
            place.addAction(action)

    def why_not(self, command: Command) -> str:
        """The reason why a command cannot run now, or an empty text."""
        return sentence(command.why_not(self._desk))

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
            title = command.named(self._desk) if command.named is not None else command.title
            action.setText(with_letter(title, self._letters.get(id_, "")))
            action.setToolTip(reason or title)
            action.setStatusTip(reason)
            if command.checked is not None:
                action.setChecked(command.checked(self._desk))

    def action(self, command_id: str) -> QAction:
        """The action of a command, to be put into a menu."""
        return self._actions[command_id]

    def __iter__(self) -> Iterator[Command]:
        return iter(self._commands.values())

    def fill_menu_bar(self) -> None:
        """One menu for each name, in the order of the commands, with a line between groups; every entry has a letter of its own
        in its menu."""
        bar, menus = self._desk.window.menuBar(), dict[str, QMenu]()
        for command in self._commands.values():
            name, _, rest = command.menu.partition("/")
            group, _, below = rest.partition("/")
            menu = menus.get(name)
            if menu is None:
                menu = menus[name] = bar.addMenu(name)
                menu.setToolTipsVisible(True)
                menu.aboutToShow.connect(self.refresh)
            if group != menu.property("group") and menu.actions():
                menu.addSeparator()
            menu.setProperty("group", group)
            if below:
                menu = menus.get(f"{name}/{below}") or menu.addMenu(below)
                menu.setToolTipsVisible(True)
                menus[f"{name}/{below}"] = menu
            menu.addAction(self._actions[command.id])
        for actions in (bar.actions(), *(m.actions() for m in menus.values())):
            self._give_letters(actions)
        self._give_strokes()

    def _give_strokes(self) -> None:
        """Commands without a key of their own get a row of them: what leads to their place in the menus, then a letter."""
        without: dict[str, list[Command]] = {}
        tops = {
            a.text().replace("&", ""): a.text().partition("&")[2][:1].upper()
            for a in self._desk.window.menuBar().actions()
        }
        for command in self._commands.values():
            if not command.shortcut:
                name = command.menu.partition("/")[0]
                lead = next(
                    (k for place, k in LEADS.items() if command.menu.startswith(place)), f"{REST}, {tops[name]}"
                )
                without.setdefault(lead, []).append(command)
        for lead, commands in without.items():
            for command, letter in zip(
                commands, letters([c.title.removeprefix("Add ") for c in commands]), strict=True
            ):
                if letter:
                    self._commands[command.id] = replace(command, shortcut=f"{lead}, {letter.upper()}")
                    self._actions[command.id].setShortcut(QKeySequence(self._commands[command.id].shortcut))

    def _give_letters(self, actions: list[QAction]) -> None:
        for action, letter in zip(actions, letters([a.text() for a in actions]), strict=True):
            self._letters[action.objectName()] = letter
            action.setText(with_letter(action.text(), letter))


def letters(titles: list[str]) -> list[str]:
    """A letter for each title that no other has, as far as there are any; an empty text where there are none left."""
    of: dict[str, int] = {}

    def give(i: int, tried: set[str]) -> bool:
        for c in map(str.lower, _candidates(titles[i])):
            if c not in tried:
                tried.add(c)
                if c not in of or give(of[c], tried):  # whoever had it takes another one
                    of[c] = i
                    return True
        return False

    for i in range(len(titles)):
        give(i, set())
    found = {i: c for c, i in of.items()}
    return [found.get(i, "") for i in range(len(titles))]


def _candidates(title: str) -> Iterator[str]:
    """Letters that a title may be known by: those that begin its words first."""
    yield from (word[0] for word in title.split() if word[0].isalnum())
    yield from (c for c in title if c.isalnum())


@lru_cache(maxsize=2000)
def with_letter(title: str, letter: str) -> str:
    """A title with a letter of it underlined."""
    whole = title.replace("&", "&&")
    at = whole.lower().find(letter) if letter else -1
    starts = [i for i, c in enumerate(whole) if c.lower() == letter and (i == 0 or whole[i - 1] == " ")]
    at = starts[0] if starts else at
    return f"{whole[:at]}&{whole[at:]}" if at >= 0 else whole
