"""Settings of the selected card."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget

from reflexa.desktop.settings.result_page import ResultPage
from reflexa.desktop.settings.source_page import SourcePage
from reflexa.desktop.settings.step_page import StepPage
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.choosers import keep_narrow
from reflexa.session import SOURCE, Session


class SettingsPanel(QFrame):
    """A page for each card, made when another one is selected; otherwise it is only brought up to date."""

    export_wanted = Signal()
    fix_wanted = Signal()
    file_wanted = Signal(str)
    file_chosen = Signal(str, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.session = session
        self.setMinimumWidth(250)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        self._area = QScrollArea()
        self._area.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is in it has the focus
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer.addWidget(self._area)
        self._shape: object = None
        self._page: StepPanel | None = None
        for signal in (
            session.take_changed, session.selection.changed, session.evaluator.done, session.evaluator.reported,
            session.evaluator.found,
        ):  # fmt: skip
            signal.connect(self.refresh)
        session.player.moved.connect(self._on_playhead)
        self.refresh()

    def _on_playhead(self) -> None:
        if not self.session.player.playing and self._page is not None:
            self._page.refresh()

    def refresh_icons(self) -> None:
        """Everything in the colours of the theme."""
        self._shape = None
        self.refresh()

    def refresh(self) -> None:
        """Show what is selected."""
        session = self.session
        take, step = session.take, session.step
        shape = (
            session.selection.card, take and take.source, step and (step.id, step.kind), id(session.document),
            tuple(session.sources.missing), take and session.selection.take,
        )  # fmt: skip
        if shape != self._shape:
            self._shape = shape
            self._page = self._make()
            page = QWidget()
            column = QVBoxLayout(page)
            column.setContentsMargins(12, 10, 12, 10)
            column.setSpacing(6)
            column.addWidget(self._page)
            column.addStretch(1)
            keep_narrow(page)
            self._area.setWidget(page)
        if self._page is not None:
            self._page.refresh()

    def _make(self) -> StepPanel:
        session = self.session
        if session.take is None:
            page = StepPanel(session)
            page.column.addWidget(labels.heading("No take"))
            page.column.addWidget(
                labels.text("Import a clip, then make a take of it: a take is the clip and the steps that revise it.")
            )
            return page
        if session.selection.card == SOURCE:
            source = SourcePage(session)
            source.file_wanted.connect(self.file_wanted)
            source.file_chosen.connect(self.file_chosen)
            return source
        if session.step is not None:
            return StepPage(session)
        result = ResultPage(session)
        result.export_wanted.connect(self.export_wanted)
        result.fix_wanted.connect(self.fix_wanted)
        return result
