"""From scenes to pictures: what the viewport, previews and screenshots have in common."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np
from PySide6.QtGui import QImage

from reflexa.desktop.look import theme
from reflexa.desktop.picture import colours
from reflexa.desktop.picture.gl import drawing
from reflexa.draw import Camera, Figure, Scene
from reflexa.draw import figure as drawn
from reflexa.draw.palette import GRID
from reflexa.draw.scene import Lines, Marks, ground_grid, matrices_at, shapes_at
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.stand_in import body_of


def ground(centre: Array, extent: float) -> Lines:
    """The grid about a place, in the colours of the theme; made anew only when it would differ."""
    return _ground(
        round(float(centre[0])), round(float(centre[2])), float(np.ceil(extent)), theme.current() is theme.NIGHT
    )


@lru_cache(maxsize=64)
def _ground(x: int, z: int, extent: float, dark: bool) -> Lines:
    fine, strong = (np.array(c) for c in GRID[theme.NIGHT.name if dark else theme.DAYLIGHT.name])
    return ground_grid(np.array([x, 0, z]), extent, fine, strong, 1.0)


def moved(figure: Figure, by: Array) -> Figure:
    """The figure somewhere else."""
    matrices = np.array(figure.matrices)
    matrices[:, :, 3] += by
    return replace(figure, matrices=matrices)


def shifted(lines: Lines, marks: Marks, by: Array) -> tuple[Lines, Marks]:
    """Strokes and marks somewhere else."""
    return replace(lines, ends=lines.ends + by), replace(marks, places=marks.places + by)


class _Picture(QImage):
    """An image that holds on to the pixels that it only points at."""

    def __init__(self, pixels: bytearray, width: int, height: int) -> None:
        super().__init__(pixels, width, height, width * 4, QImage.Format.Format_RGBX8888)
        self._pixels = pixels


def render(scene: Scene, camera: Camera, width: int, height: int, detail: float = 0.0) -> QImage:
    """A picture that owns its pixels for as long as it lives. detail: pixels within which meshes need not be exact."""
    with drawing() as renderer:
        return _Picture(renderer.render(scene, camera, width, height, detail), width, height)


def needs_supersampling() -> bool:
    """True if the drawing is done in software, without smoothing."""
    with drawing() as renderer:
        return renderer.software


def preview(rig: Rig, pose: Clip, width: int, height: int) -> QImage:
    """A small picture of a clip's first frame for the library: the rest of a long clip would only cost time."""
    t = theme.current()
    placed = pose.model[1][0]
    low, high = placed.min(axis=0), placed.max(axis=0)
    camera = Camera(yaw=38.0, pitch=10.0).framed(low, high)
    camera = camera.zoomed(0.97)
    c = colours.by_side(rig)
    # Bones are for rigs without a skin: on a thumbnail both would be mud.
    lines = () if body_of(rig) else (drawn.bones(rig, pose, 0, c, 0.95),)
    figure = Figure(body_of(rig), matrices_at(pose, 0), shapes=shapes_at(pose, 0))
    scene = Scene(t.sky, t.floor, t.shadow, None, (figure,), lines)
    return render(scene, camera, width, height)
