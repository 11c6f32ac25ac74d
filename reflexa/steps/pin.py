"""Keep in the world: chosen joints stay where they were in the world while what is above them was changed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import msgspec
import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.cuts import timing_of
from reflexa.motion.limbs import (
    at_frames,
    pelvis_drop,
    posed_clip,
    reach,
    reach_chain,
    turn_about,
    with_lowered_pelvis,
    within_reach,
)
from reflexa.motion.smoothing import Timing
from reflexa.rig import Rig
from reflexa.rig.limbs import hinges, limb_of
from reflexa.steps.active_spans import ActiveSpan, later, weight_of
from reflexa.steps.model import SOURCE, Context, Given, Outcome, Point, Settings, StepKind


class PinSettings(Settings, frozen=True):
    joints: Annotated[
        tuple[str, ...],
        Meta(
            title="Pinned joints", description="left hand, right hand, left foot, right foot, head, or joints by name.",
            extra={"choose": "ends"},
        ),
    ] = ("left foot", "right foot")  # fmt: skip
    since: Annotated[
        str,
        Meta(
            title="As before",
            description="Pin to the motion before this step: its id or name, or source. Empty: before the "
                        "previous step.",
            extra={"choose": "step"},
        ),
    ] = ""  # fmt: skip
    place: Annotated[bool, Meta(title="Place", description="Keep the position in the world.")] = True
    turn: Annotated[bool, Meta(title="Direction", description="Keep the rotation in the world.")] = True
    give: Annotated[
        bool,
        Meta(title="Pelvis adapts", description="The pelvis lowers where a leg could not reach its pinned foot."),
    ] = True
    spans: Annotated[
        tuple[ActiveSpan, ...],
        Meta(title="When", description="Spans of start, at, until and end, in frames. Empty: the whole clip."),
    ] = ()


def before(settings: PinSettings, context: Context) -> Point:
    """The point of the line that is kept to. Raises RecipeError for a step that is not before this one."""
    points = context.earlier
    if not points:
        raise RecipeError("there is no motion before this step to pin to")
    if not settings.since:
        return points[max(len(points) - 2, 0)]
    if settings.since == SOURCE:
        return points[0]
    at = next((i for i in range(len(points) - 1, 0, -1) if points[i].id == settings.since), -1)
    if at < 0:
        known = ", ".join(p.name for p in points)
        raise RecipeError(f"no step before this one is called {settings.since!r}", advice=f"There are: {known}.")
    return points[at - 1]


def keep(given: Given, settings: PinSettings, context: Context) -> Clip:
    """The clip with chosen joints as they were in the world. Limbs bend to do so, chains too; other joints keep their
    direction alone. Raises RecipeError where clip or rig were others then, or a joint is not there."""
    clip, rig = given.clip, given.rig
    then = before(settings, context)
    if then.clip.frames != clip.frames or then.clip.skeleton.names != clip.skeleton.names:
        what = "another length" if then.clip.frames != clip.frames else "another rig"
        raise RecipeError(
            f"the motion to pin to has {what}: it lies before {then.name!r}", advice="Choose a later step."
        )
    when = weight_of(settings.spans, clip.frames)
    ends = [(joint := _joint(rig, name), when * given.share(joint)) for name in settings.joints]
    sunk = _give_way(clip, rig, settings, then.clip, ends)
    at = np.flatnonzero(np.any([w > 0 for _, w in ends], axis=0) | (sunk != 0))
    if len(at) == 0:
        return clip
    posed = at_frames(clip.skeleton, clip.model, clip.rotations, at)
    translations = with_lowered_pelvis(clip, posed, rig.joint("pelvis"), at, sunk[at]) if sunk.any() else None
    before_it, timing = clip.model[1][at], _timing_at(clip, at)
    for joint, acts in ends:
        w = acts[at]
        q, p = then.clip.model[0][at, joint], then.clip.model[1][at, joint]
        name = clip.skeleton.names[joint]
        if settings.place:
            goal = before_it[:, joint] + w[:, None] * (p - before_it[:, joint])
            part, line = rig.part_of(name), rig.chain_to(name)
            l = limb_of(rig, part)
            if l is not None:
                if not (settings.give and part.endswith("foot")):  # there the pelvis has come near
                    goal = within_reach(posed, l, goal, timing)
                reach(posed, l, goal, hinges(clip, rig, part)[at])
            elif line:
                reach_chain(posed, line, goal)
        if settings.turn:
            change = quat.multiply(quat.slerp(posed.turned[:, joint], q, w), quat.conjugate(posed.turned[:, joint]))
            turn_about(posed, np.array(clip.skeleton.below(joint)), posed.placed[:, joint].copy(), change)
        posed.dirty.add(joint)
    return posed_clip(clip, posed, at, translations)


def _timing_at(clip: Clip, at: NDArray[np.intp]) -> Timing:
    """The timing of some frames of a clip: where some are missing between two, another piece begins."""
    timing = timing_of(clip)
    if len(at) == clip.frames:
        return timing
    begins = {*np.searchsorted(at, timing.cuts).tolist(), *(np.flatnonzero(np.diff(at) > 1) + 1).tolist()}
    return Timing(timing.rate, False, tuple(sorted(begins - {0, len(at)})))


def _joint(rig: Rig, name: str) -> int:
    joint = rig.joint_called(name)
    if joint < 0:
        raise RecipeError(f"the rig has no {name!r}", advice="Choose another joint to pin.")
    return joint


def _give_way(clip: Clip, rig: Rig, settings: PinSettings, then: Clip, ends: list[tuple[int, Array]]) -> Array:
    """The distance by which the pelvis lowers ``(frames,)`` in metres so that legs reach the pinned feet."""
    wanted = []
    for joint, acts in ends if settings.give and settings.place and rig.joint("pelvis") >= 0 else ():
        part = rig.part_of(clip.skeleton.names[joint])
        l = limb_of(rig, part)
        if l is not None and part.endswith("foot"):
            now = clip.model[1][:, joint]
            wanted.append((l, now + acts[:, None] * (then.model[1][:, joint] - now), acts))
    return pelvis_drop(clip.model, wanted, timing_of(clip)) if wanted else np.zeros(clip.frames)


@dataclass(frozen=True)
class PinReport:
    """How far the step moves any joint at most, metres."""

    moved: float


def _run(given: Given, settings: PinSettings, context: Context) -> Outcome:
    after = keep(given, settings, context)

    def report(now: Clip) -> PinReport:
        return PinReport(float(np.linalg.norm(now.model[1] - given.clip.model[1], axis=-1).max()))

    return given.changed(after, report)


KIND = StepKind(
    "pin",
    "Pin",
    "Keep feet, hands or head where they were in the world, although earlier steps moved their parents.",
    PinSettings,
    _run,
    place=90,
    group="ground",
    weighs_itself=True,
    was=("keep-in-world",),
    settings_were={"when": "spans"},
    reads=lambda settings, context: [before(settings, context).clip.digest],
    shifted=lambda s, by: msgspec.structs.replace(s, spans=later(s.spans, by)),
)
