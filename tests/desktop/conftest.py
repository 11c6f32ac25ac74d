"""A real window, driven by real mouse and key events. Under Xvfb where DISPLAY is set, else on Qt's offscreen platform."""

from __future__ import annotations

import sys
import traceback
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication

from reflexa.desktop import app as application
from reflexa.desktop.picture import gl
from reflexa.desktop.session import Session
from reflexa.desktop.session.sources import demo_copy
from reflexa.desktop.window import MainWindow
from tests.helpers.windows import idle, ready


@pytest.fixture(scope="session")
def qapp() -> QApplication:
    return application.make_app()


@pytest.fixture
def raised(monkeypatch) -> list[str]:
    """What slots raised: Qt hands it to the hook and goes on."""
    out: list[str] = []
    monkeypatch.setattr(sys, "excepthook", lambda *e: out.append("".join(traceback.format_exception(*e))))
    return out


@pytest.fixture
def empty(qapp, qtbot, tmp_path: Path) -> Iterator[MainWindow]:
    """A window with a new project in a folder of its own."""
    QSettings.setDefaultFormat(QSettings.Format.IniFormat)
    QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, str(tmp_path / "settings"))
    window = MainWindow(Session())
    window.start_empty()
    window.session.sources.folder = tmp_path / "project"
    window.session.sources.folder.mkdir()
    window.show()
    qtbot.waitExposed(window)
    yield window
    window.session.player.pause()
    window.session.work.cancel_all()
    idle(qtbot, window)
    window.session.history.saved(window.session.project)  # nobody is asked
    window.close()
    window.deleteLater()
    window.session.deleteLater()  # what its slots hold is let go: hundreds of windows in one process stay small
    gl.forget()


@pytest.fixture
def demo(empty: MainWindow, qtbot) -> MainWindow:
    """The window with a copy of the demo project."""
    empty.session.load(demo_copy())
    ready(qtbot, empty)
    return empty
