"""What a kind of step shows beside its plain settings."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from reflexa.desktop.settings.joint_table import JointTable
from reflexa.session import Session


class StepPanel(QWidget):
    """One thing below the other; ``refresh`` brings them up to date with the step and its report."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 4, 0, 0)
        self.column.setSpacing(5)

    def refresh(self) -> None:
        """Show what is known now."""


class TablePanel(StepPanel):
    """A line of text over a table that leads to joints."""

    def __init__(self, session: Session, name: str, columns: list[str]) -> None:
        super().__init__(session)
        self.summary = QLabel(wordWrap=True)
        self.column.addWidget(self.summary)
        self.table = JointTable(session, name, columns)
        self.column.addWidget(self.table)
