"""Clips made for the purpose, of the kinds that captures bring: a crawl, a cartwheel, stiff legs, and rigs of odd axes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.ndimage import gaussian_filter1d
from scipy.spatial.transform import Rotation

from quality.figure import Figure
from reflexa.demo.pose import RATE, Controls, build, degrees, hanging_arm, turn
from reflexa.motion import kinematics, quat
from reflexa.motion.clip import Clip
from reflexa.motion.cycle import repeated
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig, analyse
from reflexa.take import Segment
from reflexa.take.sequence import sequence

TAU = 2 * np.pi


def crawl(skeleton: Skeleton) -> Clip:
    """Straight ahead on hands and knees, two rounds."""
    n = 97
    phase = np.arange(n) / 48
    root = np.zeros((n, 3))
    speed = 0.5
    root[:, 2] = speed * np.arange(n) / RATE
    stride = speed * 48 / RATE
    pelvis = np.stack([0.02 * np.sin(TAU * phase), 0.53 + 0.01 * np.cos(2 * TAU * phase), np.zeros(n)], axis=-1)
    c = Controls(n, root, np.zeros(n), pelvis)
    c.turns["pelvis"] = degrees(n, 84.0, 0.0, 5.0 * np.sin(TAU * phase))
    for joint in ("spine_low", "spine_mid", "chest"):
        c.turns[joint] = degrees(n, 2.0, 0.0, -2.0 * np.sin(TAU * phase))
    c.turns["neck"] = degrees(n, -25.0)
    c.turns["head"] = degrees(n, -30.0, 6.0 * np.sin(TAU * phase))
    for side, s, shift in (("left", 1.0, 0.0), ("right", -1.0, 0.5)):
        p = np.mod(phase + shift, 1.0)
        way = np.where(p < 0.6, 0.5 - p / 0.6, -0.5 + _ease((p - 0.6) / 0.4)) * 0.6 * stride
        lift = np.where(p < 0.6, 0.0, np.sin(np.pi * np.clip((p - 0.6) / 0.4, 0, 1)) ** 2)
        foot = np.stack([np.full(n, s * 0.11), 0.13 + 0.04 * lift, -0.42 + way], axis=-1)
        c.feet[side] = foot, np.full(n, -78.0), np.zeros(n)
        c.toes[side] = np.full(n, 40.0)
        c.knees[side] = np.tile([0.0, -1.0, 0.35], (n, 1))
        q = np.mod(phase + shift + 0.5, 1.0)
        way = np.where(q < 0.6, 0.5 - q / 0.6, -0.5 + _ease((q - 0.6) / 0.4)) * 0.6 * stride
        lift = np.where(q < 0.6, 0.0, np.sin(np.pi * np.clip((q - 0.6) / 0.4, 0, 1)) ** 2)
        hand = np.stack([np.full(n, s * 0.17), 0.05 + 0.06 * lift, 0.56 + way], axis=-1)
        c.hands[side] = hand, np.tile([s * 0.4, 0.0, -1.0], (n, 1))
        c.hand_aim[side] = np.broadcast_to(quat.multiply(turn(0, -s * 90.0, 0), turn(0, 0, 0)), (n, 4))
    return build("crawl", c, skeleton)


def _ease(u: np.ndarray) -> np.ndarray:
    u = np.clip(u, 0, 1)
    return np.asarray(u**3 * (10 - 15 * u + 6 * u * u))


def cartwheel(skeleton: Skeleton) -> Clip:
    """Once round to the left, arms and legs stretched out, on hands and feet."""
    n = 61
    t = np.arange(n) / (n - 1)
    round_ = _ease(np.clip((t - 0.15) / 0.7, 0, 1))
    c = Controls(n, np.zeros((n, 3)), np.zeros(n), np.stack([2.0 * round_, np.full(n, 0.9), np.zeros(n)], axis=-1))
    c.turns["pelvis"] = degrees(n, 4.0, 0.0, -360.0 * round_)
    wide = np.sin(np.pi * round_) ** 0.5
    arms = {}
    for side, s in (("left", 1.0), ("right", -1.0)):
        c.turns[f"thigh_{side}"] = degrees(n, -6.0, 0.0, s * (4 + 30 * wide))
        c.turns[f"shin_{side}"] = degrees(n, 10.0 - 4 * wide)
        c.turns[f"clavicle_{side}"] = degrees(n, 0.0, 0.0, s * 14.0 * wide)
        arms[f"upper_arm_{side}"] = quat.multiply(turn(0, 0, s * 0.0), hanging_arm(side, 20 + 130 * wide, 8.0))
        c.turns[f"forearm_{side}"] = degrees(n, 0.0, -s * 10.0)
    made = build("cartwheel", c, skeleton, turns=arms)
    lowest = made.model[1][..., 1].min(axis=1)
    lift = gaussian_filter1d(0.03 - lowest, 1.5, mode="nearest")
    translations = np.array(made.translations)
    translations[:, skeleton.index["pelvis"], 1] += lift
    return replace(made, translations=translations)


def stiff(clip: Clip, skeleton: Skeleton, seed: int = 5) -> Clip:
    """Standing on all but straight legs at 120 frames a second, swaying, with the noise of a capture."""
    n = 480
    rng = np.random.default_rng(seed)
    first = clip.cut(0, 0)
    rotations = np.tile(first.rotations, (n, 1, 1))
    translations = np.tile(first.translations, (n, 1, 1))
    sway = 3.0 * np.sin(TAU * np.arange(n) / 240)
    index = skeleton.index
    for side in ("left", "right"):
        bend = 2.5 + 1.2 * np.sin(TAU * np.arange(n) / 160 + (side == "left"))
        for joint, x, z in (
            (f"thigh_{side}", -bend / 2, sway),
            (f"shin_{side}", bend, 0 * bend),
            (f"foot_{side}", -bend / 2, -sway),
        ):
            change = Rotation.from_euler("xz", np.stack([x, z], axis=-1), degrees=True).as_quat()
            rest = skeleton.rest_model[0]
            own = quat.multiply(quat.multiply(quat.conjugate(rest[index[joint]]), change), rest[index[joint]])
            rotations[:, index[joint]] = quat.multiply(skeleton.rest_rotations[index[joint]], own)
    for joint in ("root", "pelvis"):
        rotations[:, index[joint]] = skeleton.rest_rotations[index[joint]]
        translations[:, index[joint]] = skeleton.rest_translations[index[joint]]
    noise = gaussian_filter1d(rng.normal(0, np.radians(0.25), (n, len(skeleton), 3)), 1.0, axis=0)
    rotations = quat.multiply(rotations, quat.from_rotvec(noise))
    return Clip("stiff legs", skeleton, quat.continuous(rotations), translations, 120.0)


def odd(clip: Clip, rig: Rig, seed: int = 3) -> tuple[Clip, Rig]:
    """The same motion on a rig without skin whose joints have axes of any orientation."""
    s = clip.skeleton
    axes = Rotation.random(len(s), random_state=seed).as_quat()
    turned, placed = clip.model
    q, t = kinematics.inverse(s.parents, quat.multiply(turned, axes), placed)
    rest_q, rest_p = s.rest_model
    rq, rt = kinematics.inverse(s.parents, quat.multiply(rest_q, axes)[None], rest_p[None])
    skeleton = Skeleton(s.names, s.parents, rq[0], rt[0])
    return Clip(f"{clip.name}, odd axes", skeleton, quat.continuous(q), t, clip.rate, loop=clip.loop), analyse(skeleton)


def joined(walk: Figure) -> Clip:
    """Two walks in a row, cut where a foot strikes and crossfaded there: as one."""
    long = repeated(walk.clip, walk.rig.travel_joint, 2)
    known = lambda file, clip: (long, walk.rig)  # noqa: E731
    segments = [Segment("", "", last=38), Segment("", "", first=13, crossfade=8)]
    return replace(sequence(segments, known, "two walks joined")[0], loop=False)
