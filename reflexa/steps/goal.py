"""Goals: a hand, foot, head or chain brought to a place on the stage, a prop's grip, another joint or a keyed target."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import msgspec
import numpy as np
from msgspec import Meta

from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.motion.limbs import Posed, at_frames, limb, look, posed_clip, reach, reach_chain, swing, turn_about
from reflexa.motion.arrays import Array, Vector
from reflexa.rig import Rig
from reflexa.rig.soles import soles
from reflexa.stage import Stage
from reflexa.stage.model import between_keys, grip_track, turn_of
from reflexa.steps.helper_joints import follow
from reflexa.steps.model import Around, Settings, Step, StepKind

Frame = Annotated[int, Meta(ge=-10_000_000, le=10_000_000)]


class Reach(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """When a goal acts: from ``start`` on it is neared, from ``at`` on it is held, until ``until``; at ``end`` it is let go."""

    start: Frame
    at: Frame
    until: Frame
    end: Frame

    def __post_init__(self) -> None:
        if not self.start <= self.at <= self.until <= self.end:
            raise ValueError("start, at, until and end of a reach do not rise")


class TargetKey(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Where a target moved by hand is at a frame: place in metres, turn in degrees (about y, x, z)."""

    frame: Annotated[int, Meta(ge=0, le=10_000_000)]
    place: Vector
    turn: Vector = (0.0, 0.0, 0.0)


class GoalSettings(Settings, frozen=True):
    limb: Annotated[
        str,
        Meta(
            title="What",
            description="left hand, right hand, left foot, right foot, the last joint of a chain; head, or a joint on it such as "
            "an eye, looks at the goal.",
            extra={"choose": "limb"},
        ),
    ] = "right hand"  # fmt: skip
    to: Annotated[
        Literal["point", "grip", "joint", "keyed"],
        Meta(title="Goes to", description="A place on the stage, a prop's grip, another joint, or a target with keys."),
    ] = "point"  # fmt: skip
    point: Annotated[
        Vector, Meta(title="Place", description="x, y, z on the stage.", extra={"unit": "m", "when": {"to": "point"}})
    ] = (0.0, 1.0, 0.5)  # fmt: skip
    turn: Annotated[
        Vector,
        Meta(title="Turn", description="Of the target, about y, x, z.", extra={"unit": "°", "when": {"to": "point"}}),
    ] = (0.0, 0.0, 0.0)  # fmt: skip
    prop: Annotated[
        str, Meta(title="Prop", description="Of the stage.", extra={"choose": "prop", "when": {"to": "grip"}})
    ] = ""
    grip: Annotated[
        str, Meta(title="Grip", description="Empty: the prop's own place.", extra={"choose": "grip", "when": {"to": "grip"}})
    ] = ""  # fmt: skip
    joint: Annotated[
        str, Meta(title="Joint", description="Of this rig.", extra={"choose": "joint", "when": {"to": "joint"}})
    ] = ""
    keys: Annotated[
        tuple[TargetKey, ...],
        Meta(title="Target keys", description="Frame, place and turn; even between.", extra={"when": {"to": "keyed"}}),
    ] = ()
    offset: Annotated[
        Vector, Meta(title="Offset", description="x, y, z in the target's own axes.", extra={"unit": "cm"})
    ] = (0.0, 0.0, 0.0)  # fmt: skip
    meets: Annotated[
        Literal["palm or sole", "joint"],
        Meta(
            title="Meets it with", description="The middle of the palm or sole, or the wrist or ankle itself.",
        ),
    ] = "palm or sole"  # fmt: skip
    place: Annotated[
        bool, Meta(title="Place", description="The limb comes to the target; off: it only takes its direction.")
    ] = True
    direction: Annotated[
        Literal["as it is", "kept to the target", "as set"],
        Meta(
            title="Direction",
            description="as it is: turned as before. kept to the target: as it stands to the target when it gets there. "
            "as set: as in the neutral pose in the target's axes, turned by what follows.",
        ),
    ] = "as it is"  # fmt: skip
    set_turn: Annotated[
        Vector,
        Meta(title="Turned by", description="About y, x, z of the target.", extra={"unit": "°", "when": {"direction": "as set"}}),
    ] = (0.0, 0.0, 0.0)  # fmt: skip
    swing: Annotated[
        float,
        Meta(
            title="Elbow or knee", ge=-180, le=180, description="Swung about the line from shoulder or hip to the end.",
            extra={"unit": "°"},
        ),
    ] = 0.0  # fmt: skip
    reaches: Annotated[
        tuple[Reach, ...],
        Meta(title="When", description="Start, at, until, end in frames; none: all the time."),
    ] = ()  # fmt: skip
    soft: Annotated[
        float,
        Meta(title="Soft within", ge=0, le=20, description="Nearly stretched limbs slow down, so that they do not snap straight.",
             extra={"unit": "% limb"}),
    ] = 1.0  # fmt: skip
    neck: Annotated[
        float, Meta(title="Neck's share", ge=0, le=100, description="Of what the head turns to look.",
             extra={"unit": "%", "when": {"limb": "head"}})
    ] = 35.0  # fmt: skip
    spine: Annotated[
        float, Meta(title="Spine's share", ge=0, le=100, description="Of what the head turns to look.",
             extra={"unit": "%", "when": {"limb": "head"}})
    ] = 15.0  # fmt: skip
    most: Annotated[
        float,
        Meta(title="Turns at most", ge=1, le=180, description="The head looks no further aside than this.",
             extra={"unit": "°", "when": {"limb": "head"}}),
    ] = 80.0  # fmt: skip


