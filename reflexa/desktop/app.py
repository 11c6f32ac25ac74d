"""Starting the application."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from PySide6.QtCore import QSettings, QTimer
from PySide6.QtWidgets import QApplication

from reflexa.desktop import crash
from reflexa.desktop.actions import dropped, opening
from reflexa.desktop.actions.help import show_welcome
from reflexa.desktop.dialogs.welcome import wanted_at_start
from reflexa.desktop.look import theme
from reflexa.desktop.picture import gl
from reflexa.desktop.qt_loop import QtLoop
from reflexa.desktop.window import MainWindow
from reflexa.motion import threads
from reflexa.session import Session
from reflexa.session.sources import demo_copy, opened


def make_app() -> QApplication:
    """The QApplication with our font and theme; made once."""
    # Software drawing uses every core: the arithmetic beside it must not fight for them.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    running = QApplication.instance()
    app = running if isinstance(running, QApplication) else QApplication(sys.argv[:1])
    app.setApplicationName("Reflexa")
    app.setOrganizationName("Reflexa")
    app.setStyle("Fusion")
    theme.load_font()
    wanted = str(QSettings().value("theme", ""))
    theme.apply(app, theme.THEMES.get(wanted, theme.DAYLIGHT))
    app.setWindowIcon(theme.icon("app"))
    return app


def _warm() -> None:
    from reflexa.motion.kernels.warming import warm

    warm()


def run_window(project: Path | None, demo: bool) -> int:
    """Open the window and run until it is closed. project: a project's folder, or a file that is taken in. Raises ReadError where
    the project cannot be read."""
    app = make_app()
    window = MainWindow(Session(QtLoop()))
    window.restore_layout()
    QTimer.singleShot(1000, window.library.begin)  # once what was asked for is there
    file = project if project is not None and project.is_file() else None
    folder = demo_copy() if demo else None if file is not None else project
    found = opened(folder) if folder is not None else None
    crash.install(window)
    window.start_empty()
    window.show()
    if found is not None:
        opening.enter(window.desk, *found)
    elif not opening.offer_draft(window.desk) and file is None and wanted_at_start():
        show_welcome(window.desk)
    if file is not None:
        dropped.open_paths(window.desk, [file])
    # Compiled loops are fetched while the hands are still on their way; whoever needs one before waits for that one alone.
    threads.pool("warming", 1).submit(_warm)
    status = app.exec()
    gl.forget()
    return int(status)
