"""The page of the source: what the import found, and what the reader can be told."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from reflexa import describe
from reflexa.desktop.settings.elsewhere import ElsewherePart
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.folding import Folding
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.formats import FORMATS
from reflexa.formats.imported import FACINGS, UNITS
from reflexa.session import Session, takes


class SourcePage(StepPanel):
    """Made anew when another source, or the same one read otherwise, stands there."""

    file_wanted = Signal(str)
    file_chosen = Signal(str, object)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        take, document = session.take, session.document
        assert take is not None
        file = take.source.file
        self.column.addWidget(labels.heading("Source"))
        if take.source.segments:
            said = ", ".join(dict.fromkeys(f"{s.clip} in {s.file}" for s in take.source.segments))
            self.column.addWidget(
                labels.text(f"{len(take.source.segments)} segments in a row, from {said}. No file is changed.")
            )
            self.column.addWidget(
                labels.text(
                    "Drag them below the ruler: ends to trim, over one another to crossfade, or to another place."
                )
            )
        else:
            self.column.addWidget(labels.text(f"{take.source.clip} in {file}. The file is never changed."))
            self.column.addWidget(labels.text("Drop another clip on the card Source to append it."))
        gone, known = session.sources.gone(take.source)
        if gone or document is None:
            self.column.addWidget(labels.warning(f"{gone}. {known}"))
            if file in session.sources.missing:
                elsewhere = ElsewherePart(session, file)
                elsewhere.chosen.connect(lambda path: self.file_chosen.emit(file, path))
                self.column.addWidget(elsewhere)
            find = QPushButton("Find the file…")
            find.setToolTip("Choose the file that replaces it. It is copied into the project, and takes follow.")
            find.clicked.connect(lambda: self.file_wanted.emit(file))
            self.column.addWidget(find)
            return
        found, facts = describe.lines(document), QWidget()
        column = QVBoxLayout(facts)
        column.setContentsMargins(0, 0, 0, 0)
        for said in found:
            if said.startswith(("Note:", "Without a partner")):
                self.column.addWidget(labels.warning(said, strong=False))
            else:
                column.addWidget(labels.text(said))
        self.column.addWidget(labels.text(found[0]))
        self.column.addWidget(Folding("What the import found", "import", facts))
        entry = takes.source_entry(session, file)
        facing = styled(QComboBox(), accessibleName="Facing in the file")
        facing.addItem("detected", "")
        for name in FACINGS:
            facing.addItem(name, name)
        facing.setCurrentIndex(max(0, facing.findData(entry.facing if entry is not None else "")))
        facing.activated.connect(lambda _i: takes.set_facing(session, file, facing.currentData()))
        self._row("Faces, in the file", facing)
        if not FORMATS[document.format].declares_unit:
            unit = styled(QComboBox(), accessibleName="Unit of the file")
            unit.addItem("detected", None)
            for name, scale in UNITS.items():
                unit.addItem(name, scale)
            if entry is not None and entry.unit is not None:
                unit.setCurrentIndex(max(0, unit.findData(entry.unit)))
            unit.activated.connect(lambda _i: takes.set_unit(session, file, unit.currentData()))
            self._row("Unit of the file", unit)

    def _row(self, title: str, box: QComboBox) -> None:
        row = QHBoxLayout()
        row.addWidget(QLabel(title))
        row.addWidget(box, 1)
        self.column.addLayout(row)
