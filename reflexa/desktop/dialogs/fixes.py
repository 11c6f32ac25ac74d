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
            self._show_again()
            self.note.setText("The take was changed since: undo that first, or use Fix all again.")
            return
        title = "take a fix out" if item.checkState(0) == Qt.CheckState.Unchecked else "put a fix back"
        self._take = self._fixed.with_rows(self._ticked())
        session.edit_take(title, self._take, card=RESULT)
        self._show_again()

    def _items(self) -> list[QTreeWidgetItem]:
        items = (self.table.topLevelItem(i) for i in range(self.table.topLevelItemCount()))
        return [i for i in items if i is not None]

    def _ticked(self) -> set[int]:
        return {i for i, item in enumerate(self._items()) if item.checkState(0) == Qt.CheckState.Checked}

    def _show_again(self) -> None:
        """Ticks as the take is: rows of one repair go together."""
        there = {s.name for s in self._take.steps}
        self.table.blockSignals(True)
        for item, row in zip(self._items(), self._fixed.rows, strict=True):
            if row.kept and row.step not in there:
                item.setCheckState(0, Qt.CheckState.Unchecked)
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
