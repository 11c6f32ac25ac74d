"""Contrast of both themes against WCAG 2.1 (success criterion 1.4.3: 4.5:1 for text)."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QColor, QFontDatabase

from reflexa.desktop.look import theme


def luminance(colour: QColor) -> float:
    """Relative luminance as WCAG 2.1 defines it."""

    def linear(c: float) -> float:
        return c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4

    return 0.2126 * linear(colour.redF()) + 0.7152 * linear(colour.greenF()) + 0.0722 * linear(colour.blueF())


def contrast(a: QColor, b: QColor) -> float:
    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("t", theme.THEMES.values(), ids=lambda t: t.name)
def test_text_is_readable(t: theme.Theme) -> None:
    for ink in ("ink", "quiet", "warn", "good", "accent"):
        for ground in ("window", "panel", "card", "field", "soft"):
            assert contrast(t.colour(ink), t.colour(ground)) >= 4.5, (ink, ground)
    assert contrast(t.colour("on_accent"), t.colour("accent")) >= 4.5


def test_the_font_is_the_shipped_one(qapp) -> None:
    assert theme.FAMILY in QFontDatabase.families() and qapp.font().family() == theme.FAMILY
