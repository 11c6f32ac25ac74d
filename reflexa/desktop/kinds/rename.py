"""What a rename does: old and new name of every joint, or why it cannot be done."""

from __future__ import annotations

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.session import Session
from reflexa.desktop.settings.step_panel import TablePanel
from reflexa.library.fits import RENAME
from reflexa.steps.rename import RenameReport, RenameSettings


class RenamePanel(TablePanel):
    """The map is found from the rest poses, with the step."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Names", ["Old name", "New name"])
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(1, header.ResizeMode.Stretch)
        self._shown: object = None

    def refresh(self) -> None:
        step, report = self.session.step, self.session.report
        settings = step.settings if step is not None else None
        if not isinstance(settings, RenameSettings):
            return
        names = dict(settings.names)
        said = f"{len(names)} names are given one by one." if names else "Choose a rig of the same build."
        if self.session.step_problem:
            said = self.session.step_problem
        elif isinstance(report, RenameReport):
            names = dict(report.names)
            if settings.rig:
                said = "The rigs are of the same build: every value is kept."
        self.summary.setText(said)
        if names != self._shown:
            self._shown = names
            self.table.setVisible(bool(names))
            self.table.show_rows([((a, b), f"{a} becomes {b}", b, -1) for a, b in names.items()])


VIEW = StepView("rename", panel=RenamePanel, brings=RENAME)
