"""Exporting many takes in one go: a folder, progress that can be cancelled, and what was proven of each."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QListWidgetItem, QWidget

from reflexa.desktop.dialogs.running import RunDialog
from reflexa.errors import ReadError
from reflexa.output.takes import Into, export_take
from reflexa.output.write import Proof
from reflexa.session import Session
from reflexa.session.work import Job
from reflexa.take import Take, evaluate
from reflexa.take.sequence import source_of


class ExportTakesDialog(RunDialog):
    """Takes can be left out; each is written with its own name, range, rate and format, one after the other."""

    def __init__(self, session: Session, folder: Path, parent: QWidget) -> None:
        about = "Each take is written with its own name, range, rate and format, and verified by reading it back."
        super().__init__(parent, "Export takes", about, "Export")
        self.session = session
        self.place.field.setText(str(folder))
        for take in session.project.takes:
            item = QListWidgetItem(take.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked)
            self.list.addItem(item)
        self.list.itemChanged.connect(self._enable)
        self.overwrite = QCheckBox("Overwrite existing files")
        self.more.addWidget(self.overwrite)
        self._job: Job[Proof] | None = None
        self._waiting: list[tuple[int, Take]] = []
        self._begun = self._good = 0

    def _checked(self) -> list[int]:
        rows = range(self.list.count())
        return [i for i in rows if self.list.item(i).checkState() == Qt.CheckState.Checked]

    def _enable(self) -> None:
        self.go.setEnabled(bool(self._checked()) and self._job is None)

    def start(self) -> None:
        """Write the checked takes."""
        takes = self.session.project.takes
        self._waiting = [(i, takes[i]) for i in self._checked()]
        self._begun = self._good = 0
        self.show_running(len(self._waiting))
        self._next()

    def _next(self) -> None:
        if not self._waiting:
            self._finish("")
            return
        row, take = self._waiting.pop(0)
        sources = self.session.sources
        documents, clips = dict(sources.documents), self.session.clips.within(take.name)
        into = Into(self.place.folder, self.overwrite.isChecked(), self.session.project.limits)

        def call(job: Job[Proof]) -> Proof:
            document = documents.get(take.source.file)
            if document is None:
                raise ReadError("the source is missing", take.source.file)
            clip, rig = source_of(take.source, clips.source)
            line = evaluate(take, clip, rig, clips.surroundings, lambda: job.cancelled)
            return export_take(line, take.export, document, documents.values(), into, job.tell)

        job = Job(call, lambda proof: self._one(row, take, _read_back(proof), True))
        job.title = f"The export of {take.name}"
        job.failed = lambda error: self._one(row, take, str(error), False)
        job.ended = lambda: self._finish(take.name) if job.cancelled else self._next()
        self._begun += 1
        self._job = self.session.work.start(job)

    def _one(self, row: int, take: Take, text: str, good: bool) -> None:
        item = self.list.item(row)
        item.setText(f"{take.name} — {text}")
        item.setToolTip(text)
        self._good += good
        self.bar.setValue(self.bar.value() + 1)

    def _finish(self, stopped_at: str) -> None:
        self._job = None
        count, left = self._begun + len(self._waiting), len(self._waiting)
        stopped = f" Stopped at {stopped_at}: {left} not started." if stopped_at else ""
        self.said.setText(f"{self._good} of {count} written to {self.place.folder}.{stopped}")
        self.show_ended()
        self._enable()

    def reject(self) -> None:
        if self._job is not None:
            self._job.cancel()
        else:
            super().reject()


def _read_back(proof: Proof) -> str:
    return f"{proof.path.name}: {proof.said}"
