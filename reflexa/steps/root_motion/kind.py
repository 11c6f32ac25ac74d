"""Root motion as a kind of step: how a hand begins it, and what it reports."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from msgspec.structs import replace

from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage.footing import footing
from reflexa.steps.model import Beginning, Context, Given, Outcome, Settings, StepKind
from reflexa.steps.root_motion.report import Report, report
from reflexa.steps.root_motion.settings import Operation, RootMotionSettings
from reflexa.steps.root_motion.step import root_motion
from reflexa.steps.root_motion.track import travel_of

# A clip whose pelvis gets no further than this stays where it is, metres.
_TRAVELS = 0.3
_DRAWN = "along path"


@dataclass(frozen=True, eq=False)
class RootMotionReport:
    """What it was before and after, the ways over the ground ``(frames, 2)`` in metres, and the speed after in m/s
    ``(frames,)``."""

    was: Report
    now: Report
    way_before: Array
    way_after: Array
    speed: Array


def own_way(clip: Clip, rig: Rig) -> tuple[tuple[float, float], ...]:
    """The way that a clip goes over the ground as a few points to be drawn on from; 2 m ahead where it stays."""
    way = travel_of(clip, rig).place
    points = [(round(float(x), 3), round(float(z), 3)) for x, z in way[np.linspace(0, len(way) - 1, 4).astype(int)]]
    distinct = points[:1]
    for q in points[1:]:
        if np.hypot(q[0] - distinct[-1][0], q[1] - distinct[-1][1]) > 0.02:
            distinct.append(q)
    whole = np.hypot(distinct[-1][0] - points[0][0], distinct[-1][1] - points[0][1])
    return tuple(distinct) if whole > _TRAVELS else (points[0], (points[0][0], round(points[0][1] + 2.0, 3)))


def _report(before: Clip, after: Clip, rig: Rig) -> RootMotionReport:
    a, b = travel_of(before, rig).place, travel_of(after, rig).place
    speed = np.linalg.norm(np.gradient(b, axis=0), axis=1) * after.rate if len(b) > 1 else np.zeros(len(b))
    return RootMotionReport(report(before, rig), report(after, rig), a, b, speed)


def _run(given: Given, settings: RootMotionSettings, context: Context) -> Outcome:
    after = root_motion(given.clip, given.rig, settings)
    return given.changed(after, lambda now: _report(given.clip, now, given.rig))


def _begin(at: Beginning) -> dict[str, Any]:
    return {} if at.given is None else {"operation": _likely(at.given.clip, at.given.rig)}


def _likely(clip: Clip, rig: Rig) -> Operation:
    """What is most likely wanted: travel from the feet for a clip made on the spot, from the pelvis where the root joint
    stays behind, else in place."""
    pelvis, root = rig.joint("pelvis"), rig.joint("root")
    goes = pelvis >= 0 and float(np.ptp(clip.model[1][:, pelvis][:, [0, 2]], axis=0).max()) > _TRAVELS
    if not goes:
        return "from feet" if any(f.stands.any() for f in footing(clip, rig).values()) else "in place"
    return "from pelvis" if root >= 0 else "in place"


def _adjusted(settings: RootMotionSettings, name: str, value: Any, given: Given) -> Settings:
    """A path that is asked for begins as the clip travels now, to be drawn on from."""
    new = replace(settings, **{name: value})
    if name == "operation" and value == _DRAWN and not new.path:
        return replace(new, path=own_way(given.clip, given.rig))
    return new


KIND = StepKind(
    "root-motion",
    "Root motion",
    "How the figure travels over the ground: from the pelvis or the feet, along a path, in place, or back into "
    "the pelvis.",
    RootMotionSettings,
    _run,
    place=30,
    group="ground",
    fixes=40,
    begin=_begin,
    adjusted=_adjusted,
    slides=lambda settings: settings.operation in (_DRAWN, "turn and scale"),
    notes=lambda settings: {"root_motion": settings.operation},
)
