"""The contact pass: feet (and hands, if asked) go where the source had them, by IK, scaled to the target."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat, travel
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.contact import told
from reflexa.motion.curves import smoothstep
from reflexa.motion.cuts import cuts, pieces, timing_of
from reflexa.motion.cycle import Extended
from reflexa.motion.eases import near
from reflexa.motion.kernels.parts import Limb
from reflexa.motion.limbs import Posed, end_of, hinges, pelvis_drop, reach, sink, turn_about, widened
from reflexa.motion.smoothing import Timing, gaussian
from reflexa.rig.foot_rest import as_seen, leg_length
from reflexa.rig.limbs import limb_of, made_to_bend
from reflexa.rig.match import Match
from reflexa.rig.rig import SIDES, UP
from reflexa.rig.soles import soles as soles_of
from reflexa.stage.footing import could_bear
from reflexa.steps.retarget import feet as soles
from reflexa.steps.retarget.bearing import FLOOR, bearing_hands, eases, extended_source, hand_track, held_over, on_floor


@dataclass(eq=False)
class Contacts:
    """What the pass aimed at: per limb ("left foot", "right hand") the goal track and how far short of it the limb
    came, metres ``(frames,)``; per side the scaled source's heel and ball tracks, when each stands, and how high the lowest of
    the sole is to be ``(frames,)``; least: per foot how high its ankle has to be for nothing of it to be far under the floor;
    bears: how much each hand bears ``(frames,)``."""

    goals: dict[str, Array] = field(default_factory=dict)
    short: dict[str, Array] = field(default_factory=dict)
    tracks: dict[str, tuple[Array, Array]] = field(default_factory=dict)
    lows: dict[str, Array] = field(default_factory=dict)
    least: dict[str, Array] = field(default_factory=dict)
    standing: dict[str, tuple[NDArray[np.bool_], NDArray[np.bool_]]] = field(default_factory=dict)
    sunk: Array | None = None
    bears: dict[str, Array] = field(default_factory=dict)


# Where feet are to be, how high each ankle is over its sole ``(frames,)``, and the floor.
_Aims = tuple[Contacts, dict[str, Array], float]


@dataclass(frozen=True, eq=False)
class _Feet:
    """What feet of the source do, in the target's facing and size: the loop that they go round, per side the tracks of heel, ball
    and tip over it, when each stands, how high the lowest of the foot is ``(frames,)``, the floor where that is lower than 0, and
    how flat each sole is ``(frames,)``, 0 to 1."""

    loop: Extended
    tracks: dict[str, list[Array]]
    stands: dict[str, list[NDArray[np.bool_]]]
    lowest: dict[str, Array]
    floor: float
    flat: dict[str, Array]


def _source_feet(clip: Clip, m: Match, out: Contacts) -> _Feet:
    loop = extended_source(clip, m)
    tracks: dict[str, list[Array]] = {}
    lowest = {}
    for side, (a, _) in soles.feet(m).items():
        points = quat.rotate(m.turn, a.underside(*clip.model)) * m.scale
        tracks[side] = [loop.track(p) for p in points]
        out.tracks[side] = points[0], points[1]
        lowest[side] = a.lowest(*clip.model) * m.rise
    seen = soles_of(as_seen(clip, m.source))
    turned = {side: [loop.values(x) for x in could_bear(seen[side], clip.model[0])] for side in soles.feet(m)}
    stands = soles.when_standing(tracks, turned, m, clip.rate, loop.frames_of(cuts(clip)))
    for side in stands:
        said = told(clip.contacts, f"{side} foot", clip.frames)
        if said is not None:
            stands[side] = list(map(loop.values, said))[: len(stands[side])]
    floor = 0.0
    if not m.same_feet:
        # The floor is where the clip's feet mostly stand, by their skin, or where bones are taken to stand.
        there = [lowest[side][np.any(stands[side], axis=0)[loop.own]] for side in tracks]
        level = float(np.median(np.concatenate(there))) if any(map(len, there)) else 0.0
        if m.source.meshes:
            floor = min(level, 0.0)
        elif abs(level) < FLOOR * leg_length(m.target):
            lowest = {side: low - level for side, low in lowest.items()}
    up = {side: quat.rotate(clip.model[0][:, sole.ankle], sole.up)[:, 1] for side, sole in seen.items()}
    flat = {
        side: 1 - smoothstep((np.degrees(np.arccos(np.clip(y, -1, 1))) - _FLAT[0]) / (_FLAT[1] - _FLAT[0]))
        for side, y in up.items()
    }
    timing = timing_of(
        clip
    )  # a foot that slaps down is flat within a frame; one that is twice as long is not laid so fast
    flat = {side: gaussian(f, _SLAPS * timing.rate, timing.loop, timing.cuts) for side, f in flat.items()}
    return _Feet(loop, tracks, stands, lowest, floor, flat)


# A contact is held so long beyond its ends, and led to and from there over so long, seconds; a foot is laid flat over so long.
_HELD, _LED, _LAID = 0.05, 0.2, 0.15
# A sole that is tilted by the first (degrees) is laid flat altogether, by the second not at all.
_FLAT = (2.0, 12.0)
# How flat a sole is counts over so long, seconds.
_SLAPS = 0.06


def _led(stands: NDArray[np.bool_], loop: Extended, clip: Clip, seconds: tuple[float, float]) -> Array:
    """By how much a foot that stands counts ``(frames,)``: held and led for so many seconds, within its piece of the clip."""
    held, led = (s * clip.rate for s in seconds)
    return near(stands, held, led, loop.frames_of(cuts(clip)))[loop.own]


def _lay_flat(posed: Posed, clip: Clip, m: Match, feet: _Feet) -> None:
    """Feet that stand all but flat are laid flat, as far as they stand; they keep their headings."""
    for side, (_, b) in soles.feet(m).items():
        stands = np.any(feet.stands[side], axis=0)
        weight = _led(stands, feet.loop, clip, (0.0, _LAID)) * feet.flat[side]
        if not weight.any():
            continue
        up = quat.rotate(posed.turned[:, b.ankle], b.up)
        turn = quat.scaled(quat.between(up, np.broadcast_to(UP, up.shape)), weight)
        at = np.flatnonzero(weight)
        below = np.array(posed.skeleton.below(b.ankle), dtype=np.intp)
        turn_about(posed, below, posed.placed[at, b.ankle].copy(), turn[at], at)
        posed.dirty |= {b.ankle}


def foot_goals(posed: Posed, clip: Clip, m: Match) -> tuple[Contacts, dict[str, Array]]:
    """Where the target's ankles must be so that its own soles stand where the source's, scaled, stand, and how much each is held
    there ``(frames,)``: nothing in the air.

    The lowest point of the sole is as high as the source's. On the ground the middle of the foot is over the source's; while
    the foot stands, whichever of heel and ball stands still on the source does so on the target, which a longer or shorter
    foot pays with a little of its middle, led there and back while it is in the air.
    """
    out = Contacts()
    feet, weights = _source_feet(clip, m, out), {}
    loop = feet.loop
    if not m.same_feet:
        _lay_flat(posed, clip, m, feet)
    above = {}
    for side, (_, b) in soles.feet(m).items():
        own = b.underside(posed.turned, posed.placed) - posed.placed[:, b.ankle]
        above[side] = posed.placed[:, b.ankle, 1] - b.lowest(posed.turned, posed.placed)
        stands = feet.stands[side]
        longer = [loop.track(p, moving=False) for p in own]
        middle = (feet.tracks[side][0] + feet.tracks[side][1] - longer[0] - longer[1]) / 2
        pivots = list(zip(feet.tracks[side], longer, stands, strict=False))
        goal = held_over(middle, pivots, eases(clip.rate))[loop.own]
        down = 0.0 if m.same_feet else on_floor(feet.lowest[side], loop, stands, m, clip.rate)
        out.lows[side] = feet.lowest[side] + down
        goal[:, 1] = out.lows[side] + above[side]
        out.goals[f"{side} foot"] = goal
        out.standing[side] = stands[0][loop.own], stands[1][loop.own]
        weights[f"{side} foot"] = _led(np.any(stands, axis=0), loop, clip, (_HELD, _LED))
    if m.same_feet:
        return out, weights
    _level(posed, m, (out, above, feet.floor), weights, pieces(clip))
    for side, (_, b) in soles.feet(m).items():
        ankle, goal, low = posed.placed[:, b.ankle], out.goals[f"{side} foot"], out.lows[side]
        goal = ankle + weights[f"{side} foot"][:, None] * (goal - ankle)
        out.least[f"{side} foot"] = np.clip(low, feet.floor - _DEEP, feet.floor - _DIPS) + above[side]
        out.goals[f"{side} foot"] = goal
    return out, weights


def _level(posed: Posed, m: Match, feet: _Aims, weights: dict[str, Array], apart: list[tuple[int, int]]) -> None:
    """Lower or lift the whole figure, and move it ahead or back, by as much as its standing feet mostly are off their goals; each
    piece (first frame and end) by itself. One in which nobody stands, as a rest pose at the head, goes with the whole, but not
    into the ground."""
    pelvis = m.target.joint("pelvis")
    own = quat.conjugate(posed.skeleton.rest_model[0][pelvis])
    heading = travel.headings(posed.turned[:, pelvis], quat.rotate(own, m.target.facing), quat.rotate(own, UP))
    yaw = travel.yaw(heading)
    contacts, above, floor = feet
    off, held, over = [], [], np.full(len(heading), np.inf)
    for side, (_, b) in soles.feet(m).items():
        ankle = posed.placed[:, b.ankle]
        off.append(quat.rotate(quat.conjugate(yaw), contacts.goals[f"{side} foot"] - ankle))
        held.append(weights[f"{side} foot"] >= 1)
        over = np.minimum(over, ankle[:, 1] - above[side] - floor)
    if not np.any(held):
        return
    whole = np.median(np.concatenate([o[h] for o, h in zip(off, held, strict=True)]), axis=0)
    by = np.zeros((len(heading), 3))
    for piece in (slice(a, b) for a, b in apart):
        own = np.concatenate([o[piece][h[piece]] for o, h in zip(off, held, strict=True)])
        least = -max(float(over[piece].min()), 0.0)
        by[piece] = np.median(own, axis=0) if len(own) else [0.0, max(float(whole[1]), least), whole[2]]
    posed.placed[:, posed.skeleton.below(pelvis)] += quat.rotate(yaw, by * [0.0, 1.0, 1.0])[:, None]


# In the air a sole may be so far under the floor, metres, or as far as the source's was, but no further than the second.
_DIPS, _DEEP = 0.005, 0.01


def lock_feet(posed: Posed, clip: Clip, m: Match, hands: bool) -> Contacts:
    """Bring the ankles to their goals, and hands that bear weight to theirs (``hands``), as far as they stand; the pelvis gives
    way where one would not reach."""
    contacts, weights = foot_goals(posed, clip, m)
    limbs = {n: l for n in contacts.goals if (l := limb_of(m.target, n)) is not None}
    if hands:
        for name, (l, goal, weight) in bearing_hands(posed, clip, m).items():
            limbs[name], contacts.goals[name], weights[name] = l, goal, weight
            contacts.bears[name] = weight
    if not limbs:
        return contacts
    timing = timing_of(clip)
    axes = {n: hinges((posed.turned, posed.placed), l, made_to_bend(m.target, n), timing) for n, l in limbs.items()}
    wanted = [(l, contacts.goals[n], weights[n]) for n, l in limbs.items()]
    contacts.sunk = pelvis_drop((posed.turned, posed.placed), wanted, timing)
    sink(posed, m.target.joint("pelvis"), contacts.sunk)
    for name, l in limbs.items():
        goal = contacts.goals[name]
        if not m.same_feet:  # what does not bear goes with the body
            free = 1 - weights[name]
            goal[:, 1] -= free * contacts.sunk
            if name in contacts.least:
                lift = np.maximum(contacts.least[name] - goal[:, 1], 0.0)
                goal[:, 1] += np.maximum(lift, free * widened(lift, timing)) if lift.any() else 0.0
        goal = calmed(posed, l, goal, timing, weights[name])
        contacts.short[name] = reach(posed, l, goal, axes[name])
    return contacts


# A straight leg gives way to changes that are faster than this, seconds, by at most this share of its length, from the first
# bend (degrees) on all of it and from the second none.
_QUICK, _GIVES, _STIFF, _LOOSE = 0.08, 0.005, 10.0, 25.0


def calmed(posed: Posed, l: Limb, goal: Array, timing: Timing, counts: Array) -> Array:
    """A goal ``(frames, 3)`` moved along a leg that is all but straight, whose knee would swing for every millimetre: as far as
    the leg's length differs from what the knee does of itself, it differs slowly. The sole gives the rest. counts ``(frames,)``:
    how much the goal counts, 0 to 1; where it does not, nothing is moved."""
    root, middle, end = posed.placed[:, l.root], posed.placed[:, l.middle], end_of(posed, l)
    upper, lower = np.linalg.norm(middle - root, axis=-1), np.linalg.norm(end - middle, axis=-1)
    way = goal - root
    wanted, now = np.linalg.norm(way, axis=-1), np.linalg.norm(end - root, axis=-1)
    longest = np.maximum(np.minimum(wanted, upper + lower), now)
    cosine = (longest**2 - upper**2 - lower**2) / np.maximum(2 * upper * lower, 1e-12)
    bend = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
    differs = wanted - now
    by = (1 - smoothstep((bend - _STIFF) / (_LOOSE - _STIFF))) * (
        gaussian(differs, _QUICK * timing.rate, timing.loop, timing.cuts) - differs
    )
    most = _GIVES * (upper + lower)
    by = counts * most * np.tanh(by / np.maximum(most, 1e-12))
    return np.asarray(goal + way * (by / np.maximum(wanted, 1e-9))[:, None])


def place_hands(posed: Posed, clip: Clip, m: Match, mode: str, contacts: Contacts, weight: Array) -> None:
    """Bring the wrists to the scaled source's places, or keep the way from one hand to the other as the scaled source
    has it (about where the target's hands are anyway): by so much of the way ``(frames,)``."""
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
    for name, wanted in goals.items():
        l = arms[name]
        end = end_of(posed, l)
        goal = np.where(weight[:, None] == 1, wanted, end + weight[:, None] * (wanted - end))
        axis = hinges((posed.turned, posed.placed), l, made_to_bend(m.target, name), timing_of(clip))
        contacts.goals[name] = goal
        contacts.short[name] = reach(posed, l, goal, axis)


def sole_points(turned: Array, placed: Array, m: Match) -> dict[str, tuple[Array, Array]]:
    """Heel and ball tracks of the target in a pose in model space."""
    return {side: foot.points(turned, placed) for side, (_, foot) in soles.feet(m).items()}
