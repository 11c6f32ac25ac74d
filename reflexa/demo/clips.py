"""The Deckhand's clips: walks, lantern idle, rope haul, stepping up onto the jetty. 30 frames a second."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.interpolate import CubicSpline, PchipInterpolator

from reflexa.demo import deckhand
from reflexa.demo.pose import RATE, Controls, build, degrees, elbow, fist, hanging_arm, turn
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip, Event
from reflexa.motion.cycle import repeated
from reflexa.motion.skeleton import Skeleton

ANKLE = deckhand.FRACTION["ankle height"] * deckhand.STATURE
HIP_X = deckhand.FRACTION["half hip width"] * deckhand.STATURE
PELVIS = 0.55 * deckhand.STATURE
TAU = 2 * np.pi
STANCE = 0.6  # share of the cycle that a foot stands; see the test for the published gait timing
CYCLE = 32  # frames
SPEED = 1.28  # m/s


def _pitched(contact_z: Array, pitch: Array) -> tuple[Array, Array]:
    """Ankle (z, y) of a foot that stands on its heel (toes up) or its ball (heel up) at ``contact_z``.

    contact_z is where the ankle would be with the foot flat.
    """
    a = np.radians(pitch)
    heel = np.stack([np.full_like(a, -deckhand.HEEL_BACK), np.full_like(a, -ANKLE)], axis=-1)
    ball = np.stack([np.full_like(a, deckhand.BALL_AHEAD), np.full_like(a, deckhand.BALL_HEIGHT - ANKLE)], axis=-1)
    pivot = np.where((a >= 0)[:, None], heel, ball)
    height = np.where(a >= 0, 0.0, deckhand.BALL_HEIGHT)
    # z ahead, y up; toes up turns ahead towards up
    z = pivot[:, 0] * np.cos(a) - pivot[:, 1] * np.sin(a)
    y = pivot[:, 0] * np.sin(a) + pivot[:, 1] * np.cos(a)
    return contact_z + pivot[:, 0] - z, height - y


def _stance_pitch(phase: Array) -> Array:
    knots = [0.0, 0.06, 0.12, 0.34, 0.46, 0.54, 0.60]
    return np.asarray(PchipInterpolator(knots, [20.0, 9.0, 0.0, 0.0, -13.0, -31.0, -50.0])(phase))


def _walk_foot(phase: Array) -> tuple[Array, Array, Array]:
    """Ankle (z, y) relative to the root and pitch in degrees over the cycle, for a foot that strikes at phase 0."""
    stride = SPEED * CYCLE / RATE
    strike = 0.285 * stride

    def stance(p: Array) -> tuple[Array, Array, Array]:
        pitch = _stance_pitch(p)
        z, y = _pitched(strike - stride * p, pitch)
        return z, y, pitch

    p = np.mod(phase, 1.0)
    z, y, pitch = stance(np.minimum(p, STANCE))
    h = 1e-4
    (z0, y0, _), (z0b, y0b, _) = stance(np.array([STANCE])), stance(np.array([STANCE - h]))
    (z1, y1, _), (z1b, y1b, _) = stance(np.array([0.0])), stance(np.array([h]))
    leave = float(z0[0] - z0b[0]) / h, float(y0[0] - y0b[0]) / h
    land = float(z1b[0] - z1[0]) / h, float(y1b[0] - y1[0]) / h
    times = [STANCE, 0.70, 0.84, 1.0]
    zs = CubicSpline([STANCE, 0.78, 1.0], [z0[0], 0.02, z1[0]], bc_type=((1, leave[0]), (1, land[0])))  # type: ignore[arg-type]
    ys = CubicSpline(times, [y0[0], 0.215, 0.118, y1[0]], bc_type=((1, leave[1]), (1, min(land[1], -0.1))))  # type: ignore[arg-type]
    pitches = PchipInterpolator([STANCE, 0.66, 0.76, 0.86, 0.94, 1.0], [-50.0, -57.0, -26.0, 6.0, 19.0, 20.0])
    swing = p > STANCE
    return np.where(swing, zs(p), z), np.where(swing, ys(p), y), np.where(swing, pitches(p), pitch)


def walk(skeleton: Skeleton, travelling: bool) -> Clip:
    """One cycle of an easy walk with its closing frame; on the spot, or with the root travelling."""
    n = CYCLE + 1
    phase = np.arange(n) / CYCLE
    c1, s1 = np.cos(TAU * phase), np.sin(TAU * phase)
    bob = np.cos(2 * TAU * (phase - 0.31))
    root = np.zeros((n, 3))
    if travelling:
        root[:, 2] = SPEED * np.arange(n) / RATE
    pelvis = np.stack(
        [0.020 * np.cos(TAU * (phase - 0.31)), PELVIS - 0.058 + 0.016 * bob, 0.008 * np.sin(2 * TAU * phase)], axis=-1
    )
    c = Controls(n, root, np.zeros(n), pelvis)
    c.turns["pelvis"] = degrees(n, 3.0 + 1.0 * bob, -6.0 * c1, 3.2 * np.cos(TAU * (phase - 0.20)))
    for joint, share in (("spine_low", 0.30), ("spine_mid", 0.35), ("chest", 0.35)):
        lag = np.cos(TAU * (phase - 0.03))
        c.turns[joint] = degrees(
            n, share * (1.5 - 0.8 * bob), share * 12.0 * lag, share * -4.0 * np.cos(TAU * (phase - 0.22))
        )
    c.turns["neck"] = degrees(n, -2.0, -2.6 * c1, 0.4 * s1)
    c.turns["head"] = degrees(n, -3.0 + 0.8 * bob, -3.0 * c1, 0.4 * s1)
    arms: dict[str, Array] = {}
    for side, shift, s in (("left", 0.0, 1.0), ("right", 0.5, -1.0)):
        p = phase + shift
        z, y, pitch = _walk_foot(p)
        c.feet[side] = (np.stack([np.full(n, s * 0.062), y, z], axis=-1), pitch, np.full(n, s * 5.0))
        # The toes stay flat on the ground while the heel is up, and open again in the swing.
        local = np.mod(p, 1.0)
        flat = np.where(local <= STANCE, np.clip(-pitch, 0, 60), np.interp(local, [STANCE, 0.72, 1], [50, 4, 0]))
        c.toes[side] = flat
        swing = -np.cos(TAU * (p - 0.02))
        arms[f"upper_arm_{side}"] = hanging_arm(side, 9.0 + 2.0 * np.abs(swing), 3.0 + 21.0 * swing)
        follow = -np.cos(TAU * (p - 0.07))
        arms[f"forearm_{side}"] = elbow(side, 22.0 + 13.0 * follow)
        c.turns[f"hand_{side}"] = degrees(n, 0.0, 0.0, -s * (4.0 + 6.0 * np.cos(TAU * (p - 0.1))))
        c.turns[f"clavicle_{side}"] = degrees(n, 0.0, s * -3.0 * swing, s * (-3.0 + 1.0 * bob))
        c.turns |= fist(side, 0.28)
    events = (Event(0, "step_left"), Event(CYCLE / 2, "step_right"))
    name = "walk" if travelling else "walk on the spot"
    return build(name, c, skeleton, loop=True, turns=arms, events=events)


def standing(n: int, side: str, x: float, z: float, yaw: float, y: Array | float = 0.0) -> tuple[Array, Array, Array]:
    """A foot that stands flat all through: for ``Controls.feet``."""
    place = np.stack([np.full(n, x), np.full(n, ANKLE) + y, np.full(n, z)], axis=-1)
    return place, np.zeros(n), np.full(n, yaw)


def lantern_idle(skeleton: Skeleton) -> Clip:
    """Standing watch with a lantern held up in the right hand: breath, a shift of weight, a look to port."""
    n = 151
    t = np.arange(n) / (n - 1)
    breath = np.sin(TAU * 3 * t)
    sway = np.sin(TAU * t)
    look = np.exp(-(((t - 0.55) / 0.13) ** 2))
    pelvis = np.stack(
        [0.018 + 0.026 * sway, PELVIS - 0.017 + 0.002 * breath - 0.004 * sway**2, 0.006 * np.cos(TAU * t)], axis=-1
    )
    c = Controls(n, np.zeros((n, 3)), np.zeros(n), pelvis)
    c.turns["pelvis"] = degrees(n, 1.0, 4.0 + 2.0 * sway, 2.6 * sway + 1.2)
    c.turns["spine_low"] = degrees(n, -1.0 + 0.3 * breath, -1.0, -1.4 * sway - 0.5)
    c.turns["spine_mid"] = degrees(n, 0.4 * breath, 2.5 * look, -1.0 * sway - 0.5)
    c.turns["chest"] = degrees(n, 2.0 - 1.1 * breath, 4.0 * look, -0.6 * sway)
    lag = np.exp(-(((t - 0.535) / 0.12) ** 2))
    c.turns["neck"] = degrees(n, -1.0 + 0.4 * breath, 9.0 * lag, 0.0)
    c.turns["head"] = degrees(n, -1.0 + 3.0 * np.sin(TAU * 2 * t + 1), 22.0 * lag - 3.0, 2.0 * lag)
    c.feet["left"] = standing(n, "left", 0.125, 0.03, 12.0)
    c.feet["right"] = standing(n, "right", -0.115, -0.05, -16.0)
    arms = {
        "upper_arm_left": hanging_arm("left", 12.0 + 0.8 * breath, 3.0 + 1.5 * sway),
        "forearm_left": elbow("left", 20.0 + 2.0 * np.sin(TAU * t - 0.6)),
        "upper_arm_right": quat.multiply(
            turn(0, 14.0, 0), hanging_arm("right", 26.0 + 1.0 * breath, 34.0 + 2.0 * look)
        ),
        "forearm_right": elbow("right", 88.0 + 2.5 * np.sin(TAU * 3 * t - 0.8), 30.0),
    }
    for side, s, curl in (("left", 1.0, 0.3), ("right", -1.0, 0.95)):
        c.turns[f"clavicle_{side}"] = degrees(n, 0.0, 0.0, s * (0.9 * breath - (2.0 if side == "left" else -3.0)))
        c.turns |= fist(side, curl)
    c.turns["hand_right"] = degrees(n, 0.0, -6.0, 10.0 + 2.0 * np.sin(TAU * 3 * t - 1.4))
    return build("lantern idle", c, skeleton, loop=True, turns=arms)


def ease(t: Array, start: float, end: float) -> Array:
    """Minimum-jerk way from 0 to 1 between two times (Flash & Hogan 1985)."""
    u = np.clip((t - start) / (end - start), 0, 1)
    return np.asarray(u**3 * (10 - 15 * u + 6 * u * u))


def rope_haul(skeleton: Skeleton) -> Clip:
    """A heave on the mooring line: reach and grip, lean back into the pull with both legs, give, and reach again."""
    n = 73
    t = np.arange(n) / (n - 1)
    # -1 reaching forward, +1 hauled in: a long effort, a short quick reach
    pull = ease(t, 0.10, 0.62) - ease(t, 0.70, 0.98)
    strain = np.exp(-(((t - 0.36) / 0.14) ** 2))
    pelvis = np.stack(
        [
            0.012 * np.sin(TAU * t),
            PELVIS - 0.105 - 0.055 * strain + 0.03 * (1 - pull) * ease(t, 0.7, 1.0) * (1 - ease(t, 0.85, 1.0)),
            0.09 - 0.23 * pull - 0.015 * strain,
        ],
        axis=-1,
    )
    c = Controls(n, np.zeros((n, 3)), np.zeros(n), pelvis)
    c.turns["pelvis"] = degrees(n, 16.0 - 28.0 * pull + 3.0 * strain, -10.0 + 7.0 * pull, 0.0)
    lead = ease(t, 0.06, 0.55) - ease(t, 0.66, 0.95)
    for joint, share in (("spine_low", 0.3), ("spine_mid", 0.35), ("chest", 0.35)):
        c.turns[joint] = degrees(n, share * (27.0 - 34.0 * lead + 8.0 * strain), share * (12.0 - 20.0 * lead), 0.0)
    c.turns["neck"] = degrees(n, -14.0 + 18.0 * pull, 2.0 - 2.0 * pull, 0.0)
    c.turns["head"] = degrees(n, -14.0 + 14.0 * pull + 8.0 * strain, 2.0, 3.0 * strain)
    c.feet["left"] = standing(n, "left", 0.12, 0.25, 6.0)
    c.feet["right"] = standing(n, "right", -0.15, -0.34, -32.0)
    heel = 14.0 * (1 - ease(t, 0.08, 0.30) + ease(t, 0.80, 1.0))
    z, y = _pitched(np.full(n, -0.34), -heel)
    c.feet["right"] = (np.stack([np.full(n, -0.15), y, z], axis=-1), -heel, np.full(n, -32.0))
    c.toes["right"] = heel
    c.knees["right"] = np.tile([-0.45, 0.0, 0.9], (n, 1))
    c.knees["left"] = np.tile([0.12, 0.0, 1.0], (n, 1))
    for side, x, ahead in (("left", 0.055, 0.10), ("right", -0.045, -0.06)):
        lift = np.sin(np.pi * np.clip((t - 0.70) / 0.28, 0, 1)) ** 2
        place = np.stack(
            [
                np.full(n, x) + 0.03 * lift * np.sign(x),
                1.06 - 0.10 * pull + 0.07 * lift - 0.02 * strain,
                0.58 + ahead - 0.47 * pull,
            ],
            axis=-1,
        )
        s = 1.0 if side == "left" else -1.0
        c.hands[side] = (place, np.tile([s * 0.75, -0.75, -0.35], (n, 1)))
        aim = quat.multiply(turn(0, -s * 84.0, 0), turn(-s * 0.0, 0, 0))
        c.hand_aim[side] = quat.multiply(turn(0.0, 0.0, -s * 55.0), np.broadcast_to(aim, (n, 4)))
        c.turns[f"clavicle_{side}"] = degrees(n, 0.0, -s * (16.0 - 24.0 * lead), s * 4.0 * strain)
        c.turns |= fist(side, 0.97)
    return build("rope haul", c, skeleton, loop=True, events=(Event(10, "grip"), Event(45, "hauled")))


STEP_HEIGHT = 0.45


def step_up(skeleton: Skeleton) -> Clip:
    """From standing, up onto the jetty step of 0.45 m: left foot up, weight over it, push, right foot up, settle."""
    n = 76
    t = np.arange(n) / RATE

    def foot(side: str, s: float, up: float, down: float) -> None:
        go = ease(t, up, down)
        mid = np.clip((t - up) / (down - up), 0, 1)
        z = 0.0 + 0.52 * ease(t, up + 0.08, down)
        y = ANKLE + STEP_HEIGHT * ease(t, up, up + 0.72 * (down - up)) + 0.09 * np.sin(np.pi * mid) ** 2
        peel = 40.0 * np.exp(-(((t - up - 0.04) / 0.11) ** 2)) * (1 if side == "right" else 0.7)
        toe_up = 12.0 * np.exp(-(((t - down + 0.14) / 0.12) ** 2))
        pitch = -peel * (mid < 1) + toe_up
        x = np.full(n, s * 0.098)
        c.feet[side] = (
            np.stack([x, y + np.radians(peel) * 0.10 * (mid <= 0.25), z], axis=-1),
            pitch,
            np.full(n, s * 7.0),
        )
        c.toes[side] = np.clip(peel, 0, 30) * (go < 0.3)

    climb = ease(t, 0.82, 1.62)
    pelvis = np.stack(
        [
            -0.052 * (ease(t, 0.08, 0.36) - ease(t, 0.62, 0.9)) + 0.055 * (ease(t, 0.62, 0.92) - ease(t, 1.5, 1.95)),
            PELVIS - 0.016 - 0.045 * np.exp(-(((t - 0.82) / 0.17) ** 2)) + STEP_HEIGHT * climb
            - 0.03 * np.exp(-(((t - 1.92) / 0.15) ** 2)),
            0.02 + 0.17 * ease(t, 0.42, 0.86) + 0.33 * ease(t, 0.80, 1.58),
        ],
        axis=-1,
    )  # fmt: skip
    c = Controls(n, np.zeros((n, 3)), np.zeros(n), pelvis)
    foot("left", 1.0, 0.22, 0.74)
    foot("right", -1.0, 1.04, 1.66)
    # Somebody who steps up leans in from the hips, drives up, and comes upright late.
    lean = 26.0 * (ease(t, 0.30, 0.84) - ease(t, 1.06, 1.80))
    c.turns["pelvis"] = degrees(
        n,
        0.45 * lean + 2.0,
        -6.0 * (ease(t, 0.2, 0.7) - ease(t, 1.1, 1.7)),
        4.0 * np.sin(np.pi * np.clip((t - 1.0) / 0.7, 0, 1)),
    )
    for joint in ("spine_low", "spine_mid", "chest"):
        c.turns[joint] = degrees(n, 0.30 * lean, 3.0 * (ease(t, 0.25, 0.75) - ease(t, 1.15, 1.75)), -0.8)
    c.turns["neck"] = degrees(n, -0.35 * lean, 0.0, 0.0)
    c.turns["head"] = degrees(n, 14.0 * np.exp(-(((t - 0.30) / 0.24) ** 2)) - 0.5 * lean, 0.0, 0.0)
    arms: dict[str, Array] = {}
    for side, s, phase in (("left", 1.0, -1.0), ("right", -1.0, 1.0)):
        swing = phase * (26.0 * np.exp(-(((t - 0.62) / 0.24) ** 2)) - 22.0 * np.exp(-(((t - 1.42) / 0.24) ** 2)))
        drive = 16.0 * np.exp(-(((t - 1.02) / 0.26) ** 2))
        arms[f"upper_arm_{side}"] = hanging_arm(side, 12.0 + 0.25 * drive, 2.0 + swing - drive + 0.5 * lean)
        arms[f"forearm_{side}"] = elbow(side, 20.0 + 0.45 * np.abs(swing) + 1.4 * drive)
        c.turns[f"clavicle_{side}"] = degrees(n, 0.0, 0.0, s * (-2.0 + 0.2 * drive))
        c.turns |= fist(side, 0.3)
    settle = np.exp(-(((t - 2.1) / 0.25) ** 2))
    c.turns["chest"] = c.turns["chest"] + degrees(n, 1.5 * settle)
    return build("step up", c, skeleton, turns=arms, events=(Event(22, "step_left"), Event(50, "step_right")))


def walk_to_landing(skeleton: Skeleton) -> Clip:
    """Four cycles of the walk, straight ahead."""
    clip = repeated(walk(skeleton, travelling=True), skeleton.index["root"], 4)
    return replace(clip, name="walk to the landing", loop=False)


def skating_walk(skeleton: Skeleton) -> Clip:
    """The walk with a fault: the root is carried on a sixth too fast, so that every standing foot slides."""
    clip = walk_to_landing(skeleton)
    translations = np.array(clip.translations)
    translations[:, skeleton.index["root"], 2] *= 7 / 6
    return replace(clip, name="walk, skating", translations=translations)


def sunk_haul(skeleton: Skeleton) -> Clip:
    """The haul with a fault: the whole figure is 5 cm too low, so that both feet are in the planks."""
    clip = rope_haul(skeleton)
    translations = np.array(clip.translations)
    for joint in ("pelvis", "marks"):  # the marks for the engine go with it
        translations[:, skeleton.index[joint], 1] -= 0.05
    return replace(clip, name="rope haul, feet sunk", translations=translations)


def all_clips(skeleton: Skeleton) -> list[Clip]:
    """Every clip of the Deckhand."""
    return [
        walk(skeleton, travelling=True),
        walk(skeleton, travelling=False),
        lantern_idle(skeleton),
        rope_haul(skeleton),
        step_up(skeleton),
        walk_to_landing(skeleton),
        skating_walk(skeleton),
        sunk_haul(skeleton),
    ]
