"""A question mark beside a heading: what it is about, under the pointer or at a press."""

from __future__ import annotations

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QHBoxLayout, QToolButton, QToolTip, QWidget

from reflexa.desktop.widgets.qt_properties import named, styled


def with_help(heading: QWidget, text: str) -> QHBoxLayout:
    """A heading with a question mark behind it."""
    mark = styled(
        named(QToolButton(), "quiet"), text="?", toolTip=text, accessibleName="What this is", accessibleDescription=text
    )
    mark.setFixedSize(20, 20)
    mark.clicked.connect(lambda: QToolTip.showText(mark.mapToGlobal(QPoint(0, mark.height())), text, mark))
    row = QHBoxLayout()
    row.setContentsMargins(0, 0, 0, 0)
    row.addWidget(heading, 1)
    row.addWidget(mark)
    return row
