"""Lets the active panel fill the window, and restores the layout."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtWidgets import QApplication, QSplitter, QWidget


class Maximise:
    """panels: each with what has to go so that it has the window to itself; the first one in sight fills it where
    none is in use."""

    def __init__(self, panels: Mapping[QWidget, Sequence[QWidget]], splitters: Sequence[QSplitter]) -> None:
        self._panels, self._splitters = panels, splitters
        self._put_away: list[QWidget] = []
        self._sizes: list[list[int]] = []

    def fill(self, on: bool | None = None, panel: QWidget | None = None) -> None:
        """Let a panel fill the window (None: the one that has the focus), give it back (``on`` False), or whichever it does not
        now (``on`` None)."""
        if self._put_away and not on:
            for widget in self._put_away:
                widget.show()
            self._put_away = []
            for splitter, sizes in zip(self._splitters, self._sizes, strict=True):
                splitter.setSizes(sizes)
        elif not self._put_away and on is not False:
            self._sizes = [s.sizes() for s in self._splitters]
            self._put_away = [w for w in self._panels[panel or self._in_use()] if not w.isHidden()]
            for widget in self._put_away:
                widget.hide()

    def _in_use(self) -> QWidget:
        focus, seen = QApplication.focusWidget(), [p for p in self._panels if not p.isHidden()]
        return next((p for p in seen if focus is not None and p.isAncestorOf(focus)), seen[0])
