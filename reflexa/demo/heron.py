"""The Heron: a wading bird with a long neck chain, wings, tail feathers, and legs that bend the other way."""

from __future__ import annotations

import numpy as np

from reflexa.demo import ik
from reflexa.demo.figure import SIDES, Place, skeleton_of
from reflexa.demo.pose import Making
from reflexa.motion import kinematics, quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip, Event
from reflexa.motion.skeleton import Skeleton

HEIGHT = 0.98
HIP, KNEE, ANKLE, BALL = (0.42, 0.0), (0.245, -0.085), (0.035, 0.005), (0.010, 0.062)  # (height, ahead)
HIP_X = 0.048
NECK = ((0.545, 0.150), (0.600, 0.185), (0.655, 0.190), (0.705, 0.168), (0.755, 0.150), (0.810, 0.152), (0.865, 0.172))


def positions() -> dict[str, tuple[str, Place]]:
    """Joint → (parent, place in rest), parents first, in metres."""
    out: dict[str, tuple[str, Place]] = {
        "ground": ("", (0, 0, 0)),
        "pelvis": ("ground", (0, 0.455, -0.02)),
        "back": ("pelvis", (0, 0.480, 0.045)),
        "breast": ("back", (0, 0.500, 0.105)),
    }
    above = "breast"
    for i, (y, z) in enumerate(NECK, 1):
        out[f"neck_{i}"] = (above, (0, y, z))
        above = f"neck_{i}"
    out["head"] = (above, (0, 0.915, 0.196))
    out["beak"] = ("head", (0, 0.922, 0.250))
    out["tail_1"] = ("pelvis", (0, 0.445, -0.105))
    out["tail_2"] = ("tail_1", (0, 0.425, -0.170))
    for side, s in SIDES:
        out[f"wing_1_{side}"] = ("breast", (s * 0.062, 0.525, 0.075))
        out[f"wing_2_{side}"] = (f"wing_1_{side}", (s * 0.088, 0.490, -0.035))
        out[f"wing_3_{side}"] = (f"wing_2_{side}", (s * 0.078, 0.455, -0.140))
        out[f"tail_feather_{side}"] = ("tail_1", (s * 0.030, 0.435, -0.165))
        for joint, parent, (y, z) in (
            ("upper_leg", "pelvis", HIP), ("lower_leg", f"upper_leg_{side}", KNEE), ("foot", f"lower_leg_{side}", ANKLE),
            ("toes", f"foot_{side}", BALL),
        ):  # fmt: skip
            out[f"{joint}_{side}"] = (parent, (s * HIP_X, y, z))
        out[f"hind_toe_{side}"] = (f"foot_{side}", (s * HIP_X, 0.010, -0.034))
    return out


def skeleton() -> Skeleton:
    """The Heron's skeleton: each joint's own -Z runs along its bone."""
    places = positions()
    straight = {"ground", *(f"foot_{s}" for s, _ in SIDES), *(f"toes_{s}" for s, _ in SIDES)}
    return skeleton_of(places, straight, (0.0, 0.0, -1.0), upright=("pelvis",))


def strut(skeleton: Skeleton) -> Clip:
    """Wading: slow high steps, the head held still in the world and then thrust on, as wading birds walk."""
    n, rate = 49, 30.0
    cycle = n - 1
    stride = 0.34
    t = np.arange(n) / cycle
    tau = 2 * np.pi
    rest_q, rest_p = skeleton.rest_model
    index, parents = skeleton.index, skeleton.parents
    delta = np.tile(quat.IDENTITY, (n, len(skeleton), 1))
    placed = np.zeros((n, len(skeleton), 3))
    ahead = stride * t
    placed[:, 0, 2] = ahead
    own: dict[str, Array] = {}

    def angles(x: Array | float = 0.0, y: Array | float = 0.0, z: Array | float = 0.0) -> Array:
        parts = np.broadcast_arrays(*(np.asarray(v, dtype=np.float64) for v in (z, y, x)), np.zeros(n))[:3]
        return quat.from_euler(np.radians(np.stack(parts, axis=-1)), "ZYX")

    own["pelvis"] = angles(3.0 * np.cos(2 * tau * t), 2.0 * np.sin(tau * t), 3.0 * np.cos(tau * t))
    # Twice a cycle the neck gives way while the body goes on, then throws the head to where it will be next.
    phase = np.mod(2 * t, 1.0)
    hold = np.where(phase < 0.72, phase / 0.72, 1 - (phase - 0.72) / 0.28)
    for i in range(1, len(NECK) + 1):
        bend = (17.0, 12.0, 4.0, -8.0, -14.0, -12.0, -6.0)[i - 1]
        own[f"neck_{i}"] = angles(bend * (0.5 - hold) * 1.5, 0.0, -0.5 * np.cos(tau * t))
    own["head"] = angles(4.0 * (hold - 0.5))
    own["tail_1"] = angles(5.0 * np.cos(2 * tau * (t - 0.1)), 4.0 * np.sin(tau * (t - 0.1)))
    own["tail_2"] = angles(6.0 * np.cos(2 * tau * (t - 0.16)), 5.0 * np.sin(tau * (t - 0.16)))
    for side, s in SIDES:
        own[f"wing_1_{side}"] = angles(1.5 * np.cos(2 * tau * (t - 0.1)), 0.0, s * 1.5 * np.cos(2 * tau * t))
        own[f"wing_2_{side}"] = angles(2.0 * np.cos(2 * tau * (t - 0.15)))
        own[f"tail_feather_{side}"] = angles(0.0, s * 4.0 * np.cos(2 * tau * (t - 0.2)))
    for j in range(1, len(skeleton)):
        name, p = skeleton.names[j], int(parents[j])
        if name.startswith(("lower_leg", "foot", "toes", "hind_toe")):
            continue
        delta[:, j] = quat.multiply(delta[:, p], own.get(name, np.array(quat.IDENTITY)))
        placed[:, j] = placed[:, p] + quat.rotate(delta[:, p], rest_p[j] - rest_p[p])
        if name == "pelvis":
            bob = np.stack(
                [0.010 * np.cos(tau * t), -0.014 + 0.006 * np.cos(2 * tau * (t - 0.1)), np.zeros(n)], axis=-1
            )
            placed[:, j] = placed[:, p] + rest_p[j] + bob
    for side, shift in (("left", 0.0), ("right", 0.5)):
        _leg(Making(skeleton, delta, placed), side, np.mod(t + shift, 1.0), stride, ahead)
    turned = quat.multiply(delta, rest_q)
    rotations, moved = kinematics.inverse(skeleton.parents, turned, placed)
    translations = np.tile(skeleton.rest_translations, (n, 1, 1))
    for name in ("ground", "pelvis"):
        translations[:, index[name]] = moved[:, index[name]]
    events = (Event(0, "step_left"), Event(cycle / 2, "step_right"))
    return Clip("strut", skeleton, quat.continuous(rotations), translations, rate, loop=True, events=events)


