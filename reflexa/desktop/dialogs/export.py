"""Exporting the open take: name, format, range, rate and folder; then progress and the proof."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa.desktop.dialogs.export_parts import PartRows, in_a_row
from reflexa.desktop.dialogs.folder_row import FolderRow
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.buttons import add_buttons
from reflexa.desktop.widgets.numbers import CountBox, PlainNumber
from reflexa.formats import FORMATS, writable
from reflexa.motion.clip import Clip
from reflexa.output.naming import file_names
from reflexa.output.takes import Into, export_take
from reflexa.output.write import Proof
from reflexa.session import Session
from reflexa.session.work import Job
from reflexa.take import Export, Take
from reflexa.words import counted


class ExportDialog(QDialog):
    """Closing it while something is written gives that up: the file is not there then."""

    def __init__(self, session: Session, take: Take, clip: Clip, folder: Path, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self._take, self._clip = session, take, clip
        self.setWindowTitle("Export a new clip")
        self.setMinimumWidth(520)
        column = QVBoxLayout(self)
        column.addLayout(self._form(take.export, folder))
        self.bar = QProgressBar(maximum=100)
        self.bar.hide()
        column.addWidget(self.bar)
        self.said = labels.text()
        self.said.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.said.hide()
        column.addWidget(self.said)
        self.go, self.close_button = add_buttons(self, column, "Export", "Close", self.start)
        self.proof: Proof | None = None
        self._job: Job[Proof] | None = None
        for box in (self.first, self.last, self.cycles):
            box.valueChanged.connect(self._show_length)
        self.rate.valueChanged.connect(self._show_length)
        self._show_length()

    def _form(self, chosen: Export, folder: Path) -> QFormLayout:
        clip, (first, last) = self._clip, self.session.computed.range
        form = QFormLayout()
        form.setSpacing(8)
        self.name = QLineEdit(chosen.name or self._take.name)
        form.addRow("Name", self.name)
        self.format = QComboBox()
        for f in writable():
            self.format.addItem(f"{f.title} ({f.suffix})", f.name)
        self.format.setCurrentIndex(self.format.findData(chosen.format))
        form.addRow("Format", self.format)
        self.frame = QComboBox()
        self.frame.addItem("Like the source (for the same file format)", "source")
        self.frame.addItem("Clean: metres, +Y up, facing +Z", "clean")
        self.frame.setCurrentIndex(self.frame.findData(chosen.frame))
        form.addRow("Units and axes", self.frame)
        row = QHBoxLayout()
        self.first = QSpinBox(minimum=0, maximum=clip.frames - 1, value=first)
        self.last = QSpinBox(minimum=0, maximum=clip.frames - 1, value=last)
        self.length = QLabel()
        for w in (self.first, QLabel("to"), self.last, self.length):
            row.addWidget(w)
        row.addStretch(1)
        form.addRow("Frames", row)
        self.rate = PlainNumber(minimum=1, maximum=1000, decimals=3, value=chosen.rate or clip.rate)
        self.rate.setSuffix(" fps")
        self.loop = QCheckBox("Loop")
        self.loop.setChecked(clip.loop if chosen.loop is None else chosen.loop)
        form.addRow("Rate", in_a_row(self.rate, self.loop))
        self.cycles = CountBox("times", minimum=1, maximum=1000, value=chosen.cycles)
        self.cycles.setToolTip("The number of cycles to write. Travel continues from cycle to cycle.")
        self.play_rate = PlainNumber(minimum=0.01, maximum=100, decimals=3, value=chosen.play_rate or clip.play_rate)
        self.play_rate.setSuffix(" × speed")
        self.play_rate.setToolTip(
            "A note for the engine: how fast to play the clip. The step Retime can apply it to the frames."
        )
        form.addRow("Cycle, play rate", in_a_row(self.cycles, self.play_rate))
        held = QHBoxLayout()
        self.held = [CountBox("frames", minimum=0, maximum=10_000, value=n) for n in chosen.held]
        for box, tip in zip(self.held, ("before: the first pose", "after: the last pose"), strict=True):
            box.setToolTip(f"Frames held {tip}")
            box.setAccessibleName(f"Frames held {tip}")
            held.addWidget(box)
        form.addRow("Hold before, after", held)
        self.ranges = QComboBox()
        count = len(self._take.ranges)
        ranges = "1 range" if count == 1 else f"{count} ranges"
        how = (f"{ranges} in one file", f"{ranges}, one file each", "Only the frames above")
        for text, value in zip(how, ("together", "apart", "whole"), strict=True):
            self.ranges.addItem(text, value)
        self.ranges.setCurrentIndex(max(self.ranges.findData(chosen.ranges), 0))
        form.addRow("Ranges", self.ranges)
        form.setRowVisible(self.ranges, count > 0)
        line = self.session.computed.evaluation  # the result's rig, whatever is looked at
        self.parts = PartRows(self.session, form, chosen, line.rig if line is not None else None)
        tracks = ", ".join(t.name for t in clip.tracks) or "none"
        form.addRow("Written", labels.text(_goes_out(clip, tracks)))
        self.place = FolderRow(self, folder)
        form.addRow("Folder", self.place)
        self.overwrite = QCheckBox("Overwrite existing files")
        form.addRow("", self.overwrite)
        return form

    def _show_length(self) -> None:
        count = self.last.value() - self.first.value() + 1
        good = count >= 1
        count = (count - 1) * self.cycles.value() + 1
        self.length.setText(
            f"{counted(count, 'frame')}, {(count - 1) / self._clip.rate:.2f} s" if good else "The range is empty"
        )
        self.go.setEnabled(good)

    def target(self) -> Path:
        """The file that will be written."""
        name = self.name.text()
        return self.place.folder / file_names(name, [name], FORMATS[self.format.currentData()], False)[0]

    def choices(self) -> Export:
        """What was chosen."""
        clip, name = self._clip, self.name.text().strip()
        return replace(
            self.parts.chosen(self._take.export),
            name="" if name == self._take.name else name,
            first=self.first.value(),
            last=None if self.last.value() == clip.frames - 1 else self.last.value(),
            rate=None if abs(self.rate.value() - clip.rate) < 5e-4 else self.rate.value(),
            loop=None if self.loop.isChecked() == clip.loop else self.loop.isChecked(),
            format=self.format.currentData(),
            frame=self.frame.currentData(),
            cycles=self.cycles.value(),
            play_rate=None if abs(self.play_rate.value() - clip.play_rate) < 5e-4 else self.play_rate.value(),
            ranges=self.ranges.currentData(),
            held=(self.held[0].value(), self.held[1].value()),
        )

    def start(self) -> None:
        """Remember the choices with the take and write, off the interface thread."""
        session = self.session
        line, source, take = session.computed.evaluation, session.document, session.take
        if line is None or source is None or take is None or line.take.steps != take.steps:
            self._say("The take is still being computed. Try again in a moment.", "warn")
            return
        choices, documents = self.choices(), tuple(session.sources.documents.values())
        session.edit_take("choose export settings", replace(take, export=choices))
        line = replace(line, take=session.take or take)
        into = Into(self.place.folder, self.overwrite.isChecked(), self.session.project.limits)
        job: Job[Proof] = Job(lambda j: export_take(line, choices, source, documents, into, j.tell), self._done)
        job.title = f"The export of {take.name}"
        job.told = self._progress
        job.failed = self._failed
        self.go.setEnabled(False)
        self.bar.show()
        self.said.hide()
        self._job = session.work.start(job)

    def done(self, result: int) -> None:
        if self._job is not None:
            self._job.cancel()
        super().done(result)

    def _progress(self, text: str, part: float) -> None:
        self.bar.setFormat(text)
        self.bar.setValue(round(part * 100))

    def _done(self, proof: Proof) -> None:
        self.proof = proof
        self._end()
        self._say(
            f"Written: {proof.path}\n{counted(proof.frames, 'frame')} at {proof.rate:g} fps. Read back: largest error "
            f"{proof.error_mm:.4f} mm and {proof.error_deg:.4f}°.\nManifest: {proof.manifest.name}"
            + "".join(f"\nNote: {w}." for w in proof.warnings)
            + (f"\nBeside it: {', '.join(p.name for p in proof.others)}" if proof.others else ""),
            "",
        )

    def _failed(self, error: Exception) -> None:
        self._end()
        text = str(error)
        self._say(text if text.endswith(".") else f"{text[:1].upper()}{text[1:]}.", "warn")

    def _end(self) -> None:
        self._job = None
        self.bar.hide()
        self.go.setEnabled(True)

    def _say(self, text: str, how: str) -> None:
        labels.say(self.said, how)
        self.said.setText(text)
        self.said.show()
        self.adjustSize()


def _goes_out(clip: Clip, tracks: str) -> str:
    keys = "reduced keys" if clip.reduced else "keys on every frame"
    return f"{counted(len(clip.skeleton), 'joint')}, {keys}; tracks: {tracks}; {counted(len(clip.events), 'event')}."
