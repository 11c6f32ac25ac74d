"""Faults put into clean clips at random places and sizes, and whether the findings see them; and what they say of clean clips."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from quality.figure import SIDES, Figure
from reflexa.checks import Subject, findings
from reflexa.motion import quat
from reflexa.motion.clip import Clip, Event
from reflexa.rig.limbs import limb_of, made_to_bend
from reflexa.stage.footing import Thresholds, level_of, standing_spans

Rng = np.random.Generator
# What a fault may be seen as: a joint that pops may flip, say.
_SEEN = {
    "pop": {"pop", "flip", "hyperextension"},
    "hyperextension": {"hyperextension"},
    "flip": {"flip", "spin", "pop"},
    "float": {"float"},
    "sunk": {"penetration"},
    "hand under the floor": {"penetration"},
    "slide": {"slide"},
    "seam": {"seam"},
    "seam that jerks": {"seam"},
    "rest pose": {"rest-pose"},
    "freeze": {"freeze"},
    "outside": {"outside-range"},
    "spin": {"spin"},
    "scale": {"scale"},
    "move": {"pop"},
    "pinned": {"straight"},
    "root start": {"root-start"},
}


@dataclass(frozen=True)
class Planted:
    """A fault in a clip: at which frames, and of what size, in words."""

    clip: Clip
    frames: tuple[int, int]
    said: str


def _part(f: Figure, rng: Rng, parts: tuple[str, ...]) -> int:
    found = [j for p in parts if (j := f.joint(p)) >= 0]
    return int(rng.choice(found)) if found else -1


_LIMBS = tuple(f"{s} {p}" for s in SIDES for p in ("upper arm", "forearm", "thigh", "shin"))


def _turned(clip: Clip, joint: int, frames: slice, by: np.ndarray) -> Clip:
    q = np.array(clip.rotations)
    q[frames, joint] = quat.multiply(q[frames, joint], quat.from_rotvec(np.radians(by)))
    return clip.with_motion(quat.continuous(q), clip.translations)


def _axis(rng: Rng) -> np.ndarray:
    v = rng.normal(size=3)
    return np.asarray(v / np.linalg.norm(v))


def pop(f: Figure, rng: Rng) -> Planted | None:
    joint = _part(f, rng, (*_LIMBS, "head", "spine", "left hand", "right foot"))
    if joint < 0 or f.clip.frames < 14:
        return None
    at, long, size = int(rng.integers(4, f.clip.frames - 6)), int(rng.integers(1, 3)), float(rng.uniform(45, 90))
    clip = _turned(f.clip, joint, slice(at, at + long), size * _axis(rng))
    return Planted(clip, (at - 1, at + long + 1), f"{f.rig.skeleton.names[joint]} {size:.0f}° for {long}")


def move(f: Figure, rng: Rng) -> Planted | None:
    if f.clip.frames < 14:
        return None
    at, size = int(rng.integers(4, f.clip.frames - 6)), float(rng.uniform(0.1, 0.3))
    t = np.array(f.clip.translations)
    t[at, f.rig.travel_joint] += size * _axis(rng)
    return Planted(f.clip.with_motion(f.clip.rotations, t), (at - 1, at + 2), f"{100 * size:.0f} cm")


def hyperextension(f: Figure, rng: Rng) -> Planted | None:
    end = str(rng.choice(["left foot", "right foot"]))
    l = limb_of(f.rig, end)
    if l is None or f.clip.frames < 20:
        return None
    at, long = int(rng.integers(3, f.clip.frames - 12)), int(rng.integers(4, 9))
    back = float(rng.uniform(30, 60))
    # Straightened, and thrown beyond, about the axis that the knee is made for.
    bend = _signed(f, end)[at : at + long]
    axis = quat.rotate(
        quat.multiply(quat.conjugate(f.clip.rotations[at : at + long, l.middle]), np.tile(quat.IDENTITY, (long, 1))),
        np.tile(made_to_bend(f.rig, end), (long, 1)),
    )
    ease = np.sin(np.pi * (np.arange(long) + 1) / (long + 1))
    clip = _turned(f.clip, l.middle, slice(at, at + long), axis * (-(bend + back) * ease)[:, None])
    return Planted(clip, (at - 1, at + long), f"{end} {back:.0f}°")


def _signed(f: Figure, end: str) -> np.ndarray:
    l = limb_of(f.rig, end)
    assert l is not None
    placed = f.clip.model[1]
    a, b = placed[:, l.middle] - placed[:, l.root], placed[:, l.end] - placed[:, l.middle]
    return np.asarray(np.degrees(np.arctan2(np.linalg.norm(np.cross(a, b), axis=1), (a * b).sum(axis=1))))


def _along(f: Figure, joint: int) -> np.ndarray | None:
    below = [c for c in range(len(f.rig.skeleton)) if f.rig.skeleton.parents[c] == joint]
    ways = [f.rig.skeleton.rest_translations[c] for c in below]
    longest = max(ways, key=lambda w: float(np.linalg.norm(w)), default=np.zeros(3))
    size = float(np.linalg.norm(longest))
    return longest / size if size > 1e-6 else None


def flip(f: Figure, rng: Rng) -> Planted | None:
    joint = _part(f, rng, tuple(p for p in _LIMBS if "shin" not in p))
    axis = _along(f, joint) if joint >= 0 else None
    if axis is None or f.clip.frames < 14:
        return None
    at, size = int(rng.integers(4, f.clip.frames - 6)), float(rng.uniform(100, 180) * rng.choice([-1, 1]))
    clip = _turned(f.clip, joint, slice(at, None), size * axis)
    return Planted(clip, (at - 1, at + 1), f"{f.rig.skeleton.names[joint]} {size:.0f}°")


def spin(f: Figure, rng: Rng) -> Planted | None:
    joint = _part(f, rng, tuple(p for p in _LIMBS if "shin" not in p))
    axis = _along(f, joint) if joint >= 0 else None
    if axis is None or f.clip.frames < 40:
        return None
    long = min(int(rng.integers(20, 40)), f.clip.frames - 8)
    at = int(rng.integers(2, f.clip.frames - long - 1))
    turn = np.zeros(f.clip.frames)
    turn[at : at + long] = np.linspace(0, 360, long)
    return Planted(
        _turned(f.clip, joint, slice(None), turn[:, None] * axis), (at, at + long), f.rig.skeleton.names[joint]
    )


def sunk(f: Figure, rng: Rng) -> Planted | None:
    return _lifted(f, -float(rng.uniform(0.05, 0.15)))


def float_(f: Figure, rng: Rng) -> Planted | None:
    return _lifted(f, float(rng.uniform(0.05, 0.13)))


def _lifted(f: Figure, by: float) -> Planted | None:
    if not standing_spans(f.clip, f.rig) or not any(s.any() for s in standing_spans(f.clip, f.rig).values()):
        return None
    if by > 0:  # over the floor, where the clip stands in it
        by += max(0.0, float(-np.median(level_of(f.clip, f.rig))))
    t = np.array(f.clip.translations)
    t[:, f.rig.skeleton.roots[0], 1] += by
    return Planted(f.clip.with_motion(f.clip.rotations, t), (0, f.clip.frames - 1), f"{100 * by:.0f} cm")


def hand(f: Figure, rng: Rng) -> Planted | None:
    """A hand led 15 cm under the floor, as by a goal: the arm grows rather than the body bends."""
    joint = f.joint(f"{rng.choice(SIDES)} hand")
    if joint < 0 or f.clip.frames < 20:
        return None
    long = int(rng.integers(6, 15))
    at = int(rng.integers(2, f.clip.frames - long - 1))
    turned, placed = f.clip.model
    parent = int(f.rig.skeleton.parents[joint])
    t = np.array(f.clip.translations)
    down = np.zeros((long, 3))
    down[:, 1] = -placed[at : at + long, joint, 1] - float(rng.uniform(0.08, 0.2))
    t[at : at + long, joint] += quat.rotate(quat.conjugate(turned[at : at + long, parent]), down)
    return Planted(f.clip.with_motion(f.clip.rotations, t), (at, at + long), "a hand")


def slide(f: Figure, rng: Rng) -> Planted | None:
    """The whole figure is carried on through one stance, and stays there."""
    stances = [
        (int(a), int(b))
        for s in standing_spans(f.clip, f.rig).values()
        for a, b in _runs(s)
        if b - a >= 0.3 * f.clip.rate
    ]
    if not stances or not Subject(f.clip, f.rig).stands(Thresholds(), on_spot=False):
        return None  # feet of a clip made on the spot are meant to go back
    a, b = stances[int(rng.integers(len(stances)))]
    size, angle = float(rng.uniform(0.06, 0.15)), float(rng.uniform(0, 2 * np.pi))
    gone = np.interp(np.arange(f.clip.frames), [a + 0.2 * (b - a), b - 0.2 * (b - a)], [0.0, size])
    t = np.array(f.clip.translations)
    t[:, f.rig.skeleton.roots[0]] += gone[:, None] * np.array([np.cos(angle), 0.0, np.sin(angle)])
    return Planted(f.clip.with_motion(f.clip.rotations, t), (a, b), f"{100 * size:.0f} cm")


def _runs(mask: np.ndarray) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(int), [0]])))
    return [(int(a), int(b) - 1) for a, b in edges.reshape(-1, 2)]


def seam(f: Figure, rng: Rng) -> Planted | None:
    """A loop whose last pose is turned away over its last frames."""
    joint = _part(f, rng, (*_LIMBS, "spine", "head"))
    if not f.clip.loop or joint < 0:
        return None
    size = float(rng.uniform(8, 25))
    ease = np.linspace(0, 1, 8)[:, None] ** 2
    clip = _turned(f.clip, joint, slice(f.clip.frames - 8, None), ease * size * _axis(rng))
    return Planted(clip, (0, f.clip.frames - 1), f"{size:.0f}°")


def jerk(f: Figure, rng: Rng) -> Planted | None:
    """A loop that meets in pose, and comes there from another side."""
    joint = _part(f, rng, ("left thigh", "right thigh", "left upper arm", "right upper arm"))
    if not f.clip.loop or joint < 0 or f.clip.frames < 30:
        return None
    size, n = float(rng.uniform(25, 40)), 20
    shape, u = np.zeros(f.clip.frames), np.arange(n + 1) / n
    shape[f.clip.frames - 1 - n :] = 6.75 * u**2 * (1 - u)
    return Planted(
        _turned(f.clip, joint, slice(None), shape[:, None] * size * _axis(rng)), (0, f.clip.frames - 1), f"{size:.0f}°"
    )


def rest_pose(f: Figure, rng: Rng) -> Planted | None:
    if f.clip.loop or f.joint("left thigh") < 0:
        return None
    count, head = int(rng.integers(1, 6)), bool(rng.integers(2))
    s = f.clip.skeleton
    q, t = np.tile(s.rest_rotations, (count, 1, 1)), np.tile(s.rest_translations, (count, 1, 1))
    parts = [(q, t), (f.clip.rotations, f.clip.translations)][:: 1 if head else -1]
    clip = replace(
        f.clip, rotations=np.concatenate([p[0] for p in parts]), translations=np.concatenate([p[1] for p in parts]),
        tracks=(), scales=None,
    )  # fmt: skip
    span = (0, count - 1) if head else (f.clip.frames, f.clip.frames + count - 1)
    return Planted(clip, span, f"{count} at the {'head' if head else 'tail'}")


def freeze(f: Figure, rng: Rng) -> Planted | None:
    if f.clip.frames < 20:
        return None
    at, long = int(rng.integers(3, f.clip.frames - 4)), round(float(rng.uniform(0.6, 2.0)) * f.clip.rate)
    order = np.concatenate([np.arange(at), np.full(long, at), np.arange(at, f.clip.frames)])
    clip = replace(
        f.clip,
        rotations=f.clip.rotations[order],
        translations=f.clip.translations[order],
        tracks=(),
        scales=None,
        loop=False,
    )
    return Planted(clip, (at, at + long), f"{long} frames")


def outside(f: Figure, rng: Rng) -> Planted | None:
    at = float(rng.choice([-3.0, f.clip.frames + 5.0]))
    return Planted(replace(f.clip, events=(*f.clip.events, Event(at, "late"))), (0, f.clip.frames - 1), f"{at:g}")


def scale(f: Figure, rng: Rng) -> Planted | None:
    joint, size = int(rng.integers(len(f.rig.skeleton))), float(rng.uniform(1.05, 1.4))
    s = np.ones((f.clip.frames, len(f.rig.skeleton), 3))
    s[:, joint] = size
    return Planted(replace(f.clip, scales=s), (0, f.clip.frames - 1), f"{size:.2f}")


def pinned(f: Figure, rng: Rng) -> Planted | None:
    """A leg that is pulled to its full length and swings there."""
    end = str(rng.choice(["left foot", "right foot"]))
    l = limb_of(f.rig, end)
    if l is None or f.clip.frames < 40 or f.clip.rate > 61:
        return None
    long = round(0.4 * f.clip.rate)
    bend = _signed(f, end)
    swings = _swings(f, l.root, l.middle)
    good = [a for a in range(4, f.clip.frames - long - 4) if swings[a + long] - swings[a] > 25 and bend[a - 4] > 8]
    if not good:
        return None
    at = int(rng.choice(good))
    placed, turned = f.clip.model[1], f.clip.model[0]
    own = slice(at, at + long)
    a, b, c = placed[own, l.root], placed[own, l.middle], placed[own, l.end]
    turn = quat.between(c - b, b - a)
    parent = turned[own, l.root]
    q = np.array(f.clip.rotations)
    model = quat.multiply(turn, turned[own, l.middle])
    q[own, l.middle] = quat.multiply(quat.conjugate(parent), model)
    return Planted(f.clip.with_motion(quat.continuous(q), f.clip.translations), (at, at + long), end)


def _swings(f: Figure, a: int, b: int) -> np.ndarray:
    way = f.clip.model[1][:, b] - f.clip.model[1][:, a]
    way = way / np.linalg.norm(way, axis=1, keepdims=True)
    step = np.degrees(np.arccos(np.clip((way[1:] * way[:-1]).sum(axis=1), -1, 1)))
    return np.concatenate([[0.0], np.cumsum(step)])


def root_start(f: Figure, rng: Rng) -> Planted | None:
    root = f.joint("root")
    if root < 0:
        return None
    up, turn = float(rng.uniform(0.03, 0.2)), float(rng.uniform(5, 170))
    q, t = np.array(f.clip.rotations), np.array(f.clip.translations)
    if rng.integers(2):
        t[:, root, 1] += up
    else:
        q[:, root] = quat.multiply(quat.about(1, np.radians(turn)), q[:, root])
    return Planted(f.clip.with_motion(q, t), (0, 0), f"{100 * up:.0f} cm or {turn:.0f}°")


PLANTS: Mapping[str, Callable[[Figure, Rng], Planted | None]] = {
    "pop": pop, "move": move, "hyperextension": hyperextension, "flip": flip, "spin": spin, "sunk": sunk, "float": float_,
    "hand under the floor": hand, "slide": slide, "seam": seam, "seam that jerks": jerk, "rest pose": rest_pose,
    "freeze": freeze, "outside": outside, "scale": scale, "pinned": pinned, "root start": root_start,
}  # fmt: skip


def clean(clips: Mapping[str, Figure]) -> dict[str, Counter[str]]:
    """Per clip the kinds of findings that stand in it as it is, and how many of each."""
    return {name: Counter(found.kind for found in findings(f.clip, f.rig)) for name, f in clips.items()}


def hits(clips: Mapping[str, Figure], seed: int = 1, times: int = 2) -> tuple[Counter[str], list[str]]:
    """Per kind of fault how many were found, and those that were missed, in words. Each is put into every clip that can
    hold it, so many times. A fault counts as found by a finding of its kind, about its frames, that the clip has not without."""
    found: Counter[str] = Counter()
    missed = []
    for name, f in clips.items():
        before = {(x.kind, x.frames) for x in findings(f.clip, f.rig)}
        for fault, contact in PLANTS.items():
            for i in range(times):
                rng = np.random.default_rng([seed, i, *name.encode(), *fault.encode()])
                planted = contact(f, rng)
                if planted is None:
                    continue
                first, last = planted.frames
                seen = any(
                    x.kind in _SEEN[fault]
                    and (x.kind, x.frames) not in before
                    and x.frames[0] <= last
                    and first <= x.frames[1]
                    for x in findings(planted.clip, f.rig)
                )
                found[fault] += seen
                if not seen:
                    missed.append(f"{fault} in {name}, frames {first} to {last}: {planted.said}")
    return found, missed


# Clips with faults that are there to be found.
FAULTY = ("skating", "feet sunk", "that pops", "rest pose at", "turning the winch")


def report(clips: Mapping[str, Figure]) -> int:
    """Print what the findings say of clean clips, and how many planted faults they see; how many are missed."""
    good = {n: f for n, f in clips.items() if not any(x in n for x in FAULTY) and f.joint("left thigh") >= 0}
    for name, kinds in clean(good).items():
        if kinds:
            print(f"  {name}: {', '.join(f'{n} {k}' for k, n in kinds.items())}")
    found, missed = hits(good)
    gone = Counter(m.split(" in ")[0] for m in missed)
    print(
        f"Faults planted in {len(good)} clips: " + ", ".join(f"{f} {found[f]} of {found[f] + gone[f]}" for f in PLANTS)
    )
    for m in missed:
        print(f"  missed: {m}")
    return len(missed)
