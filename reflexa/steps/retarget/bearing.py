"""Tracks of what bears weight: held where the source's stands still, led there and back in between."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import cycle, quat, stances
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.contact import told
from reflexa.motion.curves import smoothstep
from reflexa.motion.cuts import timing_of
from reflexa.motion.cycle import Extended
from reflexa.motion.eases import eased, near
from reflexa.motion.kernels.parts import Limb
from reflexa.motion.limbs import Posed, end_of, limb_end, turn_about
from reflexa.motion.smoothing import Timing, gaussian
from reflexa.rig.foot_rest import leg_length
from reflexa.rig.limbs import limb_of
from reflexa.rig.match import Match
from reflexa.rig.palms import Palm, palms
from reflexa.rig.rig import SIDES

# A hand bears weight below the first height, and none above the second, as shares of the leg; it is held while it is slower
# than the third (a second).
_BEARS, _FREE, _SLOW = 0.12, 0.28, 0.4
# A foot that mostly stands within the first of the world's floor stands on it; it is down while it is no more than the second
# above where it mostly is: shares of the leg.
FLOOR, _DOWN = 0.06, 0.014
# A point that moves by less than this a frame, metres, is as still as another.
_STILL = 2e-4


def eases(rate: float) -> tuple[int, int]:
    """Frames over which a track is led to what is held, and back."""
    own = max(2, round(0.2 * rate))
    return own, own


def extended_source(clip: Clip, m: Match) -> Extended:
    """The source's loop over a whole cycle before and after, in the target's facing and size."""
    own = cycle.extended(clip, m.source.travel_joint, clip.frames - 1)
    return replace(own, move=quat.rotate(m.turn, own.move) * m.scale)


Pivot = tuple[Array, Array, NDArray[np.bool_]]


def held_over(follow: Array, pivots: list[Pivot], ease: tuple[int, int]) -> Array:
    """A track ``(frames, 3)`` that follows another, but moves as its pivots want while they stand.

    pivots: per point of a foot, its track on the source, the way to it from what is tracked, both ``(frames, 3)``, and when it
    stands ``(frames,)``. From frame to frame the pivot that moves the least on the source says how far the track moves, so that
    a foot turns about whichever of heel and ball stands still.
    """
    stands = np.any([s for *_, s in pivots], axis=0)
    if not stands.any():
        return follow.copy()
    moves, total = np.zeros((len(follow) - 1, 3)), np.zeros(len(follow) - 1)
    both = np.zeros(len(total), dtype=bool)
    for track, way, stand in pivots:
        step = np.diff(track, axis=0)
        sure = stand[1:] & stand[:-1]
        share = sure / (np.sum(step**2, axis=1) + _STILL**2)
        moves += share[:, None] * (step - np.diff(way, axis=0))
        total += share
        both |= sure
    # Where one hands over to the other no single one stands on both sides: then as what it follows.
    moves = np.where(both[:, None], moves / np.maximum(total, 1e-12)[:, None], np.diff(follow, axis=0))
    offset = np.full(follow.shape, np.nan)
    for first, last in stances.spans(stands):
        own = slice(first, last + 1)
        track = np.concatenate([np.zeros((1, 3)), np.cumsum(moves[first:last], axis=0)])
        away = track - follow[own]
        offset[own] = away - away.mean(axis=0)
    return follow + eased(offset, *ease)


def on_floor(low: Array, loop: Extended, stands: list[NDArray[np.bool_]], m: Match, rate: float) -> Array:
    """What it takes to bring a standing sole whose lowest point is at ``low`` ``(frames,)`` onto the floor, metres ``(frames,)``.

    Feet of captures stand a centimetre above or below where they should, each time anew; on another foot that is another
    centimetre. In each stance the sole is on the floor, or as high as it mostly is where that is a step.
    """
    long = loop.values(low)
    leg = max(leg_length(m.target), 1e-6)
    change = np.full((len(long), 1), np.nan)
    for first, last in stances.spans(np.any(stands, axis=0)):
        own = long[first : last + 1]
        level = float(np.median(own))
        floor = 0.0 if abs(level) < FLOOR * leg else level
        down = own < level + _DOWN * leg
        change[first : last + 1][down, 0] = floor - own[down]
    return np.asarray(eased(change, *eases(rate))[loop.own, 0])


# Hands ------------------------------------------------------------------------------------------------------------


def hand_track(clip: Clip, m: Match, part: str) -> Array | None:
    """Where a hand of the source is ``(frames, 3)``, or the end of its forearm, in the target's facing and size; None where it
    has neither."""
    l = limb_of(m.source, part)
    joint = m.source.joint(part)
    if l is None and joint < 0:
        return None
    track = clip.model[1][:, joint] if l is None else limb_end(clip.model, l)
    return np.asarray(quat.rotate(m.turn, track) * m.scale)


def bearing_hands(posed: Posed, clip: Clip, m: Match) -> dict[str, tuple[Limb, Array, Array]]:
    """Hands that are on the ground in the source, at least for a while, laid flat as far as they bear: the limb, where its end is
    to be ``(frames, 3)`` and how much that counts ``(frames,)``, by how near the ground it is."""
    out = {}
    leg = leg_length(m.source) * m.rise
    loop = extended_source(clip, m)
    for side in SIDES:
        name = f"{side} hand"
        l, track = limb_of(m.target, name), hand_track(clip, m, name)
        if l is None or track is None or leg <= 0:
            continue
        weight = 1 - smoothstep((track[:, 1] - _BEARS * leg) / ((_FREE - _BEARS) * leg))
        said = told(clip.contacts, name, clip.frames)
        if said is not None:
            weight = weight * near(said[2], 0.0, _LED * clip.rate)
        if not weight.any():
            continue
        end = end_of(posed, l)
        there = loop.track(track)
        stands = (loop.values(weight) > 0.5) & (stances.speeds(there, clip.rate) < _SLOW * leg)
        goal = held_over(loop.track(end), [(there, np.zeros_like(there), stands)], eases(clip.rate))[loop.own]
        goal[:, 1] = track[:, 1]
        palm = palms(m.target).get(side)
        if palm is not None and not m.same_feet:
            bears = near(stands, 0.0, _LED * clip.rate)[loop.own]
            goal[:, 1] = _laid(posed, palm, track[:, 1], bears, _SETTLES * leg, timing_of(clip))
        out[name] = l, end + weight[:, None] * (goal - end), weight
    return out


# Lying flat is taken to gain at least this share of a hand's length.
_GAINS = 0.25
# A hand turns to the ground over so long, seconds.
_TURNS = 0.06
# What a frame counts in which a hand does not bear, beside one in which it does.
_IN_ANY_CASE = 0.02
# A hand that bears comes down onto the ground by no more than this share of the leg, over so long, seconds.
_SETTLES, _LED = 0.06, 0.15


def _laid(posed: Posed, palm: Palm, height: Array, bears: Array, most: float, timing: Timing) -> Array:
    """Turn a hand towards lying flat, as far as it takes for nothing of it to be under the ground with its wrist at a height; how
    high the wrist is to be ``(frames,)``: no lower than the flat hand needs, and lower where a hand that bears hovers.

    bears: how much it bears ``(frames,)``; most: by how much it is let down, metres.
    """
    own = posed.turned[:, palm.joint].copy()
    lowest = palm.lowest(own)
    flat = palm.flattening(own, palm.face_down(own, lowest > height, bears + _IN_ANY_CASE, timing.loop))
    # As a share of what lying flat would gain: that changes smoothly, whatever way the hand turns.
    gains = np.maximum(lowest - palm.lowest(quat.multiply(flat, own)), _GAINS * palm.long)
    turn = quat.scaled(flat, np.clip((lowest - height) / gains, 0.0, 1.0))
    led = gaussian(quat.to_rotvec(turn), _TURNS * timing.rate, timing.loop, timing.cuts)
    at = np.flatnonzero(np.any(led != 0, axis=1))
    turn = quat.from_rotvec(led)
    below = np.array(posed.skeleton.below(palm.joint), dtype=np.intp)
    turn_about(posed, below, posed.placed[at, palm.joint].copy(), turn[at], at)
    posed.dirty.add(palm.joint)
    needs = palm.lowest(posed.turned[:, palm.joint])
    raised = gaussian(np.maximum(needs - height, 0.0), _TURNS * timing.rate, timing.loop, timing.cuts)
    return np.asarray(height + raised - bears * np.clip(height - needs, 0.0, most))
