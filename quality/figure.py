"""A clip on a rig as the measures see it: limbs, soles, stances."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from quality import plain
from quality.plain import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig

Bools = NDArray[np.bool_]
SIDES = ("left", "right")
LIMBS = {"knee": ("thigh", "shin", "foot"), "elbow": ("upper arm", "forearm", "hand")}


@dataclass(frozen=True, eq=False)
class Figure:
    """clip and rig, with what is measured on them computed once."""

    clip: Clip
    rig: Rig

    @cached_property
    def world(self) -> tuple[Array, Array]:
        axes, places = plain.world(self.clip)
        return (plain.unit(axes.swapaxes(-1, -2)).swapaxes(-1, -2) if self.clip.scales is not None else axes), places

    @property
    def rate(self) -> float:
        """Frames that pass in a thirtieth of a second are one frame here."""
        return self.clip.rate / 30

    def joint(self, part: str) -> int:
        names = self.rig.body_map.get(part, ())
        return self.rig.skeleton.index[names[0]] if names else -1

    def tip(self, joint: int) -> Array | None:
        """Where the end site of a joint is ``(frames, 3)``; None without one."""
        own = self.rig.tips.get(self.clip.skeleton.names[joint]) if joint >= 0 else None
        axes, places = self.world
        return None if own is None else places[:, joint] + axes[:, joint] @ own

    @cached_property
    def leg(self) -> float:
        places, found = plain.rest(self.clip.skeleton)[1], []
        for side in SIDES:
            a, b, c = (self.joint(f"{side} {p}") for p in LIMBS["knee"])
            if min(a, b, c) >= 0:
                found.append(np.linalg.norm(places[a] - places[b]) + np.linalg.norm(places[b] - places[c]))
        return float(np.mean(found)) if found else 0.0

    @cached_property
    def bends(self) -> dict[str, Array]:
        """Inner angle of every knee and elbow in degrees ``(frames,)``; 180 is straight."""
        out, places = {}, self.world[1]
        for name, parts in LIMBS.items():
            for side in SIDES:
                a, b, c = (self.joint(f"{side} {p}") for p in parts)
                if a < 0 or b < 0:
                    continue
                end = places[:, c] if c >= 0 else self.tip(b)
                if end is not None and np.linalg.norm(end[0] - places[0, b]) > 1e-4:
                    out[f"{side} {name}"] = plain.angle_between(places[:, a] - places[:, b], end - places[:, b])
        return out

    @cached_property
    def spins(self) -> dict[str, Array]:
        """By how much every thigh and upper arm turns about itself from frame to frame, degrees ``(frames - 1,)``."""
        out, (axes, places) = {}, self.world
        for parts in LIMBS.values():
            for side in SIDES:
                a, b = (self.joint(f"{side} {p}") for p in parts[:2])
                if a >= 0 and b >= 0:
                    way = plain.unit(places[:, b] - places[:, a])
                    change = axes[1:, a] @ np.swapaxes(axes[:-1, a], -1, -2)
                    swing = _between(way[:-1], way[1:])
                    twist = plain.rotation_vectors(np.swapaxes(swing, -1, -2) @ change)
                    out[f"{side} {parts[0]}"] = np.degrees(np.abs(np.sum(twist * way[:-1], axis=-1)))
        return out

    @cached_property
    def ahead(self) -> Array:
        """The way that the hips face over the ground ``(frames, 3)``."""
        a, b = self.joint("left thigh"), self.joint("right thigh")
        line = self.world[1][:, a] - self.world[1][:, b]
        return plain.unit(np.cross(line, [0.0, 1.0, 0.0]))

    # The ground ---------------------------------------------------------------------------------------------

    @cached_property
    def soles(self) -> dict[str, Array]:
        """Points of each sole ``(frames, points, 3)``: the skin's where there is skin, else the joints of the foot."""
        out = {}
        axes, places = self.world
        for side in SIDES:
            ankle, toes = self.joint(f"{side} foot"), self.joint(f"{side} toes")
            if ankle < 0:
                continue
            below = self.rig.skeleton.below(ankle)
            skin = []
            for mesh in self.rig.meshes:
                strongest = mesh.joints[np.arange(len(mesh.joints)), mesh.weights.argmax(axis=1)]
                own = np.flatnonzero(np.isin(strongest, below))
                if len(own):
                    at_rest = plain.skinned(mesh, own, *(a[None] for a in plain.rest(self.rig.neutral)))[0]
                    low = own[at_rest[:, 1] < at_rest[:, 1].min() + 0.06]
                    skin.append(plain.skinned(mesh, low, axes, places))
            if skin:
                out[side] = np.concatenate(skin, axis=1)
                continue
            bones = [places[:, ankle]] + ([places[:, toes]] if toes >= 0 else [])
            tip = self.tip(toes if toes >= 0 else ankle)
            out[side] = np.stack([*bones, *([tip] if tip is not None else [])], axis=1)
        return out

    @cached_property
    def hands(self) -> dict[str, Array]:
        """Points of the skin of each hand ``(frames, points, 3)``; none without skin."""
        out = {}
        for side in SIDES:
            joint = self.joint(f"{side} hand")
            skin = []
            for mesh in self.rig.meshes if joint >= 0 else ():
                strongest = mesh.joints[np.arange(len(mesh.joints)), mesh.weights.argmax(axis=1)]
                own = np.flatnonzero(np.isin(strongest, self.rig.skeleton.below(joint)))
                if len(own):
                    skin.append(plain.skinned(mesh, own[::3], *self.world))
            if skin:
                out[side] = np.concatenate(skin, axis=1)
        return out

    @cached_property
    def feet(self) -> dict[str, tuple[Array, Array]]:
        """Per side, tracks ``(frames, 3)`` of the hindmost and the foremost bearing point: heel and ball."""
        out = {}
        axes, places = self.world
        turned, placed = plain.rest(self.rig.neutral)
        for side in SIDES:
            ankle, toes = self.joint(f"{side} foot"), self.joint(f"{side} toes")
            if ankle < 0:
                continue
            ball = places[:, toes] if toes >= 0 else self.tip(ankle)
            ahead = self.rig.facing if toes < 0 else plain.unit((placed[toes] - placed[ankle]) * [1.0, 0.0, 1.0])
            long = np.linalg.norm((placed[toes] - placed[ankle])[[0, 2]]) if toes >= 0 else 0.16 * self.leg
            back = turned[ankle].T @ (-0.35 * long * ahead - [0.0, placed[ankle, 1] - self.rig.ground, 0.0])
            heel = places[:, ankle] + axes[:, ankle] @ back
            out[side] = heel, heel if ball is None else ball
        return out

    @cached_property
    def stances(self) -> dict[str, tuple[Bools, Bools]]:
        """Per side, when heel and ball surely stand ``(frames,)``: near as low as they come, and all but still."""
        return {side: tuple(self._still(p) for p in pair) for side, pair in self.feet.items()}  # type: ignore[misc]

    def _still(self, p: Array) -> Bools:
        if len(p) < 3:
            return np.zeros(len(p), dtype=bool)
        speed = np.linalg.norm(np.gradient(p, axis=0), axis=1) * self.clip.rate
        low = np.percentile(p[:, 1], 5)
        still = (speed < 0.25 * self.leg) & (p[:, 1] < low + 0.025 * self.leg)
        out = np.zeros(len(p), dtype=bool)
        for a, b in spans(still):
            if b - a + 1 >= max(3, 0.1 * self.clip.rate):
                out[a : b + 1] = True
        return out


def spans(mask: Bools) -> list[tuple[int, int]]:
    """First and last frame of every run of True."""
    edge = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(int)))
    return [(int(a), int(b) - 1) for a, b in zip(edge[::2], edge[1::2], strict=True)]


def _between(a: Array, b: Array) -> Array:
    """The least rotation ``(n, 3, 3)`` from unit directions to others (Rodrigues)."""
    v, c = np.cross(a, b), np.sum(a * b, axis=-1)
    k = np.zeros((len(a), 3, 3))
    k[:, 0, 1], k[:, 0, 2], k[:, 1, 2] = -v[:, 2], v[:, 1], -v[:, 0]
    k = k - np.swapaxes(k, -1, -2)
    return np.asarray(np.eye(3) + k + k @ k / np.maximum(1 + c, 1e-9)[:, None, None])
