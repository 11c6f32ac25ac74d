"""Lists to choose from."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QComboBox, QWidget

from reflexa.desktop.widgets.numbers import Control, Set, Value

Choices = Callable[[], list[tuple[str, str]]]


def chooser(choices: Choices, value: Value, set_: Set) -> Control:
    """A list that is made anew whenever there is something else to choose from; what is chosen and gone is named so."""
    control = QComboBox()
    control.activated.connect(lambda _i: set_(control.currentData()))

    def show() -> None:
        wanted, now = choices(), value()
        if now not in [data for _, data in wanted]:
            wanted = [*wanted, (f"{now} (missing)" if now else "choose…", now)]
        if [(control.itemText(i), control.itemData(i)) for i in range(control.count())] != wanted:
            control.clear()
            for text, data in wanted:
                control.addItem(text, data)
        control.setCurrentIndex(control.findData(now))

    return control, show


def keep_narrow(widget: QWidget) -> None:
    """The longest entry of a list inside must not make the panel wider than its place."""
    found: list[QComboBox] = widget.findChildren(QComboBox)
    for box in [*found, *([widget] if isinstance(widget, QComboBox) else [])]:
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setMinimumContentsLength(6)
