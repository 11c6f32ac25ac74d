"""The bars that lie over the picture: how it is compared, and what of it is shown."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QObject, QSize, Signal
from PySide6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QMenu, QToolButton, QWidget

from reflexa.desktop.look import theme
from reflexa.desktop.picture.view import COMPARE
from reflexa.desktop.widgets.qt_properties import named, styled
from reflexa.draw.camera import STANDARD

# What can be switched: the field of the look (its icon has the same name), what it does, and more of it.
SWITCHES = {
    "mesh": ("Show the skin", ""),
    "joints": ("Show joints and bones", ""),
    "follow": ("Keep the figure in the picture", "while it travels"),
    "in_place": ("In place", "shows the clip without its travel"),
    "ghosts": ("Show ghosts", "the figure some frames before and after"),
    "trail": ("Show the joint's trail", "before and after the steps"),
    "weight": ("Show the centre of mass", "its motion, and the point below it on the ground"),
    "differences": ("Show differences as colour", "how far each joint is from its place before"),
}


def _bar(parent: QWidget) -> tuple[QFrame, QHBoxLayout]:
    bar = named(QFrame(parent), "overlay")
    row = QHBoxLayout(bar)
    row.setContentsMargins(4, 3, 4, 3)
    row.setSpacing(2)
    return bar, row


class CompareBar(QObject):
    """One of the ways to compare."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget, now: str) -> None:
        super().__init__(parent)
        self.frame, row = _bar(parent)
        group = QButtonGroup(self)
        self.buttons: dict[str, QToolButton] = {}
        for name, tip in COMPARE.items():
            button = styled(QToolButton(), text=name, checkable=True, checked=name == now, toolTip=tip)
            button.clicked.connect(lambda _=False, n=name: self.chosen.emit(n))
            group.addButton(button)
            row.addWidget(button)
            self.buttons[name] = button


class ToolBar(QObject):
    """Switches of what is shown, and where it is seen from."""

    switched = Signal(str, bool)
    view_chosen = Signal(str)
    parallel_wanted = Signal()

    def __init__(self, parent: QWidget, now: dict[str, bool]) -> None:
        super().__init__(parent)
        self.frame, row = _bar(parent)
        self.buttons: dict[str, QToolButton] = {}
        tips = {name: f"{what}: {more}" if more else what for name, (what, more) in SWITCHES.items()}
        tips |= {"frame": "Frame the figure (F5)", "view": "Standard views"}
        for name, tip in tips.items():
            button = styled(QToolButton(), checkable=name in SWITCHES, toolTip=tip, accessibleName=tip)
            button.setIconSize(QSize(18, 18))
            if name in SWITCHES:
                button.setChecked(now[name])
                button.toggled.connect(lambda on, n=name: self.switched.emit(n, on))
            row.addWidget(button)
            self.buttons[name] = button
        menu = QMenu(parent)
        for view in STANDARD:
            menu.addAction(view.capitalize(), partial(self.view_chosen.emit, view))
        self.kept = menu.addMenu("Saved views")
        menu.addSeparator()
        self.parallel = menu.addAction("Parallel view", self.parallel_wanted.emit)
        self.parallel.setCheckable(True)
        self.buttons["view"].setMenu(menu)
        self.buttons["view"].setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.refresh_icons()

    def refresh_icons(self) -> None:
        """Icons in the colours of the theme."""
        for name, button in self.buttons.items():
            button.setIcon(theme.icon(name))
