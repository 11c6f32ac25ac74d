"""A list whose clips can be dragged to where a clip is wanted, and what is dragged."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QMimeData, Signal
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from reflexa.desktop.clips.delegate import THING
from reflexa.desktop.dropping import of_sources, recipe_of


class ClipList(QListWidget):
    """Gives the sources of its items along when they are dragged. ``recipe_dropped``: onto a clip; onto one of those that are
    selected, it is meant for them all."""

    recipe_dropped = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QListWidget.DragDropMode.DragDrop)

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        return of_sources([s for i in items if (s := i.data(THING).source) is not None])

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        self._accept_recipe(event)

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        self._accept_recipe(event)

    def _accept_recipe(self, event: QDragEnterEvent | QDragMoveEvent) -> None:
        (event.accept if recipe_of(event.mimeData()) else event.ignore)()  # what is dropped else is the window's

    def dropEvent(self, event: QDropEvent) -> None:
        name, item = recipe_of(event.mimeData()), self.itemAt(event.position().toPoint())
        if not name or item is None or item.data(THING).source is None:
            event.ignore()
            return
        if not item.isSelected():
            self.clearSelection()
            item.setSelected(True)
        event.accept()
        self.recipe_dropped.emit(name)
