"""Keeping the steps of a take as a recipe: which of them, and which of their settings stay open."""

from __future__ import annotations

from typing import Any

import msgspec
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHeaderView,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa.desktop.kinds import view_of
from reflexa.desktop.look import theme
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.buttons import add_buttons
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.names import free_name
from reflexa.session import Session
from reflexa.steps import Step, kind_of
from reflexa.steps.registry import describe_field, fields
from reflexa.take import Take
from reflexa.take.recipe import Parameter, Recipe, keep

_STEP, _SETTING = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
_CHECKED, _UNCHECKED = Qt.CheckState.Checked, Qt.CheckState.Unchecked
# Kinds of settings for which there is a control.
_SIMPLE = ("int", "float", "bool", "choice", "text", "numbers")
_OPEN, _NOW, _NAME, _MUST = range(4)


class KeepRecipe(QDialog):
    """Check the steps that go in, and of their settings those that are to be said each time."""

    def __init__(self, session: Session, take: Take, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self._take = session, take
        self.setWindowTitle("Save steps as a recipe")
        self.resize(640, 520)
        column = QVBoxLayout(self)
        self.name = styled(QLineEdit(take.name), accessibleName="Name of the recipe")
        self.name.selectAll()
        self.name.textChanged.connect(self._enable)
        form = QFormLayout()
        form.addRow("Name", self.name)
        column.addLayout(form)
        column.addWidget(
            labels.quiet("Checked steps are saved. Checked settings are asked for each time the recipe is used.")
        )
        self.tree = styled(QTreeWidget(), accessibleName="Steps and their settings")
        self.tree.setHeaderLabels(["Step or setting", "Now", "Asked for as", "Required"])
        header = self.tree.header()
        header.setSectionResizeMode(_OPEN, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(_NAME, QHeaderView.ResizeMode.Interactive)
        header.resizeSection(_NOW, 130)
        header.resizeSection(_NAME, 150)
        header.resizeSection(_MUST, 100)
        header.setStretchLastSection(False)
        for step in take.steps:
            self._add(step)
        self.tree.itemChanged.connect(self._on_changed)
        column.addWidget(self.tree, 1)
        self.go, _ = add_buttons(self, column, "Keep", "Cancel", self.accept)
        self._enable()

    def _add(self, step: Step) -> None:
        kind = kind_of(step.kind)
        top = QTreeWidgetItem([step.name or kind.title, "" if step.on else "off", "", ""])
        top.setIcon(_OPEN, theme.icon(view_of(step.kind).icon or step.kind))
        top.setData(_OPEN, _STEP, step.id)
        top.setCheckState(_OPEN, _CHECKED)
        self.tree.addTopLevelItem(top)
        now = msgspec.to_builtins(step.settings)
        for field in fields(kind.settings):
            described = describe_field(field)
            if described["type"] in _SIMPLE and _counts(described, step):
                self._add_setting(top, described, shown(described, now[field.name]))
        if kind.weighed:
            self._add_setting(top, {"name": "weight", "title": "Weight"}, f"{100 * step.weight:g} %")
        top.setExpanded(len(self._take.steps) <= 2)

    def _add_setting(self, top: QTreeWidgetItem, described: dict[str, Any], now: str) -> None:
        item = QTreeWidgetItem([described["title"], now, "", ""])
        item.setData(_OPEN, _SETTING, described["name"])
        item.setToolTip(_OPEN, described.get("help", ""))
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
        item.setCheckState(_OPEN, _UNCHECKED)
        top.addChild(item)

    def _on_changed(self, item: QTreeWidgetItem, column: int) -> None:
        top: QTreeWidgetItem | None = item.parent()
        if column != _OPEN or top is None:
            self._enable()
            return
        self.tree.blockSignals(True)
        on = item.checkState(_OPEN) == _CHECKED
        if on:
            top.setCheckState(_OPEN, _CHECKED)
            taken = [i.text(_NAME) for _, i in self._open()]
            item.setText(_NAME, item.text(_NAME) or free_name(item.text(_OPEN), taken))
            item.setCheckState(_MUST, _UNCHECKED)
        else:
            item.setText(_NAME, "")
            item.setData(_MUST, Qt.ItemDataRole.CheckStateRole, None)
        self.tree.blockSignals(False)
        self._enable()

    def _tops(self) -> list[QTreeWidgetItem]:
        tops = [self.tree.topLevelItem(i) for i in range(self.tree.topLevelItemCount())]
        return [t for t in tops if t is not None and t.checkState(_OPEN) == _CHECKED]

    def _open(self) -> list[tuple[QTreeWidgetItem, QTreeWidgetItem]]:
        """Steps and their settings that stay open."""
        below = [(t, t.child(i)) for t in self._tops() for i in range(t.childCount())]
        return [(t, c) for t, c in below if c is not None and c.checkState(_OPEN) == _CHECKED]

    def _problem(self) -> str:
        names = [i.text(_NAME).strip() for _, i in self._open()]
        if not self.name.text().strip():
            return "Give the recipe a name"
        if not self._tops():
            return "Check at least one step"
        if any(not n for n in names):
            return "Give every asked setting a name"
        twice = next((n for n in names if names.count(n) > 1), "")
        return f"Two asked settings are called {twice}" if twice else ""

    def _enable(self) -> None:
        problem = self._problem()
        self.go.setEnabled(not problem)
        self.go.setToolTip(problem)

    @property
    def recipe(self) -> Recipe:
        """What was chosen, with what the joints that its steps name play on their rigs."""
        line = self.session.computed.evaluation
        chosen = [t.data(_OPEN, _STEP) for t in self._tops()]
        steps = [s for s in self._take.steps if s.id in chosen]
        rigs = self.session.rigs
        on = [
            (s, line.rigs[line.take.index(s.id)] if line is not None else rigs[self._take.source.file]) for s in steps
        ]
        parameters = [
            Parameter(
                i.text(_NAME).strip(), top.data(_OPEN, _STEP), i.data(_OPEN, _SETTING),
                required=i.checkState(_MUST) == _CHECKED,
            )
            for top, i in self._open()
        ]  # fmt: skip
        return keep(self.name.text().strip(), on, parameters)


def _counts(described: dict[str, Any], step: Step) -> bool:
    """True if a setting has an effect with the other settings as they are."""
    given = described.get("when", {})
    return all(getattr(step.settings, k) in (v if isinstance(v, list) else [v]) for k, v in given.items())


def shown(described: dict[str, Any], value: Any) -> str:
    """The value of a setting, as a person reads it."""
    if value == 0 and "zero" in described:
        return str(described["zero"])
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list | tuple):
        text = ", ".join(f"{v:g}" for v in value)
    else:
        text = f"{value:g}" if isinstance(value, int | float) else str(value) or "none"
    return f"{text} {described['unit']}" if "unit" in described else text
