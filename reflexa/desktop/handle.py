"""The handle: three hoops about a joint, each with a bead to turn it by, and where it can be moved, three rods and a hub.
A model; the viewport draws and drives it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.draw import Camera
from reflexa.draw.scene import BAR, DIAMOND, DOT, Lines, Marks
from reflexa.motion import quat
from reflexa.motion.quat import Array

# Okabe & Ito (2008) hues that the sides do not use; every hoop carries its letter as well.
HOOPS = (("x", (0.80, 0.475, 0.655)), ("y", (0.90, 0.62, 0.0)), ("z", (0.0, 0.447, 0.698)))
RADIUS = 74.0  # pixels
# What can be grabbed: 0 to 2 the hoops, 3 to 5 the rods along x, y, z, 6 the hub.
RODS, HUB = 3, 6
_ROD = 0.58  # length of a rod, as a share of the hoops' radius
_STEPS = np.linspace(0, 2 * np.pi, 49)


@dataclass(frozen=True, eq=False)
class Handle:
    """centre ``(3,)`` in the world; axes ``(4,)``: rotation of the space that the hoops turn in; size in metres; moves:
    whether it has rods and a hub."""

    centre: Array
    axes: Array
    size: float
    moves: bool = False

    def rod(self, axis: int) -> Array:
        """Ends ``(2, 3)`` of the rod along an axis."""
        way = quat.rotate(self.axes, np.eye(3)[axis]) * self.size
        return np.stack([self.centre + 0.16 * way, self.centre + _ROD * way])

    def hoop(self, axis: int) -> Array:
        """Points ``(49, 3)`` of the hoop about an axis."""
        a, b = (axis + 1) % 3, (axis + 2) % 3
        local = np.zeros((len(_STEPS), 3))
        local[:, a], local[:, b] = np.cos(_STEPS), np.sin(_STEPS)
        return np.asarray(self.centre + self.size * quat.rotate(self.axes, local))

    def bead(self, axis: int, camera: Camera) -> Array:
        """Where a hoop's bead sits: on its near side."""
        points = self.hoop(axis)
        return np.asarray(points[int(np.argmax((points - self.centre) @ camera.axes[2]))])

    def at(self, x: float, y: float, camera: Camera, width: int, height: int) -> int:
        """What is under a pixel, or -1. The hub wins over rods, beads over hoops, near sides over far ones."""
        best, nearest = -1, 9.0
        if self.moves:
            p = camera.project(self.centre, width, height)
            if float(np.hypot(p[0] - x, p[1] - y)) < 9.0:
                return HUB
            for axis in range(3):
                line = camera.project(self.rod(axis), width, height)[:, :2]
                if _distance_to_line(line, np.array([x, y])) < 7.0:
                    return RODS + axis
        for axis in range(3):
            bead = camera.project(self.bead(axis, camera), width, height)
            away = float(np.hypot(bead[0] - x, bead[1] - y))
            if away < 12.0:
                return axis
            p = camera.project(self.hoop(axis), width, height)[:, :2]
            away = _distance_to_line(p, np.array([x, y]))
            if away < nearest:
                best, nearest = axis, away
        return best

    def tangent(self, axis: int, x: float, y: float, camera: Camera, width: int, height: int) -> Array:
        """Pixels ``(2,)`` that the hoop's point nearest to a pixel moves by, for one radian about the axis."""
        points = self.hoop(axis)
        p = camera.project(points, width, height)[:, :2]
        i = int(np.argmin(np.hypot(p[:-1, 0] - x, p[:-1, 1] - y)))
        step = _STEPS[1]
        way = (p[i + 1] - p[i]) / step
        least = 40.0  # a hoop seen edge-on must not turn wildly
        length = float(np.linalg.norm(way))
        return np.asarray(way if length >= least else way / max(length, 1e-6) * least)

    def moved(self, grabbed: int, by: Array, camera: Camera, height: int) -> Array:
        """How far ``(3,)`` metres, in the world, a drag by pixels ``(2,)`` moves a rod (along itself) or the hub (in the
        plane of the picture)."""
        pixel = camera.pixel_size(self.centre, height)
        in_plane = (camera.axes[0] * by[0] - camera.axes[1] * by[1]) * pixel
        if grabbed == HUB:
            return np.asarray(in_plane)
        way = quat.rotate(self.axes, np.eye(3)[grabbed - RODS])
        # A rod that points at the eye has next to no length in the picture: it must not run away.
        seen = max(1 - float(way @ camera.axes[2]) ** 2, 0.04)
        return np.asarray(way * float(in_plane @ way) / seen)

    def draw(self, camera: Camera, hot: int) -> tuple[Lines, Marks]:
        """Hoops (their far halves faint) and beads; ``hot`` is the one under the pointer or in the hand."""
        ends, colours, widths, places, sizes, tints = [], [], [], [], [], []
        for axis, (_, colour) in enumerate(HOOPS):
            points = self.hoop(axis)
            near = (points - self.centre) @ camera.axes[2] > -0.02 * self.size
            for i in range(len(points) - 1):
                strong = 1.0 if axis == hot else 0.85
                ends.append(points[i : i + 2])
                colours.append((*colour, strong if near[i] else 0.22))
                wide = 4.0 if axis == hot else 2.4
                widths.append((wide, wide))
            places.append(self.bead(axis, camera))
            sizes.append(18.0 if axis == hot else 14.0)
            tints.append((*colour, 1.0))
        kinds = [DOT] * 3
        if self.moves:
            for axis, (_, colour) in enumerate(HOOPS):
                grabbed = hot == RODS + axis
                ends.append(self.rod(axis))
                colours.append((*colour, 1.0))
                widths.append((3.2, 5.5 if grabbed else 4.2))
                places.append(self.rod(axis)[1])
                sizes.append(13.0 if grabbed else 10.5)
                tints.append((*colour, 1.0))
                kinds.append(BAR)
            places.append(self.centre)
            sizes.append(17.0 if hot == HUB else 13.0)
            tints.append((0.10, 0.16, 0.20, 1.0))
            kinds.append(DIAMOND)
        lines = Lines(np.array(ends), np.array(widths), np.array(colours), on_top=True)
        marks = Marks(np.array(places), np.array(sizes), np.array(kinds), np.array(tints))
        return lines, marks


def _distance_to_line(points: Array, p: Array) -> float:
    a, b = points[:-1], points[1:]
    along = b - a
    t = np.clip(np.sum((p - a) * along, axis=1) / np.maximum(np.sum(along * along, axis=1), 1e-9), 0, 1)
    return float(np.linalg.norm(a + t[:, None] * along - p, axis=1).min())


def handle_at(centre: Array, axes: Array, camera: Camera, height: int, moves: bool = False) -> Handle:
    """A handle of the same size on screen wherever it stands."""
    return Handle(centre, axes, camera.pixel_size(centre, height) * RADIUS, moves)
