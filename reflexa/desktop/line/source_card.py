"""The card of the source: clips that are dropped on it go behind the one that is there."""

from __future__ import annotations

from PySide6.QtGui import QDragEnterEvent, QDropEvent

from reflexa.desktop.library.clip_list import sources_of
from reflexa.desktop.line.card import Card
from reflexa.desktop.session import SOURCE, Session, takes


class SourceCard(Card):
    """Says what the take begins with."""

    def __init__(self, session: Session) -> None:
        super().__init__(SOURCE, "Source", "Source", "source")
        self._session = session
        self.setAcceptDrops(True)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if sources_of(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        sources = sources_of(event.mimeData())
        if sources:
            event.acceptProposedAction()
            takes.append(self._session, sources)
