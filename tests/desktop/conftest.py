"""A real window, driven by real mouse and key events. Under Xvfb where DISPLAY is set, else on Qt's offscreen platform."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, QSettings, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from reflexa.desktop import app as application
from reflexa.desktop import gl
from reflexa.desktop.session import Session
from reflexa.desktop.window import MainWindow


@pytest.fixture(scope="session")
def qapp() -> QApplication:
    return application.make_app()


@pytest.fixture
def empty(qapp, qtbot, tmp_path: Path) -> Iterator[MainWindow]:
    """A window with a new project in a folder of its own."""
    QSettings.setDefaultFormat(QSettings.Format.IniFormat)
    QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, str(tmp_path / "settings"))
    window = MainWindow(Session())
    window.may_leave = lambda: True
    window.start_empty()
    window.session.folder = tmp_path / "project"
    window.session.folder.mkdir()
    window.show()
    qtbot.waitExposed(window)
    yield window
    window.session.pause()
    qtbot.waitUntil(lambda: not window.session.busy)
    window.close()
    window.deleteLater()
    gl.forget()


@pytest.fixture
def demo(empty: MainWindow, qtbot) -> MainWindow:
    """The window with a copy of the demo project."""
    empty.session.load(application.demo_copy())
    ready(qtbot, empty)
    return empty


def ready(qtbot, window: MainWindow) -> None:
    """Wait until what is shown is what was asked for."""
    session = window.session
    qtbot.waitUntil(
        lambda: not session.busy and (session.evaluation is not None and session.evaluation.take == session.take),
        timeout=20_000,
    )
    window.activateWindow()
    assert QTest.qWaitForWindowActive(window)
    QApplication.processEvents()


def drag(widget: QWidget, start: QPoint, end: QPoint, steps: int = 8, modifier=Qt.KeyboardModifier.NoModifier) -> None:
    """Press, move in steps, release, with the left button."""
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, modifier, start)
    for i in range(1, steps + 1):
        at = QPointF(start.x() + (end.x() - start.x()) * i / steps, start.y() + (end.y() - start.y()) * i / steps)
        event = QMouseEvent(
            QMouseEvent.Type.MouseMove, at, QPointF(widget.mapToGlobal(at.toPoint())), Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton, modifier,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, modifier, end)


def joint_pixel(window: MainWindow, name: str) -> QPoint:
    """Where a joint is in the picture."""
    view = window.viewport
    f = next(f for f in view.figures() if name in f.rig.skeleton.index)
    at = view.camera.project(f.placed[f.rig.skeleton.index[name]], view.width(), view.height())
    return QPoint(round(at[0]), round(at[1]))
