"""The Deckhand's look: jumper, oilskin trousers, boots, cap and scarf."""

from __future__ import annotations

import numpy as np

from reflexa.demo.figure import SIDES
from reflexa.demo.skin import Part, skinned
from reflexa.motion.arrays import Array
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Mesh

SKIN = (0.48, 0.27, 0.17)
JUMPER = (0.055, 0.12, 0.19)
OILSKIN = (0.70, 0.47, 0.10)
BOOT = (0.045, 0.075, 0.065)
CAP = (0.42, 0.085, 0.06)
SCARF = (0.66, 0.60, 0.48)
SOLE = (0.30, 0.24, 0.16)
EYE = (0.02, 0.02, 0.025)
HAIR = (0.07, 0.035, 0.02)
LIPS = (0.36, 0.13, 0.11)


def _body(place: dict[str, Array]) -> list[Part]:
    def at(joint: str, x: float = 0, y: float = 0, z: float = 0) -> Array:
        return np.asarray(place[joint] + np.array([x, y, z]))

    out = [
        Part("pelvis", at("pelvis", -0.065, -0.035), at("pelvis", 0.065, -0.035), 0.112, 0.112, OILSKIN, 0.92),
        Part("pelvis", at("pelvis", 0, 0.00), at("spine_low", 0, 0.03), 0.135, 0.130, OILSKIN, 0.82),
        Part("spine_mid", at("spine_low", 0, 0.02, 0.004), at("chest", 0, -0.01, 0.01), 0.134, 0.142, JUMPER, 0.80),
        Part("chest", at("chest", -0.055, 0.05, 0.012), at("chest", 0.055, 0.05, 0.012), 0.122, 0.122, JUMPER, 0.92),
        Part("chest", at("chest", -0.10, 0.145, -0.006), at("chest", 0.10, 0.145, -0.006), 0.070, 0.070, JUMPER, 0.95),
        Part("neck", at("neck", 0, -0.030, 0.004), at("head", 0, -0.03, -0.004), 0.060, 0.050, SKIN),
        Part("neck", at("neck", 0, -0.018, 0.002), at("neck", 0, 0.022, 0.010), 0.078, 0.068, SCARF),
    ]
    for side, s in SIDES:
        j = {
            k: place[f"{k}_{side}"]
            for k in ("clavicle", "upper_arm", "forearm", "hand", "thigh", "shin", "foot", "toes")
        }
        out += [
            Part(f"clavicle_{side}", j["clavicle"] + [s * 0.05, 0, 0], j["upper_arm"] - [s * 0.01, 0, 0], 0.062, 0.064, JUMPER),
            Part(f"upper_arm_{side}", j["upper_arm"], j["forearm"], 0.063, 0.050, JUMPER),
            Part(f"forearm_{side}", j["forearm"], j["hand"] - [s * 0.075, 0, 0], 0.051, 0.043, JUMPER),
            Part(f"forearm_{side}", j["hand"] - [s * 0.085, 0, 0], j["hand"] - [s * 0.065, 0, 0], 0.049, 0.049, SCARF),
            Part(f"thigh_{side}", j["thigh"] + [0, 0.01, 0], j["shin"], 0.098, 0.069, OILSKIN),
            Part(f"shin_{side}", j["shin"], j["foot"] + [0, 0.22, 0], 0.068, 0.070, OILSKIN),
            Part(f"shin_{side}", j["foot"] + [0, 0.225, -0.004], j["foot"] + [0, 0.05, -0.004], 0.078, 0.060, BOOT),
            Part(f"foot_{side}", j["foot"] + [0, -0.014, -0.024], j["foot"] + [0, -0.020, 0.06], 0.050, 0.046, BOOT),
            Part(f"foot_{side}", j["foot"] + [0, -0.024, 0.05], j["toes"] + [0, 0.016, 0], 0.046, 0.040, BOOT),
            Part(f"toes_{side}", j["toes"] + [0, 0.014, 0], j["toes"] + [0, 0.010, 0.048], 0.040, 0.033, BOOT),
            Part(f"foot_{side}", j["foot"] * [1, 0, 1] + [0, -0.004, -0.046], j["toes"] * [1, 0, 1] + [0, -0.004, -0.01],
                 0.024, 0.024, SOLE, 1.6),
            Part(f"toes_{side}", j["toes"] * [1, 0, 1] + [0, -0.004, 0.0], j["toes"] * [1, 0, 1] + [0, -0.004, 0.058],
                 0.024, 0.022, SOLE, 1.4),
        ]  # fmt: skip
    return out


