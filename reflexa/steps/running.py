"""Running a step: on or off, weight, envelope and mask for every kind alike."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps.model import NOTHING, Context, Given, Outcome, Step
from reflexa.steps.registry import kind_of


def apply(step: Step, clip: Clip, rig: Rig, first: int = 0, context: Context = NOTHING) -> Clip:
    """The clip after a step, as ``outcome`` has it. first: number of the clip's first frame in the take."""
    return outcome(step, Given(clip, rig, first), context).clip


def outcome(step: Step, given: Given, context: Context = NOTHING) -> Outcome:
    """What comes of a step. One that is off or weighs nothing gives the very clip back.

    Raises RecipeError where the step's mask names what the rig lacks, where a kind that cannot be weighed is given a
    weight, envelope or mask, or the step itself does.
    """
    clip, rig = given.clip, given.rig
    if not step.acts:
        return Outcome(clip, rig)
    kind = kind_of(step.kind)
    if not kind.weighed and (step.weight != 1 or step.envelope or step.mask is not None):
        what = "takes the clip to another rig" if kind.changes_rig else "changes the clip as a whole"
        raise RecipeError(
            f"{step.name!r} {what}: it has no weight, envelope or mask",
            advice="Switch it on or off as a whole.",
        )
    weights = step_weights(step, rig, given.first, clip.frames)
    if weights is not None and not weights.any():
        return Outcome(clip, rig)
    out = kind.run(replace(given, mask=step.mask), step.settings, context)
    return out if weights is None else replace(out, clip=blended(clip, out.clip, weights))


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
    return replace(above, rotations=owned(quat.continuous(rotations)), translations=owned(translations), scales=scales)
