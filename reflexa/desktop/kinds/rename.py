"""What a rename does: old and new name of every joint, each of which can be said otherwise; or why it cannot be done."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QTableWidgetItem

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.settings.step_panel import TablePanel
from reflexa.library.fits import RENAME
from reflexa.session import Session, line
from reflexa.steps.rename import RenameReport, RenameSettings


class RenamePanel(TablePanel):
    """The map is found from the rest poses, with the step; a new name is changed by a double-click, or F2."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Names", ["Old name", "New name"])
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(1, header.ResizeMode.Stretch)
        triggers = QAbstractItemView.EditTrigger
        self.table.setEditTriggers(triggers.DoubleClicked | triggers.EditKeyPressed)
        self.table.itemChanged.connect(self._on_edited)
        self._shown: dict[str, str] | None = None

    def refresh(self) -> None:
        step, report = self.session.step, self.session.computed.report
        settings = step.settings if step is not None else None
        if not isinstance(settings, RenameSettings):
            return
        names = dict(settings.names)
        said = f"{len(names)} names are set individually." if names else "Choose a rig with the same hierarchy."
        if self.session.computed.step_problem:
            said = self.session.computed.step_problem
        elif isinstance(report, RenameReport):
            names = dict(report.names)
            if settings.rig:
                said = "The rigs match: all values are kept."
        self.summary.setText(said)
        if names != self._shown:
            self._shown = names
            self.table.setVisible(bool(names))
            tip = "{} becomes {}; double-click to change it"
            self.table.show_rows([((a, b), tip.format(a, b), b, -1) for a, b in names.items()])
            for row in range(self.table.rowCount()):
                if (item := self.table.item(row, 0)) is not None:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)

    def _on_edited(self, item: QTableWidgetItem) -> None:
        step, shown = self.session.step, self._shown or {}
        settings = step.settings if step is not None else None
        first = self.table.item(item.row(), 0)
        if not isinstance(settings, RenameSettings) or item.column() != 1 or first is None:
            return
        old, new = first.text(), item.text().strip()
        before = shown.get(old, old)
        self._shown = None  # what was typed may not be taken
        if new and new != before:
            names = {**settings.names, old: new}
            other = next((a for a, b in shown.items() if b == new), "")
            if other:  # two joints of one name: they change places
                names[other] = before
            line.set_setting(self.session, "names", names)
        else:
            self.refresh()


VIEW = StepView("rename", also="map names", panel=RenamePanel, brings=RENAME)
