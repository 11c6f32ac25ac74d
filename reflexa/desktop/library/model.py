"""What was found, as a list that is as long as it likes: rows come from the index a page at a time, when they are looked at."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from typing import Any

import msgspec
from PySide6.QtCore import QAbstractListModel, QMimeData, QModelIndex, QObject, QPersistentModelIndex, Qt

from reflexa.desktop.dropping import LIBRARY, of_picks
from reflexa.desktop.library.words import facts
from reflexa.desktop.library.work import LibraryWork
from reflexa.errors import ReflexaError
from reflexa.library.finder import Row
from reflexa.library.light import Light, Strokes

Index = QModelIndex | QPersistentModelIndex
_PAGE, _POSES = 120, 600


class LibraryModel(QAbstractListModel):
    """Rows by their ids."""

    def __init__(self, work: LibraryWork, parent: QObject) -> None:
        super().__init__(parent)
        self.work = work
        self.ids: list[int] = []
        self._rows: dict[int, Row] = {}
        self._poses: OrderedDict[int, tuple[Strokes, Light] | None] = OrderedDict()

    def show(self, ids: list[int]) -> None:
        """List these."""
        self.beginResetModel()
        self.ids, self._rows = ids, {}
        self._poses.clear()
        self.endResetModel()

    def forget(self) -> None:
        """What is said of them may be other than it was."""
        self._rows = {}
        if self.ids:
            self.dataChanged.emit(self.index(0), self.index(len(self.ids) - 1))

    def row(self, at: int) -> Row | None:
        """What is known of one; None where it is gone meanwhile."""
        id_ = self.ids[at]
        if id_ not in self._rows:
            first = at - at % _PAGE
            try:
                self._rows |= self.work.finder.rows(self.ids[first : first + _PAGE])
            except ReflexaError:
                return None  # said by the search that follows
        return self._rows.get(id_)

    def poses(self, id_: int) -> tuple[Strokes, Light] | None:
        """The light figure of one; None where it has none."""
        if id_ not in self._poses:
            try:
                self._poses[id_] = self.work.finder.poses(id_)
            except (ReflexaError, ValueError, msgspec.DecodeError):
                self._poses[id_] = None
            if len(self._poses) > _POSES:
                self._poses.popitem(last=False)
        return self._poses[id_]

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.ids)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.row(index.row()) if index.isValid() and index.row() < len(self.ids) else None
        if row is None:
            return None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return row.clip
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleDescriptionRole):
            return "\n".join([row.clip, *facts(row, self.work.fits.get(row.rig, ""))])
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        good = index.isValid() and index.row() < len(self.ids) and self.ids[index.row()] > 0
        return plain | Qt.ItemFlag.ItemIsDragEnabled if good else plain

    def mimeTypes(self) -> list[str]:
        return [LIBRARY]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        rows = [self.row(i.row()) for i in sorted(indexes, key=lambda i: i.row())]
        return of_picks([(r.path, r.clip) for r in rows if r is not None and not r.error])
