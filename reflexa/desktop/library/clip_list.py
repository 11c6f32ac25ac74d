"""A list whose clips can be dragged to where a clip is wanted, and what is dragged."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
from PySide6.QtCore import QMimeData
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from reflexa.desktop.library.delegate import THING
from reflexa.take import Source

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
