"""The Heron's look: slate wings, pale neck, dark crest, long beak and legs."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.demo.figure import SIDES
from reflexa.demo.skin import Part, skinned
from reflexa.motion.arrays import Array
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Mesh

SLATE = (0.22, 0.28, 0.34)
DARK = (0.06, 0.08, 0.11)
PALE = (0.62, 0.64, 0.62)
BEAK = (0.66, 0.44, 0.10)
LEG = (0.34, 0.30, 0.20)
EYE = (0.85, 0.62, 0.05)


def _parts(place: dict[str, Array]) -> list[Part]:
    def at(joint: str, x: float = 0, y: float = 0, z: float = 0) -> Array:
        return np.asarray(place[joint] + np.array([x, y, z]))

    out = [
        Part("pelvis", at("pelvis", 0, 0.005, -0.05), at("pelvis", 0, 0.01, 0.02), 0.072, 0.088, SLATE),
        Part("back", at("back", 0, 0.0, -0.01), at("breast", 0, -0.005, -0.01), 0.092, 0.086, SLATE),
        Part("breast", at("breast", 0, -0.03, 0.0), at("breast", 0, 0.02, 0.03), 0.070, 0.054, PALE),
        Part("tail_1", at("tail_1", 0, 0.004, 0.03), at("tail_2"), 0.044, 0.026, SLATE),
        Part("tail_2", at("tail_2"), at("tail_2", 0, -0.018, -0.055), 0.026, 0.012, DARK),
        Part("head", at("head", 0, 0.0, -0.006), at("head", 0, 0.008, 0.026), 0.030, 0.022, PALE),
        Part("head", at("head", 0, 0.022, 0.0), at("head", 0, 0.020, -0.075), 0.016, 0.006, DARK),
        Part("beak", at("beak", 0, -0.004, -0.020), at("beak", 0, -0.012, 0.095), 0.0125, 0.0040, BEAK),
    ]
    widths = (0.048, 0.040, 0.034, 0.030, 0.028, 0.026, 0.026)
    line = [place["breast"] + [0, 0.02, 0.03], *(place[f"neck_{i}"] for i in range(1, 8)), place["head"]]
    for i in range(1, 8):
        out.append(Part(f"neck_{i}", line[i], line[i + 1], widths[i - 1], widths[min(i, 6)] * 0.95, PALE))
    for _, s in SIDES:
        out.append(
            Part("head", at("head", s * 0.020, 0.010, 0.018), at("head", s * 0.021, 0.010, 0.020), 0.0085, 0.0085, EYE)
        )
    for side, s in SIDES:
        w = [place[f"wing_{i}_{side}"] for i in (1, 2, 3)]
        feather = place[f"tail_feather_{side}"]
        thigh, shin, foot, toes, hind = (
            place[f"{k}_{side}"] for k in ("upper_leg", "lower_leg", "foot", "toes", "hind_toe")
        )
        out += [
            Part(f"wing_1_{side}", w[0], w[1], 0.040, 0.046, SLATE, 1.2),
            Part(f"wing_2_{side}", w[1], w[2], 0.046, 0.030, SLATE, 1.2),
            Part(f"wing_3_{side}", w[2], w[2] + [-s * 0.012, -0.030, -0.075], 0.028, 0.010, DARK),
            Part(f"tail_feather_{side}", feather + [0, 0, 0.03], feather + [s * 0.012, -0.016, -0.055], 0.018, 0.010, DARK),
            Part("pelvis", thigh + [0, 0.02, 0.01], thigh + [0, 0.0, 0.0], 0.050, 0.040, SLATE),
            Part(f"upper_leg_{side}", thigh, thigh + 0.55 * (shin - thigh), 0.036, 0.018, PALE),
            Part(f"upper_leg_{side}", thigh + 0.5 * (shin - thigh), shin, 0.017, 0.013, LEG),
            Part(f"lower_leg_{side}", shin, foot + [0, 0.004, 0], 0.0145, 0.0105, LEG),
            Part(f"foot_{side}", foot, toes, 0.0115, 0.0085, LEG),
            Part(f"toes_{side}", toes, toes + [0, -0.002, 0.040], 0.0085, 0.0062, LEG),
            Part(f"toes_{side}", toes - [0, 0, 0.03], toes + [s * 0.034, -0.002, 0.022], 0.0085, 0.0062, LEG),
            Part(f"toes_{side}", toes - [0, 0, 0.03], toes + [-s * 0.030, -0.002, 0.026], 0.0085, 0.0062, LEG),
            Part(f"hind_toe_{side}", foot + [0, -0.012, -0.008], hind, 0.0095, 0.0065, LEG),
        ]  # fmt: skip
    return out


def meshes(skeleton: Skeleton) -> tuple[Mesh, ...]:
    """The whole bird in two skins: body and neck, and what is thin enough to want a finer grid."""
    place = {n: skeleton.rest_model[1][i] for n, i in skeleton.index.items()}
    parts = _parts(place)
    thin = [max(p.ra, p.rb) < 0.0175 for p in parts]
    fine = skinned(skeleton, [p for p, t in zip(parts, thin, strict=True) if t], 0.0058, 0.0018, 0.008)
    return (
        skinned(skeleton, [p for p, t in zip(parts, thin, strict=True) if not t], 0.0115, 0.005, 0.018),
        replace(fine, shapes=((BEAK_OPEN, _opened(fine, skeleton)),)),
    )


BEAK_OPEN = "beak_open"


def _opened(mesh: Mesh, skeleton: Skeleton) -> Array:
    """What opening the beak adds to the vertices ``(n, 3)``: its lower half turns down about where it begins."""
    beak = skeleton.index["beak"]
    root = skeleton.rest_model[1][beak] + np.array([0.0, -0.004, -0.02])
    away = mesh.positions - root
    own = (mesh.weights * (mesh.joints == beak)).sum(axis=1)
    # The middle of the beak falls a little towards its tip.
    below = own * np.clip((-0.07 * away[:, 2] - away[:, 1]) / 0.002 + 0.5, 0.0, 1.0)
    angle = np.radians(24.0) * np.clip(away[:, 2] / 0.02, 0.0, 1.0)
    y, z = away[:, 1], away[:, 2]
    turned = np.stack(
        [away[:, 0], y * np.cos(angle) - z * np.sin(angle), y * np.sin(angle) + z * np.cos(angle)], axis=1
    )
    return np.asarray((turned - away) * below[:, None])
