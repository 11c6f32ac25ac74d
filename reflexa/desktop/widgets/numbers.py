"""Fields for numbers with their unit and range."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QSpinBox, QWidget

from reflexa.desktop.widgets.number_fields import DecimalField, WholeField
from reflexa.desktop.widgets.qt_properties import styled

About = dict[str, Any]
Value = Callable[[], Any]
Set = Callable[[Any], object]
Control = tuple[QWidget, Callable[[], None]]


class PlainNumber(DecimalField):
    """A number without zeros that say nothing."""

    def textFromValue(self, value: float) -> str:
        text = super().textFromValue(value)
        point = self.locale().decimalPoint()
        return text.rstrip("0").rstrip(point) if point in text else text


class CountBox(WholeField):
    """A field for how many of something there are: "1 frame", "2 frames". what: the word for many."""

    def __init__(self, what: str, **properties: Any) -> None:
        super().__init__()
        self._what = what
        styled(self, **properties)
        self.valueChanged.connect(self._say)
        self._say(self.value())

    def setValue(self, value: int) -> None:
        super().setValue(value)
        self._say(self.value())  # also where nobody is told that it has changed

    def _say(self, count: int) -> None:
        self.setSuffix(f" {self._what.removesuffix('s') if count == 1 else self._what}")


_COUNTED = ("frames", "joints", "times")


def whole_box(about: About) -> QSpinBox:
    """A field for a whole number."""
    box = CountBox(about["unit"]) if about.get("unit") in _COUNTED else WholeField()
    box.setRange(about.get("least", -1_000_000), about.get("most", 1_000_000))
    _dress(box, about)
    return box


def number_box(about: About, decimals: int = 3) -> QDoubleSpinBox:
    """A field for any number."""
    box = PlainNumber(decimals=decimals)
    box.setRange(about.get("least", -1_000_000), about.get("most", 1_000_000))
    if about.get("unit") == "m":
        box.setSingleStep(0.01)
    _dress(box, about)
    return box


def _dress(box: QSpinBox | QDoubleSpinBox, about: About) -> None:
    if not isinstance(box, CountBox):
        box.setSuffix(f" {about['unit']}" if "unit" in about else "")
    box.setSpecialValueText(about.get("zero", ""))
    box.setKeyboardTracking(False)
    box.setMinimumWidth(64)  # less than its largest number would need


def put(box: QSpinBox | QDoubleSpinBox, value: float) -> None:
    """Show a value without setting it."""
    box.blockSignals(True)
    if isinstance(box, QSpinBox):
        box.setValue(round(value))
    else:
        box.setValue(value)
    box.blockSignals(False)


def vector(about: About, value: Value, set_: Set) -> Control:
    """Three numbers beside each other: x, y, z (or turns about y, x, z)."""
    row = QWidget()
    layout = QHBoxLayout(row)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(3)
    unit = about.get("unit", "")
    boxes = []
    for i, letter in enumerate("yxz" if unit == "°" else "xyz"):
        box = number_box({k: v for k, v in about.items() if k != "unit"}, 3 if unit == "m" else 2)
        box.setSingleStep(0.01 if unit == "m" else 1.0)
        box.setObjectName("narrow")
        box.setMinimumWidth(40)
        box.setAccessibleName(f"{about['title']} {letter}, {unit}")
        box.setToolTip(f"{letter}, in {unit}. {about['help']}" if unit else f"{letter}. {about['help']}")
        box.valueChanged.connect(lambda v, n=i: set_(tuple(v if k == n else old for k, old in enumerate(value()))))
        layout.addWidget(box, 1)
        boxes.append(box)

    def show() -> None:
        for box, v in zip(boxes, value(), strict=True):
            put(box, v)

    return row, show
