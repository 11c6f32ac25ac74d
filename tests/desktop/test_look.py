"""Contrast of both themes against WCAG 2.1 (success criterion 1.4.3: 4.5:1 for text)."""

from __future__ import annotations

from importlib.resources import files

import pytest
from PySide6.QtGui import QColor, QFontDatabase

from reflexa.desktop.look import theme
from reflexa.desktop.picture.handle import HOOPS
from reflexa.draw import palette as palettes


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


@pytest.mark.parametrize("palette", [palettes.DAYLIGHT, palettes.NIGHT], ids=lambda p: p.name)
def test_what_is_written_can_be_read_and_what_means_something_is_seen(palette: palettes.Palette) -> None:
    """Source: WCAG 2.1, success criteria 1.4.3 (4.5:1 for text) and 1.4.11 (3:1 for what has to be told apart)."""
    grounds = {n: palette.rgb(n) for n in ("window", "panel", "card", "field", "soft")}
    for token in ("ink", "quiet", "accent", "warn", "good", "left", "right"):
        for name, ground in grounds.items():
            assert palettes.contrast(palette.rgb(token), ground) >= 4.5, (token, name)
    for ground in (palette.sky, palette.floor):
        assert palettes.contrast(palette.rgb("ink"), ground) >= 4.5
        assert min(palettes.contrast(palette.rgb(side), ground) for side in ("left", "right")) >= 3
    for name in ("window", "panel", "card", "field"):
        assert palettes.contrast(palette.rgb("edge"), grounds[name]) >= 3, name
    assert palettes.contrast(palette.rgb("on_accent"), palette.rgb("accent")) >= 4.5
    for _, hue in HOOPS:
        read = palettes.readable(hue, palette.rgb("field"), palette.rgb("ink"))
        assert palettes.contrast(read, palette.rgb("field")) >= 4.5
    # Worked example: black on white is 21 to 1, and 777777 on white 4.48 (WCAG 2.1, understanding 1.4.3).
    assert palettes.contrast((0, 0, 0), (1, 1, 1)) == pytest.approx(21)
    assert palettes.contrast((0x77 / 255,) * 3, (1, 1, 1)) == pytest.approx(4.48, abs=0.01)


def test_ticks_are_drawn_in_the_colours_of_their_theme() -> None:
    icons = files("reflexa.desktop.look").joinpath("icons")
    for name, palette in (("day", palettes.DAYLIGHT), ("night", palettes.NIGHT)):
        assert f'stroke="{palette.on_accent}"' in icons.joinpath(f"tick_{name}.svg").read_text()
