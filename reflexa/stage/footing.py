"""When the feet of a clip stand, heel and ball each, over the ground or the props."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import contact, cycle, quat, stances
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.cuts import pieces
from reflexa.motion.per_clip_cache import cached_per_clip
from reflexa.rig import Rig
from reflexa.rig.foot_rest import leg_length
from reflexa.rig.soles import Sole, soles, under_tracks
from reflexa.stage import EMPTY, Stage, gait, surface_under

Bools = NDArray[np.bool_]


# A clip may hover or sink as a whole by this share of the leg, and its feet are still known to stand.
_MOST_OFF = 0.15


@dataclass(frozen=True)
class Thresholds:
    """When a point stands: below ``low`` and slower than ``slow``, as shares of the leg's length (a second); it goes on
    standing up to ``slack`` times either; spans shorter than ``least`` seconds do not count."""

    low: float = 0.06
    slow: float = 0.40
    slack: float = 1.6
    least: float = 0.1

    def frames(self, rate: float) -> int:
        """How many frames a span has at least."""
        return max(2, round(self.least * rate))


@dataclass(frozen=True, eq=False)
class Footing:
    """One foot over a clip. heel, ball: tracks ``(frames, 3)``; heel_stands, ball_stands, tip_stands ``(frames,)``: the tip
    of the toes bears when the ball has lifted already; height: of the lower of heel and ball over what lies below, metres;
    speed: of the slower of both, m/s ``(frames,)``."""

    sole: Sole
    heel: Array
    ball: Array
    heel_stands: Bools
    ball_stands: Bools
    tip_stands: Bools
    height: Array
    speed: Array

    @property
    def stands(self) -> Bools:
        return self.heel_stands | self.ball_stands | self.tip_stands


def footing(
    clip: Clip, rig: Rig, stage: Stage = EMPTY, by: Thresholds = Thresholds(), floor: Literal["stage", "feet"] = "feet",
    on_spot: bool = True,
) -> dict[str, Footing]:  # fmt: skip
    """Per side that has a foot, when it stands; empty where the rig has none.

    floor: heights are over the stage, or over the lower foot within a quarter of a second (so that steps and jetties
    count that nobody has put there). on_spot: a clip in which no foot is ever still while it is low counts as made
    on the spot. Pieces between cuts are looked at each by itself: nobody stands through a jump.
    """
    if not stage.props and len(apart := pieces(clip)) > 1:  # props may move, and know frames of the clip alone
        each = [footing(clip.cut(a, b - 1), rig, stage, by, floor, on_spot) for a, b in apart]
        return {side: _joined([feet[side] for feet in each]) for side in each[0]}
    seen = _seen(clip, rig, stage, floor)
    if seen is None:
        return {}
    found, tracks, long, heights, speeds, upright, leg, loop = seen
    stand: dict[str, list[Bools]] = {
        side: [
            stands(np.where(u, h, np.inf), v, leg, clip.rate, by)
            for h, v, u in zip(heights[side], speeds[side], upright[side], strict=True)
        ]
        for side in found
    }
    low = min(float(h.min()) for each in heights.values() for h in each[:2]) < 2 * by.low * leg
    if on_spot and low and made_on_spot(stand, heights, leg):
        stand = _on_spot(long, heights, by, clip.rate)
    least = by.frames(clip.rate)
    pelvis = rig.joint("pelvis")
    if pelvis >= 0 and clip.frames > 2:
        body = loop.track(clip.model[1][:, pelvis])
        stand = {side: gait.refined(stand[side], long[side], body, leg, clip.rate) for side in found}
    stand = {side: stances.as_held(long[side], stand[side], 2 * least) for side in found}
    out = {}
    for side, sole in found.items():
        heel, ball, tip = stand[side]
        told = contact.told(clip.contacts, f"{side} foot", clip.frames)
        if told is not None:
            heel, ball, tip = map(loop.values, told)
        out[side] = Footing(
            sole, tracks[side][0], tracks[side][1], heel[loop.own], ball[loop.own], _rolled_onto(tip, heel | ball)[loop.own],
            np.minimum(*heights[side][:2])[loop.own], np.minimum(*speeds[side][:2])[loop.own],
        )  # fmt: skip
    return out


class _Seen(NamedTuple):
    """Measures of a clip's feet, per side: soles; tracks of heel, ball and tip, as they are and round the seam of a loop; their
    heights, metres, and speeds, m/s; when each could bear. The leg's length; the clip round its seam."""

    found: Mapping[str, Sole]
    tracks: dict[str, list[Array]]
    long: dict[str, list[Array]]
    heights: dict[str, list[Array]]
    speeds: dict[str, list[Array]]
    upright: dict[str, list[Bools]]
    leg: float
    loop: cycle.Extended


