"""The joint tree: body part, side, partner and helper rule of every joint; what is wrong is listed on top."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QModelIndex, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QDropEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa.desktop.figure.joint_editor import JointEditor
from reflexa.desktop.look.side_marks import side_icon
from reflexa.desktop.widgets.qt_properties import named, styled
from reflexa.desktop.widgets.search import search_field
from reflexa.rig import Rig
from reflexa.rig.problems import Problem, problems
from reflexa.session import Session, masks, rigs
from reflexa.words import counted


class _Tree(QTreeWidget):
    """A joint dragged onto another makes them partners."""

    paired = Signal(str, str)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Of what is wider, parts get the larger half: names of joints have their place first."""
        super().resizeEvent(event)
        self.header().resizeSection(1, 66 + max(0, round(0.6 * (self.width() - 240))))

    def dropEvent(self, event: QDropEvent) -> None:
        target, source = self.itemAt(event.position().toPoint()), self.currentItem()
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()
        if target is not None and source is not None and target is not source:
            self.paired.emit(source.text(0), target.text(0))


class FigurePanel(QWidget):
    """Selecting here selects in the picture, and the other way round."""

    menu_wanted = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._rig: object = None
        self._items: dict[str, QTreeWidgetItem] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 6, 6, 6)
        column.setSpacing(5)
        self.search = search_field("Search joints and parts")
        self.search.textChanged.connect(self._filter)
        column.addWidget(self.search)
        self.problems = QListWidget()
        self.problems.setAccessibleName("Problems of the rig")
        self.problems.setWordWrap(True)
        self.problems.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.problems.itemClicked.connect(self._show_problem)
        self.problems.itemActivated.connect(self._show_problem)
        column.addWidget(self.problems)
        self.tree = _Tree()
        self.tree.setAccessibleName("Joints")
        self.tree.setHeaderLabels(["Joint", "Part"])
        self.tree.setIconSize(QSize(13, 13))
        self.tree.setIndentation(6)
        self.tree.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.tree.setDragEnabled(True)
        self.tree.setAcceptDrops(True)
        self.tree.setDragDropMode(QTreeWidget.DragDropMode.InternalMove)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.header().setStretchLastSection(False)
        self.tree.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.tree.header().setSectionResizeMode(1, QHeaderView.ResizeMode.Interactive)
        self.tree.header().resizeSection(1, 74)
        self.tree.currentItemChanged.connect(self._picked)
        self.tree.paired.connect(partial(rigs.pair, session))
        self.tree.itemClicked.connect(self._clicked)
        column.addWidget(self.tree, 1)
        self.editor = JointEditor(session)
        column.addWidget(self.editor)
        self.facts = named(QLabel(wordWrap=True), "quiet")
        column.addWidget(self.facts)
        row = QHBoxLayout()
        self.rest = styled(QPushButton("Show rest"), checkable=True, toolTip="Show the rest pose in the picture")
        self.rest.clicked.connect(session.selection.show_rest)
        self.more = styled(QPushButton("Rig ▾"), toolTip="Rest pose, rig documents, facing")
        self.more.clicked.connect(lambda: self.menu_wanted.emit(self.more))
        row.addWidget(self.rest)
        row.addWidget(self.more)
        column.addLayout(row)
        session.take_changed.connect(self.refresh)
        session.project_changed.connect(self.refresh)
        session.evaluator.done.connect(self.refresh)
        session.selection.looked.connect(self.refresh)
        session.selection.changed.connect(self._select)
        self.refresh()

    def refresh(self, force: bool = False) -> None:
        """Show the rig of what the picture shows."""
        self.rest.setChecked(self.session.selection.rest_shown)
        rig = self.session.computed.rig
        if rig is self._rig and not force:
            return
        old, self._rig = self._rig, rig
        scroll = self.tree.verticalScrollBar().value()
        self.tree.blockSignals(True)
        self.tree.clear()
        self._items.clear()
        if rig is None:
            self.problems.hide()
            self.editor.hide()
            self.facts.setText("Open a take to see its figure.")
            self.tree.blockSignals(False)
            return
        icons = {s: side_icon(s) for s in ("left", "right", "centre", "none")}
        chain_of = {n: name for name, joints in rig.chains.items() for n in joints}
        for j, name in enumerate(rig.skeleton.names):
            parent = int(rig.skeleton.parents[j])
            above = self._items[rig.skeleton.names[parent]] if parent >= 0 else self.tree.invisibleRootItem()
            part = rig.part_of(name)
            if name in rig.helpers:
                part = f"follows {rig.helpers[name].follows}"
            elif name in rig.twists:
                part = "twist"
            elif not part:
                part = chain_of.get(name, "")
            item = QTreeWidgetItem(above, [name, part.removeprefix("left ").removeprefix("right ")])
            item.setIcon(0, icons[rig.side_of[j]])
            item.setToolTip(0, _tip(rig, name))
            item.setToolTip(1, _tip(rig, name))
            self._items[name] = item
        self.tree.expandAll()
        for name, item in self._items.items():
            if rig.part_of(name).endswith(" hand"):
                item.setExpanded(False)
        self.tree.blockSignals(False)
        self._list_problems(problems(rig))
        told = self.session.project.rig_document(rig.key)
        self.facts.setText(
            f"{counted(len(rig.skeleton), 'joint')}, {rig.height:.2f} m high. {counted(len(rig.pairs), 'pair')}, "
            f"{len(rig.centre)} on the centre line"
            f"{', ' + str(len(rig.chains)) + ' chains' if rig.chains else ''}."
            + (" Corrected by hand." if told is not None else "")
        )
        self._filter(self.search.text())
        self._select()
        if self.session.selection.joint not in self._items and getattr(old, "key", None) == rig.key:
            self.tree.verticalScrollBar().setValue(scroll)

    def _list_problems(self, found: tuple[Problem, ...]) -> None:
        self.problems.clear()
        for p in found:
            item = QListWidgetItem(p.text)
            item.setData(Qt.ItemDataRole.UserRole, p.joints[0] if p.joints else "")
            item.setToolTip(p.text)
            self.problems.addItem(item)
        self.problems.setVisible(bool(found))
        self.problems.setFixedHeight(min(3, len(found)) * 36 + 6 if found else 0)

    def _show_problem(self, item: QListWidgetItem) -> None:
        joint = item.data(Qt.ItemDataRole.UserRole)
        if joint:
            rigs.pick(self.session, joint)

    def _clicked(self, item: QTreeWidgetItem) -> None:
        if self.session.selection.painting:
            shift = QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier
            masks.paint(self.session, item.text(0), bool(shift))

    def _picked(self, item: QTreeWidgetItem | None, _old: object) -> None:
        if item is not None:
            rigs.pick(self.session, item.text(0))

    def _select(self) -> None:
        item = self._items.get(self.session.selection.joint)
        self.tree.blockSignals(True)
        if item is not None:
            self.tree.setCurrentItem(item)
        else:
            self.tree.setCurrentIndex(QModelIndex())
        self.tree.blockSignals(False)
        self.editor.refresh()
        self._scroll()
        self.facts.setVisible(not self.editor.isVisibleTo(self))

    def _scroll(self) -> None:
        item = self._items.get(self.session.selection.joint)
        if item is not None:
            self.tree.scrollToItem(item, QTreeWidget.ScrollHint.PositionAtCenter)

    def refresh_icons(self) -> None:
        """Marks of sides in the colours of the theme."""
        self.refresh(force=True)

    def showEvent(self, event: QShowEvent) -> None:
        # What was selected while another view was in front is brought into sight.
        QTimer.singleShot(0, self._scroll)

    def _filter(self, text: str) -> None:
        words = text.lower().split()

        def visit(item: QTreeWidgetItem | None) -> bool:
            if item is None:
                return False
            below = [visit(item.child(i)) for i in range(item.childCount())]
            name = item.text(0)
            whole = f"{name} {self.session.computed.rig.part_of(name) if self.session.computed.rig else ''}".lower()
            keep = any(below) or all(w in whole for w in words)
            item.setHidden(not keep)
            if words and any(below):
                item.setExpanded(True)
            return keep

        for i in range(self.tree.topLevelItemCount()):
            visit(self.tree.topLevelItem(i))


def _tip(rig: Rig, name: str) -> str:
    j = rig.skeleton.index[name]
    pair = next((p for p in rig.pairs if name in (p.left, p.right)), None)
    part = rig.part_of(name)
    how = rig.found.get(part)
    lines = [name, f"{part} (by {how.by}, {how.sure:.0%} sure)" if part and how else part or "no body part"]
    if pair is not None:
        other = pair.right if name == pair.left else pair.left
        lines.append(
            f"{rig.side_of[j]}, partner {other} (found by {pair.found_by}), differs by {pair.residual_mm:.1f} mm "
            f"and {pair.residual_deg:.1f}° from its mirror image"
        )
    else:
        lines.append({"centre": "on the centre line", "none": "no partner"}[rig.side_of[j]])
    if name in rig.helpers:
        rule = rig.helpers[name]
        lines.append(f"helper joint, follows {rule.follows} {rule.how} (by {rule.found_by}, {rule.sure:.0%} sure)")
    return "\n".join(lines)
