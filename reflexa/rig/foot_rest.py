"""How the feet of a figure rest on the ground: by its skin, by its rest pose, or as measured from its clips.

That belongs to the skeleton: the same for both sides, by reflection, and for every clip. A rest pose is believed unless its
feet could not stand so (captured rigs rest with hanging feet, say); then the clips tell, where both feet say the same from
upright standing, or else the proportions of a human foot. A clip in which a good foot stands on its ball says nothing.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import islice

import numpy as np

from reflexa.motion import quat, stances
from reflexa.motion.arrays import Array, vector
from reflexa.motion.clip import Clip
from reflexa.motion.per_clip_cache import cached_per_clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig.known import with_stands
from reflexa.rig.pairs import Plane
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
# What differs by less than this from rest, radians and metres, is as at rest.
_TILT, _HEIGHT = np.radians(2.0), 0.002
# What clips tell is believed where it is the same within this, radians, for so long in all, seconds; and surely after so long.
_AGREE, _ENOUGH, _SURELY = np.radians(20.0), 0.5, 3.0
# Feet that stand tilted by more than this from how they are built are no longer taken to stand like that, radians.
_SEEN = np.radians(30.0)
# From ankle to ball a foot that stands goes down by no less than the first and no more than the second, degrees; by the third
# where nothing tells (ankle and ball 0.039 and about 0.012 of the stature high, 0.08 apart: from memory).
_FLATTEST, _STEEPEST, _USUAL = -12.0, 48.0, 20.0


@lru_cache(maxsize=256)
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
        if ankle < 0:
            continue
        stand = stand_of(rig, side)
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


# So many clips tell how a figure stands: a file of hundreds is not decoded for it.
_TELLING = 12


def as_it_stands(rig: Rig, clips: Iterable[Clip]) -> Rig:
    """The rig with what its clips surely tell of how its feet stand, where neither skin nor rest pose shows it."""
    leg = leg_length(rig)
    feet = [side for side in SIDES if rig.joint(f"{side} foot") >= 0]
    if rig.meshes or rig.sole is not None or leg <= 0 or all(_could_stand(rig, side) for side in feet):
        return rig
    clips = list(islice((c for c in clips if c.frames > 2), _TELLING))
    read = {side: r for side in feet if (r := _readings(rig, side, clips)) is not None}
    up, toes_up = (_pooled([r.ups[i] for r in read.values()]) for i in (0, 1))
    if up is None:
        return rig
    sure = _sure(read, up)
    height = float(np.median(np.concatenate([r.heights for r in read.values()])))
    on_floor = _ON_FLOOR[0] * leg < height < _ON_FLOOR[1] * leg
    stands = {side: _stand(rig, side, up, toes_up, height if on_floor else None) for side in feet}
    return with_stands(rig, tuple((side, s._replace(sure=sure)) for side, s in stands.items()))


def _sure(read: dict[str, _Readings], up: Array) -> float:
    """How sure it is that feet stand with this direction up, 0 to 1: the better, the more alike they are, and the longer."""
    off = max(float(np.median(_apart(r.ups[0], up))) for r in read.values())
    return float(round((1 - off / _AGREE) * min(1.0, min(r.seconds for r in read.values()) / _SURELY), 3))


def told_stand(rig: Rig, side: str, height: float, tilt: float) -> Stand:
    """How a person says that a foot stands: its ankle so high over the floor, metres, its toes lower than as it is built by a
    tilt in degrees. The rig must have that foot."""
    ankle, toes = rig.joint(f"{side} foot"), rig.joint(f"{side} toes")
    turned = rig.neutral.rest_model[0]
    # About the axis that the toes go down about, a foot that is built so stands with another direction up.
    up = quat.rotate(_tilted(rig, -tilt), UP)
    own, toes_own = (vector(quat.rotate(quat.conjugate(turned[j]), up)) if j >= 0 else None for j in (ankle, toes))
    assert own is not None
    return Stand(height, own, toes_own, by="told")


def _tilted(rig: Rig, degrees: float) -> Array:
    """The turn that lets what looks ahead go down by so much."""
    aside = np.cross(UP, rig.facing)
    return quat.from_rotvec(np.radians(degrees) * aside / np.linalg.norm(aside))


def tilt_of(rig: Rig, side: str) -> float:
    """By how many degrees the toes of a foot that stands are lower than in the neutral pose."""
    ankle = rig.neutral.rest_model[0][rig.joint(f"{side} foot")]
    up = quat.rotate(ankle, np.array(stand_of(rig, side).up))
    return float(np.degrees(np.arctan2(-(up @ rig.facing), up @ UP)))


@cached_per_clip
def as_seen(clip: Clip, rig: Rig) -> Rig:
    """The rig with its feet tilted as they mostly stand in a clip, both alike, where no skin shows how they do: for what leaves
    them as they are in this clip. Kept per clip."""
    feet = [side for side in SIDES if rig.joint(f"{side} foot") >= 0]
    if rig.meshes or rig.sole is not None or rig.stands or clip.frames < 3 or leg_length(rig) <= 0:
        return rig
    read = {side: r for side in feet if (r := _readings(rig, side, [clip])) is not None}
    up, toes_up = (_pooled([r.ups[i] for r in read.values()]) for i in (0, 1))
    if up is None or max(float(_apart(up, _built_up(rig, side))) for side in feet) > _SEEN:
        return rig
    return with_stands(rig, tuple((side, _stand(rig, side, up, toes_up, None)) for side in feet))


def _built_up(rig: Rig, side: str) -> Array:
    """Up of a foot as it is built, in the neutral pose's model space, reflected to the left ``(3,)``."""
    ankle = rig.neutral.rest_model[0][rig.joint(f"{side} foot")]
    return _reflected(rig, side, quat.rotate(ankle, np.array(_by_build(rig, side).up)))