@cached_per_clip
def _seen(clip: Clip, rig: Rig, stage: Stage, floor: Literal["stage", "feet"]) -> _Seen | None:
    """The measures of a clip's feet; None without feet. Kept per clip: findings ask by several thresholds."""
    found = soles(rig)
    if not found:
        return None
    tracks = {side: _points(sole, clip) for side, sole in found.items()}
    # A loop is looked at round its seam: what begins at its end goes on at its start.
    loop = cycle.extended(clip, rig.travel_joint, max(8, round(clip.rate / 2)))
    long = {side: [loop.track(p) for p in points] for side, points in tracks.items()}
    when = loop.values(np.arange(clip.frames)) if loop.pad else None
    under = floor_under([p for points in long.values() for p in points[:2]], clip.rate) if floor == "feet" else None
    heights = {
        side: [
            p[:, 1] - (under if under is not None else surface_under(stage, clip, p, frames=when).height) for p in points
        ] for side, points in long.items()
    }  # fmt: skip
    leg = max(leg_length(rig), 1e-6)
    if floor == "stage":
        # A clip that hovers or sinks as a whole stands where its feet are lowest.
        level = _level([h for each in heights.values() for h in each[:2]], leg)
        heights = {side: [h - level for h in each] for side, each in heights.items()}
    speeds = {side: [stances.speeds(p, clip.rate) for p in points] for side, points in long.items()}
    upright = {side: [loop.values(m) for m in could_bear(sole, clip.model[0])] for side, sole in found.items()}
    return _Seen(found, tracks, long, heights, speeds, upright, leg, loop)


def _joined(pieces: list[Footing]) -> Footing:
    each = ([getattr(p, f.name) for p in pieces] for f in fields(Footing)[1:])
    arrays = (stances.joined(e) if e[0].dtype == np.bool_ else np.concatenate(e) for e in each)
    return Footing(pieces[0].sole, *arrays)  # type: ignore[arg-type]


# A sole that is tilted by more than the first does not stand; on its ball or its tip a foot is raised up to the second. One that
# is pitched by more than the third has its heel or its ball off the ground.
_TILTED, _RAISED, _ROLLED = np.cos(np.radians(35.0)), np.cos(np.radians(80.0)), np.sin(np.radians(12.0))


def could_bear(sole: Sole, turned: Array) -> tuple[Bools, Bools, Bools]:
    """Whether heel, ball and tip could bear by how the foot is turned ``(frames,)`` each: one that lies on its side or its instep
    does not stand, and one that rolls has its heel or its ball off the ground. turned: all joints ``(frames, joints, 4)``."""
    own = turned[:, sole.ankle]
    up, aside = quat.rotate(own, sole.up), quat.rotate(own, np.cross(sole.up, sole.ahead))
    pitch = quat.rotate(own, sole.ahead)[:, 1]
    heel = (up[:, 1] > _TILTED) & (pitch > -_ROLLED)
    raised = (up[:, 1] > _RAISED) & (np.abs(aside[:, 1]) < np.sin(np.arccos(_TILTED)))
    ball = raised & (pitch < _ROLLED)
    if sole.toes >= 0:
        ball &= quat.rotate(turned[:, sole.toes], sole.toes_up)[:, 1] > _TILTED
    return heel, ball, raised


def _points(sole: Sole, clip: Clip) -> list[Array]:
    """Tracks of heel, ball and tip ``(frames, 3)``; of the ball once more where the foot has no toes."""
    points = under_tracks(clip, sole)
    return [points[0], points[1], points[-1]]


def _rolled_onto(tip: Bools, others: Bools) -> Bools:
    """When the tip of the toes bears: right after heel or ball did, for as long as it stands."""
    out = np.zeros(len(tip), dtype=bool)
    for _, last in stances.spans(others):
        rest = tip[last + 1 :]
        out[last + 1 : last + 1 + (len(rest) if rest.all() else int(np.argmin(rest)))] = True
    return out & ~others


def floor_under(points: list[Array], rate: float) -> Array:
    """The height of the ground ``(frames,)`` as the feet tell it: where the lowest of their points ``(frames, 3)`` has been
    within a quarter of a second, so that steps and jetties count that nobody has put there."""
    lowest = np.min([p[:, 1] for p in points], axis=0)
    from scipy.ndimage import minimum_filter1d

    return np.asarray(minimum_filter1d(lowest, max(1, round(rate / 2)) | 1, mode="nearest"))


