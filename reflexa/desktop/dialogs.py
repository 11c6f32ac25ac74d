"""Dialogs: what an import found, export with its proof, command search, shortcuts."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, QRunnable, Qt, QThreadPool, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QSpinBox,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa import describe
from reflexa.batch.export import Proof, export
from reflexa.desktop.commands import Registry
from reflexa.desktop.session import Session
from reflexa.errors import ReflexaError
from reflexa.formats import FORMATS, Imported, WriteOptions
from reflexa.names import file_name
from reflexa.take import exported


class ImportReport(QDialog):
    """What was found in each imported file, and what could not be read."""

    def __init__(self, found: list[Imported], errors: list[str], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Import")
        self.resize(560, 420)
        column = QVBoxLayout(self)
        self.text = QTextBrowser()
        self.text.setAccessibleName("What the import found")
        parts = []
        for e in errors:
            parts.append(f"<p><b>Not imported.</b> {_safe(e)}</p>")
        for d in found:
            rows = "".join(f"<li>{_safe(line)}</li>" for line in describe.lines(d))
            parts.append(f"<p><b>{_safe(d.path.name)}</b></p><ul>{rows}</ul>")
        self.text.setHtml("".join(parts))
        column.addWidget(self.text)
        self.make_take = QCheckBox("Make a take of each clip and open the last one")
        self.make_take.setChecked(bool(found))
        self.make_take.setVisible(bool(found))
        column.addWidget(self.make_take)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok)
        buttons.accepted.connect(self.accept)
        column.addWidget(buttons)


def _safe(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")


class _Relay(QObject):
    progress = Signal(str, float)
    done = Signal(object)
    failed = Signal(str)


class _ExportWork(QRunnable):
    def __init__(self, call, relay: _Relay) -> None:
        super().__init__()
        self._call, self._relay = call, relay

    def run(self) -> None:
        try:
            self._relay.done.emit(self._call(self._relay.progress.emit))
        except ReflexaError as e:
            self._relay.failed.emit(str(e))
        except ValueError as e:
            self._relay.failed.emit(f"{str(e)[:1].upper()}{str(e)[1:]}.")


def folder_row(parent: QWidget, folder: Path) -> tuple[QLineEdit, QHBoxLayout]:
    """A field for a folder with a button that chooses one."""
    field = QLineEdit(str(folder), accessibleName="Folder")
    button = QPushButton("Choose…")

    def browse() -> None:
        chosen = QFileDialog.getExistingDirectory(parent, "Folder", field.text())
        if chosen:
            field.setText(chosen)

    button.clicked.connect(browse)
    row = QHBoxLayout()
    row.addWidget(field, 1)
    row.addWidget(button)
    return field, row


class ExportDialog(QDialog):
    """Name, format, range, rate, folder; then progress and the proof."""

    def __init__(self, session: Session, folder: Path, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle("Export a new clip")
        self.setMinimumWidth(520)
        take, clip = session.take, session.result
        assert take is not None and clip is not None
        first, last = session.range
        form = QFormLayout()
        form.setSpacing(8)
        self.name = QLineEdit(take.export.name or take.name)
        form.addRow("Name", self.name)
        self.format = QComboBox()
        for f in FORMATS.values():
            self.format.addItem(f"{f.title} ({f.suffix})", f.name)
        self.format.setCurrentIndex(self.format.findData(take.export.format))
        form.addRow("Format", self.format)
        self.frame = QComboBox()
        self.frame.addItem("As its source, where it is the same kind of file", "source")
        self.frame.addItem("Clean: metres, +Y up, facing +Z", "clean")
        self.frame.setCurrentIndex(self.frame.findData(take.export.frame))
        form.addRow("Units and axes", self.frame)
        row = QHBoxLayout()
        self.first = QSpinBox(minimum=0, maximum=clip.frames - 1, value=first)
        self.last = QSpinBox(minimum=0, maximum=clip.frames - 1, value=last)
        self.length = QLabel()
        for w in (self.first, QLabel("to"), self.last, self.length):
            row.addWidget(w)
        row.addStretch(1)
        form.addRow("Frames", row)
        self.rate = QDoubleSpinBox(minimum=1, maximum=1000, decimals=3, value=take.export.rate or clip.rate)
        self.rate.setSuffix(" frames a second")
        form.addRow("Rate", self.rate)
        self.loop = QCheckBox("The clip loops")
        self.loop.setChecked(clip.loop if take.export.loop is None else take.export.loop)
        form.addRow("", self.loop)
        self.cycles = QSpinBox(minimum=1, maximum=1000, value=take.export.cycles, suffix=" times")
        self.cycles.setToolTip("A loop is written so many times over, its travel carried on from cycle to cycle")
        form.addRow("Cycle", self.cycles)
        self.folder, row = folder_row(self, folder)
        form.addRow("Folder", row)
        self.overwrite = QCheckBox("Write over files that are there")
        form.addRow("", self.overwrite)
        column = QVBoxLayout(self)
        column.addLayout(form)
        self.bar = QProgressBar(maximum=100)
        self.bar.hide()
        column.addWidget(self.bar)
        self.said = QLabel(wordWrap=True)
        self.said.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.said.hide()
        column.addWidget(self.said)
        buttons = QDialogButtonBox()
        self.go = buttons.addButton("Export", QDialogButtonBox.ButtonRole.AcceptRole)
        self.go.setObjectName("main")
        self.close_button = buttons.addButton("Close", QDialogButtonBox.ButtonRole.RejectRole)
        buttons.accepted.connect(self.start)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.proof: Proof | None = None
        self._relay = _Relay()
        self._relay.progress.connect(self._progress)
        self._relay.done.connect(self._done)
        self._relay.failed.connect(self._failed)
        for box in (self.first, self.last, self.cycles):
            box.valueChanged.connect(self._show_length)
        self.rate.valueChanged.connect(self._show_length)
        self._show_length()

    def _show_length(self) -> None:
        clip = self.session.result
        count = self.last.value() - self.first.value() + 1
        good = count >= 1
        count = (count - 1) * self.cycles.value() + 1
        self.length.setText(f"{count} frames, {(count - 1) / clip.rate:.2f} s" if good else "the range is empty")
        self.go.setEnabled(good)

    def target(self) -> Path:
        """The file that will be written."""
        return (
            Path(self.folder.text()).expanduser()
            / f"{file_name(self.name.text())}{FORMATS[self.format.currentData()].suffix}"
        )

    def start(self) -> None:
        """Remember the choices with the take and write, off the interface thread."""
        session = self.session
        if session.problem:
            self._failed(f"{session.problem} Set the step up, or switch it off: a clip without it is not written.")
            return
        take, clip, rig, document = session.take, session.result, session.evaluation.rig, session.document
        model = session.document_of(rig)
        last = None if self.last.value() == clip.frames - 1 else self.last.value()
        rate = None if abs(self.rate.value() - clip.rate) < 5e-4 else self.rate.value()
        loop = None if self.loop.isChecked() == clip.loop else self.loop.isChecked()
        name = self.name.text().strip()
        choices = replace(
            take.export, name="" if name == take.name else name, first=self.first.value(), last=last, rate=rate, loop=loop,
            format=self.format.currentData(), frame=self.frame.currentData(), cycles=self.cycles.value(),
        )  # fmt: skip
        session.edit_take("choose export settings", replace(take, export=choices))
        target, options, over = self.target(), WriteOptions(choices.frame), self.overwrite.isChecked()
        steps = tuple(s for s in take.steps if s.on)

        def call(progress) -> Proof:
            out = exported(clip, replace(choices, name=name), rig)
            return export([out], rig, target, choices.format, document, steps, options, over, progress, model)

        self.go.setEnabled(False)
        self.bar.show()
        self.said.hide()
        QThreadPool.globalInstance().start(_ExportWork(call, self._relay))

    def _progress(self, text: str, part: float) -> None:
        self.bar.setFormat(text)
        self.bar.setValue(round(part * 100))

    def _done(self, proof: Proof) -> None:
        self.proof = proof
        self.bar.hide()
        self._say(
            f"Written: {proof.path}\n{proof.frames} frames at {proof.rate:g} a second. Read back: largest error "
            f"{proof.error_mm:.4f} mm.\nManifest: {proof.manifest.name}",
            "",
        )
        self.go.setEnabled(True)

    def _failed(self, text: str) -> None:
        self.bar.hide()
        self._say(text, "warn")
        self.go.setEnabled(True)

    def _say(self, text: str, name: str) -> None:
        self.said.setObjectName(name)
        self.said.style().unpolish(self.said)
        self.said.style().polish(self.said)
        self.said.setText(text)
        self.said.show()
        self.adjustSize()


class CommandSearch(QDialog):
    """Type a few letters of a command's name, Return runs it."""

    def __init__(self, commands: Registry, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find a command")
        self.resize(440, 360)
        self.commands = commands
        column = QVBoxLayout(self)
        self.field = QLineEdit(placeholderText="What do you want to do?")
        self.field.textChanged.connect(self._list)
        self.field.returnPressed.connect(self._run)
        column.addWidget(self.field)
        self.found = QListWidget()
        self.found.itemActivated.connect(lambda _i: self._run())
        column.addWidget(self.found)
        self._list("")

    def keyPressEvent(self, e: object) -> None:
        if e.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            by = 1 if e.key() == Qt.Key.Key_Down else -1
            self.found.setCurrentRow(max(0, min(self.found.count() - 1, self.found.currentRow() + by)))
        else:
            super().keyPressEvent(e)

    def _list(self, text: str) -> None:
        words = text.lower().split()
        self.found.clear()
        for c in self.commands:
            if all(w in f"{c.title} {c.menu}".lower() for w in words):
                reason = c.why_not()
                shortcut = f"   {c.shortcut.split(' | ')[0]}" if c.shortcut else ""
                item = QListWidgetItem(f"{c.title}{shortcut}" + (f" — {reason}" if reason else ""))
                item.setData(Qt.ItemDataRole.UserRole, c.id)
                if reason:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
                self.found.addItem(item)
        self.found.setCurrentRow(0)

    def _run(self) -> None:
        item = self.found.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.accept()
            self.commands.run(item.data(Qt.ItemDataRole.UserRole))


class Shortcuts(QDialog):
    """Every command with its shortcut, and what the mouse does."""

    MOUSE = (
        ("Drag in the picture", "orbit"), ("Shift+drag or middle drag", "pan"), ("Wheel or right drag", "zoom"),
        ("Click a joint", "select it"), ("Drag a hoop", "turn the joint (Ctrl: steps of 5°)"),
        ("Drag keys", "move them by whole frames"), ("Drag from empty space", "select keys in a box"),
        ("Double-click the envelope", "add or take away a point"), ("Wheel in the time area", "zoom in time (Shift: pan)"),
        ("Drag a card", "move the step"), ("Double-click a card's name", "rename the step"),
    )  # fmt: skip

    def __init__(self, commands: Registry, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys and mouse")
        self.resize(460, 560)
        rows = [(c.title, c.shortcut.replace(" | ", " or ")) for c in commands if c.shortcut]
        rows += [(b.capitalize(), a) for a, b in self.MOUSE]
        html = "".join(
            f"<tr><td style='padding:2px 24px 2px 0'>{_safe(a)}</td><td>{_safe(b)}</td></tr>" for a, b in rows
        )
        column = QVBoxLayout(self)
        column.addWidget(QTextBrowser(html=f"<table>{html}</table>"))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
