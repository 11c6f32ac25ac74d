"""Joints that look somewhere (eyes, head), and the axis that each looks along."""

from __future__ import annotations

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.rig.rig import Rig


def looks(rig: Rig, limb: str) -> bool:
    """True for a limb that looks instead of reaching: the head, or a joint on it such as an eye."""
    head = rig.joint("head")
    if limb == "head" or head < 0:
        return limb == "head"
    joint = rig.skeleton.index.get(limb, -1)
    return joint >= 0 and joint != head and joint in rig.skeleton.below(head) and not rig.chain_to(limb)


def ahead_of(rig: Rig, joint: int) -> Array:
    """The figure's forward in a joint's own axes ``(3,)`` unit: the way that a head or eye looks."""
    return quat.rotate(quat.conjugate(rig.neutral.rest_model[0][joint]), rig.facing)
