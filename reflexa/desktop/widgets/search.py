"""A field to search by words."""

from __future__ import annotations

from PySide6.QtWidgets import QLineEdit, QToolButton

from reflexa.desktop.look import theme
from reflexa.desktop.widgets.qt_properties import styled


def search_field(what: str) -> QLineEdit:
    """Says what is searched while it is empty, and can be cleared."""
    out = styled(QLineEdit(placeholderText=what, clearButtonEnabled=True), accessibleName=what)
    lens = out.addAction(theme.icon("search", "quiet"), QLineEdit.ActionPosition.LeadingPosition)
    for button in out.findChildren(QToolButton):
        button.setAccessibleName(what if button.defaultAction() is lens else "Clear")
    return out