@dataclass(frozen=True, eq=False)
class Target:
    """Where a goal is over a clip: turns ``(frames, 4)`` and places ``(frames, 3)``; weight ``(frames,)`` of the reaches."""

    turn: Array
    place: Array
    weight: Array


def target_of(clip: Clip, settings: GoalSettings, stage: Stage) -> Target:
    """Where the goal is. Raises RecipeError where its prop, grip or joint is not there."""
    s, n = settings, clip.frames
    if s.to == "grip":
        prop = stage.prop(s.prop)
        if prop is None:
            known = ", ".join(p.name for p in stage.props)
            raise RecipeError(
                f"there is no prop {s.prop!r} on the stage" if s.prop else "no prop is chosen",
                advice=f"On the stage: {known}." if known else "Put one on the stage first.",
            )
        q, p = grip_track(prop, s.grip, clip)
    elif s.to == "joint":
        if s.joint not in clip.skeleton.index:
            raise RecipeError(f"the rig has no joint {s.joint!r}" if s.joint else "no joint to go to is chosen")
        j = clip.skeleton.index[s.joint]
        q, p = clip.model[0][:, j], clip.model[1][:, j]
    elif s.to == "keyed" and s.keys:
        turns, p = between_keys(sorted(s.keys, key=lambda k: k.frame), np.arange(n))
        q = turn_of(turns)
    else:
        if not np.all(np.isfinite([*s.point, *s.turn])):
            raise RecipeError("the goal's place is no finite number")
        q, p = np.tile(turn_of(s.turn), (n, 1)), np.tile(np.array(s.point), (n, 1))
    return Target(q, p + quat.rotate(q, np.array(s.offset) / 100), weight_of(s.reaches, n))


def weight_of(reaches: tuple[Reach, ...], frames: int) -> Array:
    """How much a goal acts at each frame ``(frames,)``: 0 → 1 → 0 for each reach, with soft ends; all the time for none."""
    if not reaches:
        return np.ones(frames)
    at, out = np.arange(frames), np.zeros(frames)
    for r in reaches:
        up = np.clip((at - r.start) / max(r.at - r.start, 1e-9), 0, 1) if r.at > r.start else (at >= r.at) * 1.0
        down = np.clip((r.end - at) / max(r.end - r.until, 1e-9), 0, 1) if r.end > r.until else (at <= r.until) * 1.0
        u = np.minimum(up, down)
        out = np.maximum(out, u**3 * (10 - 15 * u + 6 * u * u))
    return np.asarray(out)


