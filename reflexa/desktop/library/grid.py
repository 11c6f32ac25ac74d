"""The view of clips in the library: a grid of pictures, or rows with facts."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QListView

from reflexa.desktop.library.cell import LibraryCell
from reflexa.desktop.library.model import LibraryModel
from reflexa.desktop.widgets.own_keys import keep_keys


class Grid(QListView):
    """``big_wanted``: Space was pressed."""

    big_wanted = Signal()

    def __init__(self, model: LibraryModel, cell: LibraryCell) -> None:
        super().__init__()
        self.cell = cell
        self.setModel(model)
        self.setItemDelegate(cell)
        self.setUniformItemSizes(True)
        self.setLayoutMode(QListView.LayoutMode.Batched)
        self.setBatchSize(400)
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setMouseTracking(True)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        keep_keys(self, Qt.Key.Key_Space)  # though the window plays with it
        self.show_rows(False)

    def show_rows(self, rows: bool) -> None:
        """Show rows, or a grid."""
        self.cell.rows = rows
        self.setViewMode(QListView.ViewMode.ListMode if rows else QListView.ViewMode.IconMode)
        # What follows is changed with the mode.
        self.setMovement(QListView.Movement.Static)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setDragEnabled(True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space:
            self.big_wanted.emit()
        else:
            super().keyPressEvent(event)
