"""A part of a panel under a heading that folds it; how it was left is remembered."""

from __future__ import annotations

from PySide6.QtCore import QSettings, Signal
from PySide6.QtWidgets import QPushButton, QSizePolicy, QVBoxLayout, QWidget

from reflexa.desktop.widgets.qt_properties import named, styled


class Folding(QWidget):
    """``folded``: it was opened or closed. name: under which it is remembered; opened: how it is the first time."""

    folded = Signal(bool)

    def __init__(self, title: str, name: str, inner: QWidget, opened: bool = False) -> None:
        super().__init__()
        self._title, self._key, self.inner = title, f"folding/{name}", inner
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        self.heading = styled(named(QPushButton(), "fold"), checkable=True, accessibleName=title)
        self.heading.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        column.addWidget(self.heading)
        column.addWidget(inner)
        kept = QSettings().value(self._key)
        self.heading.setChecked(opened if kept is None else str(kept) == "true")
        self.heading.toggled.connect(self._fold)
        self._show()

    @property
    def opened(self) -> bool:
        return self.heading.isChecked()

    def set_title(self, title: str) -> None:
        """Another heading, such as one that says what is inside."""
        self._title = title
        self._show()

    def _fold(self, opened: bool) -> None:
        QSettings().setValue(self._key, "true" if opened else "false")
        self._show()
        self.folded.emit(opened)

    def _show(self) -> None:
        self.heading.setText(f"{'▾' if self.opened else '▸'}  {self._title}")
        self.heading.setToolTip("Fold" if self.opened else "Unfold")
        self.inner.setVisible(self.opened)
