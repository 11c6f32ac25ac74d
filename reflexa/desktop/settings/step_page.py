"""The page of a step: the form made from its settings, what its kind adds, and how much of it counts."""

from __future__ import annotations

from reflexa.desktop.kinds import view_of
from reflexa.desktop.session import Session
from reflexa.desktop.settings.form import form_of
from reflexa.desktop.settings.mask_section import MaskSection
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.choosers import keep_narrow


class StepPage(StepPanel):
    """Made anew when another step is selected."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        step, kind = session.step, session.kind
        assert step is not None and kind is not None
        view = view_of(step.kind)
        self.title = labels.heading(step.name)
        self.column.addWidget(self.title)
        self.column.addWidget(labels.text(kind.help))
        form, self._refreshers = form_of(kind, session, view.hidden)
        self.panel = view.panel(session) if view.panel is not None else None
        if self.panel is not None and view.panel_first:
            self.column.addWidget(self.panel)
        if form.rowCount():
            self.column.addLayout(form)
        if self.panel is not None:
            if not view.panel_first:
                self.column.addWidget(self.panel)
            self._refreshers.append(self.panel.refresh)
        if kind.weighed:
            section = MaskSection(session)
            self.column.addWidget(section)
            self._refreshers.append(section.refresh)
        keep_narrow(self)

    def refresh(self) -> None:
        if self.session.step is not None:
            self.title.setText(self.session.step.name)
        for refresh in self._refreshers:
            refresh()
