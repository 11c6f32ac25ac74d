"""From a rig, clips and a frame to a scene: what the viewport, previews and screenshots have in common."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np
from PySide6.QtGui import QImage

from reflexa.desktop import theme
from reflexa.desktop.gl import drawing
from reflexa.draw import Camera, Figure, Scene
from reflexa.draw import figure as drawn
from reflexa.draw.scene import Lines, Marks, ground_grid, matrices_at
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.match import Match


def colours(rig: Rig) -> Array:
    """RGB per joint by side, for the theme in use."""
    t = theme.current()

    def rgb(token: str) -> tuple[float, float, float]:
        c = t.colour(token)
        return c.redF(), c.greenF(), c.blueF()

    return drawn.colours_by_side(rig, rgb("quiet"), rgb("warn"))


# Okabe & Ito (2008), for body parts: one hue a group; sides are told by their marks.
_GROUPS = (
    (("root", "pelvis"), (0.45, 0.45, 0.45)), (("spine",), (0.0, 0.447, 0.698)), (("neck", "head"), (0.337, 0.706, 0.914)),
    (("clavicle", "upper arm"), (0.902, 0.624, 0.0)), (("forearm", "hand"), (0.80, 0.475, 0.655)),
    (("thigh",), (0.0, 0.620, 0.451)), (("shin",), (0.835, 0.369, 0.0)), (("foot", "toes"), (0.94, 0.894, 0.259)),
    (("thumb", "finger"), (0.80, 0.475, 0.655)),
)  # fmt: skip


def part_colours(rig: Rig, m: Match) -> Array:
    """RGB per joint by body part, alike on both rigs of a match; what the other rig lacks is in the colour of a warning."""
    t = theme.current()
    other = m.target if rig.key == m.source.key else m.source
    alone, none = t.colour("warn"), t.colour("quiet")
    out = np.tile([none.redF(), none.greenF(), none.blueF()], (len(rig.skeleton), 1))
    chain_of = {n: name for name, joints in rig.chains.items() for n in joints}
    for j, name in enumerate(rig.skeleton.names):
        part = rig.part_of(name)
        if (part and part not in other.body_map) or (name in chain_of and chain_of[name] not in other.chains):
            out[j] = alone.redF(), alone.greenF(), alone.blueF()
        elif part:
            out[j] = next((c for words, c in _GROUPS if any(part.endswith(w) for w in words)), out[j])
        elif name in chain_of:
            out[j] = (0.0, 0.447, 0.698)
    return out


def weight_colours(rig: Rig, weights: Array) -> Array:
    """RGB per joint by how much of a step reaches it ``(joints,)``: from the quiet colour to the accent."""
    t = theme.current()
    low, high = (np.array([c.redF(), c.greenF(), c.blueF()]) for c in (t.colour("line"), t.colour("accent")))
    return np.asarray(low + weights[:, None] * (high - low))


def ground(centre: Array, extent: float) -> Lines:
    """The grid about a place, in the colours of the theme; made anew only when it would differ."""
    return _ground(
        round(float(centre[0])), round(float(centre[2])), float(np.ceil(extent)), theme.current() is theme.NIGHT
    )


@lru_cache(maxsize=64)
def _ground(x: int, z: int, extent: float, dark: bool) -> Lines:
    fine = np.array([0.55, 0.68, 0.75, 0.16] if dark else [0.20, 0.28, 0.30, 0.20])
    strong = np.array([0.60, 0.74, 0.82, 0.34] if dark else [0.16, 0.24, 0.27, 0.42])
    return ground_grid(np.array([x, 0, z]), extent, fine, strong, 1.0)


def moved(figure: Figure, by: Array) -> Figure:
    """The figure somewhere else."""
    matrices = np.array(figure.matrices)
    matrices[:, :, 3] += by
    return replace(figure, matrices=matrices)


def shifted(lines: Lines, marks: Marks, by: Array) -> tuple[Lines, Marks]:
    return replace(lines, ends=lines.ends + by), replace(marks, places=marks.places + by)


def render(scene: Scene, camera: Camera, width: int, height: int) -> QImage:
    """A picture as a QImage that owns its pixels for as long as it lives."""
    data = drawing().renderer.render(scene, camera, width, height)
    image = QImage(data, width, height, width * 4, QImage.Format.Format_RGBX8888)
    image._pixels = data  # the image only points at them
    return image


def needs_supersampling() -> bool:
    """Is the drawing done in software, which has no smoothing of its own?"""
    return drawing().renderer.software


def preview(rig: Rig, clip: Clip, frame: int, width: int, height: int) -> QImage:
    """A small picture of one frame for the library."""
    t = theme.current()
    placed = clip.model[1][frame]
    low, high = placed.min(axis=0), placed.max(axis=0)
    camera = Camera(yaw=38.0, pitch=10.0).framed(low, high)
    camera = camera.zoomed(0.97)
    c = colours(rig)
    # Bones are for rigs without a skin: on a thumbnail both would be mud.
    lines = () if rig.meshes else (drawn.bones(rig, clip, frame, c, 0.95),)
    scene = Scene(t.sky, t.floor, t.shadow, None, (Figure(rig.meshes, matrices_at(clip, frame)),), lines)
    return render(scene, camera, width, height)
