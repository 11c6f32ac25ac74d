"""The handle about a joint: three hoops, each with a bead to turn it by; where it can be moved, three rods, three plates
and a hub; at an elbow or knee a bead that swings it. A model; the viewport draws and drives it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.desktop.picture.view import Sight
from reflexa.draw import Camera
from reflexa.draw.scene import BAR, DIAMOND, DOT, Lines, Marks
from reflexa.motion import quat
from reflexa.motion.arrays import Array

# Okabe & Ito (2008) hues that the sides do not use; every hoop carries its letter as well.
HOOPS = (("x", (0.80, 0.475, 0.655)), ("y", (0.90, 0.62, 0.0)), ("z", (0.0, 0.447, 0.698)))
RADIUS = 74.0  # pixels
# What can be grabbed: 0 to 2 the hoops, 3 to 5 the rods along x, y, z, 6 the hub, 7 to 9 the plates square to x, y, z,
# 10 the bead at the elbow or knee.
RODS, HUB, PLATES, SWING = 3, 6, 7, 10
_ROD = 0.58  # length of a rod, as a share of the hoops' radius
_STEPS = np.linspace(0, 2 * np.pi, 49)


@dataclass(frozen=True, eq=False)
class Handle:
    """centre ``(3,)`` in the world; axes ``(4,)``: rotation of the space that the hoops turn in; size in metres; moves:
    whether it has rods, plates and a hub, which stand about ``grip`` where that is not the centre. bend ``(3, 3)``: root,
    middle and end of the limb whose elbow or knee can be swung."""

    centre: Array
    axes: Array
    size: float
    moves: bool = False
    grip: Array | None = None
    bend: Array | None = None

    def says(self, part: int) -> str:
        """What pulling a part does, in words."""
        letters = "xyz"
        if part < RODS:
            return f"rotate about {letters[part]}"
        if part == HUB:
            return "move the point it looks at" if self.grip is not None else "move in the view plane"
        if part == SWING:
            return "swing the elbow or knee; both ends stay"
        return f"move along {letters[part - RODS]}" if part < HUB else f"move perpendicular to {letters[part - PLATES]}"

    @property
    def hub(self) -> Array:
        return self.centre if self.grip is None else self.grip

    def plate(self, axis: int) -> Array:
        """Where the plate square to an axis is held."""
        across = np.ones(3)
        across[axis] = 0
        return np.asarray(self.hub + 0.34 * self.size * quat.rotate(self.axes, across))

    def plates(self, camera: Camera) -> list[int]:
        """The plates that do not stand edge-on to the eye: in those a drag says enough."""
        normals = quat.rotate(self.axes, np.eye(3))
        return [axis for axis in range(3) if abs(float(normals[axis] @ camera.axes[2])) > 0.12]

    def rod(self, axis: int) -> Array:
        """Ends ``(2, 3)`` of the rod along an axis."""
        way = quat.rotate(self.axes, np.eye(3)[axis]) * self.size
        return np.stack([self.hub + 0.16 * way, self.hub + _ROD * way])

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
        """What is under a pixel, or -1. Hub, rods and plates win over beads, those over hoops, near sides over far ones."""
        best, nearest = -1, 9.0
        if self.bend is not None and _near(self.bend[1], x, y, camera, width, height) < 11.0:
            return SWING
        if self.moves:
            if _near(self.hub, x, y, camera, width, height) < 9.0:
                return HUB
            for axis in self.plates(camera):
                if _near(self.plate(axis), x, y, camera, width, height) < 6.5:
                    return PLATES + axis
            for axis in range(3):
                line = camera.project(self.rod(axis), width, height)[:, :2]
                if _distance_to_line(line, np.array([x, y])) < 7.0:
                    return RODS + axis
        for axis in range(3):
            if _near(self.bead(axis, camera), x, y, camera, width, height) < 12.0:
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

    def swing_tangent(self, camera: Camera, width: int, height: int) -> Array:
        """Pixels ``(2,)`` that the elbow or knee moves by in the picture, for one radian that it swings."""
        assert self.bend is not None
        root, middle, end = self.bend
        line = (end - root) / max(float(np.linalg.norm(end - root)), 1e-9)
        way = np.cross(line, middle - root)
        p = camera.project(np.stack([middle, middle + 0.01 * way]), width, height)[:, :2]
        out = (p[1] - p[0]) / 0.01
        length = float(np.linalg.norm(out))
        # A limb all but straight, or a swing seen edge-on, must not spin.
        return np.asarray(out if length >= 40.0 else out / max(length, 1e-6) * 40.0 if length > 1e-6 else [40.0, 0.0])

    def moved(self, grabbed: int, by: Array, camera: Camera, height: int) -> Array:
        """How far ``(3,)`` metres, in the world, a drag by pixels ``(2,)`` moves a rod (along itself), a plate (in its
        own plane) or the hub (in the plane of the picture)."""
        pixel = camera.pixel_size(self.hub, height)
        in_plane = (camera.axes[0] * by[0] - camera.axes[1] * by[1]) * pixel
        if grabbed == HUB:
            return np.asarray(in_plane)
        if grabbed >= PLATES:
            # Where the line of sight through the pointer meets the plate's plane; no further where it all but grazes it.
            normal = quat.rotate(self.axes, np.eye(3)[grabbed - PLATES])
            sight = camera.axes[2]
            facing = float(sight @ normal)
            facing = np.copysign(max(abs(facing), 0.1), facing)
            on = in_plane - sight * float(in_plane @ normal) / facing
            return np.asarray(on - normal * float(on @ normal))
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
            for axis in self.plates(camera):
                places.append(self.plate(axis))
                sizes.append(14.0 if hot == PLATES + axis else 10.0)
                tints.append((*HOOPS[axis][1], 0.9))
                kinds.append(DIAMOND)
            if self.grip is not None:
                ends.append(np.stack([self.centre, self.hub]))
                colours.append((0.10, 0.16, 0.20, 0.45))
                widths.append((1.2, 1.2))
            places.append(self.hub)
            sizes.append(17.0 if hot == HUB else 13.0)
            tints.append((0.10, 0.16, 0.20, 1.0))
            kinds.append(DIAMOND)
        if self.bend is not None:
            places.append(self.bend[1])
            sizes.append(20.0 if hot == SWING else 16.0)
            tints.append((0.10, 0.16, 0.20, 1.0))
            kinds.append(BAR)
        lines = Lines(np.array(ends), np.array(widths), np.array(colours), on_top=True)
        marks = Marks(np.array(places), np.array(sizes), np.array(kinds), np.array(tints))
        return lines, marks


def _near(place: Array, x: float, y: float, camera: Camera, width: int, height: int) -> float:
    p = camera.project(place, width, height)
    return float(np.hypot(p[0] - x, p[1] - y))


def _distance_to_line(points: Array, p: Array) -> float:
    a, b = points[:-1], points[1:]
    along = b - a
    t = np.clip(np.sum((p - a) * along, axis=1) / np.maximum(np.sum(along * along, axis=1), 1e-9), 0, 1)
    return float(np.linalg.norm(a + t[:, None] * along - p, axis=1).min())


def handle_at(
    centre: Array, axes: Array, sight: Sight, moves: bool = False, grip: Array | None = None, bend: Array | None = None
) -> Handle:
    """A handle of the same size on screen wherever it stands."""
    return Handle(centre, axes, sight.pixel_size(centre) * RADIUS, moves, grip, bend)
