"""The contact pass: feet (and hands, if asked) go where the source had them, by IK, scaled to the target."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.curves import smoothstep
from reflexa.motion.limb import Limb
from reflexa.motion.limbs import Posed, Timing, end_of, given_way, hinges, reach, sink
from reflexa.motion.smoothing import gaussian
from reflexa.rig.limbs import limb_of, made_to_bend
from reflexa.rig.match import Match
from reflexa.rig.rig import SIDES
from reflexa.steps.retarget import feet as soles
from reflexa.steps.retarget.bearing import bearing_hands, eases, hand_track, held_over, on_floor, unrolled


@dataclass(eq=False)
class Contacts:
    """What the pass aimed at: per limb ("left foot", "right hand") the goal track and how far short of it the limb
    came, metres ``(frames,)``; per side the scaled source's heel and ball tracks, when each stands, and how high the lowest of
    the sole is to be ``(frames,)``."""

    goals: dict[str, Array] = field(default_factory=dict)
    short: dict[str, Array] = field(default_factory=dict)
    tracks: dict[str, tuple[Array, Array]] = field(default_factory=dict)
    lows: dict[str, Array] = field(default_factory=dict)
    standing: dict[str, tuple[NDArray[np.bool_], NDArray[np.bool_]]] = field(default_factory=dict)
    sunk: Array | None = None


def foot_goals(posed: Posed, clip: Clip, m: Match) -> Contacts:
    """Where the target's ankles must be so that its own soles stand where the source's, scaled, stand.

    The lowest point of the sole is as high as the source's. On the ground the middle of the foot is over the source's; while
    the foot stands, whichever of heel and ball stands still on the source does so on the target, which a longer or shorter
    foot pays with a little of its middle, led there and back while it is in the air.
    """
    out = Contacts()
    loop = unrolled(clip, m)
    lowest: dict[str, Array] = {}
    tracks: dict[str, list[Array]] = {}
    ways: dict[str, Array] = {}
    above: dict[str, Array] = {}
    for side, (a, b) in soles.feet(m).items():
        points = quat.rotate(m.turn, a.underside(*clip.model)) * m.scale
        tracks[side] = [loop.track(p) for p in points]
        out.tracks[side] = points[0], points[1]
        lowest[side] = a.lowest(*clip.model) * m.rise
        ways[side] = b.underside(posed.turned, posed.placed) - posed.placed[:, b.ankle]
        above[side] = posed.placed[:, b.ankle, 1] - b.lowest(posed.turned, posed.placed)
    stands = soles.when_standing(tracks, m.source, m.stride, clip.rate)
    for side, own in ways.items():
        longer = [loop.track(p, moving=False) for p in own]
        middle = (tracks[side][0] + tracks[side][1] - longer[0] - longer[1]) / 2
        pivots = list(zip(tracks[side], longer, stands[side], strict=False))
        goal = held_over(middle, pivots, eases(clip.rate))[loop.own]
        down = 0.0 if m.same_feet else on_floor(lowest[side], loop, stands[side], m, clip.rate)
        out.lows[side] = lowest[side] + down
        goal[:, 1] = out.lows[side] + above[side]
        out.goals[f"{side} foot"] = goal
        out.standing[side] = stands[side][0][loop.own], stands[side][1][loop.own]
    return out


def plant_feet(posed: Posed, clip: Clip, m: Match, hands: bool) -> Contacts:
    """Bring the ankles to their goals, and hands that bear weight to theirs (``hands``); the pelvis gives way where one would
    not reach."""
    contacts = foot_goals(posed, clip, m)
    limbs = {n: l for n in contacts.goals if (l := limb_of(m.target, n)) is not None}
    weights = {n: np.logical_or(*contacts.standing[n.split()[0]]) * 1.0 for n in limbs}
    if hands:
        for name, (l, goal, weight) in bearing_hands(posed, clip, m).items():
            limbs[name], contacts.goals[name], weights[name] = l, goal, weight
    if not limbs:
        return contacts
    axes = {n: hinges((posed.turned, posed.placed), l, made_to_bend(m.target, n), clip.loop) for n, l in limbs.items()}
    wanted = [(l, contacts.goals[n], weights[n]) for n, l in limbs.items()]
    contacts.sunk = given_way((posed.turned, posed.placed), wanted, Timing(clip.rate, clip.loop))
    sink(posed, m.target.joint("pelvis"), contacts.sunk)
    for name, l in limbs.items():
        goal = contacts.goals[name]
        if name.endswith("foot"):
            goal = calmed(posed, l, goal, Timing(clip.rate, clip.loop))
        else:  # where a hand bears nothing it goes with its arm
            goal = end_of(posed, l) + weights[name][:, None] * (goal - end_of(posed, l))
        contacts.short[name] = reach(posed, l, goal, axes[name])
    return contacts


# A straight leg gives way to changes that are faster than this, seconds, by at most this share of its length, from the first
# bend (degrees) on all of it and from the second none.
_QUICK, _GIVES, _STIFF, _LOOSE = 0.08, 0.005, 10.0, 25.0


def calmed(posed: Posed, l: Limb, goal: Array, timing: Timing) -> Array:
    """A goal ``(frames, 3)`` moved along a leg that is all but straight, whose knee would swing for every millimetre: as far as
    the leg's length differs from what the knee does of itself, it differs slowly. The sole gives the rest."""
    root, middle, end = posed.placed[:, l.root], posed.placed[:, l.middle], end_of(posed, l)
    upper, lower = np.linalg.norm(middle - root, axis=-1), np.linalg.norm(end - middle, axis=-1)
    way = goal - root
    wanted, now = np.linalg.norm(way, axis=-1), np.linalg.norm(end - root, axis=-1)
    longest = np.maximum(np.minimum(wanted, upper + lower), now)
    cosine = (longest**2 - upper**2 - lower**2) / np.maximum(2 * upper * lower, 1e-12)
    bend = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
    differs = wanted - now
    by = (1 - smoothstep((bend - _STIFF) / (_LOOSE - _STIFF))) * (
        gaussian(differs, _QUICK * timing.rate, timing.loop) - differs
    )
    most = _GIVES * (upper + lower)
    by = most * np.tanh(by / np.maximum(most, 1e-12))
    return np.asarray(goal + way * (by / np.maximum(wanted, 1e-9))[:, None])


def place_hands(posed: Posed, clip: Clip, m: Match, mode: str, contacts: Contacts) -> None:
    """Bring the wrists to the scaled source's places, or keep the way from one hand to the other as the scaled source
    has it (about where the target's hands are anyway)."""
    names = [f"{side} hand" for side in SIDES]
    arms = {n: l for n in names if (l := limb_of(m.target, n)) is not None}
    goals = {n: track for n in arms if (track := hand_track(clip, m, n)) is not None}
    if mode == "keep distance":
        if len(goals) < 2:
            return
        left, right = names
        middle = (end_of(posed, arms[left]) + end_of(posed, arms[right])) / 2
        apart = (goals[left] - goals[right]) / 2
        goals = {left: middle + apart, right: middle - apart}
    for name, goal in goals.items():
        l = arms[name]
        axis = hinges((posed.turned, posed.placed), l, made_to_bend(m.target, name), clip.loop)
        contacts.goals[name] = goal
        contacts.short[name] = reach(posed, l, goal, axis)


def sole_points(turned: Array, placed: Array, m: Match) -> dict[str, tuple[Array, Array]]:
    """Heel and ball tracks of the target in a pose in model space."""
    return {side: foot.points(turned, placed) for side, (_, foot) in soles.feet(m).items()}
