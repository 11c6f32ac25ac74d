"""Fields for numbers that compute what is typed (``12*1.5``), step finely with Alt, and follow a drag over their label."""

from __future__ import annotations

import ast
import operator
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QMouseEvent, QValidator
from PySide6.QtWidgets import QApplication, QDoubleSpinBox, QLabel, QSpinBox

_BINARY: dict[type[ast.operator], Callable[[float, float], float]] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv,
}  # fmt: skip
_SIGNS = set("0123456789.,+-*/() ")
_FINE = 0.1
_PIXELS = 4  # of a drag for one step
_LONGEST = 60  # letters


def computed(text: str) -> float | None:
    """The value of plain arithmetic; None where it is none. A comma is read as a point."""
    if not text.strip() or len(text) > _LONGEST or not set(text) <= _SIGNS:
        return None
    try:
        value = _value(ast.parse(text.strip().replace(",", "."), mode="eval").body)
    except (SyntaxError, ValueError, ZeroDivisionError, RecursionError, OverflowError):
        return None
    return value if abs(value) < 1e12 else None


def _value(node: ast.expr) -> float:
    if isinstance(node, ast.Constant) and isinstance(node.value, int | float):
        return float(node.value)
    if isinstance(node, ast.BinOp) and type(node.op) in _BINARY:
        return _BINARY[type(node.op)](_value(node.left), _value(node.right))
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
        return -_value(node.operand) if isinstance(node.op, ast.USub) else _value(node.operand)
    raise ValueError("is no arithmetic")


def _bare(box: QSpinBox | QDoubleSpinBox, text: str) -> str:
    """What was typed, without what the field itself puts around it."""
    return text.removeprefix(box.prefix()).removesuffix(box.suffix()).removesuffix(box.suffix().strip())


def _state(box: QSpinBox | QDoubleSpinBox, text: str, known: Any) -> Any:
    """How a text stands: as Qt has it, or as arithmetic that is whole, or not yet."""
    state, *rest = known
    bare = _bare(box, text)
    if state != QValidator.State.Invalid and not set(bare) & set("*/()"):
        return known
    if computed(bare) is not None:
        return (QValidator.State.Acceptable, *rest)
    return (QValidator.State.Intermediate if set(bare) <= _SIGNS else state, *rest)


class DecimalField(QDoubleSpinBox):
    """A number with its unit."""

    def validate(self, text: str, pos: int) -> Any:
        return _state(self, text, super().validate(text, pos))

    def valueFromText(self, text: str) -> float:
        value = computed(_bare(self, text))
        return super().valueFromText(text) if value is None else value

    def stepBy(self, steps: int) -> None:
        if QApplication.keyboardModifiers() & Qt.KeyboardModifier.AltModifier:
            self.setValue(self.value() + steps * self.singleStep() * _FINE)
        else:
            super().stepBy(steps)


class WholeField(QSpinBox):
    """A whole number with its unit."""

    def validate(self, text: str, pos: int) -> Any:
        return _state(self, text, super().validate(text, pos))

    def valueFromText(self, text: str) -> int:
        value = computed(_bare(self, text))
        return super().valueFromText(text) if value is None else round(value)


class _Drag(QObject):
    def __init__(self, label: QLabel, box: QSpinBox | QDoubleSpinBox) -> None:
        super().__init__(label)
        self._box, self._from, self._value = box, 0.0, 0.0
        self._held = False

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if not isinstance(event, QMouseEvent) or not self._box.isEnabled():
            return False
        if event.type() == QEvent.Type.MouseButtonPress and event.button() == Qt.MouseButton.LeftButton:
            self._held, self._from, self._value = True, event.globalPosition().x(), float(self._box.value())
            return True
        if event.type() == QEvent.Type.MouseMove and self._held:
            fine = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            steps = int((event.globalPosition().x() - self._from) / _PIXELS)
            change = steps * self._box.singleStep() * (_FINE if fine else 1)
            if isinstance(self._box, QSpinBox):
                self._box.setValue(round(self._value + change))
            else:
                self._box.setValue(self._value + change)
            return True
        if event.type() == QEvent.Type.MouseButtonRelease and self._held:
            self._held = False
            self._box.editingFinished.emit()
            return True
        return False


def follow_drag(label: QLabel, box: QSpinBox | QDoubleSpinBox) -> None:
    """A drag to the side over the label changes the number: a step for every few pixels, a tenth of it with Alt."""
    label.setCursor(Qt.CursorShape.SizeHorCursor)
    label.installEventFilter(_Drag(label, box))
