"""A source that is gone: looked for in the background where it may lie, and offered where it is found."""

from __future__ import annotations

import datetime
from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from reflexa.desktop.recent import recent
from reflexa.desktop.widgets import labels
from reflexa.errors import ReadError
from reflexa.library.folder_list import load_folders
from reflexa.project.moved import Elsewhere, look_for
from reflexa.project.relink import said_to_differ
from reflexa.project.store import Project, SourceFile
from reflexa.session import Session, takes
from reflexa.session.work import Job

_LOOKING = "Looking for it in the project, the library and recent projects…"


class ElsewherePart(QWidget):
    """``chosen(path)``: this file is to stand for the source."""

    chosen = Signal(object)

    def __init__(self, session: Session, file: str) -> None:
        super().__init__()
        self.session, self.file = session, file
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.said = labels.text(_LOOKING)
        self.column.addWidget(self.said)
        entry = takes.source_entry(session, file)
        if entry is None:
            self.said.setText("")
            return
        job = Job(partial(_found, session.project, entry, places(session)), self._show)
        job.told = lambda text, part: self.said.setText(f"{_LOOKING} {text}, {part:.0%}")
        job.failed = lambda error: self.said.setText(str(error))
        self.destroyed.connect(job.cancel)
        session.work.start(job, "looking for sources")

    def _show(self, found: tuple[Elsewhere, str]) -> None:
        there, differs = found
        if there.same is not None:
            self.said.setText(f"The same file, byte for byte, is at {there.same}.")
            self._offer("Use it", there.same)
        elif there.named is not None:
            when = datetime.date.fromtimestamp(there.named.stat().st_mtime).isoformat()
            self.said.setText(f"Another file of this name, changed on {when}, is at {there.named}. {differs}")
            self._offer("Use the other file…", there.named)
        else:
            self.said.setText("It is not in the project, the library folders or recent projects.")

    def _offer(self, text: str, path: Path) -> None:
        button = QPushButton(text)
        button.setToolTip(f"Copies {path} into the project; takes follow.")
        button.clicked.connect(lambda: self.chosen.emit(path))
        self.column.addWidget(button)


def _found(
    project: Project, entry: SourceFile, folders: list[Path], job: Job[tuple[Elsewhere, str]]
) -> tuple[Elsewhere, str]:  # fmt: skip
    """Where a source lies now, and in which ways the other file of its name is not the one that was known."""
    there = look_for((entry,), folders, job.tell)[entry.file]
    if there.same is not None or there.named is None:
        return there, ""
    return there, said_to_differ(project, entry, there.named)


def places(session: Session) -> list[Path]:
    """Folders in which a source may lie: the project's, those of the library, and those of projects that were open lately."""
    try:
        library = [s.folder for s in load_folders().folders]
    except ReadError:
        library = []
    return [session.folder, *library, *recent()]
