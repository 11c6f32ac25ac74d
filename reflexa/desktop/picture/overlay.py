"""What is drawn beside the figures."""

from __future__ import annotations

from dataclasses import dataclass

from reflexa.draw import Figure
from reflexa.draw.scene import Lines, Marks


@dataclass(frozen=True, eq=False)
class Overlay:
    """Things, strokes and marks to be put into the picture."""

    figures: tuple[Figure, ...] = ()
    lines: tuple[Lines, ...] = ()
    marks: tuple[Marks, ...] = ()

    def __add__(self, other: Overlay) -> Overlay:
        return Overlay(self.figures + other.figures, self.lines + other.lines, self.marks + other.marks)


NOTHING = Overlay()