def stands(height: Array, speed: Array, leg: float, rate: float, by: Thresholds = Thresholds()) -> Bools:
    """When a point of a sole stands ``(frames,)``, by its height over what lies below and its speed ``(frames,)``. leg: the
    leg's length, metres."""
    least = min(by.frames(rate), len(height))  # in a shorter piece: all there is
    return stances.standing(height, speed, by.low * leg, by.slow * leg, by.slack, least)


def level_of(clip: Clip, rig: Rig, stage: Stage = EMPTY) -> Array:
    """How high a clip hovers as a whole ``(frames,)``, metres (negative: how deep it is sunk), as its feet mostly stand; 0 where
    they never do: who crawls or lies is not put on its feet. The same for all frames of a piece between cuts."""
    feet = footing(clip, rig, stage, on_spot=False).values()
    over = [f.sole.lowest(*clip.model) - surface_under(stage, clip, f.ball).height for f in feet]
    leg, out = max(leg_length(rig), 1e-6), np.zeros(clip.frames)
    whole = _level_at(over, [f.stands for f in feet], leg)
    if whole is None:
        return out
    for first, end in pieces(clip):
        piece = slice(first, end)
        own = [h[piece] for h in over]
        level = _level_at(own, [f.stands[piece] for f in feet], leg)
        # Where nobody stands, as in a rest pose at the head, it hovers like the rest, but is not put into the ground.
        out[piece] = min(whole, max(float(np.min(own)), 0.0)) if level is None else level
    return out


def _level_at(over: list[Array], stands: list[Bools], leg: float) -> float | None:
    """How high feet are that stand, by their soles' heights; None where none does."""
    standing = np.concatenate([h[s] for h, s in zip(over, stands, strict=True)]) if over else np.empty(0)
    if not len(standing):
        return None
    level = float(np.median(standing))
    # Higher up it stands on something that nobody has put there.
    return level if abs(level) <= _MOST_OFF * leg else _level(over, leg)


def _level(heights: list[Array], leg: float) -> float:
    return float(np.clip(np.percentile(np.min(heights, axis=0), 5), -_MOST_OFF * leg, _MOST_OFF * leg))


def made_on_spot(stand: dict[str, list[Bools]], heights: dict[str, list[Array]], leg: float) -> bool:
    """True if the feet are lifted but are hardly ever still while they are low."""
    lifted = [side for side, each in heights.items() if np.ptp(np.minimum(*each[:2])) > 0.02 * leg]
    return bool(lifted) and all((stand[side][0] | stand[side][1]).mean() < 0.1 for side in lifted)


def _on_spot(
    tracks: dict[str, list[Array]], heights: dict[str, list[Array]], by: Thresholds, rate: float
) -> dict[str, list[Bools]]:
    """Standing points go back under the figure, all the same way; one that swings forward is low too, for a moment."""
    points = [(p, h) for side, pair in tracks.items() for p, h in zip(pair, heights[side], strict=True)]
    ways = [np.gradient(p[:, [0, 2]], axis=0) if len(p) > 1 else np.zeros((len(p), 2)) for p, _ in points]
    grounds = [float(np.percentile(h, 5)) for _, h in points]  # one frame that dips is not the ground
    low = [h - g < 0.15 * max(float(np.ptp(h)), 1e-6) for (_, h), g in zip(points, grounds, strict=True)]
    way = np.sum([w[l].sum(axis=0) for w, l in zip(ways, low, strict=True)], axis=0)
    way = way / max(float(np.linalg.norm(way)), 1e-9)
    out: list[Bools] = []
    for (_, h), w, ground in zip(points, ways, grounds, strict=True):
        lift = max(float(np.ptp(h)), 1e-6)
        back = w @ way
        usual = max(float(np.median(back[back > 0])) if np.any(back > 0) else 0.0, 1e-9)
        # As a "speed": how much slower than the usual way back it goes.
        out.append(stances.standing(h - ground, 1 - back / usual, 0.06 * lift, 0.55, by.slack, by.frames(rate)))
    each = iter(out)
    return {side: [next(each), next(each), next(each)] for side in tracks}


def standing_spans(clip: Clip, rig: Rig) -> dict[str, Bools]:
    """Per side, when a foot stands ``(frames,)``; empty where the rig has no feet."""
    return {side: f.stands for side, f in footing(clip, rig).items()}
