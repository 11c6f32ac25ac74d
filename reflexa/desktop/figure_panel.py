"""The joint tree: body part, side and partner of every joint; what is wrong is named on top."""

from __future__ import annotations

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QHeaderView, QLabel, QLineEdit, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from reflexa.desktop.marks import side_icon
from reflexa.desktop.session import Session


class FigurePanel(QWidget):
    """Selecting here selects in the picture, and the other way round."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._rig: object = None
        self._items: dict[str, QTreeWidgetItem] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 6, 6, 6)
        column.setSpacing(5)
        self.search = QLineEdit(placeholderText="Search joints and parts", clearButtonEnabled=True)
        self.search.textChanged.connect(self._filter)
        column.addWidget(self.search)
        self.problems = QLabel(wordWrap=True, objectName="warn")
        column.addWidget(self.problems)
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("Joints")
        self.tree.setHeaderLabels(["Joint", "Part"])
        self.tree.setIconSize(QSize(13, 13))
        self.tree.setIndentation(9)
        self.tree.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        self.tree.header().resizeSection(0, 152)
        self.tree.currentItemChanged.connect(self._picked)
        column.addWidget(self.tree, 1)
        self.facts = QLabel(wordWrap=True, objectName="quiet")
        column.addWidget(self.facts)
        session.take_changed.connect(self.refresh)
        session.project_changed.connect(self.refresh)
        session.selection_changed.connect(self._select)
        self.refresh()

    def refresh(self, force: bool = False) -> None:
        rig = self.session.rig
        if rig is self._rig and not force:
            return
        self._rig = rig
        self.tree.blockSignals(True)
        self.tree.clear()
        self._items.clear()
        if rig is None:
            self.problems.hide()
            self.facts.setText("Open a take to see its figure.")
            self.tree.blockSignals(False)
            return
        icons = {s: side_icon(s) for s in ("left", "right", "centre", "none")}
        for j, name in enumerate(rig.skeleton.names):
            parent = int(rig.skeleton.parents[j])
            above = self._items[rig.skeleton.names[parent]] if parent >= 0 else self.tree.invisibleRootItem()
            part = rig.part_of(name)
            if not part and name in rig.helpers:
                part = f"follows {rig.helpers[name]}"
            item = QTreeWidgetItem(above, [name, part.removeprefix("left ").removeprefix("right ")])
            side = rig.side_of[j]
            item.setIcon(0, icons[side])
            item.setToolTip(0, self._tip(name))
            self._items[name] = item
        self.tree.expandAll()
        for name, item in self._items.items():
            if rig.part_of(name).endswith(" hand"):
                item.setExpanded(False)
        self.tree.blockSignals(False)
        if rig.unpaired:
            shown = ", ".join(rig.unpaired[:6]) + (" and more" if len(rig.unpaired) > 6 else "")
            self.problems.setText(
                f"{len(rig.unpaired)} without a partner: {shown}. A mirror leaves them on their own side."
            )
        self.problems.setVisible(bool(rig.unpaired))
        self.facts.setText(
            f"{len(rig.skeleton)} joints, {rig.height:.2f} m high. {len(rig.pairs)} pairs, {len(rig.centre)} on the centre line."
        )
        self._select()

    def _tip(self, name: str) -> str:
        rig = self.session.rig
        j = rig.skeleton.index[name]
        pair = next((p for p in rig.pairs if name in (p.left, p.right)), None)
        lines = [name, rig.part_of(name) or "no body part"]
        if pair is not None:
            other = pair.right if name == pair.left else pair.left
            lines.append(
                f"{rig.side_of[j]}, partner {other} (found by {pair.found_by}), "
                f"{pair.residual_mm:.1f} mm and {pair.residual_deg:.1f}° from its reflection"
            )
        else:
            lines.append({"centre": "on the centre line", "none": "no partner"}[rig.side_of[j]])
        if name in rig.helpers:
            lines.append(f"helper joint, follows {rig.helpers[name]}")
        return "\n".join(lines)

    def _picked(self, item: QTreeWidgetItem | None, _old: object) -> None:
        if item is not None:
            self.session.select_joint(item.text(0))

    def _select(self) -> None:
        item = self._items.get(self.session.joint)
        self.tree.blockSignals(True)
        self.tree.setCurrentItem(item)
        if item is not None:
            self.tree.scrollToItem(item)
        self.tree.blockSignals(False)

    def _filter(self, text: str) -> None:
        words = text.lower().split()

        def visit(item: QTreeWidgetItem) -> bool:
            below = [visit(item.child(i)) for i in range(item.childCount())]
            name = item.text(0)
            whole = f"{name} {self.session.rig.part_of(name) if self.session.rig else ''}".lower()
            keep = any(below) or all(w in whole for w in words)
            item.setHidden(not keep)
            if words and any(below):
                item.setExpanded(True)
            return keep

        for i in range(self.tree.topLevelItemCount()):
            visit(self.tree.topLevelItem(i))
