"""A list whose clips can be dragged to where a clip is wanted, and what is dragged."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec
from PySide6.QtCore import QEvent, QMimeData, QObject
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from reflexa.desktop.library.delegate import THING
from reflexa.take import Source

_OVER = (QEvent.Type.DragEnter, QEvent.Type.DragMove, QEvent.Type.Drop)
MIME = "application/x-reflexa-clips"


class ClipList(QListWidget):
    """Gives the sources of its items along when they are dragged."""

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        data = QMimeData()
        sources = [(s.file, s.clip) for i in items if (s := i.data(THING).source) is not None]
        if sources:
            data.setData(MIME, msgspec.json.encode(sources))
        return data


def sources_of(data: QMimeData) -> list[Source]:
    """The clips that are dragged; none where it is something else."""
    if not data.hasFormat(MIME):
        return []
    try:
        return [Source(*s) for s in msgspec.json.decode(data.data(MIME).data(), type=list[tuple[str, str]])]
    except msgspec.DecodeError:
        return []


class TakesClips(QObject):
    """Lets a widget have clips dropped on it."""

    def __init__(self, widget: QWidget, dropped: Callable[[list[Source]], None]) -> None:
        super().__init__(widget)
        self._dropped = dropped
        widget.setAcceptDrops(True)
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if not isinstance(event, QDropEvent) or event.type() not in _OVER:
            return False
        sources = sources_of(event.mimeData())
        if not sources:
            return False
        event.acceptProposedAction()
        if event.type() == QEvent.Type.Drop:
            self._dropped(sources)
        return True
