"""The Deckhand: an adult of average proportions, T-pose, fingers, root joint, helper joints for feet and hands.

Segment lengths and heights are fractions of stature H after Drillis & Contini (1966), as printed in D. A. Winter,
*Biomechanics and Motor Control of Human Movement*, figure 4.1 (values from memory; a test names each).
"""

from __future__ import annotations

import numpy as np

from reflexa.demo.figure import SIDES, Place, skeleton_of
from reflexa.motion.skeleton import Skeleton

STATURE = 1.74
FRACTION = {
    "ankle height": 0.039,
    "knee height": 0.285,
    "hip height": 0.530,
    "shoulder height": 0.818,
    "half shoulder width": 0.129,
    "half hip width": 0.0955,
    "upper arm": 0.186,
    "forearm": 0.146,
    "hand": 0.108,
    "foot": 0.152,
}
FINGERS = ("index", "middle", "ring", "little")
HEEL_BACK = 0.058  # metres from the ankle back to the heel
BALL_AHEAD = 0.125  # metres from the ankle forward to the ball of the foot
BALL_HEIGHT = 0.022


def positions() -> dict[str, tuple[str, Place]]:
    """Joint → (parent, place in rest), parents first, in metres."""
    h = STATURE
    f = {k: v * h for k, v in FRACTION.items()}
    out: dict[str, tuple[str, Place]] = {
        "root": ("", (0, 0, 0)),
        "pelvis": ("root", (0, 0.55 * h, 0)),
        "spine_low": ("pelvis", (0, 0.600 * h, -0.012)),
        "spine_mid": ("spine_low", (0, 0.660 * h, -0.016)),
        "chest": ("spine_mid", (0, 0.722 * h, -0.012)),
        "neck": ("chest", (0, 0.838 * h, -0.004)),
        "head": ("neck", (0, 0.880 * h, 0.012)),
    }
    for side, s in SIDES:
        wrist = f["half shoulder width"] + f["upper arm"] + f["forearm"]
        y = f["shoulder height"]
        out[f"clavicle_{side}"] = ("chest", (s * 0.022, 0.808 * h, 0.012))
        out[f"upper_arm_{side}"] = (f"clavicle_{side}", (s * f["half shoulder width"], y, 0))
        out[f"forearm_{side}"] = (f"upper_arm_{side}", (s * (f["half shoulder width"] + f["upper arm"]), y, 0))
        out[f"hand_{side}"] = (f"forearm_{side}", (s * wrist, y, 0))
        thumb = np.array([0.022, -0.012, 0.030])
        way = np.array([0.62, -0.22, 0.75])
        for n, length in enumerate((0.0, 0.044, 0.032), 1):
            thumb = thumb + way * length
            parent = f"hand_{side}" if n == 1 else f"thumb_{n - 1}_{side}"
            out[f"thumb_{n}_{side}"] = (parent, (s * (wrist + float(thumb[0])), y + float(thumb[1]), float(thumb[2])))
        for i, finger in enumerate(FINGERS):
            size = (0.94, 1.0, 0.94, 0.78)[i]
            x = 0.088 - (0.004, 0, 0.003, 0.010)[i]
            z = 0.030 - 0.020 * i
            for n, length in enumerate((0.0, 0.042 * size, 0.026 * size), 1):
                x += length
                parent = f"hand_{side}" if n == 1 else f"{finger}_{n - 1}_{side}"
                out[f"{finger}_{n}_{side}"] = (parent, (s * (wrist + x), y, z))
        out[f"grip_{side}"] = (f"hand_{side}", (s * (wrist + 0.075), y - 0.028, 0.004))
        hip = s * f["half hip width"]
        out[f"thigh_{side}"] = ("pelvis", (hip, f["hip height"], 0))
        out[f"shin_{side}"] = (f"thigh_{side}", (hip, f["knee height"], 0))
        out[f"foot_{side}"] = (f"shin_{side}", (hip, f["ankle height"], 0))
        out[f"toes_{side}"] = (f"foot_{side}", (hip, BALL_HEIGHT, BALL_AHEAD))
    out["marks"] = ("root", (0, 0, 0))
    for side, _ in SIDES:
        out[f"foot_mark_{side}"] = ("marks", out[f"foot_{side}"][1])
        out[f"hand_mark_{side}"] = ("marks", out[f"hand_{side}"][1])
    return out


def skeleton() -> Skeleton:
    """The Deckhand's skeleton. Each limb joint's own +Y runs along its bone, as rigs from modelling programs have it."""
    places = positions()
    straight = {"root", "marks", *(n for n in places if n.startswith(("foot", "toes", "hand_mark", "foot_mark")))}
    return skeleton_of(places, straight, (0.0, 1.0, 0.0), upright=("pelvis",))