def _reflected(rig: Rig, side: str, v: Array) -> Array:
    """Directions ``(…, 3)`` in model space of one side as those of the left one, and back."""
    return v if side == "left" else Plane(rig.plane.normal, 0.0).reflect(v)


def _stand(rig: Rig, side: str, up: Array, toes_up: Array | None, height: float | None) -> Stand:
    """A foot that stands with these directions up, which are those of the left foot in the neutral pose's model space."""
    built, back = _by_build(rig, side), quat.conjugate(rig.neutral.rest_model[0])
    ankle, toes = rig.joint(f"{side} foot"), rig.joint(f"{side} toes")
    if height is None or abs(height - built.height) < _HEIGHT:
        height = built.height
    own = _near(quat.rotate(back[ankle], _reflected(rig, side, up)), built.up)
    toes_own = built.toes_up
    if toes_own is not None and toes_up is not None:
        toes_own = _near(quat.rotate(back[toes], _reflected(rig, side, toes_up)), toes_own)
    return Stand(height, own, toes_own)


def _near(up: Array, rest: tuple[float, float, float]) -> tuple[float, float, float]:
    """A direction, or that of rest where it is all but that."""
    return rest if _apart(up, np.array(rest)) < _TILT else vector(up)


def _apart(a: Array, b: Array) -> Array:
    """Angles between unit directions ``(…, 3)``, radians."""
    return np.asarray(np.arccos(np.clip(np.sum(a * b, axis=-1), -1.0, 1.0)))


def _foot_way(rig: Rig, side: str) -> Array | None:
    """From ankle to ball (or the end of the foot) in the neutral pose ``(3,)``; None where nothing tells."""
    placed = rig.neutral.rest_model[1]
    ankle, toes = rig.joint(f"{side} foot"), rig.joint(f"{side} toes")
    way = placed[toes] - placed[ankle] if toes >= 0 else _tip(rig, ankle)
    return way if float(np.linalg.norm(way)) > 1e-6 else None


def _slope(way: Array) -> float:
    """By how many degrees a foot goes down from ankle to ball."""
    return float(np.degrees(np.arctan2(-way[1], np.hypot(way[0], way[2]))))


def _could_stand(rig: Rig, side: str) -> bool:
    """Could a foot stand as it rests, by the way from its ankle to its ball?"""
    way = _foot_way(rig, side)
    return way is None or (_FLATTEST < _slope(way) < _STEEPEST and float(way @ rig.facing) > 0)


