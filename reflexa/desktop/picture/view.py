"""How the picture is looked at: what a person wants to see, and through which camera."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.draw import Camera
from reflexa.motion.arrays import Array

COMPARE = {
    "After": "The figure at the view point",
    "Before": "The source, before all steps (hold B)",
    "Both": "The source as a pale figure in the same place",
    "Side by side": "The source next to the result",
    "One step": "The figure before the selected step, pale, in the same place",
}


@dataclass(frozen=True)
class Look:
    """compare: one of ``COMPARE``. in_place: without its travel; follow: the travelling figure stays in the picture.
    ghosts: the figure some frames before and after; trail: the way of the selected joint; weight: that of the
    centre of mass. differences:
    joints are coloured by how far they are from the figure before. all_marks: every joint is marked. before_held: a key is
    down that shows the source, or, with step_held, the figure before the selected step."""

    compare: str = "After"
    mesh: bool = True
    joints: bool = True
    follow: bool = True
    in_place: bool = False
    ghosts: bool = False
    trail: bool = False
    weight: bool = False
    differences: bool = False
    all_marks: bool = False
    before_held: bool = False
    step_held: bool = False

    @property
    def mode(self) -> str:
        """How figures are compared while the keys are as they are."""
        return "Before" if self.before_held else self.compare


@dataclass(frozen=True, eq=False)
class Sight:
    """width, height in pixels. shift ``(3,)``: how far the world is moved, so that the figure stays in the picture."""

    camera: Camera
    width: int
    height: int
    shift: Array

    def project(self, places: Array) -> Array:
        """Pixels and depth ``(…, 3)`` of places in the picture."""
        return self.camera.project(places, self.width, self.height)

    def near(self, place: Array, x: float, y: float) -> float:
        """How far a place in the picture ``(3,)`` is from a pixel, in pixels."""
        p = self.project(place)
        return float(np.hypot(p[0] - x, p[1] - y))

    def pixel_size(self, place: Array) -> float:
        """Metres to a pixel at a place in the picture."""
        return self.camera.pixel_size(place, self.height)

    def on_ground(self, x: float, y: float) -> tuple[float, float] | None:
        """Where the line of sight through a pixel meets the ground, x and z in metres; None above the horizon."""
        origin, way = self.camera.ray(x, y, self.width, self.height)
        if way[1] > -1e-3:
            return None
        p = origin - way * (origin[1] / way[1]) - self.shift
        return float(p[0]), float(p[2])
