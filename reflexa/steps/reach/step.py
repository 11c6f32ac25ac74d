"""The step Reach: limbs bent, chains drawn, heads turned to where they are wanted."""

from __future__ import annotations

import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.curves import smoothstep
from reflexa.motion.kernels.parts import Way
from reflexa.motion.limbs import (
    Posed,
    at_frames,
    look,
    on_the_way,
    posed_clip,
    reach,
    reach_chain,
    swing,
    turn_about,
)
from reflexa.rig import Rig
from reflexa.rig.aim_axis import ahead_of, looks
from reflexa.rig.limbs import hinges, limb_of
from reflexa.stage import Stage
from reflexa.stage.model import turn_of
from reflexa.steps.model import Given
from reflexa.steps.reach.settings import ReachSettings
from reflexa.steps.reach.target import TargetTrack, end_joint, meets_with, target_of


def reached(given: Given, settings: ReachSettings, stage: Stage) -> Clip:
    """The clip with a limb at its target, or as much of the way there as the step acts. Raises RecipeError where the limb, the
    prop or the joint is not there."""
    s, clip, rig = settings, given.clip, given.rig
    joint = end_joint(rig, s.limb)
    target = target_of(clip, s, stage)
    acts = target.weight * given.share(joint)
    at = np.flatnonzero(acts > 0)
    if len(at) == 0:
        return clip
    posed = at_frames(clip.skeleton, clip.model, clip.rotations, at)
    weight = acts[at]
    l = limb_of(rig, s.limb)
    line = rig.chain_to(clip.skeleton.names[joint])
    if looks(rig, s.limb):
        _look(posed, rig, joint, target.place[at], weight, s)
    elif l is None and not line:
        raise RecipeError(
            f"{s.limb!r} ends neither a limb nor a chain", advice="Choose a hand, foot, head or chain's end."
        )
    else:
        wanted_turn = _wanted_turn(clip, rig, joint, target, s)[at]
        turn = quat.slerp(posed.turned[:, joint], wanted_turn, weight)
        if s.place:
            # The place of the joint when it is there, and the way to it.
            wanted = target.place[at] - quat.rotate(wanted_turn, meets_with(rig, s))
            if l is not None:
                axis = hinges(clip, rig, s.limb)[at]
                way = on_the_way(posed, l, Way(wanted, weight), axis, s.soft / 100)
                reach(posed, l, way, axis, s.soft / 100)
                if s.swing:
                    swing(posed, l, np.radians(s.swing) * weight)
            else:
                start = posed.placed[:, joint]
                reach_chain(posed, line, start + weight[:, None] * (wanted - start))
        below = np.array(clip.skeleton.below(joint))
        change = quat.multiply(turn, quat.conjugate(posed.turned[:, joint]))
        turn_about(posed, below, posed.placed[:, joint].copy(), change)
        posed.dirty.add(joint)
    return posed_clip(clip, posed, at)


def _wanted_turn(clip: Clip, rig: Rig, joint: int, target: TargetTrack, s: ReachSettings) -> Array:
    """The end's turn in model space ``(frames, 4)`` at full weight."""
    now = clip.model[0][:, joint]
    if s.direction == "as it is":
        return now
    if s.direction == "as set":
        return quat.multiply(quat.multiply(target.turn, turn_of(s.set_turn)), rig.neutral.rest_model[0][joint])
    out = np.array(now)
    spans = [(r.start, r.at, r.end) for r in s.spans] or [(0, 0, clip.frames - 1)]
    for start, at, end in spans:
        when = int(np.clip(at, 0, clip.frames - 1))
        held = quat.multiply(quat.conjugate(target.turn[when]), now[when])
        span = slice(max(start, 0), max(end + 1, 0))
        out[span] = quat.multiply(target.turn[span], held)
    return out


def _look(posed: Posed, rig: Rig, head: int, place: Array, weight: Array, s: ReachSettings) -> None:
    """Turn head, neck and spine so that the head looks at a place, by as much as it acts and no further than is allowed."""
    ahead = ahead_of(rig, head)
    now = quat.rotate(posed.turned[:, head], ahead)
    eyes = posed.placed[:, head]
    whole = quat.between(now, place - eyes)
    angle = quat.angle(whole)
    part = weight * turned_to(angle, np.radians(s.most)) / np.maximum(angle, 1e-9)
    aim = eyes + quat.rotate(quat.scaled(whole, part), now) * np.linalg.norm(place - eyes, axis=-1, keepdims=True)
    skeleton = posed.skeleton
    parts = []
    for name, share in (("spine", s.spine), ("neck", s.neck)) if s.limb == "head" else ():
        joints = [k for n in rig.body_map.get(name, ()) if head in skeleton.below(k := skeleton.index[n]) and k != head]
        parts += [(k, share / 100 / len(joints)) for k in joints]
    look(posed, [*(k for k, _ in parts), head], _of_what_is_left([share for _, share in parts]), ahead, aim)


def _of_what_is_left(shares: list[float]) -> list[float]:
    """Shares of the whole as shares of what those before have left, which is what each joint turns by."""
    out, left = [], 1.0
    for share in shares:
        out.append(min(share / left, 1.0) if left > 1e-9 else 0.0)
        left -= share
    return out


# What lies less than this off straight behind is not looked after: a head that did would have to jump from side to side.
_BEHIND = np.radians(60)


def turned_to(angle: Array, most: float) -> Array:
    """How far a head turns ``(n,)`` radians that would have to turn by ``angle`` ``(n,)``: all of it, up to ``most``, nearing
    that softly; and the less, the nearer to straight behind the place is."""
    soft = 0.85 * most
    over = np.maximum(angle - soft, 0.0)
    turned = np.where(angle <= soft, angle, soft + (most - soft) * -np.expm1(-over / (most - soft)))
    return np.asarray(turned * smoothstep((np.pi - angle) / _BEHIND))
