"""How near a hand is to the body: distances from its volumes, and places of one body's surface on another's."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from reflexa.motion import kernels, quat
from reflexa.motion.arrays import Array
from reflexa.motion.kernels.parts import Blocks, Model
from reflexa.motion.limbs import limb_end
from reflexa.rig import Rig
from reflexa.rig.bodies import Block, as_blocks, volumes
from reflexa.rig.limbs import limb_of
from reflexa.rig.palms import palms

Posing = tuple[Array, Array]
# Half the thickness of a hand about its middle, as a share of the height (from memory, of adults).
HAND = 0.025
# Volumes that are about as near count together: over this share of the height.
_TOGETHER = 0.012


@lru_cache(maxsize=64)
def volumes_for(rig: Rig, side: str) -> tuple[Block, ...]:
    """The volumes that a hand can come near to: all but those of its own arm."""
    return tuple(b for b in volumes(rig) if b.part not in (f"{side} upper arm", f"{side} forearm"))


@lru_cache(maxsize=64)
def trunk(rig: Rig) -> tuple[Block, ...]:
    """The volumes that a hand may lie on while arms move: all but those of both arms."""
    return tuple(b for b in volumes(rig) if not b.part.endswith("arm"))


def hand_middle(model: Posing, rig: Rig, side: str) -> Array | None:
    """Where the middle of a hand is ``(frames, 3)``; the end of its arm where it has no hand; None without an arm."""
    l = limb_of(rig, f"{side} hand")
    return None if l is None else np.asarray(limb_end(model, l) + hand_offset(model[0], rig, side))


def hand_offset(turned: Array, rig: Rig, side: str) -> Array:
    """The way from the wrist to the middle of a hand ``(frames, 3)``, joints turned by ``(frames, joints, 4)``."""
    palm = palms(rig).get(side)
    if palm is None or len(palm.points) < 2:
        return np.zeros((len(turned), 3))
    return quat.rotate(turned[:, palm.joint], palm.points.mean(axis=0))


def local_to(block: Block, track: Array, model: Posing) -> Array:
    """A track ``(frames, 3)`` as a block of the body sees it: across, along and ahead from its middle, metres."""
    turned, placed = model
    own = quat.rotate(quat.conjugate(turned[:, block.joint]), track - placed[:, block.joint])
    return np.asarray((own - block.middle) @ block.axes.T)


def from_local(block: Block, own: Array, model: Posing) -> Array:
    """The other way round: places ``(frames, 3)`` in model space."""
    turned, placed = model
    return np.asarray(placed[:, block.joint] + quat.rotate(turned[:, block.joint], own @ block.axes + block.middle))


def _round(block: Block, own: Array) -> tuple[Array, Array]:
    """How far points are from a block's axis ``(frames,)``, and as a share of the way to its side."""
    far = np.hypot(own[:, 0], own[:, 2])
    share = np.hypot(own[:, 0] / block.half[0], own[:, 2] / block.half[2])
    return far, np.maximum(share, 1e-3)


def nearest(rig: Rig, track: Array, model: Posing) -> tuple[Array, Array, Array]:
    """How far a track ``(frames, 3)`` is from the body, arms apart, metres ``(frames,)``, negative inside, the way out of it
    ``(frames, 3)``, unit; and how much each volume of its ``trunk`` counts in that ``(volumes, frames)``: they sum to one. All
    without jumps over time."""
    body, n = trunk_for(rig), len(track)
    off, counts = np.empty((n, 4)), np.empty((n, len(body.joints)))
    kernels.blocks.nearest(body, float(_TOGETHER * rig.height), Model(*model), track, off, counts)
    return off[:, 0], off[:, 1:], counts.T


@lru_cache(maxsize=64)
def trunk_for(rig: Rig) -> Blocks:
    """``trunk`` as kernels are given it."""
    return as_blocks(trunk(rig))


def distances(body: Blocks, track: Array, model: Posing) -> Array:
    """How far a track ``(frames, 3)`` is from the surface of each volume of a body, metres ``(volumes, frames)``."""
    out = np.empty((len(track), len(body.joints)))
    kernels.blocks.aparts(body, Model(*model), track, out)
    return out.T


@lru_cache(maxsize=64)
def body_for(rig: Rig, side: str) -> Blocks:
    """``volumes_for`` as kernels are given them."""
    return as_blocks(volumes_for(rig, side))


def carried_over(own: Array, source: Block, target: Block, scale: float) -> Array:
    """Where a point ``(frames, 3)`` that a block sees is for a block of other sizes: over the same place of its surface, as far
    from it times ``scale``."""
    far, share = _round(source, own)
    rim = own[:, [0, 2]] / (share[:, None] * source.half[[0, 2]]) * target.half[[0, 2]]
    radius = np.linalg.norm(rim, axis=1)
    away = np.maximum(radius + (far - far / share) * scale, 0.02 * radius)
    level = np.clip(own[:, 1], -source.half[1], source.half[1])
    along = level / source.half[1] * target.half[1] + (own[:, 1] - level) * scale
    aside = rim * (away / np.maximum(radius, 1e-12))[:, None]
    return np.stack([aside[:, 0], along, aside[:, 1]], axis=1)


def counterpart(block: Block, among: Sequence[Block]) -> Block | None:
    """The volume of another body that stands for one of this; None where it has none."""
    own = [b for b in among if b.part == block.part]
    return min(own, key=lambda b: abs(b.share - block.share), default=None)
