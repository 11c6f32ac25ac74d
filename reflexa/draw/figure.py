"""How a rig's joints and bones are drawn: tapering strokes, and a mark a side — ring left, diamond right, bar centre."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from reflexa.draw.scene import BAR, CROSS, DIAMOND, RING, Colour, Lines, Marks
from reflexa.motion import quat
from reflexa.motion.arrays import Array, frozen
from reflexa.motion.clip import Clip
from reflexa.rig import Rig

# Okabe & Ito (2008): vermilion for the left (port), bluish green for the right (starboard).
LEFT: Colour = (0.835, 0.369, 0.0)
RIGHT: Colour = (0.0, 0.620, 0.451)
Joints = NDArray[np.intp]
SHAPES = {"left": RING, "right": DIAMOND, "centre": BAR, "none": CROSS}


@lru_cache(maxsize=8)
def colours_by_side(rig: Rig, centre: Colour, none: Colour) -> Array:
    """RGB per joint ``(joints, 3)``."""
    table = {"left": LEFT, "right": RIGHT, "centre": centre, "none": none}
    return frozen(np.array([table[s] for s in rig.side_of]))


def drawn_bones(rig: Rig) -> list[tuple[int, int]]:
    """Parent and child of every bone that is drawn."""
    parents, names = rig.skeleton.parents.tolist(), rig.skeleton.names
    return [(p, j) for j, p in enumerate(parents) if p >= 0 and names[j] not in rig.helpers and not _is_root(rig, p)]


@lru_cache(maxsize=8)
def _strokes(rig: Rig) -> tuple[Joints, Joints, Joints, Array]:
    """Of a rig's bones the joints at both ends ``(n,)``; of its tips the joint ``(m,)`` and where they are from it ``(m, 3)``."""
    between = np.array(drawn_bones(rig), dtype=np.intp).reshape(-1, 2)
    tips = np.array([rig.skeleton.index[n] for n in rig.tips], dtype=np.intp)
    return between[:, 0], between[:, 1], tips, np.array(list(rig.tips.values())).reshape(-1, 3)


def bones(rig: Rig, clip: Clip, frame: int, colours: Array, alpha: float) -> Lines:
    """A stroke from every joint to each of its children, wide at the joint and thin at the child; tips too."""
    turned, placed = (a[frame] for a in clip.model)
    above, below, tips, away = _strokes(rig)
    begin = placed[np.concatenate([above, tips])]
    e = np.stack([begin, np.concatenate([placed[below], placed[tips] + quat.rotate(turned[tips], away)])], axis=1)
    wide = np.clip(np.linalg.norm(e[:, 1] - e[:, 0], axis=-1) * 22, 2.0, 7.0)
    rgba = np.concatenate([colours[np.concatenate([below, tips])], np.full((len(e), 1), alpha)], axis=1)
    return Lines(e, np.stack([wide, np.full_like(wide, 1.2)], axis=1), rgba, on_top=True)


def _is_root(rig: Rig, joint: int) -> bool:
    """A root joint on the ground has no bone to the body: its stroke would only be in the way."""
    return joint == rig.joint("root") or (
        int(rig.skeleton.parents[joint]) == rig.joint("root") >= 0 and joint != rig.joint("pelvis")
    )


# Pixels across.
MARK = 10.0


# What is pulled every day: its marks are always there.
DAILY = {"hand", "foot", "pelvis", "head", "forearm", "shin"}


@lru_cache(maxsize=32)
def usefulness(rig: Rig) -> Array:
    """How much a joint is asked for, 0 to 2 ``(joints,)``: 2 what is pulled every day, 0 fingers, faces and helper joints."""
    out = np.ones(len(rig.skeleton))
    head = rig.joint("head")
    face = set(rig.skeleton.below(head)[1:]) if head >= 0 else set()
    for j, name in enumerate(rig.skeleton.names):
        part = rig.part_of(name).removeprefix("left ").removeprefix("right ")
        if part in DAILY:
            out[j] = 2.0
        elif "finger" in part or part == "thumb" or name in rig.helpers or j in face or part == "root":
            out[j] = 0.0
    return out


def joint_marks(rig: Rig, clip: Clip, frame: int, colours: Array, alpha: float, rim: Colour) -> Marks:
    """A mark at every joint: its shape and colour tell the side; fingers and helper joints are smaller."""
    placed = clip.model[1][frame]
    kinds = np.array([SHAPES[s] for s in rig.side_of])
    sizes = np.where(usefulness(rig) > 0, MARK, 0.62 * MARK)
    # A helper joint lies on the joint that it follows: its mark would only double that one's.
    sizes[[rig.skeleton.index[n] for n in rig.helpers]] = 0.0
    rgba = np.concatenate([colours, np.full((len(colours), 1), alpha)], axis=1)
    return Marks(placed, sizes, kinds, rgba, rim)
