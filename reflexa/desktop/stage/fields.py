"""What the parts of the stage panel have in common: the selected prop, and edits of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PySide6.QtWidgets import QFormLayout, QPushButton, QVBoxLayout, QWidget

from reflexa.desktop.widgets.numbers import vector
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.motion.arrays import Vector
from reflexa.motion.arrays import vector as as_vector
from reflexa.session import Session, props
from reflexa.stage import Prop
from reflexa.stage.model import between_keys

NOWHERE: Vector = (0.0, 0.0, 0.0)


class PropFields(QWidget):
    """Fields of the selected prop, one below the other; ``refresh`` brings them up to date."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self._refreshers: list[Callable[[Prop], object]] = []

    @property
    def prop(self) -> Prop | None:
        """The selected prop."""
        return self.session.stage.prop(self.session.selection.prop)

    def shows(self, show: Callable[[Prop], object]) -> None:
        """``show(prop)`` is called whenever something may have changed."""
        self._refreshers.append(show)

    def refresh(self) -> None:
        """Show what is known now."""
        prop = self.prop
        if prop is not None:
            for refresh in self._refreshers:
                refresh(prop)

    def set(self, label: str, merge: str = "", **changes: Any) -> None:
        """Change fields of the prop; what cannot be is said."""
        prop = self.prop
        if prop is not None:
            try:
                props.edit(self.session, label, replace(prop, **changes), merge)
            except ValueError as e:
                self.session.said.emit(f"{e}.")

    def now(self) -> tuple[Vector, Vector]:
        """Place and turn of the prop at the playhead, before anything holds it."""
        prop = self.prop
        if prop is None or not prop.keys:
            return (prop.place, prop.turn) if prop is not None else (NOWHERE, NOWHERE)
        turns, places = between_keys(prop.keys, [self.session.player.frame])
        return as_vector(places[0]), as_vector(turns[0])

    def numbers(self, about: dict[str, Any], get: Callable[[], Vector], set_: Callable[[Vector], object]) -> QWidget:
        """Three fields beside each other."""
        box, show = vector(about, get, set_)
        self.shows(lambda _: show())
        return box


def away_button(what: str, tip: str) -> QPushButton:
    """A small button that takes something away."""
    button = styled(QPushButton("×"), toolTip=tip, accessibleName=what, objectName="narrow")
    button.setFixedWidth(24)
    return button


def form() -> QFormLayout:
    """Titles beside fields, close to each other."""
    made = QFormLayout()
    made.setSpacing(6)
    made.setRowWrapPolicy(QFormLayout.RowWrapPolicy.WrapLongRows)
    return made


def without(things: tuple[Any, ...], index: int) -> tuple[Any, ...]:
    """All but one."""
    return (*things[:index], *things[index + 1 :])
