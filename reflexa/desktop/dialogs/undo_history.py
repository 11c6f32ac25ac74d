"""Everything that was done since the project was opened, to go back to by one click, and what each of it changed."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QDialog, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from reflexa.desktop.look import theme
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.review.changes import project_changes
from reflexa.session import Session

_MOST, _REST = 8, 150  # sentences; milliseconds


class UndoHistory(QDialog):
    """The selected row is where the project is now; those below it were undone. It follows what is done meanwhile."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle("Undo history")
        self.resize(380, 460)
        column = QVBoxLayout(self)
        self.list = styled(QListWidget(), accessibleName="Edits")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._go)
        column.addWidget(self.list, 1)
        self.said = labels.quiet()
        self.said.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.said.setMinimumHeight(90)
        column.addWidget(self.said)
        # While a hand drags, one edit grows: it is told when the hand rests.
        self._later = QTimer(self, singleShot=True, interval=_REST)
        self._later.timeout.connect(self._tell)
        self._shown: object = None
        session.history.saved_changed.connect(self._fill)
        self._fill()

    def _fill(self) -> None:
        history = self.session.history
        self._later.start()
        if self._shown == (history.labels, history.at):
            return
        self._shown = history.labels, history.at
        names, quiet = (
            ("As it was opened", *(n[:1].upper() + n[1:] for n in history.labels)),
            theme.current().colour("quiet"),
        )
        self.list.blockSignals(True)
        self.list.clear()
        for i, name in enumerate(names):
            item = QListWidgetItem(name)
            item.setToolTip(name)
            if i > history.at:
                item.setForeground(quiet)
            self.list.addItem(item)
        self.list.setCurrentRow(history.at)
        self.list.blockSignals(False)

    def _go(self, row: int) -> None:
        if row >= 0 and row != self.session.history.at:
            self.session.go_to(row)

    def _tell(self) -> None:
        at = self.session.history.at
        changes = project_changes(*self.session.history.around(at - 1)) if at else []
        more = [f"… and {len(changes) - _MOST} more"] if len(changes) > _MOST else []
        self.said.setText("\n".join([*changes[:_MOST], *more]) or "Select a row to go back to it, or forth again.")

    def done(self, result: int) -> None:
        self.session.history.saved_changed.disconnect(self._fill)
        super().done(result)
