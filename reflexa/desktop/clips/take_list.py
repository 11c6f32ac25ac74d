"""The takes of the project: in folders, in a person's own order, several at once."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QMimeData, Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from reflexa.desktop.clips.delegate import THING
from reflexa.desktop.clips.previews import Thing
from reflexa.desktop.dropping import recipe_of
from reflexa.desktop.widgets.own_keys import keep_keys

_MOVED = "application/x-reflexa-takes"


class TakeList(QListWidget):
    """``moved``: takes are to stand before another (an empty name: last) in a folder; ``removal_wanted``: by the Delete key;
    ``recipe_dropped``: of that name, onto a take."""

    moved = Signal(list, str, str)
    removal_wanted = Signal(list)
    recipe_dropped = Signal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QListWidget.DragDropMode.DragDrop)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        keep_keys(self, Qt.Key.Key_Delete)

    def chosen(self) -> list[str]:
        """The takes that are selected, in their order."""
        rows = sorted(self.row(i) for i in self.selectedItems())
        things: list[Thing] = [self.item(r).data(THING) for r in rows]
        return [t.take for t in things if t.take]

    def mimeTypes(self) -> list[str]:
        return [_MOVED]

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        data = QMimeData()
        data.setData(_MOVED, b"takes")
        return data

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        self._accept_own(event)

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        if self._accept_own(event):
            super().dragMoveEvent(event)  # shows where it would go, and scrolls
            event.accept()

    def _accept_own(self, event: QDragEnterEvent | QDragMoveEvent) -> bool:
        own = event.mimeData().hasFormat(_MOVED) or bool(recipe_of(event.mimeData()))
        (event.accept if own else event.ignore)()  # what is no take is the window's
        return own

    def dropEvent(self, event: QDropEvent) -> None:
        if recipe := recipe_of(event.mimeData()):
            on = self.itemAt(event.position().toPoint())
            if on is not None and on.data(THING).take:
                event.accept()
                self.recipe_dropped.emit(recipe, on.data(THING).take)
            return
        if not event.mimeData().hasFormat(_MOVED):
            event.ignore()
            return
        event.setDropAction(Qt.DropAction.CopyAction)  # the list is made anew; nothing is taken out of it here
        event.accept()
        names, at = self.chosen(), event.position().toPoint()
        item = self.itemAt(at)
        if not names:
            return
        if item is None:
            self.moved.emit(names, "", "")
            return
        thing: Thing = item.data(THING)
        below = at.y() > self.visualItemRect(item).center().y()
        if thing.heading:
            self.moved.emit(names, self._next(self.row(item), names), thing.folder)
        else:
            before = self._next(self.row(item), names) if below else thing.take
            self.moved.emit(names, before, thing.folder)

    def _next(self, row: int, besides: list[str]) -> str:
        """The first take behind a row that is none of those."""
        for at in range(row + 1, self.count()):
            name: str = self.item(at).data(THING).take
            if name and name not in besides:
                return name
        return ""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        chosen = self.chosen()
        if event.key() == Qt.Key.Key_Delete and chosen:
            self.removal_wanted.emit(chosen)
        else:
            super().keyPressEvent(event)
