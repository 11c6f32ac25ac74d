"""What commands work on: the session, and the rooms of the window."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from PySide6.QtCore import QEventLoop, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QDialog, QMainWindow, QProgressDialog, QTabWidget

from reflexa.desktop.clips.panel import ClipsPanel
from reflexa.desktop.dialogs.batch import BatchDialog
from reflexa.desktop.figure.panel import FigurePanel
from reflexa.desktop.library.panel import LibraryPanel
from reflexa.desktop.line.line import RevisionLine
from reflexa.desktop.picture.viewport import Viewport
from reflexa.desktop.settings.panel import SettingsPanel
from reflexa.desktop.splitter_sizes import SplitterSizes
from reflexa.desktop.stage.panel import StagePanel
from reflexa.desktop.time.area import TimeArea
from reflexa.desktop.widgets import boxes
from reflexa.session import Session
from reflexa.session.keeper import Keeper
from reflexa.session.keys import Clipboard
from reflexa.session.work import Job

R = TypeVar("R")


@dataclass(eq=False)
class Desk:
    """fill: let a panel fill the window, or give it back, as ``Maximise`` has it. dialog: the one
    that is open or was last. clipboard: keys that were copied. batch: the recipe that is run over clips, or was last.
    guide, tour: those that are open."""

    session: Session
    window: QMainWindow
    line: RevisionLine
    viewport: Viewport
    clip_panel: ClipsPanel
    figure: FigurePanel
    stage: StagePanel
    settings: SettingsPanel
    time: TimeArea
    tabs: QTabWidget
    library: LibraryPanel
    keeper: Keeper
    fill: Callable[..., None]
    heights: SplitterSizes
    dialog: QDialog | None = None
    batch: BatchDialog | None = None
    guide: QDialog | None = None
    tour: Any = None
    clipboard: Clipboard | None = None

    def show(self, dialog: QDialog, beside: bool = False) -> None:
        """Open a dialog over the window, or beside it, so that it can be used meanwhile; it is gone when it is closed."""
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.dialog = dialog
        if beside:
            dialog.show()
        else:
            dialog.open()

    def show_error(self, text: str) -> None:
        """An error that a person must see: it stays until it is read."""
        self.show(boxes.box(boxes.WARNING, "Reflexa", text, self.window))

    def inform(self, text: str) -> None:
        """Something that is worth being read, and no error."""
        self.show(boxes.box(boxes.NOTE, "Reflexa", text, self.window))

    def ask(self, title: str, text: str, *answers: str) -> int:
        """Ask a person; the number of the answer, the last one where the question is closed."""
        self.dialog = box = boxes.box(boxes.QUESTION, title, text, self.window)
        return boxes.answer(box, *answers)

    def wait(self, what: str, call: Callable[[Job[R]], R], lane: str = "") -> R | None:
        """Do something that takes time off the interface thread, with progress that can be stopped. What came of it; None
        where it was stopped, or failed, which was said then. lane: that of the work; there nothing else is waited for."""
        loop, came = QEventLoop(), list[R]()
        job = Job(call, came.append)
        job.failed = lambda error: self.show_error(str(error))
        self.show_progress(what, job)
        closing = job.ended

        def ended() -> None:
            if closing is not None:
                closing()
            loop.quit()

        job.ended = ended
        self.session.work.start(job, lane)
        loop.exec()
        if job.cancelled and not came:
            self.say(f"Stopped: {what.removesuffix('…')}")
        return came[0] if came else None

    def show_progress(self, what: str, job: Job[Any]) -> None:
        """Show how far a job is, from when it takes longer than one notices; it can be stopped."""
        progress = QProgressDialog(what, "Stop", 0, 100, self.window)
        progress.setMinimumDuration(200)
        progress.setWindowModality(Qt.WindowModality.WindowModal)
        progress.setAutoClose(False)
        progress.setAutoReset(False)
        progress.setValue(0)

        def told(text: str, part: float) -> None:
            progress.setLabelText(text or what)
            progress.setValue(round(100 * part))

        def ended() -> None:
            if progress.isVisible() and QGuiApplication.applicationState() == Qt.ApplicationState.ApplicationActive:
                self.window.activateWindow()  # whoever goes on with a key means the window
            progress.blockSignals(True)  # closing it would be taken for *Stop*
            progress.close()
            progress.deleteLater()

        job.told, job.ended = told, ended
        for signal in (progress.canceled, progress.rejected):  # Esc rejects a dialog that is not active
            signal.connect(job.cancel)

    def say(self, text: str, milliseconds: int = 6000) -> None:
        """Something that need not be confirmed."""
        self.window.statusBar().showMessage(text, milliseconds)


Run = Callable[[Desk], object]
Reason = Callable[[Desk], str]


def always(_: Desk) -> str:
    """Nothing stands against it."""
    return ""


@dataclass(frozen=True)
class Command:
    """menu: name, group, and a menu of its own below where it stands in one, as ``Edit/1`` or ``Take/2/Add a step``. why_not: the
    reason why it cannot run now, or an empty text. checked: is what it switches on? named: what it would do just now, where that
    is more than its title says. also: words that others have for it. frames: its key is for frames: it is
    meant where they are looked at, in the picture and the time area, and not for whatever has the focus."""

    id: str
    title: str
    menu: str
    run: Run
    shortcut: str = ""
    why_not: Reason = always
    checked: Callable[[Desk], bool] | None = None
    named: Callable[[Desk], str] | None = None
    also: str = ""
    frames: bool = False
