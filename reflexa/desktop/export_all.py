"""Exporting many takes in one go: a folder, progress that can be cancelled, and what was proven of each."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QRunnable, Qt, QThreadPool, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa.batch.export import export
from reflexa.desktop.dialogs import folder_row
from reflexa.desktop.session import Session, clip_of
from reflexa.errors import ReflexaError
from reflexa.formats import FORMATS, WriteOptions
from reflexa.names import file_name
from reflexa.take import Take, evaluate, exported


class _Relay(QObject):
    one = Signal(int, str, bool)
    finished = Signal()


class _Work(QRunnable):
    """Takes one after the other, off the interface thread; between two of them it can be stopped."""

    def __init__(self, session: Session, takes: list[Take], folder: Path, overwrite: bool, relay: _Relay) -> None:
        super().__init__()
        self._jobs = [(t, session.documents.get(t.source.file), session.rig_of(t.source.file)) for t in takes]
        self._documents, self._rigs, self._known = dict(session.documents), session.rigs, session.known_clips()
        self._folder, self._overwrite, self._relay = folder, overwrite, relay
        self.stopped = False

    def run(self) -> None:
        for i, (take, document, rig) in enumerate(self._jobs):
            if self.stopped:
                break
            try:
                clip = clip_of(document, take.source.clip) if document is not None else None
                if document is None or rig is None or clip is None:
                    self._relay.one.emit(i, "the source is missing", False)
                    continue
                done = evaluate(take, clip, rig, rigs=self._rigs, clips=self._known.within(take.name))
                model = next((d for f, d in self._documents.items() if self._rigs[f].key == done.rig.key), None)
                if document.rig.key == done.rig.key:
                    model = document
                path = self._folder / f"{file_name(take.export.name or take.name)}{FORMATS[take.export.format].suffix}"
                steps = tuple(s for s in take.steps if s.on)
                proof = export(
                    [exported(done.result, take.export, done.rig)], done.rig, path, take.export.format, document, steps,
                    WriteOptions(take.export.frame), self._overwrite, model=model,
                )  # fmt: skip
                self._relay.one.emit(i, f"{proof.path.name}: reads back within {proof.error_mm:.4f} mm", True)
            except (ReflexaError, ValueError) as e:
                self._relay.one.emit(i, str(e), False)
        self._relay.finished.emit()


class ExportAllDialog(QDialog):
    """Takes can be left out; each is written with its own name, range, rate and format."""

    def __init__(self, session: Session, folder: Path, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle("Export takes")
        self.resize(560, 460)
        column = QVBoxLayout(self)
        column.addWidget(QLabel("Each take is written with its own name, range, rate and format, and read back."))
        self.list = QListWidget()
        self.list.setAccessibleName("Takes to export")
        for take in session.project.takes:
            item = QListWidgetItem(take.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked)
            self.list.addItem(item)
        self.list.itemChanged.connect(self._enable)
        column.addWidget(self.list, 1)
        self.folder, row = folder_row(self, folder)
        row.insertWidget(0, QLabel("Folder"))
        column.addLayout(row)
        self.overwrite = QCheckBox("Write over files that are there")
        column.addWidget(self.overwrite)
        self.bar = QProgressBar()
        self.bar.hide()
        column.addWidget(self.bar)
        self.said = QLabel(wordWrap=True)
        column.addWidget(self.said)
        buttons = QDialogButtonBox()
        self.go = buttons.addButton("Export", QDialogButtonBox.ButtonRole.AcceptRole)
        self.go.setObjectName("main")
        self.stop = buttons.addButton("Close", QDialogButtonBox.ButtonRole.RejectRole)
        buttons.accepted.connect(self.start)
        buttons.rejected.connect(self._stop)
        column.addWidget(buttons)
        self._work: _Work | None = None
        self._rows: list[int] = []
        self._good = 0

    def _enable(self) -> None:
        count = sum(self.list.item(i).checkState() == Qt.CheckState.Checked for i in range(self.list.count()))
        self.go.setEnabled(count > 0 and self._work is None)

    def start(self) -> None:
        """Write the checked takes."""
        self._rows = [i for i in range(self.list.count()) if self.list.item(i).checkState() == Qt.CheckState.Checked]
        takes = [self.session.project.takes[i] for i in self._rows]
        self._relay = _Relay()
        self._relay.one.connect(self._one)
        self._relay.finished.connect(self._finished)
        self._good = 0
        self.bar.setRange(0, len(takes))
        self.bar.setValue(0)
        self.bar.show()
        self.go.setEnabled(False)
        self.stop.setText("Stop")
        folder = Path(self.folder.text()).expanduser()
        self._work = _Work(self.session, takes, folder, self.overwrite.isChecked(), self._relay)
        self._work.setAutoDelete(False)
        QThreadPool.globalInstance().start(self._work)

    def _one(self, number: int, text: str, good: bool) -> None:
        item = self.list.item(self._rows[number])
        name = self.session.project.takes[self._rows[number]].name
        item.setText(f"{name} — {text}")
        item.setToolTip(text)
        self._good += good
        self.bar.setValue(self.bar.value() + 1)

    def _finished(self) -> None:
        count = len(self._rows)
        done = self.bar.value()
        stopped = "" if done == count else f" Stopped: {count - done} were not begun."
        self.said.setText(f"{self._good} of {count} written to {self.folder.text()}.{stopped}")
        self._work = None
        self.stop.setText("Close")
        self.bar.hide()
        self._enable()

    def _stop(self) -> None:
        if self._work is not None:
            self._work.stopped = True
        else:
            self.reject()
