"""The Ferrykeeper's look: a long quilted coat, broad hat, beard, clogs."""

from __future__ import annotations

import numpy as np

from reflexa.demo import ferrykeeper
from reflexa.demo.skin import Part, skinned
from reflexa.motion.arrays import Array
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Mesh

SKIN = (0.55, 0.34, 0.24)
COAT = (0.17, 0.26, 0.13)
TRIM = (0.52, 0.40, 0.20)
TROUSERS = (0.20, 0.12, 0.10)
CLOG = (0.36, 0.20, 0.08)
HAT = (0.20, 0.15, 0.10)
BEARD = (0.50, 0.47, 0.43)
EYE = (0.02, 0.025, 0.03)
SOLE = (0.16, 0.09, 0.04)


def _body(place: dict[str, Array]) -> list[Part]:
    def at(joint: str, x: float = 0, y: float = 0, z: float = 0) -> Array:
        return np.asarray(place[joint] + np.array([x, y, z]))

    out = [
        Part("Hips", at("Hips", -0.085, -0.05), at("Hips", 0.085, -0.05), 0.150, 0.150, COAT, 0.95),
        Part("Hips", at("Hips", -0.10, -0.15), at("Hips", 0.10, -0.15), 0.135, 0.135, COAT, 0.95),
        Part("Hips", at("Hips", -0.07, -0.225, 0.0), at("Hips", 0.07, -0.225, 0.0), 0.140, 0.140, TRIM, 0.95),
        Part("Waist", at("Waist", 0, 0, 0.012), at("Belly", 0, 0, 0.020), 0.190, 0.196, COAT, 0.95),
        Part("Waist", at("Waist", 0, -0.02, 0.006), at("Waist", 0, 0.0, 0.006), 0.196, 0.196, TRIM, 0.95),
        Part("Ribs", at("Ribs", 0, 0, 0.012), at("Chest", 0, -0.02, 0.008), 0.196, 0.190, COAT, 0.86),
        Part("Chest", at("Chest", -0.105, 0.055, 0.0), at("Chest", 0.105, 0.055, 0.0), 0.115, 0.115, COAT, 0.95),
        Part("NeckLow", at("NeckLow", 0, -0.030, 0.0), at("NeckHigh", 0, 0.01, 0.0), 0.082, 0.074, SKIN),
        Part("NeckLow", at("NeckLow", 0, -0.035, 0.0), at("NeckLow", 0, -0.01, 0.0), 0.108, 0.098, TRIM),
    ]
    for side, s in ferrykeeper.SIDES:
        j = {k: place[f"{side}{k}"] for k in ("Collar", "UpperArm", "Forearm", "Hand", "Thigh", "Shin", "Foot", "Toes")}
        arm = (j["Hand"] - j["Forearm"]) / np.linalg.norm(j["Hand"] - j["Forearm"])
        out += [
            Part(f"{side}Collar", j["Collar"] + [s * 0.06, -0.01, 0], j["UpperArm"] - [s * 0.01, 0.005, 0], 0.086, 0.088, COAT),
            Part(f"{side}UpperArm", j["UpperArm"], j["Forearm"], 0.088, 0.070, COAT),
            Part(f"{side}Forearm", j["Forearm"], j["Hand"] - 0.05 * arm, 0.070, 0.062, COAT),
            Part(f"{side}ForearmTwist", j["Hand"] - 0.075 * arm, j["Hand"] - 0.045 * arm, 0.068, 0.068, TRIM),
            Part(f"{side}Thigh", j["Thigh"], j["Shin"], 0.108, 0.082, TROUSERS),
            Part(f"{side}Shin", j["Shin"], j["Foot"] + [0, 0.03, 0], 0.081, 0.056, TROUSERS),
            Part(f"{side}Foot", j["Foot"] + [0, -0.020, -0.034], j["Foot"] + [s * 0.006, -0.026, 0.07], 0.062, 0.060, CLOG),
            Part(f"{side}Foot", j["Foot"] + [s * 0.006, -0.030, 0.06], j["Toes"] + [0, 0.022, 0], 0.058, 0.052, CLOG),
            Part(f"{side}Toes", j["Toes"] + [0, 0.020, 0], j["Toes"] + [s * 0.006, 0.018, 0.050], 0.052, 0.044, CLOG),
            Part(f"{side}Foot", j["Foot"] * [1, 0, 1] + [0, -0.002, -0.055], j["Toes"] * [1, 0, 1] + [0, -0.002, -0.01],
                 0.026, 0.026, SOLE, 1.9),
            Part(f"{side}Toes", j["Toes"] * [1, 0, 1] + [0, -0.002, 0], j["Toes"] * [1, 0, 1] + [s * 0.006, -0.002, 0.066],
                 0.026, 0.024, SOLE, 1.6),
        ]  # fmt: skip
    return out


