"""The Ferrykeeper: short and broad, A-pose, names and axes of its own, four spine joints, two to a finger, twist joints."""

from __future__ import annotations

import numpy as np

from reflexa.demo.figure import Place, skeleton_of
from reflexa.motion.skeleton import Skeleton

STATURE = 1.50
ARM_DROP = 48.0  # degrees below the horizontal
SIDES = (("Port", 1.0), ("Starboard", -1.0))
FINGERS = ("Index", "Middle", "Ring", "Little")
ANKLE, BALL_AHEAD, BALL_HEIGHT = 0.088, 0.142, 0.030


def positions() -> dict[str, tuple[str, Place]]:
    """Joint → (parent, place in rest), parents first, in metres."""
    out: dict[str, tuple[str, Place]] = {
        "Base": ("", (0, 0, 0)),
        "Hips": ("Base", (0, 0.765, 0)),
        "Waist": ("Hips", (0, 0.845, -0.010)),
        "Belly": ("Waist", (0, 0.925, -0.014)),
        "Ribs": ("Belly", (0, 1.005, -0.016)),
        "Chest": ("Ribs", (0, 1.085, -0.012)),
        "NeckLow": ("Chest", (0, 1.225, -0.004)),
        "NeckHigh": ("NeckLow", (0, 1.258, 0.004)),
        "Skull": ("NeckHigh", (0, 1.292, 0.012)),
    }
    drop = np.radians(ARM_DROP)
    way = np.array([np.cos(drop), -np.sin(drop), 0.0])
    across = np.array([np.sin(drop), np.cos(drop), 0.0])  # square to the arm, up when it is lifted to a T

    def on(side: float, v: np.ndarray) -> Place:
        return float(side * v[0]), float(v[1]), float(v[2])

    for side, s in SIDES:
        shoulder = np.array([0.215, 1.172, -0.006])
        elbow = shoulder + 0.255 * way
        wrist = elbow + 0.215 * way
        out[f"{side}Collar"] = ("Chest", on(s, np.array([0.030, 1.165, 0.012])))
        out[f"{side}UpperArm"] = (f"{side}Collar", on(s, shoulder))
        out[f"{side}Forearm"] = (f"{side}UpperArm", on(s, elbow))
        out[f"{side}ForearmTwist"] = (f"{side}Forearm", on(s, (elbow + wrist) / 2))
        out[f"{side}Hand"] = (f"{side}Forearm", on(s, wrist))
        thumb = wrist + 0.026 * way - 0.010 * across + np.array([0, 0, 0.034])
        out[f"{side}ThumbA"] = (f"{side}Hand", on(s, thumb))
        out[f"{side}ThumbB"] = (f"{side}ThumbA", on(s, thumb + 0.030 * way + np.array([0, 0, 0.026])))
        for i, finger in enumerate(FINGERS):
            start = wrist + (0.088 - (0.004, 0, 0.003, 0.010)[i]) * way + np.array([0, 0, 0.033 - 0.022 * i])
            out[f"{side}{finger}A"] = (f"{side}Hand", on(s, start))
            out[f"{side}{finger}B"] = (f"{side}{finger}A", on(s, start + (0.040, 0.042, 0.040, 0.032)[i] * way))
        out[f"{side}Thigh"] = ("Hips", (s * 0.118, 0.705, 0.0))
        out[f"{side}Shin"] = (f"{side}Thigh", (s * 0.126, 0.402, 0.006))
        out[f"{side}Foot"] = (f"{side}Shin", (s * 0.132, ANKLE, -0.006))
        out[f"{side}Toes"] = (f"{side}Foot", (s * 0.150, BALL_HEIGHT, BALL_AHEAD - 0.006))
    out["Marks"] = ("Base", (0, 0, 0))
    for side, _ in SIDES:
        out[f"MarkHand{side}"] = ("Marks", out[f"{side}Hand"][1])
        out[f"MarkFoot{side}"] = ("Marks", out[f"{side}Foot"][1])
    return out


def skeleton() -> Skeleton:
    """The Ferrykeeper's skeleton: each joint's own +X runs along its bone."""
    places = positions()
    straight = {"Base", "Marks", *(n for n in places if n.startswith("Mark"))}
    return skeleton_of(places, straight, (1.0, 0.0, 0.0), upright=("Hips", "Chest"))
