"""A real window, driven by real mouse and key events. Under Xvfb where DISPLAY is set, else on Qt's offscreen platform."""

from __future__ import annotations

import sys
import traceback
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from reflexa.desktop import app as application
from reflexa.desktop.clips.previews import Previews
from reflexa.desktop.look import theme
from reflexa.desktop.picture import gl, pictures
from reflexa.desktop.picture.viewport import Viewport
from reflexa.desktop.qt_loop import QtLoop
from reflexa.desktop.window import MainWindow
from reflexa.draw import Camera, Scene
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.session import Session
from reflexa.session.sources import demo_copy
from tests.helpers.shared_work import read_and_computed_once
from tests.helpers.windows import idle, ready


@pytest.fixture(scope="session")
def qapp() -> Iterator[QApplication]:
    yield application.make_app()
    gl.forget()


@pytest.fixture(scope="session", autouse=True)
def _read_and_computed_once() -> Iterator[None]:
    """All windows of a session share what they read, compute, and draw in small: all go by the bytes, and are values that
    nobody changes."""
    drawn: dict[tuple[Rig, bytes, str], QImage] = {}
    draw = pictures.preview

    def once(rig: Rig, pose: Clip, width: int, height: int) -> QImage:
        key = rig, pose.digest, theme.current().name
        if key not in drawn:
            drawn[key] = draw(rig, pose, width, height)
        return drawn[key]

    with pytest.MonkeyPatch.context() as patch, read_and_computed_once():
        patch.setattr(pictures, "preview", once)
        yield


@pytest.fixture(autouse=True)
def _drawn_small(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Pictures are drawn at a quarter of their size, and meshes coarsely: software drawing is most of what a window costs. Tests
    that look at what is drawn ask for ``sharp``."""
    if "sharp" in request.fixturenames:
        return
    render = pictures.render

    def small(scene: Scene, camera: Camera, width: int, height: int, detail: float = 0.0) -> QImage:
        image = render(scene, camera, max(width // 4, 1), max(height // 4, 1), max(detail, 3.0))
        return image.scaled(width, height)

    monkeypatch.setattr(pictures, "render", small)
    monkeypatch.setattr(Viewport, "_draw_fine", lambda _: None)
    # Small pictures of takes that are not open show their sources: computing 25 takes is most of what opening the demo costs.
    monkeypatch.setattr(Previews, "_compute", lambda _self, _take: None)


@pytest.fixture
def sharp() -> None:
    """Pictures are drawn as in use."""


@pytest.fixture
def qtbot(qtbot: QtBot) -> QtBot:
    """Waits for conditions, however long the machine takes: what never comes is ended by the time limit of the tests."""
    wait_until = qtbot.waitUntil
    qtbot.waitUntil = lambda done, **_: wait_until(done, timeout=280_000)  # type: ignore[method-assign]
    return qtbot


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
    window = MainWindow(Session(QtLoop()))
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
    window.session.loop.deleteLater()  # what its timers hold is let go: hundreds of windows in one process stay small


@pytest.fixture
def demo(empty: MainWindow, qtbot) -> MainWindow:
    """The window with a copy of the demo project."""
    empty.session.load(demo_copy())
    ready(qtbot, empty)
    return empty