def meets_with(rig: Rig, settings: GoalSettings) -> Array:
    """The point that meets the goal, in the end joint's own axes ``(3,)`` metres: palm, sole, or the joint itself."""
    joint = _end(rig, settings.limb)
    side, _, part = settings.limb.partition(" ")
    if settings.meets == "joint" or part not in ("hand", "foot"):
        return np.zeros(3)
    if part == "foot":
        sole = soles(rig).get(side)
        if sole is None:
            return np.zeros(3)
        flat = sole.points(*(a[None] for a in rig.neutral.rest_model))
        turned, placed = rig.neutral.rest_model
        return quat.rotate(quat.conjugate(turned[joint]), (flat[0][0] + flat[1][0]) / 2 - placed[joint])
    turned, placed = rig.neutral.rest_model
    knuckles = [
        rig.skeleton.index[names[0]] for f in ("index finger", "middle finger", "ring finger", "little finger")
        if (names := rig.body_map.get(f"{side} {f}", ()))
    ]  # fmt: skip
    if knuckles:
        return quat.rotate(quat.conjugate(turned[joint]), 0.75 * (placed[knuckles].mean(axis=0) - placed[joint]))
    tip = rig.tips.get(rig.skeleton.names[joint])
    return np.zeros(3) if tip is None else 0.4 * tip


def _end(rig: Rig, name: str) -> int:
    """The joint that a limb's name stands for. Raises RecipeError where the rig has none."""
    joint = rig.joint_called(name)
    if joint < 0:
        raise RecipeError(
            f"the rig has no {name!r}", advice="Say in the Figure view which joint it is, or choose another."
        )
    return joint


def goal(clip: Clip, rig: Rig, settings: GoalSettings, stage: Stage) -> Clip:
    """The clip with a limb at its goal. Raises RecipeError where the limb, the prop or the joint is not there."""
    s = settings
    joint = _end(rig, s.limb)
    target = target_of(clip, s, stage)
    at = np.flatnonzero(target.weight > 0)
    if len(at) == 0:
        return clip
    posed = at_frames(clip.skeleton, clip.model, clip.rotations, at)
    weight = target.weight[at]
    joints = rig.limb(s.limb)
    line = rig.chain_to(clip.skeleton.names[joint])
    if looks(rig, s.limb):
        _look(posed, rig, joint, target.place[at], weight, s)
    elif joints is None and not line:
        raise RecipeError(
            f"{s.limb!r} ends neither a limb nor a chain", advice="Choose a hand, foot, head or chain's end."
        )
    else:
        turn = _wanted_turn(clip, rig, joint, target, s)[at]
        turn = quat.slerp(posed.turned[:, joint], turn, weight)
        if s.place:
            wanted = target.place[at] - quat.rotate(turn, meets_with(rig, s))
            wanted = posed.placed[:, joint] + weight[:, None] * (wanted - posed.placed[:, joint])
            if joints is not None:
                l = limb(clip.skeleton, *joints)
                reach(posed, l, wanted, rig.bend_side(s.limb), softness=s.soft / 100)
                if s.swing:
                    swing(posed, l, np.radians(s.swing) * weight)
            else:
                reach_chain(posed, line, wanted)
        below = np.array(clip.skeleton.below(joint))
        change = quat.multiply(turn, quat.conjugate(posed.turned[:, joint]))
        turn_about(posed, below, posed.placed[:, joint].copy(), change)
        posed.loose.add(joint)
    return follow(clip, posed_clip(clip, posed, at), rig)


