"""``python -m fuzz.window``: a hand that does anything at random: clicks, double clicks, drags and keys over every widget in
sight. Whatever ends in an exception is printed with its seed; exit status 1."""

from __future__ import annotations

import argparse
import os
import random
import sys
import tempfile
import traceback
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QPoint, QSettings, Qt, QTimer, qInstallMessageHandler
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget
from shiboken6 import isValid

from reflexa.desktop.qt_loop import QtLoop
from reflexa.desktop.window import MainWindow
from reflexa.session.sources import demo_copy

_KEYS = (
    Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Left, Qt.Key.Key_Right,
    Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_Delete,
    Qt.Key.Key_Insert, Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Z, Qt.Key.Key_B, Qt.Key.Key_5,
)  # fmt: skip
_NONE, _SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier
_MODIFIERS = (_NONE, _NONE, _NONE, _SHIFT, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier)
_LEFT, _RIGHT, _MIDDLE = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton


def _close_what_asks() -> None:
    asking = QApplication.activeModalWidget() or QApplication.activePopupWidget()
    if asking is not None and not isinstance(asking, MainWindow):
        asking.close()


def _drag(widget: QWidget, a: QPoint, b: QPoint, button: Qt.MouseButton, modifier: Qt.KeyboardModifier) -> None:
    QTest.mousePress(widget, button, modifier, a)
    for i in range(1, 5):
        if not isValid(widget):  # a menu that was closed by the press
            return
        QTest.mouseMove(widget, a + (b - a) * i / 4)
        QApplication.processEvents()
    if isValid(widget):
        QTest.mouseRelease(widget, button, modifier, b)


def _one(window: MainWindow, rng: random.Random) -> None:
    """One thing that a hand can do."""
    inside = [
        w for w in window.findChildren(QWidget) if w.isVisible() and w.isEnabled() and not w.visibleRegion().isEmpty()
    ]
    w = rng.choice(inside)
    a, b = (QPoint(rng.randrange(max(w.width(), 1)), rng.randrange(max(w.height(), 1))) for _ in range(2))
    modifier, kind = rng.choice(_MODIFIERS), rng.random()
    if kind < 0.34:
        QTest.mouseClick(w, rng.choice((_LEFT, _LEFT, _LEFT, _RIGHT)), modifier, a)
    elif kind < 0.42:
        QTest.mouseDClick(w, _LEFT, _NONE, a)
    elif kind < 0.66:
        _drag(w, a, b, rng.choice((_LEFT, _LEFT, _LEFT, _RIGHT, _MIDDLE)), modifier)
    elif kind < 0.7:
        QTest.mouseMove(w, a)
    else:
        at = QApplication.focusWidget() if rng.random() < 0.7 else w
        key = rng.choice(_KEYS)
        if at is not None and not (key == Qt.Key.Key_B and modifier == _NONE and rng.random() < 0.5):
            QTest.keyClick(at, key, modifier)


def walk(window: MainWindow, seed: int, events: int, project: Path) -> list[str]:
    """What went wrong on a random walk through a project."""
    rng, found = random.Random(seed), list[str]()
    before, sys.excepthook = sys.excepthook, lambda *e: found.append("".join(traceback.format_exception(*e)))
    closing = QTimer(interval=15)
    closing.timeout.connect(_close_what_asks)
    closing.start()
    try:
        window.session.load(project)
        for i in range(events):
            if not window.session.project.takes:
                window.session.load(project)
            _one(window, rng)
            QApplication.processEvents()
            if not window.isVisible():
                window.show()
            if found:
                found[-1] = f"seed {seed}, event {i}\n{found[-1]}"
                break
    finally:
        closing.stop()
        window.session.player.pause()
        sys.excepthook = before
    return found


def main() -> int:
    """Walk, and print what went wrong."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--events", type=int, default=5_000)
    parser.add_argument("--seeds", type=int, default=10)
    parser.add_argument("--first", type=int, default=1)
    told = parser.parse_args()
    QSettings.setDefaultFormat(QSettings.Format.IniFormat)
    QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, tempfile.mkdtemp())
    os.environ["HOME"] = tempfile.mkdtemp()
    from reflexa.desktop.app import make_app
    from reflexa.session import Session

    qInstallMessageHandler(lambda *_: None)
    make_app()
    window = MainWindow(Session(QtLoop()))
    window.show()
    bad = 0
    for seed in range(told.first, told.first + told.seeds):
        found = walk(window, seed, told.events, demo_copy())
        bad += bool(found)
        print(f"seed {seed}: {'nothing' if not found else found[0]}", flush=True)
    sys.stdout.flush()
    os._exit(1 if bad else 0)


if __name__ == "__main__":
    main()
