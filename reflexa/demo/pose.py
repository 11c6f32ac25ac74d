"""From a handful of controls to a whole body: what the demo's clips are made with.

Every rotation here is a change from rest in the figure's own axes (x: to its left, y: up, z: ahead), so a positive x
leans forward, a positive y turns to the left, a positive z raises the left side.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from reflexa.demo import deckhand, ik
from reflexa.motion import kinematics, quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip, Event
from reflexa.motion.skeleton import Skeleton

AHEAD = np.array([0.0, 0.0, 1.0])


@dataclass
class Controls:
    """All arrays over frames. Angles in degrees, places in metres relative to the root joint.

    turns: joint → rotation vector ``(frames, 3)``. feet: side → (ankle place, pitch with toes up positive, yaw).
    hands: side → (wrist place, elbow direction), for hands that reach; others hang on ``turns``.
    """

    frames: int
    root: Array
    heading: Array
    pelvis: Array
    turns: dict[str, Array] = field(default_factory=dict)
    feet: dict[str, tuple[Array, Array, Array]] = field(default_factory=dict)
    toes: dict[str, Array] = field(default_factory=dict)
    hands: dict[str, tuple[Array, Array]] = field(default_factory=dict)
    hand_aim: dict[str, Array] = field(default_factory=dict)
    knees: dict[str, Array] = field(default_factory=dict)


def turn(x: Array | float, y: Array | float, z: Array | float) -> Array:
    """A rotation of degrees about x, then y, then z, as quaternions ``(…, 4)``."""
    x, y, z = np.broadcast_arrays(*(np.asarray(v, dtype=np.float64) for v in (x, y, z)))
    return quat.from_euler(np.radians(np.stack([z, y, x], axis=-1)), "ZYX")


def degrees(frames: int, x: Array | float = 0.0, y: Array | float = 0.0, z: Array | float = 0.0) -> Array:
    """Columns for ``Controls.turns``: angles ``(frames, 3)``."""
    return np.stack([np.broadcast_to(np.asarray(v, dtype=np.float64), (frames,)) for v in (x, y, z)], axis=-1)


def hanging_arm(side: str, out: Array | float, swing: Array | float) -> Array:
    """Quaternions of an upper arm taken down from the T-pose to ``out`` degrees off the body and swung forward."""
    s = 1.0 if side == "left" else -1.0
    down = turn(0.0, 0.0, -s * (90.0 - np.asarray(out, dtype=np.float64)))
    return quat.multiply(turn(-np.asarray(swing, dtype=np.float64), 0.0, 0.0), down)


def elbow(side: str, flex: Array | float, twist: Array | float = 0.0) -> Array:
    """Quaternions of a bent elbow (degrees), the forearm turned by ``twist`` first."""
    s = 1.0 if side == "left" else -1.0
    return quat.multiply(turn(0.0, -s * np.asarray(flex, dtype=np.float64), 0.0), turn(twist, 0.0, 0.0))


def fist(side: str, curl: float) -> dict[str, Array]:
    """Finger rotations (as angles) for a hand closed by ``curl`` (0 open, 1 a fist)."""
    s = 1.0 if side == "left" else -1.0
    out: dict[str, Array] = {}
    for i, finger in enumerate(deckhand.FINGERS):
        for n, most in enumerate((62.0, 78.0, 55.0), 1):
            spread = s * (1.5 - i) * 3.0 * (1 - curl) if n == 1 else 0.0
            out[f"{finger}_{n}_{side}"] = np.array([0.0, -spread, -s * (most * curl + 8.0)])
    for n, (x, y) in enumerate(((18.0, 12.0), (0.0, 25.0), (0.0, 30.0)), 1):
        out[f"thumb_{n}_{side}"] = np.array([x * curl, s * y * curl, -s * 18.0 * curl])
    return out


RATE = 30.0


def build(name: str, c: Controls, skeleton: Skeleton, loop: bool = False,
          turns: Mapping[str, Array] | None = None, events: tuple[Event, ...] = ()) -> Clip:  # fmt: skip
    """A clip of the Deckhand from controls. turns: joint → quaternions ``(frames, 4)``, for what angles say badly."""
    index = skeleton.index
    rest_q, rest_p = skeleton.rest_model
    parents = skeleton.parents
    own = {j: turn(*np.moveaxis(np.broadcast_to(v, (c.frames, 3)), -1, 0)) for j, v in c.turns.items()}
    own |= {j: np.broadcast_to(q, (c.frames, 4)) for j, q in (turns or {}).items()}
    delta = np.tile(quat.IDENTITY, (c.frames, len(skeleton), 1))
    placed = np.zeros((c.frames, len(skeleton), 3))

    def settle(joint: str) -> None:
        i = index[joint]
        p = int(parents[i])
        mine = own.get(joint)
        delta[:, i] = delta[:, p] if mine is None else quat.multiply(delta[:, p], mine)
        placed[:, i] = placed[:, p] + quat.rotate(delta[:, p], rest_p[i] - rest_p[p])

    delta[:, 0] = quat.about(1, np.radians(c.heading))
    placed[:, 0] = c.root
    reaching = {f"{part}_{s}" for s in c.hands for part in ("upper_arm", "forearm")}
    stepping = {f"{part}_{s}" for s in c.feet for part in ("thigh", "shin", "foot", "toes")}

    def to_world(v: Array) -> Array:
        return placed[:, 0] + quat.rotate(delta[:, 0], v)

    for joint in skeleton.names[1:]:
        i = index[joint]
        if joint == "pelvis":
            delta[:, i] = quat.multiply(delta[:, 0], own.get("pelvis", np.array(quat.IDENTITY)))
            placed[:, i] = to_world(c.pelvis)
        elif joint.startswith(("foot_mark", "hand_mark")):
            follow = index[joint.replace("_mark", "")]
            delta[:, i], placed[:, i] = delta[:, follow], placed[:, follow]
        elif joint.split("_")[0] == "thigh" and joint in stepping:
            side = joint.split("_")[1]
            ankle, pitch, yaw = c.feet[side]
            settle(joint)
            pole = c.knees.get(side, np.broadcast_to(AHEAD, (c.frames, 3)))
            _limb(Making(skeleton, delta, placed), (f"thigh_{side}", f"shin_{side}", f"foot_{side}"),
                  to_world(ankle), quat.rotate(delta[:, 0], pole), AHEAD)  # fmt: skip
            foot, toes = index[f"foot_{side}"], index[f"toes_{side}"]
            delta[:, foot] = quat.multiply(delta[:, 0], turn(-pitch, yaw, 0.0))
            settle(f"toes_{side}")
            delta[:, toes] = quat.multiply(delta[:, foot], turn(-c.toes.get(side, np.zeros(c.frames)), 0.0, 0.0))
        elif joint.startswith("upper_arm") and joint in reaching:
            side = joint.removeprefix("upper_arm_")
            wrist, aim = c.hands[side]
            settle(joint)
            _limb(Making(skeleton, delta, placed), (joint, f"forearm_{side}", f"hand_{side}"),
                  to_world(wrist), quat.rotate(delta[:, 0], aim), -AHEAD)  # fmt: skip
            delta[:, index[f"hand_{side}"]] = delta[:, index[f"forearm_{side}"]]
            if side in c.hand_aim:
                delta[:, index[f"hand_{side}"]] = quat.multiply(delta[:, 0], c.hand_aim[side])
        elif joint not in reaching | stepping and not (
            joint.startswith("hand_") and joint.removeprefix("hand_") in c.hands
        ):
            settle(joint)
    turned = quat.multiply(delta, rest_q)
    rotations, translations = kinematics.inverse(skeleton.parents, turned, placed)
    # Bone lengths are the rig's: only root, pelvis and the helper joints really move.
    free = [index[j] for j in skeleton.names if j in ("root", "pelvis") or "_mark_" in j]
    exact = np.tile(skeleton.rest_translations, (c.frames, 1, 1))
    exact[:, free] = translations[:, free]
    return Clip(name, skeleton, quat.continuous(rotations), exact, RATE, loop=loop, events=events)


@dataclass(eq=False)
class Making:
    """A figure in the making: how joints are turned from rest ``(frames, joints, 4)`` and where they are, filled in joint by
    joint."""

    skeleton: Skeleton
    delta: Array
    placed: Array


def _limb(figure: Making, joints: tuple[str, str, str], target: Array, pole: Array, rest_pole: Array) -> None:
    """Fill the upper and lower bone of a limb so that its end comes to ``target``."""
    skeleton, delta, placed = figure.skeleton, figure.delta, figure.placed
    a, b, e = (skeleton.index[j] for j in joints)
    rest_p = skeleton.rest_model[1]
    upper, lower = rest_p[b] - rest_p[a], rest_p[e] - rest_p[b]
    mid, end = ik.middle(
        placed[:, a], target, float(np.linalg.norm(upper)), float(np.linalg.norm(lower)), pole, softness=0.01
    )
    placed[:, b], placed[:, e] = mid, end
    # Both bones turn in the plane of the bend: taking the pole itself for a side would flip a bone that passes it.
    rest_normal = np.cross(upper + lower, rest_pole)
    normal = np.cross(end - placed[:, a], pole)
    for joint, rest, bone in ((a, upper, mid - placed[:, a]), (b, lower, end - mid)):
        delta[:, joint] = ik.aimed(rest, np.cross(rest_normal, rest), bone, np.cross(normal, bone))