def _ups(rig: Rig, side: str) -> tuple[Array, Array | None]:
    """Up, as the foot is built, in the axes of ankle and toes ``(3,)``."""
    turned = rig.neutral.rest_model[0]
    ankle, toes = rig.joint(f"{side} foot"), rig.joint(f"{side} toes")
    up, way = UP, _foot_way(rig, side)
    if way is not None and not rig.meshes and rig.sole is None and not _could_stand(rig, side):
        # It hangs, or is turned about: as a foot stands that goes ahead, down by the usual slope.
        down = np.radians(_USUAL)
        up = quat.rotate(quat.between(np.cos(down) * rig.facing - np.sin(down) * UP, way), UP)
    own = quat.rotate(quat.conjugate(turned), up)
    return own[ankle], own[toes] if toes >= 0 else None


def _by_build(rig: Rig, side: str) -> Stand:
    up, toes_up = _ups(rig, side)
    height = float(rig.neutral.rest_model[1][rig.joint(f"{side} foot"), 1]) - rig.ground
    leg = leg_length(rig)
    by, sure = ("skin", 1.0) if rig.meshes else ("rest pose", 0.8)
    if not rig.meshes and rig.sole is None and (height < _NO_SOLE * leg or not _could_stand(rig, side)):
        height, by, sure = ANKLE * leg, "proportions", 0.4
    return Stand(height, vector(up), None if toes_up is None else vector(toes_up), by=by, sure=sure)


@dataclass(frozen=True, eq=False)
class _Readings:
    """A foot where it stands in clips: heights of its ankle ``(n,)``, and up by ankle and toes (None without) in the neutral
    pose's model space, reflected to the left ``(n, 3)``; for how many seconds in all."""

    heights: Array
    ups: tuple[Array, Array | None]
    seconds: float


def _readings(rig: Rig, side: str, clips: Iterable[Clip]) -> _Readings | None:
    """A foot where it stands, the figure being upright; None where it hardly does."""
    ankle, thigh, toes = (rig.joint(f"{side} {p}") for p in ("foot", "thigh", "toes"))
    if min(ankle, thigh) < 0:
        return None
    leg, rest = leg_length(rig), rig.neutral.rest_model[0]
    heights: list[Array] = []
    ups: list[Array] = []
    toes_ups: list[Array] = []
    seconds = 0.0
    for clip in clips:
        turned, placed = clip.model
        track = placed[:, ankle]
        still = track[:, 1] < np.percentile(track[:, 1], 5) + _LOW * leg
        still &= stances.speeds(track, clip.rate) < _SLOW * leg
        still &= placed[:, thigh, 1] - track[:, 1] > _UPRIGHT * leg
        for first, last in stances.spans(still):
            if last - first + 1 >= max(3, round(_LONG * clip.rate)):
                own = slice(first, last + 1)
                seconds += (last - first + 1) / clip.rate
                heights.append(track[own, 1])
                for joint, found in ((ankle, ups), (toes, toes_ups)):
                    if joint >= 0:
                        up = quat.rotate(rest[joint], quat.rotate(quat.conjugate(turned[own, joint]), UP))
                        found.append(_reflected(rig, side, up))
    if seconds < _ENOUGH:
        return None
    return _Readings(
        np.concatenate(heights), (np.concatenate(ups), np.concatenate(toes_ups) if toes >= 0 else None), seconds
    )


def _pooled(sides: list[Array | None]) -> Array | None:
    """The direction up ``(3,)`` that feet agree on, ``(n, 3)`` each; None where they do not."""
    there = [ups for ups in sides if ups is not None]
    if not there:
        return None
    means = [_mean_way(ups) for ups in there]
    mean = _mean_way(np.array(means))
    off = [*(_apart(m, mean) for m in means), *(np.median(_apart(u, m)) for u, m in zip(there, means, strict=True))]
    return mean if max(map(float, off)) < _AGREE else None


def _mean_way(ways: Array) -> Array:
    middle = np.median(ways, axis=0)
    return np.asarray(middle / max(float(np.linalg.norm(middle)), 1e-9))


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
    """True if a foot has the same length, height and tilt in both neutral poses, one of them scaled by ``size``."""
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
