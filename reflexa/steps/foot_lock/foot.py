"""What a locked foot or hand is to do: its turn and its place, held where it stands and led there and back beside."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import kernels, quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.contact import Contact
from reflexa.motion.eases import eased, near
from reflexa.motion.kernels.parts import Limb, Model
from reflexa.motion.limbs import limb
from reflexa.rig import Rig
from reflexa.rig.soles import Sole, soles
from reflexa.stage import Stage, surface_under
from reflexa.steps.foot_lock.find import Contacts
from reflexa.steps.foot_lock.settings import FootLockSettings


@dataclass(frozen=True, eq=False)
class Ground:
    """What limbs are held in and on: the motion, which frame of the clip as it is on stage each of its frames is
    ``(frames,)``, that clip, and the stage; and how the root joint turns the whole of it ``(frames,)``, radians."""

    clip: Clip
    frames: NDArray[np.intp]
    on_stage: Clip
    stage: Stage
    headings: Array


@dataclass(eq=False)
class LimbChange:
    """What one limb is to do, over all frames: goal of its end ``(frames, 3)``, its turn and that of the toes in model
    space ``(frames, 4)`` (toes None: they go along); held ``(frames,)``: in a contact; moved: anything differs."""

    limb: Limb
    name: str
    goal: Array
    turn: Array
    toes: Array | None
    held: NDArray[np.bool_]
    moved: NDArray[np.bool_]


def change_of(ground: Ground, rig: Rig, name: str, contacts: Contacts, settings: FootLockSettings) -> LimbChange | None:
    """What a limb ("left foot") is to do to hold its contacts; None where the rig lacks it."""
    joints = rig.limb(name)
    if joints is None:
        return None
    l = limb(rig.skeleton, *joints)
    side, _, part = name.partition(" ")
    own = [p for p in contacts if p.limb == name]
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


def _hand(clip: Clip, l: Limb, contacts: list[Contact], s: FootLockSettings) -> LimbChange:
    places = clip.model[1][:, l.end]
    goal = np.full((clip.frames, 3), np.nan)
    for p in contacts:
        span = slice(p.first, p.last + 1)
        goal[span] = np.array(p.place) if p.place is not None else _chosen(places[span], s.hold)
    offset = eased(goal - places, *s.eases(clip.rate))
    turn = clip.model[0][:, l.end]
    return LimbChange(
        l, contacts[0].limb, places + offset, turn, None, ~np.isnan(goal[:, 0]), np.any(offset != 0, axis=1)
    )


def _chosen(tracks: Array, hold: str) -> Array:
    return np.asarray(tracks[0] if hold == "first" else tracks[-1] if hold == "last" else tracks.mean(axis=0))


def _foot(ground: Ground, l: Limb, sole: Sole, contacts: list[Contact], s: FootLockSettings) -> LimbChange:
    """Turns first: flat where heel and ball are both down. Then the place of the ankle, about heel, ball or tip."""
    clip, stage = ground.clip, ground.stage
    turned, placed = clip.model
    model = Model(turned, placed)
    middle = np.array([(p.first + p.last) // 2 for p in contacts])
    # The normal of what the foot stands on in each contact; none where it stands as it does.
    normals = np.zeros((len(contacts), 3))
    if below := s.surface == "surface below":
        at = sole.points(turned[middle], placed[middle])[1]
        normals = surface_under(stage, ground.on_stage, at, frames=ground.frames[middle]).normal
    frames = np.array([(p.first, p.last, p.ball_from, p.ball_to, p.heel_to) for p in contacts])
    held = kernels.feet.Held(frames, normals, ground.headings, *s.eases(clip.rate), kernels.feet.HOLDS.index(s.hold))
    tip = sole.ball if sole.tip is None else sole.tip
    foot = kernels.feet.Foot(sole.ankle, sole.toes, sole.heel, sole.forth, sole.up, sole.ball, tip, sole.toes_up)
    ways = kernels.feet.Turns(*(np.empty((clip.frames, k)) for k in (4, 4, 3, 3, 3, 3)))
    kernels.feet.turns(foot, held, s.toes, model, ways)

    # The place: that of whichever bears, from the one place at which the foot stands, and on as the foot turns there.
    places = np.empty((len(contacts), 3))
    ankle = placed[:, sole.ankle]
    kernels.feet.swivels(held, *sole.points(turned, placed), ways)
    kernels.feet.places(held, ankle, ways, places)
    for i, p in enumerate(contacts):
        if p.place is not None:
            places[i] = p.place
    if below:
        places[:, 1] = surface_under(stage, ground.on_stage, places, frames=ground.frames[middle]).height
    offset, down = np.empty((clip.frames, 3)), np.empty(clip.frames, dtype=bool)
    kernels.feet.goals(held, places, ankle, ways, offset, down)
    if below:
        offset[:, 1] += _lifted(ground, sole, ways, offset, down)
    moved = np.any(offset != 0, axis=1) | _differ(ways.foot, turned[:, sole.ankle])
    if sole.toes >= 0:
        moved |= _differ(ways.toes, turned[:, sole.toes])
    toes = None if sole.toes < 0 else ways.toes
    return LimbChange(l, contacts[0].limb, ankle + offset, ways.foot, toes, down, moved)


# In the air a foot's skin may be under the surface by this, metres, and by as much as it was: so long from a contact, seconds.
_OVER, _LEADS = 0.005, 0.1


def _lifted(ground: Ground, sole: Sole, ways: kernels.feet.Turns, offset: Array, down: NDArray[np.bool_]) -> Array:
    """By how much a foot has to be lifted ``(frames,)`` so that no part of its skin is under what it stands on while it is down,
    nor deeper than it was in the air, metres."""
    clip = ground.clip
    turned, placed = clip.model
    toes = sole.toes if sole.toes >= 0 else sole.ankle
    arm = quat.rotate(quat.conjugate(turned[:, sole.ankle]), placed[:, toes] - placed[:, sole.ankle])
    ankle = placed[:, sole.ankle] + offset
    on = surface_under(ground.stage, ground.on_stage, ankle, frames=ground.frames)
    over = sole.clearance((ways.foot, ankle), (ways.toes, ankle + quat.rotate(ways.foot, arm)), on)
    before = sole.lowest(turned, placed) - on.height
    allowed = np.minimum(before, -_OVER) * (1 - near(down, 0.0, _LEADS * clip.rate))
    return np.asarray(np.maximum(allowed - over, 0.0))


def _differ(a: Array, b: Array) -> NDArray[np.bool_]:
    """Where turns ``(frames, 4)`` are not the same to a billionth of a radian."""
    return np.asarray(quat.angle(quat.multiply(a, quat.conjugate(b))) > 1e-9)
