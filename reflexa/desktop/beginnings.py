"""How a step begins when a hand adds it: with what is selected and what stands before it, so that it means something at
once and nothing jumps."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.names import free_name
from reflexa.rig import Rig
from reflexa.stage.footing import footing
from reflexa.steps.goal import GoalSettings, meets_with
from reflexa.steps.root_motion import Operation, RootMotionSettings, travel_of

if TYPE_CHECKING:
    from reflexa.desktop.session import Session

# A clip whose pelvis gets no further than this stays where it is, metres.
_TRAVELS = 0.3
_ENDS = ("right hand", "left hand", "right foot", "left foot", "head")


def settings_for(session: Session, kind: str, index: int) -> dict[str, Any]:
    """The settings with which a step of a kind begins before position ``index`` of the line; empty: as they are."""
    evaluation, take = session.evaluation, session.take
    if take is None:
        return {}
    known = evaluation is not None and index < len(evaluation.rigs)
    rig = evaluation.rigs[index] if evaluation is not None and known else session.source_rig
    if kind in ("retarget", "rename"):
        # With one other rig in the project there is nothing to choose.
        own = session.rig.key if session.rig is not None else ""
        others = [f for f, r in session.rigs.items() if r.key != own]
        return {"rig": others[0]} if len(others) == 1 and kind == "retarget" else {}
    if kind == "root-joint" and rig is not None:
        return {"called": free_name("root", set(rig.skeleton.names)).replace(" ", "_")}
    if kind == "root-motion" and rig is not None and evaluation is not None and known:
        return {"operation": _root_operation(evaluation.clips[index], rig)}
    if kind == "plants":
        # What was led along a path, or lengthened, slides: where its feet stood before tells where they are to stand.
        led = any(s.on and isinstance(s.settings, RootMotionSettings) and s.settings.operation in ("along path", "turn and scale")
                  for s in take.steps[:index])  # fmt: skip
        return {"look_at": "the source"} if led else {}
    if kind == "follow-through" and rig is not None:
        return {"chain": _chain(rig, session.joint)}
    if kind == "goal" and rig is not None:
        return _goal(session, rig, index)
    return {}


def _root_operation(clip: Clip, rig: Rig) -> Operation:
    """What is most likely wanted: travel from the feet for a clip made on the spot, from the pelvis where the root joint stays
    behind, else in place."""
    pelvis, root = rig.joint("pelvis"), rig.joint("root")
    goes = pelvis >= 0 and float(np.ptp(clip.model[1][:, pelvis][:, [0, 2]], axis=0).max()) > _TRAVELS
    if not goes:
        return "from feet" if any(f.stands.any() for f in footing(clip, rig).values()) else "in place"
    return "from pelvis" if root >= 0 else "in place"


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


def _chain(rig: Rig, joint: str) -> str:
    """The chain that the selected joint is part of; the joint itself; or a tail, or the first chain of more than one link."""
    found = next((name for name, joints in rig.chains.items() if joint in joints), "")
    if found or joint in rig.skeleton.index:
        return found or joint
    long = [name for name, joints in rig.chains.items() if len(joints) > 1]
    return next((n for n in long if "tail" in n), long[0] if long else "")


def _goal(session: Session, rig: Rig, index: int) -> dict[str, Any]:
    """The selected hand, foot or head goes to a grip of the selected prop, or to where it is anyway."""
    part = rig.part_of(session.joint) if session.joint else ""
    limb = part if part in _ENDS else next((e for e in _ENDS if rig.limb(e) is not None), "right hand")
    out: dict[str, Any] = {"limb": limb}
    prop = session.stage.prop(session.prop)
    if prop is not None:
        return {**out, "to": "grip", "prop": prop.name, "grip": prop.grips[0].name if prop.grips else ""}
    evaluation, joint = session.evaluation, rig.joint(limb)
    if evaluation is None or index >= len(evaluation.clips) or joint < 0:
        return out
    clip = evaluation.clips[index]
    frame = min(session.frame, clip.frames - 1)
    turned, place = clip.model[0][frame, joint], clip.model[1][frame, joint]
    if limb == "head":
        at = place + rig.height * quat.rotate(turned, rig.looking)
    else:
        at = place + quat.rotate(turned, meets_with(rig, GoalSettings(limb=limb)))
    return {**out, "point": tuple(round(float(v), 4) for v in at)}