def _head(place: dict[str, Array]) -> list[Part]:
    """A face that can be seen to turn: brows, eyes, nose, mouth and chin, hair below the cap, ears."""

    def at(x: float, y: float, z: float) -> Array:
        return np.asarray(place["head"] + np.array([x, y, z]))

    out = [
        Part("neck", at(0, -0.05, -0.002), at(0, 0.0, -0.004), 0.056, 0.052, SKIN),
        Part("head", at(0, 0.035, 0.018), at(0, 0.105, 0.006), 0.066, 0.088, SKIN, 1.12),
        Part("head", at(0, -0.004, 0.062), at(0, 0.02, 0.050), 0.026, 0.040, SKIN),
        Part("head", at(0, 0.074, 0.092), at(0, 0.042, 0.114), 0.009, 0.016, SKIN),
        Part("head", at(-0.016, 0.013, 0.0905), at(0.016, 0.013, 0.0905), 0.0075, 0.0075, LIPS),
        Part("head", at(0, 0.060, -0.044), at(0, 0.110, -0.030), 0.066, 0.078, HAIR),
        Part("head", at(0, 0.130, -0.004), at(0, 0.152, -0.012), 0.100, 0.086, CAP, 1.08),
        Part("head", at(-0.047, 0.126, 0.080), at(0.047, 0.126, 0.080), 0.016, 0.016, CAP, 2.2),
    ]
    for _, s in SIDES:
        out += [
            Part("head", at(s * 0.033, 0.070, 0.0880), at(s * 0.036, 0.070, 0.0868), 0.0088, 0.0088, EYE),
            Part("head", at(s * 0.018, 0.0885, 0.0945), at(s * 0.050, 0.0875, 0.0815), 0.0062, 0.0055, HAIR),
            Part("head", at(s * 0.088, 0.052, 0.0), at(s * 0.091, 0.078, -0.004), 0.013, 0.019, SKIN),
            Part("head", at(s * 0.078, 0.078, 0.014), at(s * 0.074, 0.050, 0.016), 0.015, 0.011, HAIR),
        ]
    return out


def _hand(place: dict[str, Array], side: str, s: float) -> list[Part]:
    hand = place[f"hand_{side}"]
    out = [
        Part(f"forearm_{side}", hand - [s * 0.075, 0, 0], hand, 0.036, 0.029, SKIN),
        Part(f"hand_{side}", hand + [s * 0.012, 0, 0.010], hand + [s * 0.078, 0, 0.022], 0.024, 0.018, SKIN),
        Part(f"hand_{side}", hand + [s * 0.012, 0, -0.008], hand + [s * 0.076, 0, -0.018], 0.024, 0.017, SKIN),
        Part(f"hand_{side}", hand + [s * 0.02, -0.006, 0.020], place[f"thumb_2_{side}"], 0.019, 0.014, SKIN),
    ]
    for finger, radius in (
        ("thumb", 0.0135),
        ("index", 0.0115),
        ("middle", 0.0118),
        ("ring", 0.0112),
        ("little", 0.0098),
    ):
        for n in (1, 2, 3):
            a = place[f"{finger}_{n}_{side}"]
            if n < 3:
                b = place[f"{finger}_{n + 1}_{side}"]
            else:
                before = place[f"{finger}_2_{side}"]
                b = a + (a - before) * 0.75
            if finger == "thumb" and n == 1:
                continue
            out.append(Part(f"{finger}_{n}_{side}", a, b, radius, radius * 0.9, SKIN))
    return out


def meshes(skeleton: Skeleton) -> tuple[Mesh, ...]:
    """Body, head and two hands, skinned to the skeleton."""
    place = {n: skeleton.rest_model[1][i] for n, i in skeleton.index.items()}
    body = skinned(skeleton, _body(place), 0.024, 0.008, 0.035)
    hands = [skinned(skeleton, _hand(place, side, s), 0.0088, 0.0028, 0.008) for side, s in SIDES]
    head = skinned(skeleton, _head(place), 0.0125, 0.004, 0.03)
    return (body, head, *hands)
