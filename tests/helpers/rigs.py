"""Generated rigs and clips: random local axes, order of joints, proportions, poses and missing parts."""

from __future__ import annotations

import numpy as np
from scipy.spatial.transform import Rotation

from reflexa.motion import kinematics, quat
from reflexa.motion.clip import Clip, Event
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig, analyse

# Joint → (parent, place); sided joints are given for the left and reflected.
_CENTRE = {
    "hips": ("", (0, 1.0, 0)), "spine": ("hips", (0, 1.15, -0.01)), "chest": ("spine", (0, 1.35, 0)),
    "neck": ("chest", (0, 1.5, 0)), "head": ("neck", (0, 1.6, 0.02)), "tail": ("hips", (0, 0.95, -0.2)),
}  # fmt: skip
_SIDED = {
    "clavicle": ("chest", (0.04, 1.45, 0)), "upper_arm": ("clavicle", (0.18, 1.45, 0)),
    "forearm": ("upper_arm", (0.45, 1.45, 0)), "hand": ("forearm", (0.70, 1.45, 0)), "index_1": ("hand", (0.78, 1.45, 0.02)),
    "thigh": ("hips", (0.1, 0.92, 0)), "shin": ("thigh", (0.1, 0.5, 0.01)), "foot": ("shin", (0.1, 0.08, 0)),
    "toes": ("foot", (0.1, 0.02, 0.13)),
}  # fmt: skip
STYLES = (
    ("{}_l", "{}_r"),
    ("Left{}", "Right{}"),
    ("rig:{}.L", "rig:{}.R"),
    ("port {}", "starboard {}"),
    ("l{}", "r{}"),
)


def rig(
    seed: int, style: int = 0, uneven: float = 0.0, drop: tuple[str, ...] = (), *, arms_down: float = 0.0, spine: int = 2,
    proportions: int | None = None, extras: bool = False, scale: float = 1.0,
) -> Rig:  # fmt: skip
    """A symmetric rig with random local axes and joint order; ``uneven`` moves joints off their reflection (metres).

    arms_down: degrees that the arms hang below a T-pose. spine: number of spine joints. proportions: a seed of their
    own (else ``seed``). extras: a root joint on the ground, twist joints and helper joints for feet and hands.
    """
    rng = np.random.default_rng(seed)
    left, right = STYLES[style % len(STYLES)]
    shape = np.random.default_rng(seed if proportions is None else proportions).uniform(0.7, 1.4, 3)
    places: dict[str, tuple[str, np.ndarray]] = {n: (p, np.array(v, float)) for n, (p, v) in _CENTRE.items()}
    if spine != 2:
        for n in ("spine", "chest"):
            del places[n]
        above = "hips"
        for i in range(spine):
            name = "chest" if i == spine - 1 else f"spine_{i + 1}"
            places[name] = (above, np.array([0, 1.15 + 0.2 * i / max(spine - 1, 1), -0.005]))
            above = name
    down = Rotation.from_euler("z", -arms_down, degrees=True)
    shoulder = np.array(_SIDED["upper_arm"][1])
    for pattern, sign in ((left, 1.0), (right, -1.0)):
        title = str.capitalize if pattern[0] == "L" or pattern[0] == "R" else str
        for n, (p, v) in _SIDED.items():
            v = np.array(v, float)
            if n in ("forearm", "hand", "index_1"):
                v = shoulder + down.apply(v - shoulder)
            parent = pattern.format(title(p)) if p in _SIDED else p
            places[pattern.format(title(n))] = (parent, v * [sign, 1, 1] + rng.normal(0, uneven, 3))
        if extras:
            upper, hand, foot = (pattern.format(title(n)) for n in ("forearm", "hand", "foot"))
            places[pattern.format(title("forearm_twist"))] = (upper, (places[upper][1] + places[hand][1]) / 2)
            for n, j in (("ik_hand", hand), ("ik_foot", foot)):
                places[pattern.format(title(n))] = ("ground", places[j][1])
    if extras:
        places["hips"] = ("ground", places["hips"][1])
        places = {"ground": ("", np.zeros(3)), **places}
    gone = {n for n in places if any(d in n.lower() for d in drop)}
    names: list[str] = []
    waiting = [n for n in places if n not in gone]
    while waiting:  # any order in which parents come first
        ready = [n for n in waiting if not places[n][0] or places[n][0] in names]
        names.append(ready[rng.integers(len(ready))])
        waiting.remove(names[-1])
        waiting = [n for n in waiting if not places[n][0] or places[n][0] not in gone]
    parents = np.array([names.index(places[n][0]) if places[n][0] else -1 for n in names])
    placed = np.array([places[n][1] * shape * scale for n in names])
    turned = Rotation.random(len(names), random_state=seed).as_quat()
    q, t = kinematics.inverse(parents, turned[None], placed[None])
    return analyse(Skeleton(tuple(names), parents, q[0], t[0]))


def clip(rig: Rig, seed: int, frames: int = 7, moving: bool = False, rate: float = 30.0) -> Clip:
    """Random motion about rest; ``moving`` lets every joint's translation leave rest too."""
    rng = np.random.default_rng(seed)
    n = len(rig.skeleton)
    turns = quat.from_rotvec(rng.normal(0, 0.6, (frames, n, 3)))
    rotations = quat.multiply(rig.skeleton.rest_rotations, turns)
    translations = np.tile(rig.skeleton.rest_translations, (frames, 1, 1))
    translations[:, list(rig.skeleton.roots)] += rng.normal(0, 1, (frames, len(rig.skeleton.roots), 3))
    if moving:
        translations += rng.normal(0, 0.05, translations.shape)
    return Clip("made", rig.skeleton, quat.continuous(rotations), translations, rate, events=(Event(2, "step_left"),))


def silent(rig: Rig) -> Rig:
    """The same rig with names that say nothing."""
    s = rig.skeleton
    names = tuple(f"bone {i}" for i in range(len(s)))
    tips = {names[s.index[n]]: tip for n, tip in rig.tips.items()}
    return analyse(Skeleton(names, s.parents, s.rest_rotations, s.rest_translations), tips=tips)
