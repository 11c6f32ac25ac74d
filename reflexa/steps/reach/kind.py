"""Goals as a kind of step: how a hand begins one, what it reports, and what of it a result may miss."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from typing import Any

import msgspec
import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.arrays import vector
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.aim_axis import looks
from reflexa.stage import Stage
from reflexa.steps.active_spans import later, later_keys
from reflexa.steps.model import Beginning, Context, Given, Outcome, Result, Step, StepKind, Unmet
from reflexa.steps.reach.settings import ReachSettings
from reflexa.steps.reach.step import reached
from reflexa.steps.reach.target import distance, meets_with

_ENDS = ("right hand", "left hand", "right foot", "left foot", "head")
# A hand this far from what it holds is seen to miss it (common practice, no source).
MISSED_CM, ASIDE_DEG = 0.5, 5.0


@dataclass(frozen=True)
class ReachReport:
    """How far off the limb is at most where the step acts fully, before and after, in ``unit``; worst: the frame of it
    after. ever: does it act fully at all? short: it does not get there."""

    ever: bool
    was: float
    now: float
    worst: int
    unit: str
    short: bool


def _report(before: Clip, after: Clip, rig: Rig, settings: ReachSettings, stage: Stage) -> ReachReport:
    aims = looks(rig, settings.limb)
    scale, unit = (180 / np.pi, "°") if aims else (1000.0, "mm")
    away, weight = distance(after, rig, settings, stage)
    was, _ = distance(before, rig, settings, stage)
    holds = weight > 0.999
    if not holds.any():
        return ReachReport(False, 0.0, 0.0, 0, unit, False)
    worst = int(np.flatnonzero(holds)[np.argmax(away[holds])])
    most = float(away[worst])
    return ReachReport(True, scale * float(was[holds].max()), scale * most, worst, unit, not aims and most > 0.002)


def _run(given: Given, settings: ReachSettings, context: Context) -> Outcome:
    after = reached(given, settings, context.stage)
    return given.changed(after, lambda now: _report(given.clip, now, given.rig, settings, context.stage))


def _begin(at: Beginning) -> dict[str, Any]:
    """The selected hand, foot or head goes to a grip of the selected prop, or to where it is anyway."""
    if at.given is None:
        return {}
    clip, rig = at.given.clip, at.given.rig
    part = rig.part_of(at.joint) if at.joint else ""
    limb = part if part in _ENDS else next((e for e in _ENDS if rig.limb(e) is not None), "right hand")
    out: dict[str, Any] = {"limb": limb}
    prop = at.context.stage.prop(at.prop)
    if prop is not None:
        return {**out, "to": "grip", "prop": prop.name, "grip": prop.grips[0].name if prop.grips else ""}
    joint = rig.joint(limb)
    if joint < 0:
        return out
    frame = min(at.frame, clip.frames - 1)
    turned, place = clip.model[0][frame, joint], clip.model[1][frame, joint]
    if limb == "head":
        point = place + rig.height * quat.rotate(turned, rig.looking)
    else:
        point = place + quat.rotate(turned, meets_with(rig, ReachSettings(limb=limb)))
    return {**out, "point": vector(point.round(4))}


def _unmet(step: Step, later: tuple[Step, ...], result: Result) -> list[Unmet]:
    """The target where the result misses it while it is to be held; a later step of the same limb has precedence."""
    settings = step.settings
    assert isinstance(settings, ReachSettings)
    clip, rig, stage = result.clip, result.rig, result.stage
    if step.weight < 1:
        return []
    try:
        away, weight = distance(clip, rig, settings, stage)
        holds = (weight > 0.999) & (step.envelope_at(np.arange(clip.frames)) > 0.999)
    except RecipeError:
        return []  # a later step took the clip to a rig that has nothing to do with this target
    for other in later:
        if isinstance(other.settings, ReachSettings) and other.weight == 1 and _overrules(settings, other.settings):
            with contextlib.suppress(RecipeError):
                holds &= distance(clip, rig, other.settings, stage)[1] <= 0
    aims = looks(rig, settings.limb)
    size = np.degrees(away) if aims else 100 * away
    unit, most = ("°", ASIDE_DEG) if aims else ("cm", MISSED_CM)
    missed = np.flatnonzero(holds & (size > most)) if settings.place or aims else np.empty(0, dtype=np.intp)
    if not len(missed):
        return []
    worst = int(missed[np.argmax(size[missed])])
    text = f"{settings.limb} misses the target of {step.name!r} by up to {size[worst]:.1f} {unit}"
    joint = rig.joint(settings.limb)
    name = clip.skeleton.names[joint] if joint >= 0 else settings.limb
    return [Unmet(name, text, (int(missed[0]), int(missed[-1])), worst, float(size[worst]), most, unit)]


def _overrules(settings: ReachSettings, later: ReachSettings) -> bool:
    return settings.limb == later.limb


def _summary(settings: ReachSettings) -> str:
    to = {"grip": settings.prop, "joint": settings.joint}.get(settings.to, "") or "a point"
    return f"{settings.limb} → {to}"


KIND = StepKind(
    "reach",
    "Reach",
    "Move a hand, foot, head or chain to an IK target: a place on the stage, a grip of a prop, another joint, "
    "or a keyed target.",
    ReachSettings,
    _run,
    place=80,
    group="ground",
    weighs_itself=True,
    was=("goal",),
    settings_were={"reaches": "spans"},
    reads=lambda _, context: [context.stage.digest],
    begin=_begin,
    summary=_summary,
    overrules=_overrules,
    unmet=_unmet,
    shifted=lambda s, by: msgspec.structs.replace(s, spans=later(s.spans, by), keys=later_keys(s.keys, by)),
)
