"""The height of the time area: fitted to its content, until somebody sets it by hand, for each of its pages."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSettings, Qt, QTimer
from PySide6.QtWidgets import QApplication, QSplitter

from reflexa.desktop.time.area import TimeArea

# The picture keeps this many pixels where there is room (less beside many rows of keys, or curves). The time area takes no more
# than this share of both.
_PICTURE, _BESIDE_KEYS, _BESIDE_CURVES, _SHARE = 484, 400, 320, 0.45
_KEY = "time area by hand"


class SplitterSizes(QObject):
    """Fits the lower part of a splitter. A handle that was dragged stays where it is for the page that was shown; a double click
    on it fits again."""

    def __init__(self, splitter: QSplitter, area: TimeArea) -> None:
        super().__init__(splitter)
        self._splitter, self._area = splitter, area
        # Of one take and page it only grows: a picture that changes its height with every card that is looked at has no rest.
        self._shown, self._most = ("", ""), 0
        self._later = QTimer(self, singleShot=True, interval=0)
        self._later.timeout.connect(self._fit)
        splitter.setCollapsible(1, False)
        splitter.splitterMoved.connect(lambda *_: self._set(self._splitter.sizes()[1]))
        splitter.installEventFilter(self)
        splitter.handle(1).installEventFilter(self)
        splitter.handle(1).setToolTip(
            "Drag to change the height of the time area on this page. Double-click: fit to its content"
        )

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.MouseButtonDblClick:
            self._set(0)
            self.fit()
        elif event.type() == QEvent.Type.Resize and watched is self._splitter:
            self.fit()
        return False

    @property
    def by_hand(self) -> int:
        """The height that somebody gave the page that is shown, pixels; 0: nobody did."""
        return int(str(QSettings().value(f"{_KEY}/{self._area.shown_page}", 0)) or 0)

    def _set(self, high: int) -> None:
        QSettings().setValue(f"{_KEY}/{self._area.shown_page}", high)

    @property
    def tall(self) -> bool:
        """True if the page takes all the height that it may."""
        return 0 < self._tallest() <= self.by_hand

    def toggle_tall(self) -> None:
        """The page as tall as it may be, or fitted to its content again."""
        self._set(0 if self.tall else self._tallest())
        self.fit()

    def _tallest(self) -> int:
        total = sum(self._splitter.sizes())
        return max(min(total - _BESIDE_CURVES, round(_SHARE * total)), 150)

    def fit(self) -> None:
        """Soon, once for all that has changed."""
        self._later.start(0)

    def _fit(self) -> None:
        total = sum(self._splitter.sizes())
        if total <= 0:
            return
        if QApplication.mouseButtons() != Qt.MouseButton.NoButton:
            self._later.start(150)  # nothing moves under a hand that holds something
            return
        picture = _BESIDE_CURVES if self._area.draws_curves else _BESIDE_KEYS if self._area.many_rows else _PICTURE
        most = max(min(total - picture, round(_SHARE * total)), 150)
        by_hand = min(self.by_hand, total - _BESIDE_CURVES) if self.by_hand else 0
        self._area.make_do(by_hand or most)
        shown = (self._area.session.selection.take, self._area.shown_page)
        if not by_hand:
            self._most = max(self._area.wanted, self._most if shown == self._shown else 0)
            self._shown = shown
        least = self._area.minimumHeight()
        high = (
            max(by_hand, least) if by_hand else most if self._area.draws_curves else min(max(self._most, least), most)
        )
        if self._splitter.sizes()[1] != high:
            self._splitter.setSizes([total - high, high])
