"""How the world is seen: through which camera, in a picture of which size, and moved by how much."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.draw import Camera
from reflexa.motion.arrays import Array


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
