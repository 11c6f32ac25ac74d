"""Name, shape, size, place and turn of the selected prop, and its keys."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLineEdit, QPushButton

from reflexa.desktop.stage.fields import NOWHERE, PropFields, form
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.motion.arrays import Vector
from reflexa.motion.curves import put_in
from reflexa.session import Session, props
from reflexa.stage import Prop, PropKey
from reflexa.stage.moves import placed


class ShapeFields(PropFields):
    """What a prop is, and where it stands."""

    def __init__(self, session: Session, prop: Prop) -> None:
        super().__init__(session)
        rows = form()
        name = styled(QLineEdit(prop.name), accessibleName="Name of the prop")
        name.editingFinished.connect(lambda: self.set("rename the prop", name=name.text()))
        rows.addRow("Name", name)
        self.shows(lambda now: None if name.hasFocus() else name.setText(now.name))
        if prop.shape != "mesh":
            shape = styled(QComboBox(), accessibleName="Shape")
            shape.addItems(["box", "ramp", "cylinder"])
            shape.activated.connect(lambda _i: self.set("change the shape", shape=shape.currentText()))
            self.shows(lambda now: shape.setCurrentText(now.shape))
            rows.addRow("Shape", shape)
            about = {"title": "Size", "unit": "m", "help": "Width, height and depth", "least": 0.001, "most": 1000}
            size = self.numbers(about, lambda: self.prop.size if self.prop else NOWHERE, self._set_size)
            rows.addRow("Size (m)", size)
        keyed = " at this frame" if prop.keys else ""
        about = {"title": "Place", "unit": "m", "help": "The middle of its base", "least": -1e6, "most": 1e6}
        rows.addRow(f"Place{keyed} (m)", self.numbers(about, lambda: self.now()[0], self._set_place))
        about = {"title": "Turn", "unit": "°", "help": "About y, then x, then z", "least": -1e6, "most": 1e6}
        rows.addRow(f"Rotation{keyed} (°)", self.numbers(about, lambda: self.now()[1], self._set_turn))
        surface = QCheckBox("Feet may stand on it")
        surface.clicked.connect(lambda on: self.set("make it a surface" if on else "make it not a surface", surface=on))
        self.shows(lambda now: surface.setChecked(now.surface))
        rows.addRow(surface)
        self.column.addLayout(rows)

    def _set_size(self, size: Vector) -> None:
        self.set("set the size", "prop size", size=size)

    def _set_place(self, place: Vector) -> None:
        if self.prop is not None:
            new = placed(self.prop, self.session.player.frame, place, None)
            props.edit(self.session, "set the place", new, "prop place")

    def _set_turn(self, turn: Vector) -> None:
        if self.prop is not None:
            new = placed(self.prop, self.session.player.frame, None, turn)
            props.edit(self.session, "set the turn", new, "prop turn")


class KeyFields(PropFields):
    """Where a prop is at which frame."""

    def __init__(self, session: Session, prop: Prop) -> None:
        super().__init__(session)
        self.column.addWidget(labels.section("Moves"))
        said = labels.text()
        said.setVisible(bool(prop.keys))

        def show(now: Prop) -> None:
            said.setText(f"Keys at frames {', '.join(str(k.frame) for k in now.keys)}, linear in between.")

        self.shows(show)
        self.column.addWidget(said)
        row = QHBoxLayout()
        key = QPushButton("Set key")
        key.setToolTip("Its place and rotation follow its keys. Move it at another frame to set a key there.")
        key.clicked.connect(self._key)
        row.addWidget(key)
        clear = QPushButton("No keys")
        clear.setToolTip("Removes its keys. It stays where it is at this frame." if prop.keys else "It has no keys")
        clear.setEnabled(bool(prop.keys))
        clear.clicked.connect(self._no_keys)
        row.addWidget(clear)
        self.column.addLayout(row)

    def _key(self) -> None:
        if self.prop is not None:
            key = PropKey(self.session.player.frame, *self.now())
            self.set("key the prop", keys=put_in(self.prop.keys, key))

    def _no_keys(self) -> None:
        place, turn = self.now()
        self.set("remove the keys", keys=(), place=place, turn=turn)
