"""What a planted foot or hand is to do: its turn and its place, held where it stands and led there and back beside."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.eases import eased
from reflexa.motion.limb import Limb, limb
from reflexa.rig import Rig
from reflexa.rig.soles import Sole, soles
from reflexa.stage import Stage, surface_under
from reflexa.steps.plants.find import Plants
from reflexa.steps.plants.settings import Plant, PlantsSettings


@dataclass(frozen=True, eq=False)
class Ground:
    """What limbs are planted in and on: the motion, which frame of the clip as it is on stage each of its frames is
    ``(frames,)``, that clip, and the stage."""

    clip: Clip
    frames: NDArray[np.intp]
    on_stage: Clip
    stage: Stage


@dataclass(eq=False)
class LimbChange:
    """What one limb is to do, over all frames: goal of its end ``(frames, 3)``, its turn and that of the toes in model
    space ``(frames, 4)`` (toes None: they go along); held ``(frames,)``: in a plant; moved: anything differs."""

    limb: Limb
    name: str
    goal: Array
    turn: Array
    toes: Array | None
    held: NDArray[np.bool_]
    moved: NDArray[np.bool_]


def change_of(ground: Ground, rig: Rig, name: str, plants: Plants, settings: PlantsSettings) -> LimbChange | None:
    """What a limb ("left foot") is to do to hold its plants; None where the rig lacks it."""
    joints = rig.limb(name)
    if joints is None:
        return None
    l = limb(rig.skeleton, *joints)
    side, _, part = name.partition(" ")
    own = [p for p in plants if p.limb == name]
    return _foot(ground, l, soles(rig)[side], own, settings) if part == "foot" else _hand(ground.clip, l, own, settings)


def partly(c: LimbChange, clip: Clip, share: Array, rig: Rig) -> LimbChange:
    """A change that goes a share ``(frames,)`` of the way only."""
    turned, placed = clip.model
    end = c.limb.end

    def turn(to: Array, j: int) -> Array:
        return quat.multiply(quat.scaled(quat.multiply(to, quat.conjugate(turned[:, j])), share), turned[:, j])

    toes = None if c.toes is None else turn(c.toes, rig.joint(f"{c.name.split()[0]} toes"))
    goal = placed[:, end] + share[:, None] * (c.goal - placed[:, end])
    return LimbChange(c.limb, c.name, goal, turn(c.turn, end), toes, c.held, c.moved & (share > 0))


def _hand(clip: Clip, l: Limb, plants: list[Plant], s: PlantsSettings) -> LimbChange:
    places = clip.model[1][:, l.end]
    goal = np.full((clip.frames, 3), np.nan)
    for p in plants:
        span = slice(p.first, p.last + 1)
        goal[span] = np.array(p.place) if p.place is not None else _chosen(places[span], s.hold)
    offset = eased(goal - places, *s.eases(clip.rate))
    turn = clip.model[0][:, l.end]
    return LimbChange(
        l, plants[0].limb, places + offset, turn, None, ~np.isnan(goal[:, 0]), np.any(offset != 0, axis=1)
    )


def _chosen(tracks: Array, hold: str) -> Array:
    return np.asarray(tracks[0] if hold == "first" else tracks[-1] if hold == "last" else tracks.mean(axis=0))


def _foot(ground: Ground, l: Limb, sole: Sole, plants: list[Plant], s: PlantsSettings) -> LimbChange:
    """Turns first: flat where heel and ball are both down. Then the place of the ankle, about heel, ball or tip."""
    clip, stage = ground.clip, ground.stage
    turned, placed = clip.model
    q, ankle = turned[:, sole.ankle], placed[:, sole.ankle]
    middle = np.array([(p.first + p.last) // 2 for p in plants])
    at = sole.points(turned[middle], placed[middle])[1]
    # The normal of what the foot stands on in each plant; none where it stands as it does.
    below = s.surface == "surface below"
    normals = surface_under(stage, ground.on_stage, at, frames=ground.frames[middle]).normal
    ups = {id(p): up for p, up in zip(plants, normals, strict=True)} if below else {}

    # The foot's turn: held where it is flat, led there and back beside.
    flats = [(p, _mean_turn(q[_flat(p)], s.hold)) for p in plants if p.ball_from <= p.heel_to]
    wanted = np.full((clip.frames, 3), np.nan)
    for p, held in _upright(flats, sole.up, ups):
        wanted[_flat(p)] = quat.to_rotvec(quat.multiply(held, quat.conjugate(q[_flat(p)])))
    turn = quat.multiply(quat.from_rotvec(eased(wanted, *s.eases(clip.rate))), q)
    for _ in range(3):  # what is led to and from a changed frame may dip in turn
        if not below or not _lift_clear(wanted, turn, q, sole, plants, ups):
            break
        turn = quat.multiply(quat.from_rotvec(eased(wanted, *s.eases(clip.rate))), q)
    toes, ball_from, tip_from = _toes(clip, sole, plants, turn, s, ups)
    bearing = Bearing(quat.rotate(turn, sole.heel), ball_from, tip_from)

    # The place: that of whichever bears, from the one place at which the foot stands.
    places = np.array([_place(p, ankle, bearing, s.hold) for p in plants])
    if below:
        places[:, 1] = surface_under(stage, ground.on_stage, places, frames=ground.frames[middle]).height
    goal = np.full((clip.frames, 3), np.nan)
    for p, ball in zip(plants, places, strict=True):
        goal[p.first : p.last + 1] = ball - bearing.to_ball(p)
    offset = eased(goal - ankle, *s.eases(clip.rate))
    moved = np.any(offset != 0, axis=1) | (quat.angle(quat.multiply(turn, quat.conjugate(q))) > 1e-9)
    if toes is not None:
        moved |= quat.angle(quat.multiply(toes, quat.conjugate(turned[:, sole.toes]))) > 1e-9
    return LimbChange(l, plants[0].limb, ankle + offset, turn, toes, ~np.isnan(goal[:, 0]), moved)


@dataclass(frozen=True, eq=False)
class Bearing:
    """The ways from the ankle to heel, ball and tip of the toes ``(frames, 3)``."""

    heel: Array
    ball: Array
    tip: Array

    def to_ball(self, p: Plant) -> Array:
        """From the ankle to where the ball stands ``(frames of the plant, 3)``: while the foot is on its heel or on the tip of
        its toes, as far from there as when the ball came down or lifts."""
        span = np.arange(p.first, p.last + 1)
        out = self.ball[span].copy()
        on_heel, on_tip = span < p.ball_from, span > p.ball_to
        out[on_heel] = self.heel[span[on_heel]]
        if p.ball_from <= p.last:
            out[on_heel] += self.ball[p.ball_from] - self.heel[p.ball_from]
            out[on_tip] = self.tip[span[on_tip]] + self.ball[p.ball_to] - self.tip[p.ball_to]
        return out


def _place(p: Plant, ankle: Array, bearing: Bearing, hold: str) -> Array:
    """Where the ball of a planted foot stands ``(3,)``."""
    if p.place is not None:
        return np.array(p.place)
    return _chosen(ankle[p.first : p.last + 1] + bearing.to_ball(p), hold)


def _toes(
    clip: Clip, sole: Sole, plants: list[Plant], turn: Array, s: PlantsSettings, ups: dict[int, Array]
) -> tuple[Array | None, Array, Array]:
    """The toes' turn ``(frames, 4)``, flat while the ball is down, else going with the foot; and the ways from the ankle
    to the ball and to the tip of the toes ``(frames, 3)``."""
    turned, placed = clip.model
    if sole.toes < 0:
        return None, quat.rotate(turn, sole.ball), quat.rotate(turn, sole.ball if sole.tip is None else sole.tip)
    q = turned[:, sole.ankle]
    toes = quat.multiply(quat.multiply(turn, quat.conjugate(q)), turned[:, sole.toes])
    if s.toes:
        lie = np.full((clip.frames, 3), np.nan)
        down = [(p, _mean_turn(toes[p.ball_from : p.ball_to + 1], s.hold)) for p in plants if p.ball_from <= p.last]
        for p, held in _upright(down, sole.toes_up, ups):
            frames = slice(p.ball_from, p.ball_to + 1)
            lie[frames] = quat.to_rotvec(quat.multiply(held, quat.conjugate(toes[frames])))
        toes = quat.multiply(quat.from_rotvec(eased(lie, *s.eases(clip.rate))), toes)
    arm = quat.rotate(turn, quat.rotate(quat.conjugate(q), placed[:, sole.toes] - placed[:, sole.ankle]))
    tip = sole.ball if sole.tip is None else sole.tip
    return toes, arm + quat.rotate(toes, sole.ball), arm + quat.rotate(toes, tip)


def _lift_clear(wanted: Array, turn: Array, q: Array, sole: Sole, plants: list[Plant], ups: dict[int, Array]) -> bool:
    """Where a foot rolls on its heel or ball and the other of the two would go into what it stands on, want it flat instead
    (in ``wanted``). Was there any?"""
    any_ = False
    for p in plants:
        on_heel = np.arange(p.first, min(p.ball_from, p.last + 1))
        on_ball = np.arange(max(p.heel_to + 1, p.ball_from), p.ball_to + 1)
        for frames, sign in ((on_heel, 1.0), (on_ball, -1.0)):
            way = sign * quat.rotate(turn[frames], sole.forth)  # from the one that bears to the other
            deep = way @ ups[id(p)]
            sinks = deep < -1e-6
            if sinks.any():
                at, way = frames[sinks], way[sinks]
                level = quat.between(way, way - deep[sinks, None] * ups[id(p)])
                wanted[at] = quat.to_rotvec(quat.multiply(quat.multiply(level, turn[at]), quat.conjugate(q[at])))
                any_ = True
    return any_


def _flat(p: Plant) -> NDArray[np.intp]:
    """The frames in which heel and ball are both down."""
    return np.arange(p.ball_from, min(p.heel_to, p.ball_to) + 1)


def _upright(held: list[tuple[Plant, Array]], up: Array, ups: dict[int, Array]) -> list[tuple[Plant, Array]]:
    """Turns that are held in plants, tilted by the least that stands ``up`` (in the joint's axes) along the surface."""
    if not held or not ups:
        return held
    turns, normals = np.array([q for _, q in held]), np.array([ups[id(p)] for p, _ in held])
    turns = quat.multiply(quat.between(quat.rotate(turns, up), normals), turns)
    return [(p, q) for (p, _), q in zip(held, turns, strict=True)]


def _mean_turn(turns: Array, hold: str) -> Array:
    """One turn for many ``(n, 4)``: the first, the last, or their mean."""
    if hold != "mean":
        return np.asarray(turns[0 if hold == "first" else -1])
    return quat.normalise(quat.continuous(turns).mean(axis=0))