def _leg(figure: Making, side: str, phase: Array, stride: float, ahead: Array) -> None:
    """One leg: it stands for two thirds of the cycle, then is folded high and set down toes first."""
    skeleton, delta, placed = figure.skeleton, figure.delta, figure.placed
    index, rest_p = skeleton.index, skeleton.rest_model[1]
    stance = 0.66
    swing = np.clip((phase - stance) / (1 - stance), 0, 1)
    ease = swing**3 * (10 - 15 * swing + 6 * swing * swing)
    front = stride * stance / 2
    z = np.where(phase < stance, front - stride * phase, -front + 2 * front * ease)
    lift = 0.135 * np.sin(np.pi * np.clip(swing, 0, 1)) ** 2
    heel = np.where(
        phase < stance, 34.0 * np.clip((phase - 0.50) / (stance - 0.50), 0, 1) ** 2, 34.0 * (1 - swing) ** 2
    )
    droop = heel + 52.0 * np.sin(np.pi * swing) ** 2
    foot, toes = index[f"foot_{side}"], index[f"toes_{side}"]
    a = np.radians(np.where(phase < stance, heel, 0.0))
    arm = rest_p[foot] - rest_p[toes]
    # The heel comes up about the toes.
    y = arm[1] * np.cos(a) + (-arm[2]) * np.sin(a) + rest_p[toes][1]
    back = arm[2] * np.cos(a) + arm[1] * np.sin(a) + rest_p[toes][2] - rest_p[foot][2]
    last = np.radians(34.0)
    y_end = arm[1] * np.cos(last) + (-arm[2]) * np.sin(last) + rest_p[toes][1]
    back_end = arm[2] * np.cos(last) + arm[1] * np.sin(last) + rest_p[toes][2] - rest_p[foot][2]
    y = np.where(phase < stance, y, rest_p[foot][1] + (y_end - rest_p[foot][1]) * (1 - ease) + lift)
    back = np.where(phase < stance, back, back_end * (1 - ease))
    goal = np.stack([np.full_like(z, rest_p[foot][0]), y, rest_p[foot][2] + z + back], axis=-1)
    goal[:, 2] += ahead
    hip, knee = index[f"upper_leg_{side}"], index[f"lower_leg_{side}"]
    upper, lower = rest_p[knee] - rest_p[hip], rest_p[foot] - rest_p[knee]
    pole = np.tile([0.0, 0.0, -1.0], (len(z), 1))
    mid, end = ik.middle(
        placed[:, hip], goal, float(np.linalg.norm(upper)), float(np.linalg.norm(lower)), pole, softness=0.01
    )
    normal, rest_normal = np.cross(end - placed[:, hip], pole), np.cross(upper + lower, [0.0, 0.0, -1.0])
    for joint, rest, bone in ((hip, upper, mid - placed[:, hip]), (knee, lower, end - mid)):
        delta[:, joint] = ik.aimed(rest, np.cross(rest_normal, rest), bone, np.cross(normal, bone))
    placed[:, knee], placed[:, foot] = mid, end
    delta[:, foot] = quat.about(0, np.radians(droop))
    curled = np.where(phase < stance, 0.0, droop + 20.0 * np.sin(np.pi * swing) ** 2)
    for name, flat in ((f"toes_{side}", curled), (f"hind_toe_{side}", droop)):
        j = index[name]
        delta[:, j] = quat.about(0, np.radians(flat))
        placed[:, j] = placed[:, foot] + quat.rotate(delta[:, foot], rest_p[j] - rest_p[foot])
