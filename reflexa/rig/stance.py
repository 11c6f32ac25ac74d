"""How a figure's feet stand: as its skin shows, as its clips tell, or as it is built.

The rest pose of a rig says little about its feet: captured rigs rest with hanging feet, or with ankles on the ground. Where a
rig has a skin, the sole is the skin's. Where it has none, the clips that come with it tell how high its ankles are and how
its feet are tilted when they stand.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from functools import lru_cache

import numpy as np

from reflexa.motion import contacts, quat
from reflexa.motion.arrays import Array, vector
from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig.rig import SIDES, UP, Rig, Stand

# A bare ankle is this high over the sole, as a share of thigh and shin together: 0.039 of the stature against 0.245 and
# 0.246 (Drillis & Contini 1966, as in Winter, Biomechanics and Motor Control of Human Movement).
ANKLE = 0.039 / (0.245 + 0.246)
# Rigs whose ankles rest lower than this share of the leg have nothing under them: bones end where joints do.
_NO_SOLE = 0.05
# A foot stands while its ankle is this low and slow, as shares of the leg (a second), for as long as this, seconds.
_LOW, _SLOW, _LONG = 0.025, 0.2, 0.1
# Hips at least this high over the ankle, as a share of the leg: who stands upright stands on soles.
_UPRIGHT = 0.75
# How high over the world's floor a standing ankle may be, as a share of the leg, for the clip to stand on that floor.
_ON_FLOOR = (0.005, 0.14)
# What differs by less than this from rest, radians and metres, is as at rest; what is tilted further lies, or hangs.
_TILT, _HEIGHT, _MOST = np.radians(2.0), 0.002, np.radians(55.0)


def leg_length(rig: Rig) -> float:
    """Thigh and shin in the neutral pose, the mean of the legs that are complete; 0 without any."""
    placed = rig.neutral.rest_model[1]
    found = []
    for side in SIDES:
        a, b, c = (rig.joint(f"{side} {p}") for p in ("thigh", "shin", "foot"))
        if min(a, b, c) >= 0:
            found.append(np.linalg.norm(placed[b] - placed[a]) + np.linalg.norm(placed[c] - placed[b]))
    return float(np.mean(found)) if found else 0.0


@lru_cache(maxsize=256)
def stand_of(rig: Rig, side: str) -> Stand:
    """How the foot of a side stands. The rig must have that foot."""
    return rig.stands[side] if side in rig.stands else _by_build(rig, side)


@lru_cache(maxsize=64)
def standing(rig: Rig) -> Skeleton:
    """The neutral pose with the feet turned as they stand."""
    s = rig.neutral
    turned, placed = (np.array(a) for a in s.rest_model)
    changed = False
    for side in SIDES:
        ankle, toes = rig.joint(f"{side} foot"), rig.joint(f"{side} toes")
        if side not in rig.stands or ankle < 0:
            continue
        stand = rig.stands[side]
        for j, up in ((ankle, stand.up), (toes, stand.toes_up)):
            if j >= 0 and up is not None:
                turn = quat.between(quat.rotate(turned[j], np.array(up)), UP)
                if quat.angle(turn) > 1e-9:
                    below = s.below(j)
                    turned[below] = quat.multiply(turn, turned[below])
                    placed[below] = placed[j] + quat.rotate(turn, placed[below] - placed[j])
                    changed = True
    if not changed:
        return s
    rotations, translations = np.array(turned), np.array(s.rest_translations)
    has = s.parents >= 0
    rotations[has] = quat.multiply(quat.conjugate(turned[s.parents[has]]), turned[has])
    return Skeleton(s.names, s.parents, quat.normalise(rotations), translations, s.rest_scales)


def as_it_stands(rig: Rig, clips: Iterable[Clip]) -> Rig:
    """The rig with what its clips tell of how its feet stand, where no skin shows it."""
    leg = leg_length(rig)
    if rig.meshes or rig.sole is not None or leg <= 0:
        return rig
    clips = [c for c in clips if c.frames > 2]
    found = {side: s for side in SIDES if (s := _seen(rig, side, clips, leg)) is not None}
    return replace(rig, stands=found) if found else rig


def _ups(rig: Rig, side: str) -> tuple[Array, Array | None]:
    """Up in the neutral pose in the axes of ankle and toes ``(3,)``."""
    turned = rig.neutral.rest_model[0]
    ankle, toes = rig.joint(f"{side} foot"), rig.joint(f"{side} toes")
    own = quat.rotate(quat.conjugate(turned), UP)
    return own[ankle], own[toes] if toes >= 0 else None


def _by_build(rig: Rig, side: str) -> Stand:
    up, toes_up = _ups(rig, side)
    height = float(rig.neutral.rest_model[1][rig.joint(f"{side} foot"), 1]) - rig.ground
    leg = leg_length(rig)
    if not rig.meshes and rig.sole is None and height < _NO_SOLE * leg:
        height = ANKLE * leg
    return Stand(height, vector(up), None if toes_up is None else vector(toes_up))


def _seen(rig: Rig, side: str, clips: Iterable[Clip], leg: float) -> Stand | None:
    """How a foot stands in clips; None where they do not tell."""
    ankle, thigh, toes = (rig.joint(f"{side} {p}") for p in ("foot", "thigh", "toes"))
    if min(ankle, thigh) < 0:
        return None
    built = _by_build(rig, side)
    heights: list[Array] = []
    ups: list[Array] = []
    toes_ups: list[Array] = []
    for clip in clips:
        turned, placed = clip.model
        track = placed[:, ankle]
        low = track[:, 1] < np.percentile(track[:, 1], 5) + _LOW * leg
        still = low & (contacts.speeds(track, clip.rate) < _SLOW * leg)
        still &= placed[:, thigh, 1] - track[:, 1] > _UPRIGHT * leg
        for first, last in contacts.spans(still):
            if last - first + 1 >= max(3, round(_LONG * clip.rate)):
                own = slice(first, last + 1)
                heights.append(track[own, 1])
                ups.append(quat.rotate(quat.conjugate(turned[own, ankle]), UP))
                if toes >= 0:
                    toes_ups.append(quat.rotate(quat.conjugate(turned[own, toes]), UP))
    up: tuple[float, float, float] | None = built.up
    if not heights:
        # One who never stands still stands where the ankle is lowest.
        heights = [h for c in clips if len(h := _lowest(c, ankle, thigh, leg))]
    else:
        up = _settled(np.concatenate(ups), built.up)
    if up is None or not heights:
        return None
    height = float(np.median(np.concatenate(heights)))
    on_floor = _ON_FLOOR[0] * leg < height < _ON_FLOOR[1] * leg
    if not on_floor or abs(height - built.height) < _HEIGHT:
        height = built.height
    toes_up = built.toes_up
    if toes_up is not None and toes_ups:
        toes_up = _settled(np.concatenate(toes_ups), toes_up) or toes_up
    stand = Stand(height, up, toes_up)
    return None if stand == built else stand


def _lowest(clip: Clip, ankle: int, thigh: int, leg: float) -> Array:
    """Heights of an ankle where it is lowest, the figure being upright ``(n,)``."""
    placed = clip.model[1]
    y = placed[:, ankle, 1]
    y = y[placed[:, thigh, 1] - y > _UPRIGHT * leg]
    return np.sort(y)[: max(1, len(y) // 4)] if len(y) > 2 else np.empty(0)


def _settled(ups: Array, rest: tuple[float, float, float]) -> tuple[float, float, float] | None:
    """The up that most agree on, in a joint's axes ``(n, 3)``; as at rest where it is all but that, None where it is too far
    from it for a sole."""
    mean = np.median(ups, axis=0)
    size = float(np.linalg.norm(mean))
    if size < 0.5:
        return None
    mean = mean / size
    tilt = float(np.arccos(np.clip(mean @ np.array(rest), -1, 1)))
    if tilt > _MOST:
        return None
    return rest if tilt < _TILT else vector(mean)


@lru_cache(maxsize=64)
def alike(a: Rig, b: Rig) -> tuple[Rig, Rig]:
    """Two rigs; where one knows from its clips how it stands, and the other, built and resting like it, does not, then the
    other stands like it."""
    if bool(a.stands) == bool(b.stands) or a.meshes or b.meshes:
        return a, b
    if a.stands:
        return a, _like(b, a)
    return _like(a, b), b


def _like(rig: Rig, other: Rig) -> Rig:
    turn = quat.between(other.facing, rig.facing)
    size = leg_length(rig) / max(leg_length(other), 1e-9)
    found = {}
    for side, stand in other.stands.items():
        ankle, toes = rig.joint(f"{side} foot"), rig.joint(f"{side} toes")
        before = _by_build(other, side)
        if ankle < 0 or (toes < 0) != (stand.toes_up is None) or not _rests_like(rig, other, side, size, turn):
            continue
        rest, own = other.neutral.rest_model[0], rig.neutral.rest_model[0]
        of = other.joint(f"{side} foot"), other.joint(f"{side} toes")
        up, toes_up = (
            None
            if u is None
            else vector(quat.rotate(quat.conjugate(own[j]), quat.rotate(turn, quat.rotate(rest[k], u))))
            for j, k, u in ((ankle, of[0], stand.up), (toes, of[1], stand.toes_up))
        )
        assert up is not None
        height = _by_build(rig, side).height + size * (stand.height - before.height)
        found[side] = Stand(height, up, toes_up)
    return replace(rig, stands=found) if found else rig


def _rests_like(rig: Rig, other: Rig, side: str, size: float, turn: Array) -> bool:
    """Is a foot as long, as high and as tilted in both neutral poses, one being ``size`` times as large?"""
    ways = []
    for r in (rig, other):
        placed = r.neutral.rest_model[1]
        ankle, toes = r.joint(f"{side} foot"), r.joint(f"{side} toes")
        end = placed[toes] if toes >= 0 else placed[ankle] + _tip(r, ankle)
        ways.append(np.append(end - placed[ankle], placed[ankle, 1] - r.ground))
    mapped = np.append(size * quat.rotate(turn, ways[1][:3]), size * ways[1][3])
    return bool(np.abs(ways[0] - mapped).max() < 0.01 * leg_length(rig))


def _tip(rig: Rig, joint: int) -> Array:
    own = rig.tips.get(rig.skeleton.names[joint])
    return np.zeros(3) if own is None else quat.rotate(rig.neutral.rest_model[0][joint], own)
