"""The page of a step: the form made from its settings, what its kind adds, and how much of it counts."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from reflexa.desktop.kinds import view_of
from reflexa.desktop.settings.form import form_of
from reflexa.desktop.settings.mask_section import MaskSection
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.choosers import keep_narrow
from reflexa.desktop.widgets.folding import Folding
from reflexa.desktop.widgets.helping import with_help
from reflexa.session import Session


class StepPage(StepPanel):
    """Made anew when another step is selected."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        step, kind = session.step, session.kind
        assert step is not None and kind is not None
        view = view_of(step.kind)
        self.title = labels.Eliding(step.name)
        self.title.setObjectName("heading")
        self.column.addLayout(with_help(self.title, kind.help))
        form = form_of(kind, session, view.hidden, view.more)
        self._refreshers = form.refreshers
        self.panel = view.panel(session) if view.panel is not None else None
        if form.daily.rowCount():
            self.column.addLayout(form.daily)
        if self.panel is not None:
            self.column.insertWidget(1 if view.panel_first else self.column.count(), self.panel)
            self._refreshers.append(self.panel.refresh)
        if form.more.rowCount():
            inner = QWidget()
            inner.setLayout(form.more)
            self.column.addWidget(Folding("More", f"more of {step.kind}", inner))
        if kind.weighed:
            section = MaskSection(session)
            first = view.mask_first
            self.reach = Folding("Weight and mask", f"mask of {step.kind}" if first else "mask", section, first)
            self.column.insertWidget(1 if first else self.column.count(), self.reach)
            self._refreshers.append(section.refresh)
        keep_narrow(self)

    def refresh(self) -> None:
        if self.session.step is not None:
            self.title.setText(self.session.step.name)
        for refresh in self._refreshers:
            refresh()
