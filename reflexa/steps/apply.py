"""Weight, envelope and mask, for every kind of step alike: how much of a step arrives where and when."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.motion.arrays import Array
from reflexa.rig import Rig
from reflexa.steps.model import NOTHING, Around, Step
from reflexa.steps.registry import kind_of


def apply(step: Step, clip: Clip, rig: Rig, first: int = 0, around: Around = NOTHING) -> Clip:
    """The clip after a step. A step that is off or weighs nothing gives the very clip back.

    first: number of the clip's first frame in the take. around: what the step may read beside the clip.
    Raises RecipeError where the step's mask names what the rig lacks, or the step itself does.
    """
    if not step.on or step.weight == 0:
        return clip
    weights = step_weights(step, rig, first, clip.frames)
    if weights is not None and not weights.any():
        return clip
    kind = kind_of(step.kind)
    if kind.draws is not None:
        changed = kind.draws(clip, rig, step, around)
    elif kind.apply is not None:
        changed = kind.apply(clip, rig, step.settings, first)
    else:
        raise RecipeError(f"{step.name!r} takes the clip to another rig: it cannot be run on a single pose")
    return changed if weights is None else blended(clip, changed, weights)


def carried(step: Step, clip: Clip, rig: Rig, around: Around = NOTHING) -> tuple[Clip, Rig]:
    """Clip and rig after a step of any kind. around: what the step may read beside the clip.

    Raises RecipeError as ``apply`` does, and where such a step is given a weight, envelope or mask.
    """
    carry = kind_of(step.kind).carry
    if carry is None or not step.on or step.weight == 0:
        return apply(step, clip, rig, 0, around), rig
    if step.weight != 1 or step.envelope or step.mask is not None:
        raise RecipeError(
            f"{step.name!r} takes the clip to another rig: it has no weight, envelope or mask",
            advice="Switch it on or off as a whole.",
        )
    return carry(clip, rig, step.settings, around)


def step_weights(step: Step, rig: Rig, first: int, frames: int) -> Array | None:
    """Weight per frame and joint ``(frames, joints)``, or None where it is full everywhere."""
    if step.weight == 1 and not step.envelope and step.mask is None:
        return None
    over_time = step.weight * step.envelope_at(np.arange(first, first + frames))
    over_joints = np.ones(len(rig.skeleton))
    if step.mask is not None:
        try:
            over_joints = step.mask.weights(rig)
        except KeyError as e:
            raise RecipeError(f"the mask of {step.name!r} names {e}, which this rig lacks") from None
    return np.asarray(np.clip(over_time[:, None] * over_joints, 0.0, 1.0))


def blended(below: Clip, above: Clip, weights: Array) -> Clip:
    """From ``below`` (weight 0) to ``above`` (weight 1) per frame and joint: slerp on the short arc, and linear.

    Raises RecipeError where the step changed the number of frames, which cannot be done by half.
    """
    if below.frames != above.frames:
        raise RecipeError("a step that changes the length of the clip cannot be weighted")
    rotations, translations = np.array(below.rotations), np.array(below.translations)
    differs = (below.rotations != above.rotations).any(axis=(0, 2))
    touched = np.flatnonzero(weights.any(axis=0) & differs)
    rotations[:, touched] = quat.slerp(below.rotations[:, touched], above.rotations[:, touched], weights[:, touched])
    w = weights[..., None]
    translations = np.where(
        w == 1, above.translations, below.translations + w * (above.translations - below.translations)
    )
    scales = below.scales
    if above.scales is not None:
        base = np.ones_like(above.scales) if below.scales is None else below.scales
        scales = base + w * (above.scales - base)
    return replace(above, rotations=quat.continuous(rotations), translations=translations, scales=scales)
