"""Numbers are computed as they are typed, stepped finely, and dragged by their labels."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDoubleSpinBox, QFormLayout, QLabel

from reflexa.desktop.widgets.number_fields import DecimalField, WholeField, computed
from reflexa.session import line
from tests.helpers.windows import new_take, ready


@pytest.mark.parametrize(
    ("text", "value"),
    [("12*1.5", 18.0), ("-(2 + 3)/4", -1.25), ("1,5", 1.5), ("7", 7.0), ("1/0", None), ("2**9**9**9", None), ("a", None),
     ("(1", None), ("", None), ("9" * 70, None), ("()", None)],
)  # fmt: skip
def test_plain_arithmetic_and_nothing_else(text: str, value: float | None) -> None:
    assert computed(text) == value


def _typed(field, text: str) -> float:
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)
    return field.value()


def test_a_field_computes_what_is_typed(qtbot) -> None:
    degrees = DecimalField(minimum=-180, maximum=180, decimals=1, suffix="°", keyboardTracking=False)
    frames = WholeField(minimum=0, maximum=100, suffix=" frames", keyboardTracking=False)
    for field in (degrees, frames):
        qtbot.addWidget(field)
        field.show()
    assert _typed(degrees, "12*1.5") == 18.0 and degrees.text() == "18.0°"
    assert _typed(degrees, "45/2°") == 22.5
    assert _typed(degrees, "90*4") == 180.0, "never beyond its range"
    assert _typed(degrees, "7*(") == 180.0, "what is no number changes nothing"
    assert _typed(degrees, "-3.25") == pytest.approx(-3.2, abs=0.11)
    assert _typed(frames, "7*3") == 21 and frames.text() == "21 frames"
    assert _typed(frames, "10/4") == 2


def test_a_label_is_dragged_and_it_is_one_undo(demo, qtbot) -> None:
    session = demo.session
    new_take(demo, qtbot, "deckhand.glb", "walk")
    line.add(session, "retime", how="speed")
    ready(qtbot, demo)
    before = session.project
    box = next(b for b in demo.settings.findChildren(QDoubleSpinBox) if b.accessibleName() == "Speed")
    label = next(
        f for form in demo.settings.findChildren(QFormLayout) if isinstance(f := form.labelForField(box), QLabel)
    )
    start, step = box.value(), box.singleStep()
    QTest.mousePress(label, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
    for x in (15, 30, 45):
        QTest.mouseMove(label, QPoint(x, 5))
    QTest.mouseRelease(label, Qt.MouseButton.LeftButton, pos=QPoint(45, 5))
    assert box.value() == pytest.approx(start + 10 * step) == session.take.steps[0].settings.speed
    ready(qtbot, demo)
    session.undo()
    assert session.project == before
    ready(qtbot, demo)
