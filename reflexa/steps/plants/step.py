"""The plants step: soles and hands held where they stand, and everything between them led there and back.

After Kovar, Schreiner & Gleicher, Footskate Cleanup for Motion Capture Editing, 2002: places first, then the pelvis,
then the legs, in closed form; changes are spread over the frames beside a plant.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.errors import RecipeError
from reflexa.motion import contacts, curves, cycle, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.limbs import Limb, at_frames, giving_way, limb, posed_clip, reach, sunk_clip, turn_about, widened
from reflexa.rig import Rig
from reflexa.rig.soles import Sole, soles
from reflexa.stage import Stage, surface_under
from reflexa.stage.footing import level_of
from reflexa.steps.helper_joints import follow
from reflexa.steps.model import Context
from reflexa.steps.plants.find import Plants, plants_of
from reflexa.steps.plants.settings import Plant, PlantsSettings


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


def plant(clip: Clip, rig: Rig, settings: PlantsSettings, context: Context) -> Clip:
    """The clip with its plants held. Raises RecipeError where the rig has no feet (or hands) to hold."""
    return held(clip, rig, plants_of(clip, rig, settings, context), settings, context.stage)


def held(clip: Clip, rig: Rig, plants: Plants, settings: PlantsSettings, stage: Stage) -> Clip:
    """The clip with plants held, those that are on. Raises RecipeError as ``plant`` does."""
    levelled = _levelled(clip, rig, settings, stage)
    changes = changes_of(levelled, rig, tuple(p for p in plants if p.on), settings, stage)
    if settings.find and not any(rig.limb(f"{s} foot") for s in ("left", "right")):
        raise RecipeError(
            "the rig has no leg of thigh, shin and foot, so nothing can be planted",
            advice="Say in the Figure view which joints these are.",
        )
    out = solved(levelled, rig, changes, settings)
    return out if out is clip else follow(clip, out, rig)


# The last of a limb, as a share of its length, that it stretches softly.
_SOFT = 0.002
# A whole clip that is this little off stays where it is, metres.
_LITTLE = 0.002


def _levelled(clip: Clip, rig: Rig, settings: PlantsSettings, stage: Stage) -> Clip:
    """A clip that hovers or sinks as a whole, put down; the root joint stays on the ground."""
    by = level_of(clip, rig, stage) if settings.level and settings.surface == "surface below" else 0.0
    pelvis = rig.joint("pelvis")
    if abs(by) < _LITTLE or pelvis < 0:
        return clip
    translations = np.array(clip.translations)
    down = np.array([0.0, -by, 0.0])
    parent = int(clip.skeleton.parents[pelvis])
    turned, placed = clip.model
    translations[:, pelvis] += quat.rotate(quat.conjugate(turned[:, parent]), down) if parent >= 0 else down
    if clip.scales is not None:
        return clip.with_motion(clip.rotations, owned(translations))
    lower = np.array(placed)
    lower[:, clip.skeleton.below(pelvis)] += down
    return clip.with_motion(clip.rotations, owned(translations), known_model=(turned, owned(lower)))


def changes_of(clip: Clip, rig: Rig, plants: Plants, settings: PlantsSettings, stage: Stage) -> list[LimbChange]:
    """What every planted limb is to do."""
    out = []
    known = soles(rig)
    for name in dict.fromkeys(p.limb for p in plants):
        joints = rig.limb(name)
        if joints is None:
            continue
        own = [p for p in plants if p.limb == name]
        side, _, part = name.partition(" ")
        l = limb(rig.skeleton, *joints)
        if part == "foot":
            seam = cycle.seam(clip, rig.travel_joint)
            out.append(_foot(_Ground(clip, settings, stage, seam), l, known[side], own))
        else:
            out.append(_hand(clip, l, own, settings))
    return out


# One limb ---------------------------------------------------------------------------------------------------------


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


Stand = list[tuple[Plant, bool]]


def _stands(plants: list[Plant], clip: Clip) -> list[Stand]:
    """Plants that are held together: each alone, but one that runs over a loop's seam with both its parts, the part after
    the seam (True) last."""
    last = clip.frames - 1
    before = next((p for p in plants if p.last == last and p.first > 0), None)
    after = next((p for p in plants if p.first == 0 and p.last < last), None)
    if not clip.loop or before is None or after is None:
        return [[(p, False)] for p in plants]
    rest: list[Stand] = [[(p, False)] for p in plants if p is not before and p is not after]
    return [*rest, [(before, False), (after, True)]]


@dataclass(frozen=True, eq=False)
class _Ground:
    """What feet are planted in and on. seam: turn ``(4,)`` and move ``(3,)`` that a loop goes on by."""

    clip: Clip
    settings: PlantsSettings
    stage: Stage
    seam: tuple[Array, Array]


def _foot(ground: _Ground, l: Limb, sole: Sole, plants: list[Plant]) -> LimbChange:
    """Turns first: flat where heel and ball are both down. Then the place of the ankle, about heel or ball."""
    clip, s, stage = ground.clip, ground.settings, ground.stage
    turned, placed = clip.model
    n = clip.frames
    q, ankle = turned[:, sole.ankle], placed[:, sole.ankle]
    stands = _stands(plants, clip)
    on_turn, on_move = ground.seam
    below = s.surface == "surface below"

    middle = np.array([(p.first + p.last) // 2 for p in plants])
    at = sole.points(turned[middle], placed[middle])[1]
    # The normal of what the foot stands on in each plant; None where it stands as it does.
    ups = {id(p): up for p, up in zip(plants, surface_under(stage, clip, at, frames=middle).normal, strict=True)}
    ups = ups if below else {}

    # The foot's turn: held where it is flat, led there and back beside.
    flats: list[tuple[Plant, Array]] = []
    for stand in stands:
        flat = [(p, after, _flat(p)) for p, after in stand if p.ball_from <= p.heel_to]
        if flat:
            ways = [quat.multiply(on_turn, q[f]) if after else q[f] for _, after, f in flat]
            mean = _mean_turn(np.concatenate(ways), s.hold)
            flats += [(p, quat.multiply(quat.conjugate(on_turn), mean) if after else mean) for p, after, _ in flat]
    wanted = np.full((n, 3), np.nan)
    for p, held in _upright(flats, sole.up, ups):
        wanted[_flat(p)] = quat.to_rotvec(quat.multiply(held, quat.conjugate(q[_flat(p)])))
    turn = quat.multiply(quat.from_rotvec(eased(wanted, *s.eases(clip.rate))), q)
    for _ in range(3):  # what is led to and from a changed frame may dip in turn
        if not below or not _lift_clear(wanted, turn, q, sole, plants, ups):
            break
        turn = quat.multiply(quat.from_rotvec(eased(wanted, *s.eases(clip.rate))), q)
    toes, ball_from = _toes(clip, sole, plants, turn, s, ups)
    heel_from = quat.rotate(turn, sole.heel)

    # The place: the heel's or the ball's, whichever bears, from the one place at which the foot stands.
    balls: dict[int, Array] = {}
    for stand in stands:
        offered = []
        for p, after in stand:
            as_ball = _as_ball(p, ankle, heel_from, ball_from)
            offered.append(quat.rotate(on_turn, as_ball) + on_move if after else as_ball)
        place = _chosen(np.concatenate(offered), s.hold)
        for p, after in stand:
            balls[id(p)] = quat.rotate(quat.conjugate(on_turn), place - on_move) if after else place
        picked = next(((p, after) for p, after in stand if p.place is not None), None)
        if picked is not None:
            given = np.array(picked[0].place)
            given = quat.rotate(on_turn, given) + on_move if picked[1] else given
            for p, after in stand:
                balls[id(p)] = quat.rotate(quat.conjugate(on_turn), given - on_move) if after else given
    places = np.array([balls[id(p)] for p in plants])
    if below:
        places[:, 1] = surface_under(stage, clip, places, frames=middle).height
    goal = np.full((n, 3), np.nan)
    for p, ball in zip(plants, places, strict=True):
        span = np.arange(p.first, p.last + 1)
        on_ball = span >= p.ball_from
        goal[span[on_ball]] = ball - ball_from[span[on_ball]]
        to_heel = heel_from[p.ball_from] - ball_from[p.ball_from] if p.ball_from <= p.last else np.zeros(3)
        goal[span[~on_ball]] = ball + to_heel - heel_from[span[~on_ball]]
    offset = eased(goal - ankle, *s.eases(clip.rate))
    moved = np.any(offset != 0, axis=1) | (quat.angle(quat.multiply(turn, quat.conjugate(q))) > 1e-9)
    if toes is not None:
        moved |= quat.angle(quat.multiply(toes, quat.conjugate(turned[:, sole.toes]))) > 1e-9
    return LimbChange(l, plants[0].limb, ankle + offset, turn, toes, ~np.isnan(goal[:, 0]), moved)


def _toes(
    clip: Clip, sole: Sole, plants: list[Plant], turn: Array, s: PlantsSettings, ups: dict[int, Array]
) -> tuple[Array | None, Array]:
    """The toes' turn ``(frames, 4)``, flat while the ball is down, else going with the foot; and the way from the ankle
    to the ball ``(frames, 3)``."""
    turned, placed = clip.model
    if sole.toes < 0:
        return None, quat.rotate(turn, sole.ball)
    q = turned[:, sole.ankle]
    toes = quat.multiply(quat.multiply(turn, quat.conjugate(q)), turned[:, sole.toes])
    if s.toes:
        lie = np.full((clip.frames, 3), np.nan)
        down = [(p, _mean_turn(toes[p.ball_from : p.last + 1], s.hold)) for p in plants if p.ball_from <= p.last]
        for p, held in _upright(down, sole.toes_up, ups):
            frames = slice(p.ball_from, p.last + 1)
            lie[frames] = quat.to_rotvec(quat.multiply(held, quat.conjugate(toes[frames])))
        toes = quat.multiply(quat.from_rotvec(eased(lie, *s.eases(clip.rate))), toes)
    arm = quat.rotate(quat.conjugate(q), placed[:, sole.toes] - placed[:, sole.ankle])
    return toes, quat.rotate(turn, arm) + quat.rotate(toes, sole.ball)


def _lift_clear(wanted: Array, turn: Array, q: Array, sole: Sole, plants: list[Plant], ups: dict[int, Array]) -> bool:
    """Where a foot rolls on its heel or ball and the other of the two would go into what it stands on, want it flat instead
    (in ``wanted``). Was there any?"""
    any_ = False
    for p in plants:
        on_heel = np.arange(p.first, min(p.ball_from, p.last + 1))
        on_ball = np.arange(max(p.heel_to + 1, p.ball_from), p.last + 1)
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
    return np.arange(p.ball_from, p.heel_to + 1)


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


def _as_ball(p: Plant, ankle: Array, heel_from: Array, ball_from: Array) -> Array:
    """Where the ball would be ``(frames of the plant, 3)`` if the point that bears stayed: while the foot is on its heel,
    as far from the heel as when it has come down."""
    span = np.arange(p.first, p.last + 1)
    on_ball = span >= p.ball_from
    out = ankle[span] + np.where(on_ball[:, None], ball_from[span], heel_from[span])
    if p.ball_from <= p.last:
        out[~on_ball] += ball_from[p.ball_from] - heel_from[p.ball_from]
    return np.asarray(out)


def eased(values: Array, ease_in: int, ease_out: int) -> Array:
    """A change that is given in spans ``(frames, n)`` (nan elsewhere), led to them from nothing and back to nothing over some
    frames, or straight from one to the next where they are closer: cubic, with continuous velocity; 0 elsewhere."""
    spans = contacts.spans(~np.isnan(values[:, 0]))
    out = np.where(np.isnan(values), 0.0, values)
    if not spans:
        return out
    still = np.zeros(values.shape[1])
    # From frame a to frame b: where it comes from and goes to, and how fast, a frame.
    bridges: list[tuple[int, int, Array, Array, Array, Array]] = []
    for i, (first, last) in enumerate(spans):
        speed_in = values[min(first + 1, last)] - values[first]
        speed_out = values[last] - values[max(last - 1, first)]
        after = spans[i + 1][0] if i + 1 < len(spans) else -1
        if after >= 0 and after - last < ease_in + ease_out:
            end = values[min(after + 1, spans[i + 1][1])] - values[after]
            bridges.append((last, after, values[last], speed_out, values[after], end))
        else:
            bridges.append((last, last + ease_out, values[last], speed_out, still, still))
        if not (i and first - spans[i - 1][1] < ease_in + ease_out):
            bridges.append((first - ease_in, first, still, still, values[first], speed_in))
    _fill(out, bridges)
    return out


def _fill(out: Array, bridges: list[tuple[int, int, Array, Array, Array, Array]]) -> None:
    """Fill the frames inside bridges with cubics (Hermite); what lies outside the clip is passed over."""
    inside = [np.arange(max(a + 1, 0), min(b, len(out))) for a, b, *_ in bridges]
    at = np.concatenate(inside)
    of = np.repeat(np.arange(len(bridges)), [len(x) for x in inside])
    ends = np.array([(a, b) for a, b, *_ in bridges], dtype=np.float64)[of]
    from_, leaving, to, arriving = (np.array([b[k] for b in bridges])[of] for k in range(2, 6))
    long = np.maximum(ends[:, 1] - ends[:, 0], 1.0)[:, None]
    out[at] = curves.hermite(from_, to, long * leaving, long * arriving, (at - ends[:, 0])[:, None] / long)


# All limbs together -------------------------------------------------------------------------------------------------


def solved(clip: Clip, rig: Rig, changes: list[LimbChange], s: PlantsSettings) -> Clip:
    """The clip with limbs brought to their goals: first the pelvis gives way, then the limbs bend. Frames at which nothing
    differs stay as they are, bit for bit."""
    sunk = _give_way(clip, rig, changes, s)
    moved = (sunk > 0) if sunk is not None else np.zeros(clip.frames, dtype=bool)
    for c in changes:
        moved |= c.moved
    at = np.flatnonzero(moved)
    if len(at) == 0:
        return clip
    posed = at_frames(clip.skeleton, clip.model, clip.rotations, at)
    pelvis = rig.joint("pelvis")
    translations = None
    if sunk is not None and pelvis >= 0:
        translations = sunk_clip(clip, posed, pelvis, at, sunk[at])
    for c in changes:
        reach(posed, c.limb, c.goal[at], rig.bend_side(c.name), softness=min(1 - s.reach / 100, _SOFT))
        end = c.limb.end
        change = quat.multiply(c.turn[at], quat.conjugate(posed.turned[:, end]))
        turn_about(posed, c.limb.beyond, posed.placed[:, end].copy(), change)
        posed.loose.add(end)
        if c.toes is not None:
            toes = rig.joint(f"{c.name.split()[0]} toes")
            change = quat.multiply(c.toes[at], quat.conjugate(posed.turned[:, toes]))
            turn_about(posed, np.array(clip.skeleton.below(toes)), posed.placed[:, toes].copy(), change)
            posed.loose |= {toes, *clip.skeleton.children[end]}
    return posed_clip(clip, posed, at, translations)


def _give_way(clip: Clip, rig: Rig, changes: list[LimbChange], s: PlantsSettings) -> Array | None:
    """How far the pelvis sinks ``(frames,)`` in metres so that planted legs reach their places; None where it need not."""
    wanted = [(c.limb, c.goal, c.held) for c in changes if c.name.endswith("foot")]
    need = giving_way(clip.model[1], wanted, s.reach / 100) * (s.share / 100)
    return widened(need, clip.rate, clip.loop) if need.max(initial=0.0) > 1e-9 else None
