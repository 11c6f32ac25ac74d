"""The Ferrykeeper's clips: turning a winch, calling out. Posed on the Deckhand, then carried over by our own retarget."""

from __future__ import annotations

import numpy as np

from reflexa.demo.clips import PELVIS, TAU, ease, standing
from reflexa.demo.figure import SIDES
from reflexa.demo.pose import RATE, Controls, build, degrees, elbow, fist, hanging_arm, turn
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip, Event
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig
from reflexa.steps.retarget import RetargetSettings, retarget

# The crank's axle, for a figure of the Deckhand's size: height and place ahead, and the radius of the turn, metres.
AXLE, CRANK = (0.98, 0.47), 0.155


def winch(skeleton: Skeleton) -> Clip:
    """One turn of a heavy crank with both hands, the body going with it. A loop."""
    n = 61
    t = np.arange(n) / (n - 1)
    # The crank goes quicker on the way down, slower on the way up.
    a = TAU * t + 0.32 * np.sin(TAU * t + 0.6)
    up, ahead = CRANK * np.sin(a), CRANK * np.cos(a)
    lag = np.sin(a - 0.35)
    push = np.cos(a - 0.2)
    pelvis = np.stack([0.012 * np.sin(TAU * t), PELVIS - 0.10 + 0.045 * lag, -0.02 + 0.075 * push], axis=-1)
    c = Controls(n, np.zeros((n, 3)), np.zeros(n), pelvis)
    c.turns["pelvis"] = degrees(n, 17.0 - 9.0 * lag + 4.0 * push, 3.0 * push, 0.0)
    for joint, share in (("spine_low", 0.3), ("spine_mid", 0.35), ("chest", 0.35)):
        c.turns[joint] = degrees(n, share * (22.0 - 15.0 * lag + 6.0 * push), share * 5.0 * push, 0.0)
    c.turns["neck"] = degrees(n, -8.0 + 5.0 * lag, 0.0, 0.0)
    c.turns["head"] = degrees(n, -9.0 + 6.0 * lag, 2.0 * push, 0.0)
    c.feet["left"] = standing(n, "left", 0.13, 0.17, 8.0)
    c.feet["right"] = standing(n, "right", -0.16, -0.24, -30.0)
    c.knees["left"] = np.tile([0.15, 0.0, 1.0], (n, 1))
    c.knees["right"] = np.tile([-0.45, 0.0, 0.9], (n, 1))
    for side, s in SIDES:
        place = np.stack([np.full(n, s * 0.115), AXLE[0] + up, AXLE[1] - 0.085 + ahead], axis=-1)
        c.hands[side] = place, np.tile([s * 0.8, -0.75, -0.3], (n, 1))
        c.hand_aim[side] = np.broadcast_to(quat.multiply(turn(0, -s * 62.0, 0), turn(0.0, 0.0, 0.0)), (n, 4))
        c.turns[f"clavicle_{side}"] = degrees(n, 0.0, -s * 6.0 * push, s * 3.0 * lag)
        c.turns |= fist(side, 0.95)
    return build("turning the winch", c, skeleton, loop=True, events=(Event(0, "crank_ahead"), Event(30, "crank_back")))


def calling_out(skeleton: Skeleton) -> Clip:
    """Up on the toes with an arm thrown up, the call, the arm waved twice, and down again."""
    n = 91
    t = np.arange(n) / RATE
    arm = ease(t, 0.25, 0.75) - ease(t, 2.25, 2.85)
    draw = np.exp(-(((t - 0.42) / 0.20) ** 2))
    call = ease(t, 0.55, 0.80) - ease(t, 1.75, 2.3)
    wave = np.sin(TAU * (t - 0.8) / 0.62) * (ease(t, 0.7, 0.95) - ease(t, 1.9, 2.2))
    pelvis = np.stack([0.02 * arm, PELVIS - 0.020 - 0.022 * draw + 0.010 * call, 0.012 * arm - 0.02 * draw], axis=-1)
    c = Controls(n, np.zeros((n, 3)), np.zeros(n), pelvis)
    c.turns["pelvis"] = degrees(n, 1.0 + 4.0 * draw - 3.0 * call, 8.0 * arm, 1.5 * arm)
    for joint in ("spine_low", "spine_mid", "chest"):
        c.turns[joint] = degrees(n, 3.0 * draw - 4.0 * call, 3.0 * arm, -2.0 * arm + 0.8 * wave)
    c.turns["neck"] = degrees(n, 3.0 * draw - 5.0 * call, -3.0 * arm, 0.0)
    c.turns["head"] = degrees(n, 4.0 * draw - 9.0 * call, -5.0 * arm, -1.0 * wave)
    c.feet["left"] = standing(n, "left", 0.125, 0.06, 10.0)
    c.feet["right"] = standing(n, "right", -0.115, -0.06, -14.0)
    raised = quat.multiply(turn(0.0, 0.0, 66.0), turn(0.0, -14.0, 0.0))
    hanging = hanging_arm("left", 12.0, 4.0)
    sway = quat.multiply(turn(0.0, 0.0, 15.0 * wave), np.broadcast_to(raised, (n, 4)))
    upper = quat.slerp(np.broadcast_to(hanging, (n, 4)), sway, arm)
    arms: dict[str, Array] = {
        "upper_arm_left": upper,
        "forearm_left": elbow("left", 24.0 - 6.0 * arm + 14.0 * np.abs(wave) * arm),
        "upper_arm_right": hanging_arm("right", 14.0 + 8.0 * call, 5.0 - 10.0 * call),
        "forearm_right": elbow("right", 26.0 + 16.0 * call),
    }
    for side, s, curl in (("left", 1.0, 0.12), ("right", -1.0, 0.45)):
        c.turns[f"clavicle_{side}"] = degrees(n, 0.0, 0.0, s * (20.0 * arm if side == "left" else 3.0 * call))
        c.turns |= fist(side, curl)
    c.turns["hand_left"] = degrees(n, 0.0, 0.0, 10.0 * np.roll(wave, 2))
    return build("calling out", c, skeleton, turns=arms, events=(Event(24, "call"),))


def all_clips(deck: Rig, keeper: Rig) -> list[Clip]:
    """Every clip of the Ferrykeeper. The winch has an honest fault: the marks that the engine reads stay behind."""
    s = deck.skeleton
    stray = RetargetSettings(hands="keep distance", helpers=False)
    return [
        retarget(winch(s), deck, stray, {"keeper": keeper})[0],
        retarget(calling_out(s), deck, RetargetSettings(), {"keeper": keeper})[0],
    ]