def _wanted_turn(clip: Clip, rig: Rig, joint: int, target: Target, s: GoalSettings) -> Array:
    """The end's turn in model space ``(frames, 4)`` at full weight."""
    now = clip.model[0][:, joint]
    if s.direction == "as it is":
        return now
    if s.direction == "as set":
        return quat.multiply(quat.multiply(target.turn, turn_of(s.set_turn)), rig.neutral.rest_model[0][joint])
    out = np.array(now)
    spans = [(r.start, r.at, r.end) for r in s.reaches] or [(0, 0, clip.frames - 1)]
    for start, at, end in spans:
        when = int(np.clip(at, 0, clip.frames - 1))
        held = quat.multiply(quat.conjugate(target.turn[when]), now[when])
        span = slice(max(start, 0), max(end + 1, 0))
        out[span] = quat.multiply(target.turn[span], held)
    return out


def _look(posed: Posed, rig: Rig, head: int, place: Array, weight: Array, s: GoalSettings) -> None:
    """Turn head, neck and spine so that the head looks at a place, by as much as it acts and no further than is allowed."""
    ahead = _ahead(rig, head)
    now = quat.rotate(posed.turned[:, head], ahead)
    eyes = posed.placed[:, head]
    whole = quat.between(now, place - eyes)
    angle = quat.angle(whole)
    part = weight * np.minimum(1.0, np.radians(s.most) / np.maximum(angle, 1e-9))
    aim = eyes + quat.rotate(quat.scaled(whole, part), now) * np.linalg.norm(place - eyes, axis=-1, keepdims=True)
    skeleton = posed.skeleton
    parts = []
    for name, share in (("spine", s.spine), ("neck", s.neck)) if s.limb == "head" else ():
        joints = [k for n in rig.body_map.get(name, ()) if head in skeleton.below(k := skeleton.index[n]) and k != head]
        parts += [(k, share / 100 / len(joints)) for k in joints]
    look(posed, [*(k for k, _ in parts), head], _of_what_is_left([share for _, share in parts]), ahead, aim)


def looks(rig: Rig, limb: str) -> bool:
    """Does a goal of this limb mean to look at it: the head, or a joint on the head such as an eye?"""
    head = rig.joint("head")
    if limb == "head" or head < 0:
        return limb == "head"
    joint = rig.skeleton.index.get(limb, -1)
    return joint >= 0 and joint != head and joint in rig.skeleton.below(head) and not rig.chain_to(limb)


def _ahead(rig: Rig, joint: int) -> Array:
    """The figure's forward in a joint's own axes ``(3,)`` unit: the way that a head or eye looks."""
    return quat.rotate(quat.conjugate(rig.neutral.rest_model[0][joint]), rig.facing)


def _of_what_is_left(shares: list[float]) -> list[float]:
    """Shares of the whole as shares of what those before have left, which is what each joint turns by."""
    out, left = [], 1.0
    for share in shares:
        out.append(min(share / left, 1.0) if left > 1e-9 else 0.0)
        left -= share
    return out


def distance(clip: Clip, rig: Rig, settings: GoalSettings, stage: Stage) -> tuple[Array, Array]:
    """How far the limb is from its goal ``(frames,)`` in metres (for a head that looks: in radians), and how much the goal
    acts ``(frames,)``. Raises RecipeError as ``goal`` does."""
    joint = _end(rig, settings.limb)
    target = target_of(clip, settings, stage)
    turned, placed = clip.model[0][:, joint], clip.model[1][:, joint]
    if looks(rig, settings.limb):
        now = quat.rotate(turned, _ahead(rig, joint))
        return quat.angle(quat.between(now, target.place - placed)), target.weight
    meets = placed + quat.rotate(turned, meets_with(rig, settings))
    return np.asarray(np.linalg.norm(target.place - meets, axis=-1)), target.weight


def _goal(clip: Clip, rig: Rig, step: Step, around: Around) -> Clip:
    assert isinstance(step.settings, GoalSettings)
    return goal(clip, rig, step.settings, around.stage)


GOAL = StepKind(
    "goal",
    "Goal",
    "Bring a hand, foot, head or chain to a place on the stage, a prop's grip, another joint or a target of its own.",
    GoalSettings,
    draws=_goal,
    reads=lambda _, around: [around.stage.digest],
)
