"""What a picture shows, as values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import kinematics, quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Mesh

Colour = tuple[float, float, float]

# Kinds of marks, by shape: a ring, a diamond, a bar, a cross, a filled dot.
RING, DIAMOND, BAR, CROSS, DOT = range(5)


@dataclass(frozen=True, eq=False)
class Figure:
    """Meshes in one pose. matrices ``(joints, 3, 4)`` from each joint's own space to the world; shapes: how far the meshes are
    bent to each of their shapes, by name."""

    meshes: tuple[Mesh, ...]
    matrices: Array
    tint: Colour = (1.0, 1.0, 1.0)
    tint_share: float = 0.0
    alpha: float = 1.0
    shadow: bool = True
    shapes: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Lines:
    """Straight strokes of screen width. ends ``(n, 2, 3)``; widths ``(n, 2)`` pixels; colours ``(n, 4)`` RGBA."""

    ends: Array
    widths: Array
    colours: Array
    on_top: bool = False


@dataclass(frozen=True, eq=False)
class Marks:
    """Small shapes of screen size. places ``(n, 3)``, sizes ``(n,)`` pixels across, kinds ``(n,)``, colours ``(n, 4)``."""

    places: Array
    sizes: Array
    kinds: NDArray[np.intp]
    colours: Array
    rim: Colour = (1.0, 1.0, 1.0)


@dataclass(frozen=True, eq=False)
class Scene:
    """Everything in a picture, in the order in which it is drawn."""

    sky: Colour = (0.93, 0.94, 0.93)
    floor: Colour = (0.84, 0.86, 0.85)
    shadow: Colour = (0.35, 0.40, 0.42)
    ground: Lines | None = None
    figures: tuple[Figure, ...] = ()
    lines: tuple[Lines, ...] = ()
    marks: tuple[Marks, ...] = field(default=())


def shapes_at(clip: Clip, frame: int) -> dict[str, float]:
    """The weights of shapes at one frame of a clip."""
    return {t.name: float(t.values[frame]) for t in clip.tracks}


def matrices_at(clip: Clip, frame: int) -> Array:
    """Joint-to-world matrices ``(joints, 3, 4)`` of one frame of a clip."""
    if clip.scales is not None:
        span = slice(frame, frame + 1)
        linear, placed = kinematics.forward_matrices(
            clip.skeleton.parents, clip.rotations[span], clip.translations[span], clip.scales[span]
        )
        return np.concatenate([linear[0], placed[0][..., None]], axis=-1)
    turned, placed = clip.model
    return np.concatenate([quat.to_matrix(turned[frame]), placed[frame][..., None]], axis=-1)


def ground_grid(centre: Array, extent: float, fine: Array, strong: Array, step: float = 1.0) -> Lines:
    """A grid of ``step`` metres about ``centre``, fading outwards, every fifth line stronger."""
    n = int(np.ceil(extent / step))
    cx, cz = np.round(centre[0] / step), np.round(centre[2] / step)
    k = np.arange(-n, n + 1)
    # Strokes are cut into pieces so that each can fade by its distance.
    cuts = np.linspace(-extent, extent, 13)
    ends, colours, widths = [], [], []
    for axis, c0, c1 in ((0, cx, cz), (2, cz, cx)):
        for i in k:
            at = (c0 + i) * step
            for a, b in zip(cuts, cuts[1:], strict=False):
                p = np.zeros((2, 3))
                p[:, axis] = at
                p[:, 2 - axis] = c1 * step + np.array([a, b])
                away = np.hypot(i * step, (a + b) / 2) / extent
                main = (c0 + i) % 5 == 0
                colour = np.array(strong if main else fine)
                colour[3] *= max(0.0, 1 - away**2)
                if colour[3] > 0.02:
                    ends.append(p)
                    colours.append(colour)
                    widths.append([1.6, 1.6] if main else [1.0, 1.0])
    return Lines(np.array(ends), np.array(widths), np.array(colours))
