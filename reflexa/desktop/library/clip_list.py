"""A list whose clips can be dragged to where a clip is wanted, and what is dragged."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QMimeData
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from reflexa.desktop.library.delegate import THING
from reflexa.desktop.session.dropping import of_sources


class ClipList(QListWidget):
    """Gives the sources of its items along when they are dragged."""

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        return of_sources([s for i in items if (s := i.data(THING).source) is not None])
