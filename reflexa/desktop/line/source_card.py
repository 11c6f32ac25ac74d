"""The card of the source: clips that are dropped on it go behind the one that is there."""

from __future__ import annotations

from PySide6.QtGui import QDragEnterEvent, QDropEvent

from reflexa.desktop.dropping import dropped, holds_clips
from reflexa.desktop.line.card import Card
from reflexa.session import SOURCE, Session, takes


class SourceCard(Card):
    """Says what the take begins with."""

    def __init__(self, session: Session) -> None:
        super().__init__(SOURCE, "Source", "Source", "source")
        self._session = session
        self.setAcceptDrops(True)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if holds_clips(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        if dropped(self._session, event.mimeData(), lambda sources: takes.append(self._session, sources)):
            event.acceptProposedAction()
