"""The contact pass: feet (and hands, if asked) go where the source had them, by IK, scaled to the target."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.limbs import Limb, Posed, bend_side, giving_way, limb, reach, sink, widened
from reflexa.rig.match import SIDES, Match
from reflexa.steps.retarget import feet as soles
from reflexa.steps.retarget.transfer import places, turn_of

_STRAIGHT = 0.998


@dataclass(eq=False)
class Contacts:
    """What the pass aimed at: per limb ("left foot", "right hand") the goal track and how far short of it the limb
    came, metres ``(frames,)``; per side the scaled source's heel and ball tracks and when each stands."""

    goals: dict[str, Array] = field(default_factory=dict)
    short: dict[str, Array] = field(default_factory=dict)
    tracks: dict[str, tuple[Array, Array]] = field(default_factory=dict)
    standing: dict[str, tuple[NDArray[np.bool_], NDArray[np.bool_]]] = field(default_factory=dict)
    sunk: Array | None = None


def foot_goals(clip: Clip, m: Match) -> Contacts:
    """Where the target's ankles must be so that its own soles stand where the source's, scaled, stand.

    The ball comes to the very place that the source's has: about it a foot rolls and pivots. Feet differ in length, so
    while the toes point up the heel leads, as far behind the ball's place as this foot is long; where the sole is flat
    both say the same.
    """
    out = Contacts()
    for side, (a, b) in soles.feet(m).items():
        ahead = soles.rest_heading(m, side)
        turn = turn_of(clip, m, a.ankle)
        track = clip.model[1][:, a.ankle]
        if quat.angle(m.turn) > 0:
            track = quat.rotate(m.turn, track)
        heel, ball = soles.points(a, track, turn, ahead)
        heel, ball = heel * m.scale, ball * m.scale
        out.tracks[side] = heel, ball
        way = quat.rotate(turn, ahead)
        pitch = np.arcsin(np.clip(way[:, 1], -1, 1))
        level = way * [1.0, 0.0, 1.0]
        level = level / np.maximum(np.linalg.norm(level, axis=-1, keepdims=True), 1e-9)
        own_heel, own_ball = soles.points(b, np.zeros_like(track), turn, ahead)
        longer = b.back + b.ahead - m.stride * (a.back + a.ahead)
        from_ball = ball - own_ball
        from_heel = heel - level * longer - own_heel
        u = np.clip(0.5 - pitch / np.radians(16), 0, 1)[:, None]
        u = u * u * (3 - 2 * u)
        out.goals[f"{side} foot"] = from_heel + u * (from_ball - from_heel)
    out.standing = soles.standing(out.tracks, m.source, m.stride, clip.rate)
    return out


def limbs(m: Match, end: str) -> dict[str, Limb]:
    """Per end part ("left foot") the target's limb, where it has all three joints, one above the other."""
    found = {f"{side} {end}": m.target.limb(f"{side} {end}") for side in SIDES}
    return {name: limb(m.target.skeleton, *joints) for name, joints in found.items() if joints is not None}


def plant_feet(posed: Posed, clip: Clip, m: Match) -> Contacts:
    """Bring the ankles to their goals; the pelvis gives way where a standing leg would not reach."""
    contacts = foot_goals(clip, m)
    legs = {n: l for n, l in limbs(m, "foot").items() if n in contacts.goals}
    if not legs:
        return contacts
    sides = {n: bend_side(posed, l) for n, l in legs.items()}
    stands = {n: np.logical_or(*contacts.standing[n.split()[0]]) for n in legs}
    need = giving_way(posed.placed, [(l, contacts.goals[n], stands[n]) for n, l in legs.items()], _STRAIGHT)
    if need.max() > 1e-6:
        contacts.sunk = widened(need, clip.rate, clip.loop)
        sink(posed, m.target.joint("pelvis"), contacts.sunk)
    for name, l in legs.items():
        side = sides[name] if sides[name].any() else m.target.bend_side(name)
        contacts.short[name] = reach(posed, l, contacts.goals[name], side)
    return contacts


def place_hands(posed: Posed, clip: Clip, m: Match, mode: str, contacts: Contacts) -> None:
    """Bring the wrists to the scaled source's places, or keep the way from one hand to the other as the scaled source
    has it (about where the target's hands are anyway)."""
    arms = limbs(m, "hand")
    wrists = {n: j for n in arms if (j := m.source.joint(n)) >= 0}
    goals = {n: places(clip, m, j) for n, j in wrists.items()}
    if mode == "keep distance":
        if len(goals) < 2:
            return
        left, right = "left hand", "right hand"
        middle = (posed.placed[:, arms[left].end] + posed.placed[:, arms[right].end]) / 2
        apart = (goals[left] - goals[right]) / 2
        goals = {left: middle + apart, right: middle - apart}
    for name, goal in goals.items():
        l = arms[name]
        side = bend_side(posed, l)
        contacts.goals[name] = goal
        contacts.short[name] = reach(posed, l, goal, side if side.any() else m.target.bend_side(name))


def sole_points(clip_turned: Array, clip_placed: Array, m: Match) -> dict[str, tuple[Array, Array]]:
    """Heel and ball tracks of the target in a pose in model space."""
    out: dict[str, tuple[Array, Array]] = {}
    goal = quat.multiply(m.aligned, m.target.neutral.rest_model[0])
    for side, (_, foot) in soles.feet(m).items():
        turn = quat.multiply(clip_turned[:, foot.ankle], quat.conjugate(goal[foot.ankle]))
        out[side] = soles.points(foot, clip_placed[:, foot.ankle], turn, soles.rest_heading(m, side))
    return out
