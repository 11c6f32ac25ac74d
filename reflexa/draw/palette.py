"""Colours by what they are for, of pictures, pages and the window: two palettes from the same tokens."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files

from reflexa.draw.scene import Colour

FAMILY = "Manrope"


@dataclass(frozen=True)
class Palette:
    """Tokens are hexadecimal; what the renderer takes is RGB from 0 to 1."""

    name: str
    window: str
    panel: str
    card: str
    field: str
    ink: str
    quiet: str
    line: str
    accent: str
    on_accent: str
    soft: str
    warn: str
    good: str
    left: str
    right: str
    sky: Colour
    floor: Colour
    shadow: Colour
    before: Colour
    edge: str = ""

    def rgb(self, token: str) -> Colour:
        """A token as the renderer takes it."""
        said = getattr(self, token).lstrip("#")
        return int(said[0:2], 16) / 255, int(said[2:4], 16) / 255, int(said[4:6], 16) / 255


DAYLIGHT = Palette(
    "Daylight", "#e6ebe8", "#f3f5f1", "#ffffff", "#ffffff", "#17282e", "#4c5f66", "#c3cdc9", "#0b5d7a", "#ffffff",
    "#d3e6ec", "#9a3412", "#00694d", "#a84300", "#00694d",
    (0.88, 0.925, 0.93), (0.75, 0.80, 0.79), (0.22, 0.30, 0.32), (0.35, 0.47, 0.60), "#758683",
)  # fmt: skip
NIGHT = Palette(
    "Night watch", "#0c1b24", "#12262f", "#19323e", "#0f2029", "#e4edef", "#a3b8bf", "#2d4854", "#84cbe2", "#06202b",
    "#1f4554", "#ffab7a", "#5fd3ab", "#f5974f", "#3ecda2",
    (0.13, 0.20, 0.25), (0.085, 0.135, 0.165), (0.01, 0.03, 0.04), (0.50, 0.62, 0.78), "#66828f",
)  # fmt: skip
# The lines of the ground, fine and strong, RGBA.
GRID = {
    DAYLIGHT.name: ((0.20, 0.28, 0.30, 0.20), (0.16, 0.24, 0.27, 0.42)),
    NIGHT.name: ((0.55, 0.68, 0.75, 0.16), (0.60, 0.74, 0.82, 0.34)),
}


def font(weight: str = "Regular") -> bytes:
    """The shipped font, as a TrueType file; weight: Regular or SemiBold."""
    return files("reflexa.draw").joinpath(f"fonts/{FAMILY}-{weight}.ttf").read_bytes()


def luminance(colour: Colour) -> float:
    """Relative luminance of a colour. Source: WCAG 2.1, definition of relative luminance."""
    r, g, b = (c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in colour)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(a: Colour, b: Colour) -> float:
    """How two colours stand out from each other, 1 to 21. Source: WCAG 2.1, definition of contrast ratio."""
    low, high = sorted((luminance(a), luminance(b)))
    return (high + 0.05) / (low + 0.05)


def readable(colour: Colour, ground: Colour, ink: Colour, least: float = 4.5) -> Colour:
    """The colour with as much of the ink in it as it takes to be read on a ground."""
    for share in range(21):
        mixed = tuple(c + (i - c) * share / 20 for c, i in zip(colour, ink, strict=True))
        if contrast(mixed, ground) >= least:  # type: ignore[arg-type]
            return mixed  # type: ignore[return-value]
    return ink
