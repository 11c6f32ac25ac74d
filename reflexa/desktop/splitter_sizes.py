"""The height of the time area: fitted to its content, until somebody sets it by hand."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSettings, Qt, QTimer
from PySide6.QtWidgets import QApplication, QSplitter

from reflexa.desktop.time.area import TimeArea

# The picture keeps this many pixels where there is room (less while many rows of keys are worked on), and the time area takes no
# more than this share of both.
_PICTURE, _BESIDE_KEYS, _SHARE = 484, 400, 0.45
_KEY = "time area by hand"


class SplitterSizes(QObject):
    """Fits the lower part of a splitter. A handle that was dragged stays where it is; a double click on it fits again."""

    def __init__(self, splitter: QSplitter, area: TimeArea) -> None:
        super().__init__(splitter)
        self._splitter, self._area = splitter, area
        self.by_hand = QSettings().value(_KEY) == "true"
        # Of one take it only grows: a picture that changes its height with every card that is looked at has no rest.
        self._take, self._most = "", 0
        self._later = QTimer(self, singleShot=True, interval=0)
        self._later.timeout.connect(self._fit)
        splitter.splitterMoved.connect(lambda *_: self._set(True))
        splitter.installEventFilter(self)
        splitter.handle(1).installEventFilter(self)
        splitter.handle(1).setToolTip("Drag to change the height of the time area. Double-click: fit to its content")

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.MouseButtonDblClick:
            self._set(False)
            self.fit()
        elif event.type() == QEvent.Type.Resize and watched is self._splitter:
            self.fit()
        return False

    def _set(self, by_hand: bool) -> None:
        self.by_hand = by_hand
        QSettings().setValue(_KEY, "true" if by_hand else "false")

    def fit(self) -> None:
        """Soon, once for all that has changed."""
        if not self.by_hand:
            self._later.start(0)

    def _fit(self) -> None:
        total = sum(self._splitter.sizes())
        if self.by_hand or total <= 0:
            return
        if QApplication.mouseButtons() != Qt.MouseButton.NoButton:
            self._later.start(150)  # nothing moves under a hand that holds something
            return
        picture = _BESIDE_KEYS if self._area.many_rows else _PICTURE
        most = max(min(total - picture, round(_SHARE * total)), 150)
        self._area.make_do(most)
        take = self._area.session.selection.take
        self._most = max(self._area.wanted, self._most if take == self._take else 0)
        self._take = take
        least = self._area.minimumHeight()
        high = min(max(self._most, least), most)
        if self._splitter.sizes()[1] != high:
            self._splitter.setSizes([total - high, high])
