"""Grips of the selected prop: named places that a hand can reach."""

from __future__ import annotations

from functools import partial
from typing import Any

from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton

from reflexa.desktop.stage.fields import NOWHERE, PropFields, away_button, without
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.motion.arrays import Vector
from reflexa.names import free_name
from reflexa.session import Session
from reflexa.stage import Grip, Prop

_FIELDS = (
    ("place", "m", "In the prop's own axes, measured from the middle of its base"),
    ("turn", "°", "How a hand lies on it"),
)


class GripFields(PropFields):
    """A name, a place and a turn for each."""

    def __init__(self, session: Session, prop: Prop) -> None:
        super().__init__(session)
        self.column.addWidget(labels.section("Grips"))
        for i, grip in enumerate(prop.grips):
            self._add_rows(i, grip)
        add = QPushButton("Add a grip")
        add.setToolTip("A named place on the prop that can be an IK target. It starts at the top.")
        add.clicked.connect(self._add)
        self.column.addWidget(add)

    def _add_rows(self, index: int, grip: Grip) -> None:
        row = QHBoxLayout()
        name = styled(QLineEdit(grip.name), accessibleName=f"Grip {index + 1}")
        name.editingFinished.connect(lambda: self._set(index, name=name.text()))
        row.addWidget(name, 1)
        away = away_button(f"Remove grip {grip.name}", "Remove the grip")
        away.clicked.connect(lambda: self._remove(index))
        row.addWidget(away)
        self.column.addLayout(row)
        for field, unit, tip in _FIELDS:
            about = {"title": f"Grip {grip.name}, {field}", "unit": unit, "help": tip}
            box = self.numbers(
                about,
                partial(self._get, index, field),
                partial(self._set_field, index, field),
            )
            row = QHBoxLayout()
            row.addWidget(labels.quiet(unit))
            row.addWidget(box, 1)
            self.column.addLayout(row)

    def _get(self, index: int, field: str) -> Vector:
        grips = self.prop.grips if self.prop else ()
        value: Vector = getattr(grips[index], field) if index < len(grips) else NOWHERE
        return value

    def _add(self) -> None:
        prop = self.prop
        if prop is not None:
            name = free_name("grip", {g.name for g in prop.grips})
            self.set("add a grip", grips=(*prop.grips, Grip(name, (0.0, prop.size[1], 0.0))))

    def _remove(self, index: int) -> None:
        if self.prop is not None:
            self.set("remove a grip", grips=without(self.prop.grips, index))

    def _set_field(self, index: int, field: str, value: Vector) -> None:
        self._set(index, **{field: value})

    def _set(self, index: int, **changes: Any) -> None:
        prop = self.prop
        if prop is None or index >= len(prop.grips):
            return
        new = replace(prop.grips[index], **changes)
        if not new.name or new.name in {g.name for g in without(prop.grips, index)}:
            self.session.said.emit("A grip needs a unique name.")
            self.session.selection.changed.emit()  # the field shows the old name again
            return
        self.set("change a grip", f"grip {index}", grips=(*prop.grips[:index], new, *prop.grips[index + 1 :]))
