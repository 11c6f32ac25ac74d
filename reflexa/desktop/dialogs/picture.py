"""Saving a picture of the open take: one frame, a contact sheet, a moving picture."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from reflexa.desktop.look import theme
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.desktop.widgets.where import ask_where
from reflexa.draw.camera import STANDARD
from reflexa.progress import Progress
from reflexa.review.pictures import save_frames, save_sheet
from reflexa.review.stills import Shot
from reflexa.review.subjects import Reviewed
from reflexa.take import View

_KINDS = {
    "This frame (PNG)": ".png",
    "Contact sheet (PNG)": ".png",
    "The range, animated (WebP)": ".webp",
    "The range, one file per frame (PNG)": ".png",
}
_FRAME, _SHEET = list(_KINDS)[:2]


class PictureDialog(QDialog):
    """What is to be in the picture. now: as it is looked at in the window; frame and span: the playhead and the range."""

    def __init__(self, subject: Reviewed, now: View, frame: int, span: tuple[int, int], parent: QWidget) -> None:
        super().__init__(parent)
        self.subject, self._now, self._frame, self._span = subject, now, frame, span
        self.setWindowTitle("Save a picture")
        self.kind = styled(QComboBox(), accessibleName="What")
        self.kind.addItems(list(_KINDS))
        self.count = styled(
            QSpinBox(), minimum=2, maximum=200, value=12, suffix=" frames", accessibleName="Frames of the sheet"
        )
        self.view = styled(QComboBox(), accessibleName="View")
        self.view.addItem("Current view", "")
        for v in subject.line.take.views:
            self.view.addItem(v.name, v.name)
        for name in STANDARD:
            self.view.addItem(name.capitalize(), name)
        self.both = QCheckBox("Before and after, side by side")
        self.numbers = styled(QCheckBox("Name and frame numbers"), checked=True)
        self.dark = styled(QCheckBox("Dark"), checked=theme.current() is theme.NIGHT)
        self.wide = styled(QSpinBox(), minimum=64, maximum=4096, value=960, suffix=" pixels", accessibleName="Width")
        self.high = styled(QSpinBox(), minimum=64, maximum=4096, value=600, suffix=" pixels", accessibleName="Height")
        form = QFormLayout()
        for title, widget in (
            ("What", self.kind), ("Sheet of", self.count), ("View", self.view), ("Width", self.wide), ("Height", self.high),
            ("", self.both), ("", self.numbers), ("", self.dark),
        ):  # fmt: skip
            form.addRow(title, widget)
        self.kind.currentTextChanged.connect(self._fit)
        self._fit(self.kind.currentText())
        column = QVBoxLayout(self)
        column.addLayout(form)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)

    def _fit(self, what: str) -> None:
        self.count.setEnabled(what == _SHEET)
        self.count.setToolTip("" if what == _SHEET else "For contact sheets only")

    def shot(self) -> Shot:
        """As the fields say."""
        view = self.view.currentData() or self._now
        size = self.wide.value(), self.high.value()
        return Shot(*size, view, self.both.isChecked(), self.dark.isChecked(), self.numbers.isChecked())

    def ask_path(self) -> Path | None:
        """Where it is to go; None: nowhere."""
        return ask_where(
            self.parentWidget() or self, "Save a picture", self.subject.name, _KINDS[self.kind.currentText()]
        )

    def saving(self, path: Path) -> Callable[[Progress], list[Path]]:
        """What draws and writes it as the fields say now, off the interface thread. Raises WriteError, and what progress does."""
        subject, what, shot, count = self.subject, self.kind.currentText(), self.shot(), self.count.value()
        if what == _SHEET:
            return lambda progress: save_sheet(subject, count, path, shot, True, progress)
        frames = [self._frame] if what == _FRAME else list(range(self._span[0], self._span[1] + 1))
        return lambda progress: save_frames(subject, frames, path, shot, True, progress)
