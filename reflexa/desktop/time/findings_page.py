"""Findings as a table below the ruler: sorted, filtered, several of them fixed or accepted at once."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QInputDialog,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from reflexa.checks import Finding, Group
from reflexa.checks.model import amount
from reflexa.desktop.look import theme
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.desktop.widgets.search import search_field
from reflexa.session import Session, findings
from reflexa.words import counted

_COLUMNS = ("Finding", "Joint", "From", "To", "Size", "Tolerated", "Step", "Fix", "Status")
_FINDING, _ORDER = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole.value + 1
_ACCEPTED = "accepted"


class _Row(QTreeWidgetItem):
    def __lt__(self, other: QTreeWidgetItem) -> bool:
        tree = self.treeWidget()
        column = tree.sortColumn() if tree is not None else 0
        return bool(self.data(column, _ORDER) < other.data(column, _ORDER))


class FindingsPage(QWidget):
    """A row leads to the frame where it is worst, Return to the step that caused it; Delete accepts. ``fix_all_wanted``."""

    fix_all_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._shown: object = None
        self.field = search_field("Filter findings")
        self.with_accepted = QCheckBox("Accepted too")
        self.said = labels.quiet()
        self.fix = styled(QPushButton("Fix"), toolTip="Adds the steps that fix the selected findings, one of a kind")
        self.accept = styled(QPushButton("Accept…"), toolTip="Accepts the selected findings, with a reason")
        self.blame = styled(QPushButton("Show step"), toolTip="Selects the step that caused the selected finding")
        self.fix_all = styled(QPushButton("Fix all"), toolTip="Tries to fix all findings, the largest first")
        self.table = styled(QTreeWidget(), accessibleName="Findings of the take")
        self.table.setHeaderLabels(list(_COLUMNS))
        self.table.setRootIsDecorated(False)
        self.table.setUniformRowHeights(True)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setSortingEnabled(True)
        self.table.header().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.header().setStretchLastSection(True)
        self.table.sortByColumn(_COLUMNS.index("Size"), Qt.SortOrder.DescendingOrder)
        top = QHBoxLayout()
        top.addWidget(self.field, 1)
        top.addWidget(self.with_accepted)
        top.addWidget(self.said)
        for button in (self.fix, self.accept, self.blame, self.fix_all):
            top.addWidget(button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        column.addLayout(top)
        column.addWidget(self.table, 1)
        self.field.textChanged.connect(lambda _: self.refresh(True))
        self.with_accepted.toggled.connect(lambda _: self.refresh(True))
        self.table.itemSelectionChanged.connect(self._picked)
        self.fix.clicked.connect(lambda: findings.repair_all(self.session, self.chosen()))
        self.accept.clicked.connect(self._accept)
        self.blame.clicked.connect(self._show_step)
        self.fix_all.clicked.connect(self.fix_all_wanted)
        for signal in (session.evaluator.found, session.take_changed):
            signal.connect(self.refresh)

    def showEvent(self, event: object) -> None:
        self.refresh()

    def refresh(self, anew: bool = False) -> None:
        """Bring the rows up to date, where anybody sees them."""
        groups = self.session.evaluator.judgement.groups
        if not self.isVisible() or (not anew and self._shown is groups):
            return
        self._shown = groups
        words, kept = self.field.text().lower().split(), {id(f) for f in self.chosen()}
        rows = [self._row(f, g) for g in groups for f in g.findings if self.with_accepted.isChecked() or not g.accepted]
        rows = [r for r in rows if all(w in " ".join(r.text(i) for i in range(len(_COLUMNS))).lower() for w in words)]
        self.table.blockSignals(True)
        self.table.setSortingEnabled(False)
        self.table.clear()
        self.table.addTopLevelItems(rows)
        self.table.setSortingEnabled(True)
        for row in rows:
            row.setSelected(id(row.data(0, _FINDING)) in kept)
        self.table.blockSignals(False)
        self._offer()

    def chosen(self) -> list[Finding]:
        """The findings of the selected rows."""
        return [i.data(0, _FINDING) for i in self.table.selectedItems()]

    def _row(self, f: Finding, g: Group) -> _Row:
        fix = f.repair.title if f.repair is not None else "—"
        status = f"{_ACCEPTED}: {g.accepted}" if g.accepted else "open"
        texts = (
            f.text, f.joint, str(f.frames[0]), str(f.frames[1]), amount(f.size, f.unit), amount(f.threshold, f.unit),
            findings.name_of(self.session, f.step), fix, status,
        )  # fmt: skip
        order = (*texts[:2], *f.frames, f.weight, f.threshold, *texts[6:])
        row = _Row(list(texts))
        row.setData(0, _FINDING, f)
        for column, by in enumerate(order):
            row.setData(column, _ORDER, by)
            row.setToolTip(column, f"{f.text}; worst at frame {f.worst}")
            if column in (2, 3, 4, 5):
                row.setTextAlignment(column, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if g.accepted:
                row.setForeground(column, theme.current().colour("quiet"))
        return row

    def _picked(self) -> None:
        chosen = self.chosen()
        if chosen:
            findings.go_to(self.session, max(chosen, key=lambda f: f.weight))
        self._offer()

    def _offer(self) -> None:
        chosen, count = self.chosen(), self.table.topLevelItemCount()
        self.said.setText(f"{len(chosen)} of {counted(count, 'finding')} selected" if count else "No findings")
        self.fix.setEnabled(any(f.repair is not None for f in chosen))
        self.accept.setEnabled(bool(chosen))
        self.blame.setEnabled(any(f.step for f in chosen))
        self.fix_all.setEnabled(any(f.repair is not None for f in findings.in_order(self.session)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.chosen():
            self._show_step()
        elif event.key() == Qt.Key.Key_Delete and self.chosen():
            self._accept()
        else:
            super().keyPressEvent(event)

    def _show_step(self) -> None:
        findings.show_blame(self.session, max(self.chosen(), key=lambda f: f.weight))

    def _accept(self) -> None:
        chosen = self.chosen()
        reason, good = QInputDialog.getText(self, f"Accept {counted(len(chosen), 'finding')}", f"Why: {chosen[0].text}")
        if good:
            findings.accept(self.session, chosen, reason.strip())
