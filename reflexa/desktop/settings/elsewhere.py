"""A source that is gone: looked for in the background where it may lie, and offered where it is found."""

from __future__ import annotations

import datetime
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from reflexa.desktop.recent import recent
from reflexa.desktop.widgets import labels
from reflexa.errors import ReadError
from reflexa.formats import read
from reflexa.library.folder_list import load_folders
from reflexa.project.moved import Elsewhere, look_for
from reflexa.project.relink import differences, known_by
from reflexa.project.sources import options_of
from reflexa.project.store import SourceFile
from reflexa.session import Session, takes
from reflexa.session.work import Job


class ElsewherePart(QWidget):
    """``chosen(path)``: this file is to stand for the source."""

    chosen = Signal(object)

    def __init__(self, session: Session, file: str) -> None:
        super().__init__()
        self.session, self.file = session, file
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.said = labels.text("Looking for it in the project, the library and recent projects…")
        self.column.addWidget(self.said)
        entry = takes.source_entry(session, file)
        if entry is None:
            self.said.setText("")
            return
        job = Job(lambda job: _found(entry, session, job), self._show)
        job.failed = lambda error: self.said.setText(str(error))
        self.destroyed.connect(job.cancel)
        session.work.start(job, "looking for sources")

    def _show(self, found: tuple[Elsewhere, list[str]]) -> None:
        there, others = found
        if there.same is not None:
            self.said.setText(f"The same file, byte for byte, is at {there.same}.")
            self._offer("Use it", there.same)
        elif there.named is not None:
            when = datetime.date.fromtimestamp(there.named.stat().st_mtime).isoformat()
            what = " ".join(others) or "Its skeleton and the clips that are used are the same."
            self.said.setText(f"Another file of this name, changed on {when}, is at {there.named}. {what}")
            self._offer("Use the other file…" if others else "Use the other file", there.named)
        else:
            self.said.setText("It is not in the project, the library folders or recent projects.")

    def _offer(self, text: str, path: Path) -> None:
        button = QPushButton(text)
        button.setToolTip(f"Copies {path} into the project; takes follow.")
        button.clicked.connect(lambda: self.chosen.emit(path))
        self.column.addWidget(button)


def _found(entry: SourceFile, session: Session, job: Job[tuple[Elsewhere, list[str]]]) -> tuple[Elsewhere, list[str]]:
    """Where a source lies now, and in which ways the other file of its name is not the one that was known."""
    there = look_for((entry,), places(session), job.tell)[entry.file]
    if there.same is not None or there.named is None:
        return there, []
    try:
        document = read(there.named, options_of(entry))
    except ReadError as e:
        return there, [str(e)]
    return there, differences(session.project, entry, known_by(entry, document), document)


def places(session: Session) -> list[Path]:
    """Folders in which a source may lie: the project's, those of the library, and those of projects that were open lately."""
    try:
        library = [s.folder for s in load_folders().folders]
    except ReadError:
        library = []
    return [session.folder, *library, *recent()]
