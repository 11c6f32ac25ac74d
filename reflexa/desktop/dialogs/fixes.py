"""What *Fix all* did: a row for each finding, to look at and to take out."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QHeaderView, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from reflexa.checks.judging.fix import Fixed, Row
from reflexa.checks.model import amount
from reflexa.checks.registry import check_of
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.session import RESULT, Session
from reflexa.words import counted

_COLUMNS = ("Finding", "Joint", "Frames", "Before", "After", "Fixed by")


class Fixes(QDialog):
    """A row leads to its moment. Unticked, its repair is taken out of the step; ticked again, it is put back: one undo each. The
    window can be used beside it."""

    def __init__(self, session: Session, done: Fixed, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._fixed, self._take = session, done, done.take
        self._wanted = {i for i, r in enumerate(done.rows) if r.kept}
        self.setWindowTitle("Fix all")
        self.resize(720, 420)
        column = QVBoxLayout(self)
        rows, left = done.rows, len(done.left)
        kept = sum(r.kept for r in rows)
        said = f"{kept} of {counted(len(rows), 'finding')} fixed." if rows else "No finding can be fixed by a step."
        self.said = labels.text(f"{said} {counted(left, 'finding')} left." if left else f"{said} No findings are left.")
        column.addWidget(self.said)
        self.table = styled(QTreeWidget(), accessibleName="Fixes", rootIsDecorated=False, alternatingRowColors=True)
        self.table.setHeaderLabels(_COLUMNS)
        self.table.header().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        for at, row in enumerate(rows):
            self.table.addTopLevelItem(_item(row, at))
        self.table.currentItemChanged.connect(lambda item, _: self._go_to(item))
        self.table.itemChanged.connect(self._changed)
        self.table.setVisible(bool(rows))
        column.addWidget(self.table)
        self.note = labels.quiet("Click a row to see its moment. Untick it to take its fix out.")
        self.note.setVisible(bool(kept))
        column.addWidget(self.note)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.accept)
        column.addWidget(buttons)

    def _go_to(self, item: QTreeWidgetItem | None) -> None:
        if item is None:
            return
        row, session = self._fixed.rows[item.data(0, Qt.ItemDataRole.UserRole)], self._session
        session.player.pause()
        session.selection.set_view_point(RESULT)
        if row.joint:
            session.selection.select_joint(row.joint)
        session.player.set_frame(row.worst)

    def _changed(self, item: QTreeWidgetItem, column: int) -> None:
        session = self._session
        if column != 0:
            return
        if session.take != self._take:
            self._show_ticks()
            self.note.setText("The take was changed since: undo that first, or use Fix all again.")
            return
        ticked = item.checkState(0) == Qt.CheckState.Checked
        rows = self._fixed.together(item.data(0, Qt.ItemDataRole.UserRole))
        self._wanted = self._wanted | rows if ticked else self._wanted - rows
        self._take = self._fixed.with_rows(self._wanted)
        session.edit_take("put a fix back" if ticked else "take a fix out", self._take, card=RESULT)
        self._show_ticks()

    def _show_ticks(self) -> None:
        """Ticks as the take is: rows of one repair go together."""
        self.table.blockSignals(True)
        for i, row in enumerate(self._fixed.rows):
            item = self.table.topLevelItem(i)
            if row.kept and item is not None:
                item.setCheckState(0, Qt.CheckState.Checked if i in self._wanted else Qt.CheckState.Unchecked)
        self.table.blockSignals(False)


def _item(row: Row, at: int) -> QTreeWidgetItem:
    check = check_of(row.finding)
    title = check.title_of(row.finding) if check is not None else row.finding
    by = row.step if row.kept else f"not fixed: {row.why}"
    frames = f"{row.first} to {row.last}" if row.last > row.first else f"{row.first}"
    item = QTreeWidgetItem([title, row.joint, frames, amount(row.before, row.unit), amount(row.after, row.unit), by])
    item.setData(0, Qt.ItemDataRole.UserRole, at)
    item.setToolTip(5, by)
    if row.kept:
        item.setCheckState(0, Qt.CheckState.Checked)
    return item
