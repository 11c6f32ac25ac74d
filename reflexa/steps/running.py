"""Running a step: on or off, weight, envelope and mask for every kind alike."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from msgspec.structs import replace as with_fields

from reflexa import plugins
from reflexa.errors import RecipeError, ReflexaError
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.mixing import mixed
from reflexa.places import log_file
from reflexa.rig import Rig
from reflexa.steps.helper_joints import carried_along
from reflexa.steps.model import NOTHING, Context, Given, Outcome, Step, StepKind
from reflexa.steps.registry import kind_of


def apply(step: Step, clip: Clip, rig: Rig, first: int = 0, context: Context = NOTHING) -> Clip:
    """The clip after a step, as ``outcome`` has it. first: number of the clip's first frame in the take."""
    return outcome(step, Given(clip, rig, first), context).clip


def apply_at(step: Step, clip: Clip, rig: Rig, frame: int) -> Clip:
    """One frame of a clip after a step of a kind that can do with one."""
    return outcome(step, Given(clip.cut(frame, frame), rig, frame, clip)).clip


def outcome(step: Step, given: Given, context: Context = NOTHING) -> Outcome:
    """What comes of a step. One that is off or weighs nothing gives the very clip back.

    Raises RecipeError where the step's mask names what the rig lacks, where a kind that cannot be weighed is given a
    weight, envelope or mask, or the step itself does.
    """
    clip, rig = given.clip, given.rig
    if not step.acts:
        return Outcome(clip, rig)
    kind = kind_of(step.kind)
    step = at_its_event(step, given.whole or clip)
    if not kind.weighed and (step.weight != 1 or step.envelope or step.mask is not None):
        what = "takes the clip to another rig" if kind.changes_rig else "changes the clip as a whole"
        raise RecipeError(
            f"{step.name!r} {what}: it has no weight, envelope or mask",
            advice="Switch the whole step on or off.",
        )
    weights = step_weights(step, rig, given.first, clip.frames)
    if weights is not None and not weights.any():
        return Outcome(clip, rig)
    over_time = np.clip(_over_time(step, given.first, clip.frames), 0.0, kind.most_weight)
    weight = None if step.weight == 1 and not step.envelope else over_time
    given = replace(given, mask=step.mask)
    if kind.weighs_itself:
        return _with_helpers(kind, given, _run(kind, replace(given, weight=weight), step, context))
    out = _run(kind, given, step, context)
    if weights is None:
        return _with_helpers(kind, given, out)
    if out.clip.frames != clip.frames:
        raise RecipeError("a step that changes the length of the clip cannot be weighted")
    reaches_face = step.mask is None or "head" not in rig.body_map or step.mask.weights(rig)[rig.joint("head")] > 0
    partly = mixed(clip, out.clip, weights, over_time * reaches_face)
    if kind.between is not None:
        partly = kind.between(replace(given, weight=weight), step.settings, out.clip, partly)
    return _with_helpers(kind, given, replace(out, clip=partly))


def _with_helpers(kind: StepKind, given: Given, out: Outcome) -> Outcome:
    """What came of a step, helper joints that were on their rules carried along."""
    clip, rig = given.clip, given.rig
    if kind.changes_rig or kind.changes_time or out.clip is clip or out.rig is not rig or not rig.helpers:
        return out
    if out.clip.frames != clip.frames:
        return out
    moved = carried_along(clip, out.clip, rig, given.whole or clip)
    return out if moved is out.clip else replace(out, clip=moved)


def _run(kind: StepKind, given: Given, step: Step, context: Context) -> Outcome:
    """What comes of a step at full weight. What an extension raises is an error of that step alone, and in the log. Raises
    RecipeError."""
    if not plugins.brought_by(kind):
        return kind.run(given, step.settings, context)
    try:
        out = kind.run(given, step.settings, context)
        made = out.reporting
    except ReflexaError:
        raise
    except Exception as e:
        raise RecipeError(
            f"{step.name!r}: {plugins.failed(kind, e)}",
            advice=f"Switch the step off; the path to it is in {log_file()}.",
        ) from e

    def report(clip: Clip) -> Any:
        try:
            return None if made is None else made(clip)
        except Exception as e:
            plugins.failed(kind, e)
            return None

    return replace(out, reporting=report)


def at_its_event(step: Step, clip: Clip) -> Step:
    """A step that is tied to an event, with its frames, and what the tie knows, where the event has them now: it means the same.
    Raises RecipeError where there is none."""
    tied = step.tied
    if tied is None:
        return step
    at = [e.frame for e in clip.events if e.name == tied.event]
    if not at:
        known = ", ".join(dict.fromkeys(e.name for e in clip.events))
        raise RecipeError(
            f"{step.name!r} is tied to the event {tied.event!r}, which the clip does not have",
            advice=f"Known: {known}." if known else "Untie it, or add the event.",
        )
    # Of several of one name it is the one that is nearest to where it was.
    by = round(min(at, key=lambda f: abs(f - tied.frame)) - tied.frame)
    shifted = kind_of(step.kind).shifted
    settings = step.settings if shifted is None or not by else shifted(step.settings, by)
    envelope = tuple((f + by, w) for f, w in step.envelope)
    return with_fields(step, envelope=envelope, settings=settings, tied=with_fields(tied, frame=tied.frame + by))


def where_it_acts(step: Step, clip: Clip) -> Step:
    """The same for whom a step is shown: as it is written where there is no such event."""
    try:
        return at_its_event(step, clip)
    except RecipeError:
        return step


def step_weights(step: Step, rig: Rig, first: int, frames: int) -> Array | None:
    """Weight per frame and joint ``(frames, joints)``, or None where it is full everywhere."""
    if step.weight == 1 and not step.envelope and step.mask is None:
        return None
    over_time = _over_time(step, first, frames)
    over_joints = np.ones(len(rig.skeleton))
    if step.mask is not None:
        try:
            over_joints = step.mask.weights(rig)
        except KeyError as e:
            raise RecipeError(f"the mask of {step.name!r} names {e}, which this rig does not have") from None
    return np.asarray(np.clip(over_time[:, None] * over_joints, 0.0, 1.0))


def _over_time(step: Step, first: int, frames: int) -> Array:
    return np.asarray(step.weight * step.envelope_at(np.arange(first, first + frames)))