def _head(place: dict[str, Array]) -> list[Part]:
    """A face that can be seen to turn: brows, eyes, a broad nose, moustache and beard, ears, a broad hat."""

    def at(x: float, y: float, z: float) -> Array:
        return np.asarray(place["Skull"] + np.array([x, y, z]))

    out = [
        Part("NeckHigh", at(0, -0.06, 0.0), at(0, 0.0, 0.0), 0.074, 0.066, SKIN),
        Part("Skull", at(0, 0.030, 0.010), at(0, 0.095, 0.002), 0.080, 0.092, SKIN, 1.08),
        Part("Skull", at(0, -0.005, 0.056), at(0, -0.085, 0.070), 0.064, 0.026, BEARD),
        Part("Skull", at(0, 0.066, 0.094), at(0, 0.040, 0.114), 0.013, 0.020, SKIN),
        Part("Skull", at(0, 0.118, 0.0), at(0, 0.122, 0.0), 0.022, 0.022, HAT),
        Part("Skull", at(-0.062, 0.124, 0.0), at(0.062, 0.124, 0.0), 0.026, 0.026, HAT, 5.4),
        Part("Skull", at(0, 0.137, -0.004), at(0, 0.205, -0.008), 0.094, 0.070, HAT),
    ]
    for _, s in ferrykeeper.SIDES:
        out += [
            Part("Skull", at(s * 0.036, 0.064, 0.0905), at(s * 0.039, 0.064, 0.0893), 0.0095, 0.0095, EYE),
            Part("Skull", at(s * 0.020, 0.084, 0.097), at(s * 0.056, 0.081, 0.082), 0.0095, 0.0075, BEARD),
            Part("Skull", at(s * 0.006, 0.021, 0.104), at(s * 0.044, 0.006, 0.086), 0.0150, 0.0100, BEARD),
            Part("Skull", at(s * 0.084, 0.070, 0.010), at(s * 0.074, 0.010, 0.030), 0.0150, 0.0200, BEARD),
            Part("Skull", at(s * 0.092, 0.048, -0.004), at(s * 0.095, 0.074, -0.008), 0.015, 0.020, SKIN),
        ]
    return out


def _hand(place: dict[str, Array], side: str) -> list[Part]:
    hand, forearm = place[f"{side}Hand"], place[f"{side}Forearm"]
    way = (hand - forearm) / np.linalg.norm(hand - forearm)
    front = np.array([0.0, 0.0, 1.0])
    out = [
        Part(f"{side}ForearmTwist", hand - 0.07 * way, hand, 0.044, 0.038, SKIN),
        Part(f"{side}Hand", hand + 0.014 * way + 0.012 * front, hand + 0.080 * way + 0.024 * front, 0.030, 0.024, SKIN),
        Part(f"{side}Hand", hand + 0.014 * way - 0.010 * front, hand + 0.078 * way - 0.022 * front, 0.030, 0.022, SKIN),
        Part(f"{side}Hand", hand + 0.018 * way + 0.020 * front, place[f"{side}ThumbB"], 0.024, 0.018, SKIN),
    ]
    for finger, radius in (
        ("Thumb", 0.0175),
        ("Index", 0.0155),
        ("Middle", 0.0158),
        ("Ring", 0.0150),
        ("Little", 0.0132),
    ):
        a, b = place[f"{side}{finger}A"], place[f"{side}{finger}B"]
        if finger != "Thumb":
            out.append(Part(f"{side}{finger}A", a, b, radius, radius * 0.95, SKIN))
        out.append(Part(f"{side}{finger}B", b, b + (b - a) * 0.85, radius * 0.95, radius * 0.85, SKIN))
    return out


def meshes(skeleton: Skeleton) -> tuple[Mesh, ...]:
    """Body, head and two hands, skinned to the skeleton."""
    place = {n: skeleton.rest_model[1][i] for n, i in skeleton.index.items()}
    body = skinned(skeleton, _body(place), 0.025, 0.009, 0.038)
    head = skinned(skeleton, _head(place), 0.0135, 0.0045, 0.03)
    return (
        body,
        head,
        *(skinned(skeleton, _hand(place, side), 0.0098, 0.0032, 0.009) for side, _ in ferrykeeper.SIDES),
    )
