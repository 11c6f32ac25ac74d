"""Root motion: how the figure travels over the ground, and which joint carries it."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion import kinematics, quat, stances, travel
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.smoothing import gaussian
from reflexa.motion.travel import yaw
from reflexa.rig import Rig
from reflexa.rig.foot_rest import leg_length
from reflexa.stage.footing import Footing, floor_under, footing
from reflexa.steps.root_motion.settings import RootMotionSettings
from reflexa.steps.root_motion.track import LEVEL, TravelTrack, on_ground, smoothed_track, track_of, travel_of


def root_motion(clip: Clip, rig: Rig, settings: RootMotionSettings) -> Clip:
    """The clip with its travel changed. Raises RecipeError where the rig has no root joint and the operation needs one,
    there are no feet to go by, or the path is none."""
    s = settings
    if s.operation in ("from pelvis", "hand back"):
        return _root_joint_moved(clip, rig, s)
    if s.operation == "from feet":
        return _after_feet(clip, rig, s)
    now = travel_of(clip, rig, s.line, s.seconds)
    place, heading = np.array(now.place), np.array(now.heading)
    if s.operation == "in place":
        return _in_place(clip, rig, now, s)
    if s.operation == "along path":
        place, heading = _along(clip, now, s)
    elif s.operation == "turn and scale":
        turn = yaw(np.radians(s.angle))
        place = place[0] + s.scale * quat.rotate(turn, on_ground(place - place[0]))[:, LEVEL]
        heading = heading + np.radians(s.angle)
    elif s.operation == "to origin":
        root = rig.joint("root")
        exact = track_of(clip, rig, root) if root >= 0 else travel_of(clip, rig, "exact")
        forward = np.arctan2(rig.facing[0], rig.facing[2])
        start = TravelTrack(exact.place[:1], exact.heading[:1], exact.joint)
        turn, move = start.moved_to(TravelTrack(np.zeros((1, 2)), np.array([forward]), exact.joint))
        return _carried(clip, rig, turn, move)
    elif s.operation == "lock":
        place = np.where([s.x, s.z], place[0], place)
        heading = np.full(clip.frames, heading[0]) if s.heading else heading
    elif s.operation == "remove drift":
        place, heading = _without_drift(place, heading, s.drift)
    out = _carried(clip, rig, *now.moved_to(TravelTrack(place, heading, now.joint)))
    return _height_locked(out, rig) if s.operation == "lock" and s.y else out


# What is left of a clip's travel once it is in place, metres.
_NOTHING = 1e-6


def _in_place(clip: Clip, rig: Rig, now: TravelTrack, s: RootMotionSettings) -> Clip:
    """The clip without its travel. What is smooth in a way that is turned back is not quite what was smooth before: that too is
    taken out, until nothing is left."""
    exact = track_of(clip, rig, now.joint)
    place, heading = exact.place, exact.heading
    exactly = now.place is exact.place or now.joint == rig.joint("root")
    for _ in range(60):
        t = TravelTrack(place, heading, now.joint)
        smooth = t if exactly else smoothed_track(t, clip, s.line, s.seconds)
        if not s.place:
            smooth = TravelTrack(np.zeros_like(place), smooth.heading, now.joint)
        if not s.turn:
            smooth = TravelTrack(smooth.place, np.zeros_like(heading), now.joint)
        still = TravelTrack(
            np.tile(smooth.place[:1], (clip.frames, 1)), np.full_like(heading, smooth.heading[0]), now.joint
        )
        turn, move = smooth.moved_to(still)
        new = (quat.rotate(turn, on_ground(place)) + move)[:, LEVEL]
        left = float(np.abs(new - place).max())
        place, heading = new, heading + still.heading - smooth.heading
        if left < _NOTHING:
            break
    return _carried(clip, rig, *exact.moved_to(TravelTrack(place, heading, now.joint)))


def _along(clip: Clip, now: TravelTrack, s: RootMotionSettings) -> tuple[Array, Array]:
    try:
        path = travel.Path(s.path)
    except ValueError as e:
        raise RecipeError(f"the path {e}", advice="Draw one in the step's picture from above.") from None
    if s.walked == "to its end":
        if any(b <= a for (a, _), (b, _) in pairwise(s.pace)):
            raise RecipeError(
                "the points of the pace are not in order of time",
                place="pace",
                advice="Sort them by their share of the time.",
            )
        at, _ = travel.distances(path.length, clip.frames, s.pace, clip.rate)
    else:
        at = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(now.place, axis=0), axis=1))])
    place, way = path.at(at)
    if clip.frames > 2 and np.abs(np.diff(way)).max() * clip.rate > _SHARP:
        way = gaussian(way, _ROUND * clip.rate, False)  # a path that doubles back: nobody turns on the spot in a frame
    if not s.turn:
        return place, now.heading
    # A figure that walks backwards or sideways goes on doing so: it keeps its heading to the way that it goes.
    return place, way + (now.heading - _own_way(now, clip))


# Feet that are flat for less than this share of the time tell the less of how a figure turns.
_FLAT = 0.4
# A way that turns faster than this is walked in a rounder one, radians a second.
_SHARP = 4.0
# Slower than this a figure goes no particular way, m/s; and how slowly the way it goes is taken to change, seconds.
_GOES, _ROUND = 0.1, 0.5


def _own_way(now: TravelTrack, clip: Clip) -> Array:
    """The way that the figure goes ``(frames,)`` in radians, without what is quicker than a second; where it stands, as
    it went last (or will go); where it never goes anywhere, as it faces on the whole."""
    n = clip.frames
    if n < 2:
        return np.array(now.heading)
    step = np.gradient(travel.smoothed(now.place, "smoothed", 1.0, clip.rate, clip.loop), axis=0) * clip.rate
    goes = np.flatnonzero(np.linalg.norm(step, axis=1) > _GOES)
    if len(goes) == 0:
        return np.full(n, float(now.heading.mean()))
    last = np.maximum.accumulate(np.where(np.isin(np.arange(n), goes), np.arange(n), -1))
    way = np.arctan2(step[:, 0], step[:, 1])[np.where(last < 0, goes[0], last)]
    # One who steps back turns round no faster than one who turns: by which way it goes beside the way it faces.
    beside = np.unwrap(way - now.heading)
    return np.asarray(
        now.heading + gaussian(beside, _ROUND * clip.rate, clip.loop and abs(beside[-1] - beside[0]) < 0.1)
    )


def _without_drift(place: Array, heading: Array, drift: str) -> tuple[Array, Array]:
    share = np.linspace(0, 1, len(heading))
    turned = share * (heading[-1] - heading[0])
    if drift == "heading":
        # Each stretch of the way is turned back by what had drifted there.
        step = quat.rotate(yaw(-(turned[1:] + turned[:-1]) / 2), on_ground(np.diff(place, axis=0)))[:, LEVEL]
        return np.concatenate([place[:1], place[0] + np.cumsum(step, axis=0)]), heading - turned
    gone = place[-1] - place[0]
    if drift == "sideways":
        side = np.array([np.cos(heading[0]), -np.sin(heading[0])])
        return place - share[:, None] * (gone @ side) * side, heading
    return place - share[:, None] * gone, heading - turned


def _after_feet(clip: Clip, rig: Rig, s: RootMotionSettings) -> Clip:
    feet = footing(clip, rig)
    if not any(f.stands.any() for f in feet.values()):
        why = "no foot is ever on the ground" if feet else "the rig has no feet"
        raise RecipeError(
            f"{why}, so there is no travel to derive",
            advice="Raise the thresholds, or take the travel from the pelvis."
            if feet
            else "Assign the feet in the Figure view.",
        )
    root = rig.joint("root")
    now = track_of(clip, rig, root if root >= 0 else rig.travel_joint)
    start = TravelTrack(np.tile(now.place[:1], (clip.frames, 1)), np.tile(now.heading[:1], clip.frames), now.joint)
    # The feet as the carrying joint sees them, so that travel that is there already is not counted twice.
    held = now if root >= 0 else start
    turn, move = held.moved_to(start)
    turned = _turned_by_feet(feet, clip, turn) if s.turn else np.zeros(clip.frames)
    unturn = yaw(turned)
    points = np.stack([f.sole.underside(*clip.model)[[0, 1, -1]] for f in feet.values()])
    under = floor_under(list(points.reshape(-1, clip.frames, 3)), clip.rate)
    own = quat.rotate(unturn, quat.rotate(turn, points) + move - on_ground(start.place))
    leg = max(leg_length(rig), 1e-6)
    # Toes that roll off the ground hold nobody.
    stands = np.array([[f.heel_stands, f.ball_stands, np.zeros(clip.frames, dtype=bool)] for f in feet.values()])
    come = travel.from_feet(own, points[..., 1] - under, stands, leg, (clip.rate, clip.loop))
    if s.steady and clip.frames > 1:
        come = np.linspace(0, 1, clip.frames)[:, None] * come[-1]
        turned = np.linspace(0, 1, clip.frames) * turned[-1]
    return _carried(clip, rig, *held.moved_to(TravelTrack(start.place + come, start.heading + turned, now.joint)))


def _turned_by_feet(feet: dict[str, Footing], clip: Clip, turn: Array) -> Array:
    """How far the figure has turned ``(frames,)`` radians when flat feet do not turn on the ground."""
    step, count = np.zeros(clip.frames - 1), np.zeros(clip.frames - 1)
    for f in feet.values():
        flat = f.heel_stands & f.ball_stands
        both = flat[1:] & flat[:-1]
        change = np.diff(travel.headings(quat.multiply(turn, clip.model[0][:, f.sole.ankle]), f.sole.ahead))
        for first, last in stances.spans(both):
            # A foot that rolls off turns about itself for a moment: the stance as a whole tells.
            step[first : last + 1] -= np.median(change[first : last + 1])
        count[both] += 1
    step = np.where(count > 0, step / np.maximum(count, 1), 0.0)
    known = np.flatnonzero(count)
    if len(known):
        # In the air it goes on turning as both stances beside say, and not at all where they say different things.
        after = np.searchsorted(known, np.arange(len(step)))
        ends = (-1, 0) if clip.loop else (0, -1)  # what lies before the first stance and behind the last
        before = np.where(after > 0, step[known[after - 1]], step[known[ends[0]]])
        behind = np.where(after < len(known), step[known[np.minimum(after, len(known) - 1)]], step[known[ends[1]]])
        both_say = np.where(before * behind > 0, np.sign(before) * np.minimum(np.abs(before), np.abs(behind)), 0.0)
        step = np.where(count > 0, step, both_say)
        # A runner's foot is flat for a moment only, which says little of the rest.
        step *= min(1.0, len(known) / (_FLAT * len(step)))
    return np.concatenate([[0.0], np.cumsum(step)])


def _carried(clip: Clip, rig: Rig, turn: Array, move: Array) -> Clip:
    """The whole figure taken along: turns ``(frames or 1, 4)`` about up and level moves ``(frames or 1, 3)`` of the model."""
    skeleton = clip.skeleton
    root = rig.joint("root")
    top = root if root >= 0 else skeleton.root_of(rig.travel_joint)
    rotations, translations = np.array(clip.rotations), np.array(clip.translations)
    turned, placed = clip.model
    for j in [top, *(r for r in skeleton.roots if top not in skeleton.below(r))]:
        q, p = quat.multiply(turn, turned[:, j]), quat.rotate(turn, placed[:, j]) + move
        q, p = kinematics.to_local(skeleton.parents, clip.model, j, q, p)
        rotations[:, j], translations[:, j] = quat.continuous(quat.shortest(q, rotations[:, j])), p
    known = None
    if clip.scales is None and skeleton.parents[top] < 0:
        known = (
            owned(quat.multiply(turn[:, None], turned)),
            owned(quat.rotate(turn[:, None], placed) + move[:, None]),
        )
    return clip.with_motion(owned(rotations), owned(translations), known_model=known)


def _height_locked(clip: Clip, rig: Rig) -> Clip:
    root = rig.joint("root")
    if root < 0:
        return clip
    turned, placed = clip.model
    p = np.array(placed[:, root])
    p[:, 1] = p[0, 1]
    return _with_root(clip, root, turned[:, root], p)


def _root_joint_moved(clip: Clip, rig: Rig, s: RootMotionSettings) -> Clip:
    """The root joint on another track; everything else stays where it is in the world."""
    root, pelvis = rig.joint("root"), rig.joint("pelvis")
    if root < 0 or pelvis < 0:
        missing = "root joint" if root < 0 else "pelvis"
        raise RecipeError(
            f"the rig has no {missing}, which {s.operation!r} needs",
            advice="Add the step Root joint before this one." if root < 0 else "Assign the pelvis in the Figure view.",
        )
    turned, placed = clip.model
    own = track_of(clip, rig, root)
    rest = rig.neutral.rest_model
    if s.operation == "hand back":
        place, heading, y = own.place[:1], own.heading[:1], placed[:1, root, 1]
    else:
        to = smoothed_track(track_of(clip, rig, pelvis), clip, s.line, s.seconds)
        # As far behind or ahead of the pelvis as in the neutral pose, so that the first frame need not jump.
        beside = (rest[1][root] - rest[1][pelvis]) * [1.0, 0.0, 1.0]
        forward = np.arctan2(rig.facing[0], rig.facing[2])
        facing = to.heading if s.turn else own.heading
        place = to.place + quat.rotate(yaw(facing - forward), beside)[:, LEVEL]
        heading = to.heading
        rise = placed[:, pelvis, 1] - rest[1][pelvis, 1] + rest[1][root, 1]
        y = travel.smoothed(rise, s.line, s.seconds, clip.rate, clip.loop)
    place = np.broadcast_to(place, own.place.shape) if s.place else own.place
    heading = np.broadcast_to(heading, own.heading.shape) if s.turn else own.heading
    p = on_ground(place)
    p[:, 1] = np.broadcast_to(y, own.heading.shape) if s.height else placed[:, root, 1]
    return _with_root(clip, root, quat.multiply(yaw(heading - own.heading), turned[:, root]), p)


def _with_root(clip: Clip, root: int, turn: Array, place: Array) -> Clip:
    """The clip with its root joint at ``turn`` ``(frames, 4)`` and ``place`` ``(frames, 3)`` in model space, and all other
    joints where they are."""
    skeleton = clip.skeleton
    turned, placed = clip.model
    rotations, translations = np.array(clip.rotations), np.array(clip.translations)
    q, p = kinematics.to_local(skeleton.parents, clip.model, root, turn, place)
    rotations[:, root], translations[:, root] = quat.continuous(quat.shortest(q, rotations[:, root])), p
    back = quat.conjugate(turn)
    for child in skeleton.children[root]:
        own = quat.multiply(back, turned[:, child])
        rotations[:, child] = quat.continuous(quat.shortest(quat.normalise(own), rotations[:, child]))
        translations[:, child] = quat.rotate(back, placed[:, child] - place)
    return clip.with_motion(rotations, translations)
