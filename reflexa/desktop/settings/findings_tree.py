"""Findings, put together: a row a kind and limb, the worst first, that folds out to its spans of time."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QInputDialog, QMenu, QTreeWidget, QTreeWidgetItem

from reflexa.checks import Finding, Group
from reflexa.checks.model import amount
from reflexa.desktop.look import theme
from reflexa.desktop.widgets import menus
from reflexa.session import Session, findings

_FINDINGS = Qt.ItemDataRole.UserRole


class FindingsTree(QTreeWidget):
    """A row leads to the frame where it is worst; a right-click offers what can be done about it, Return shows who brought it
    in."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._shown: tuple[Group, ...] | None = None
        self.setAccessibleName("Findings")
        self.setHeaderLabels(["What", "Size", "Step"])
        self.headerItem().setToolTip(2, "The step that caused it")
        self.setIndentation(8)
        self.setUniformRowHeights(True)
        self.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        header = self.header()
        header.setStretchLastSection(False)
        header.setMinimumSectionSize(44)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(2, QHeaderView.ResizeMode.Fixed)
        header.resizeSection(2, 62)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._menu)
        self.itemSelectionChanged.connect(self._picked)
        for signal in (self.itemExpanded, self.itemCollapsed):
            signal.connect(self._fit)

    def show_groups(self, groups: tuple[Group, ...]) -> None:
        """Bring the rows up to date."""
        if groups == self._shown:
            return
        open_ = {self._key(i) for i in self._tops() if i.isExpanded()}
        self._shown = groups
        self.blockSignals(True)
        self.clear()
        for g in groups:
            top = self._row(g.title_of, list(g.findings), g)
            self.addTopLevelItem(top)
            if len(g.findings) > 1:
                for f in g.findings:
                    top.addChild(self._row(_span(f), [f], g))
                top.setExpanded(self._key(top) in open_)
        self.blockSignals(False)
        self._fit()

    def chosen(self) -> list[Finding]:
        """The findings of the selected rows, each once."""
        out: dict[int, Finding] = {}
        for item in self.selectedItems():
            out.update({id(f): f for f in item.data(0, _FINDINGS)})
        return list(out.values())

    def _tops(self) -> list[QTreeWidgetItem]:
        return [i for n in range(self.topLevelItemCount()) if (i := self.topLevelItem(n)) is not None]

    def _key(self, item: QTreeWidgetItem) -> tuple[str, str]:
        f: Finding = item.data(0, _FINDINGS)[0]
        return f.kind, f.joint

    def _row(self, text: str, found: list[Finding], g: Group) -> QTreeWidgetItem:
        worst = max(found, key=lambda f: f.weight)
        item = QTreeWidgetItem([text, amount(worst.size, worst.unit), findings.name_of(self.session, worst.step)])
        item.setData(0, _FINDINGS, found)
        frames = "frame" if worst.frames[0] == worst.frames[1] else "frames"
        tip = f"{worst.text}, {frames} {_span(worst)}; worst at frame {worst.worst}."
        if len(found) > 1:
            tip = f"{len(found)} times, {g.seconds:.2f} s in all. {tip}"
        if worst.was:
            tip += f" It was {amount(worst.was, worst.unit)} before that step."
        if g.accepted:
            tip += f" Accepted: {g.accepted}."
            for column in range(3):
                item.setForeground(column, theme.current().colour("quiet"))
        for column in range(3):
            item.setToolTip(column, tip)
        item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return item

    def _fit(self) -> None:
        """As high as its rows, up to a dozen."""
        rows = sum(1 + (i.childCount() if i.isExpanded() else 0) for i in self._tops())
        self.setFixedHeight(32 + 22 * max(1, min(rows, 12)))

    def _picked(self) -> None:
        chosen = self.chosen()
        if chosen:
            findings.go_to(self.session, max(chosen, key=lambda f: f.weight))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        chosen = self.chosen()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and chosen:
            findings.show_blame(self.session, max(chosen, key=lambda f: f.weight))
        else:
            super().keyPressEvent(event)

    def _menu(self, at: QPoint) -> None:
        chosen = self.chosen()
        if not chosen:
            return
        worst, menu = max(chosen, key=lambda f: f.weight), QMenu(self)
        if worst.repair is not None:
            menu.addAction(worst.repair.title, partial(findings.repair, self.session, worst))
        if worst.step:
            menu.addAction("Show the step that caused it", partial(findings.show_blame, self.session, worst))
        put_up = [g for g in self._shown or () if g.accepted and worst in g.findings]
        if put_up:
            menu.addAction("Remove acceptance", partial(findings.withdraw, self.session, chosen))
        else:
            menu.addAction("Accept…", self.accept)
        menus.show(menu, self.viewport().mapToGlobal(at))

    def accept(self) -> None:
        """Ask why the selected findings are put up with."""
        chosen = self.chosen()
        if not chosen:
            self.session.said.emit("Select findings first.")
            return
        reason, good = QInputDialog.getText(self, "Accept findings", f"Why: {chosen[0].text}")
        if good:
            findings.accept(self.session, chosen, reason.strip())


def _span(f: Finding) -> str:
    return f"{f.frames[0]}" if f.frames[0] == f.frames[1] else f"{f.frames[0]}–{f.frames[1]}"
