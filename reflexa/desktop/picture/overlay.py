"""What is drawn over the figures: strokes and marks, and which joints have marks. Those pulled every day always have one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.desktop.picture.posed import PosedFigure
from reflexa.desktop.picture.view import Sight
from reflexa.draw import Figure
from reflexa.draw.figure import usefulness
from reflexa.draw.scene import Lines, Marks
from reflexa.motion.arrays import Array


@dataclass(frozen=True, eq=False)
class Overlay:
    """Things, strokes and marks to be put into the picture."""

    figures: tuple[Figure, ...] = ()
    lines: tuple[Lines, ...] = ()
    marks: tuple[Marks, ...] = ()

    def __add__(self, other: Overlay) -> Overlay:
        return Overlay(self.figures + other.figures, self.lines + other.lines, self.marks + other.marks)


NOTHING = Overlay()

# Within so many pixels of the pointer marks come up: of joints, and of fingers and faces.
_NEAR, _VERY_NEAR = 64.0, 36.0
# A figure this high in pixels is looked at closely: all joints, and fingers and faces too.
_CLOSE, _VERY_CLOSE = 1000.0, 2600.0
# Marks shrink with a figure that is lower than this, pixels.
_SMALL = 320.0


def near_joints(f: PosedFigure, sight: Sight, x: float, y: float) -> frozenset[str]:
    """The joints whose marks come up at a pixel."""
    at = sight.project(f.placed)
    away = np.hypot(at[:, 0] - x, at[:, 1] - y)
    within = np.where(usefulness(f.rig) > 0, _NEAR, _VERY_NEAR)
    names = f.rig.skeleton.names
    return frozenset(names[j] for j in np.flatnonzero((away < within) & np.isfinite(at[:, 2])))


def shown_marks(f: PosedFigure, sight: Sight, near: frozenset[str], all_: bool) -> Array:
    """How large the mark of each joint is, 0 to 1 ``(joints,)``. all_: every joint is wanted."""
    high = f.rig.height / max(sight.pixel_size(f.placed.mean(axis=0)), 1e-9)
    useful = usefulness(f.rig)
    close = np.where(useful > 0, _CLOSE, _VERY_CLOSE)
    out = np.where((useful >= 2) | (high > close) | all_, 1.0, 0.0)
    if near:
        out[[f.rig.skeleton.index[n] for n in near if n in f.rig.skeleton.index]] = 1.0
    return np.asarray(out * np.clip(high / _SMALL, 0.45, 1.0))
