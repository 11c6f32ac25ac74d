"""Soles on the floor, hands on the floor, feet that do not slide."""

from __future__ import annotations

import numpy as np

from quality.figure import Bools, Figure, spans
from quality.model import Case, Measure, worst
from quality.plain import Array


def floor_of(f: Figure) -> float:
    """The height of the floor that a clip stands on, metres: where the skin of its standing soles is; where there are only
    bones, the world's floor, as long as they stand as much above it as a sole may be thick."""
    heights = []
    for side, stands in f.stances.items():
        if side in f.soles:
            both = stands[0] | stands[1]
            heights.append(f.soles[side][..., 1].min(axis=1)[both])
    all_ = np.concatenate(heights) if heights else np.empty(0)
    if not len(all_):
        return 0.0
    level = float(np.median(all_))
    thick = -0.02 * f.leg < level < 0.12 * f.leg
    return 0.0 if not f.rig.meshes and thick else level


def soles(case: Case) -> list[Measure]:
    """Soles of feet that stand in the source are within 8 mm of its floor, and never 10 mm under it."""
    if not case.floor:
        return []
    level, rise = floor_of(case.before) * case.factor[1], case.factor[1]
    over, under = [], []
    for side, points in case.after.soles.items():
        stands = _stands(case, side)
        if stands is None or not stands.any():
            continue
        low = 1000 * (points[..., 1].min(axis=1) - level)
        # What a foot of the source is itself over (or under) where it mostly stands.
        own = _low(case, _source_side(case, side))
        was = 1000 * rise * (own - np.median(own[stands]))
        if not case.after.rig.meshes and not case.before.rig.meshes:
            low = low - np.median(low[stands])  # bones have no sole: beside where they mostly are
        over.append((f"{side} foot", np.where(stands, low - np.maximum(was, 0), -np.inf), 0.0, 8.0))
        under.append((f"{side} foot", np.where(stands, -low + np.minimum(was, 0), -np.inf), 0.0, 10.0))
    return worst("floats", "mm", over) + worst("sinks", "mm", under)


def _low(case: Case, side: str) -> Array:
    """The lowest of a foot of the source ``(frames,)``: of its skin or, as the result has none either, of its bones; else of heel
    and ball."""
    f = case.before
    if f.rig.meshes or not case.after.rig.meshes:
        return np.asarray(f.soles[side][..., 1].min(axis=1))
    return np.asarray(np.minimum(*(p[:, 1] for p in f.feet[side])))


def _stands(case: Case, side: str) -> Bools | None:
    own = case.before.stances.get(_source_side(case, side))
    return None if own is None or len(own[0]) != case.after.clip.frames else own[0] | own[1]


def _source_side(case: Case, side: str) -> str:
    return next((a.split()[0] for a, b in case.limbs if b == f"{side} knee"), side)


def slides(case: Case) -> list[Measure]:
    """Whichever of heel and ball stands in the source slides no more than it did there, scaled, plus 2 mm."""
    if not case.floor:
        return []
    found = []
    for side, tracks in case.after.feet.items():
        of = _source_side(case, side)
        if of not in case.before.feet or case.before.clip.frames != case.after.clip.frames:
            continue
        for name, a, b, stands in zip(
            ("heel", "ball"), case.before.feet[of], tracks, case.before.stances[of], strict=True
        ):
            gone, was = np.full(len(a), -np.inf), 0.0
            for first, last in spans(stands):
                x, y = (p[first : last + 1] - p[first] for p in (a, b))
                own = np.linalg.norm(x[:, [0, 2]], axis=1) * case.factor[0]
                gone[first : last + 1] = 1000 * (np.linalg.norm(y[:, [0, 2]], axis=1) - own)
                was = max(was, 1000 * float(own.max()))
            found.append((f"{side} {name}", gone, was, 2.0))
    return worst("slides", "mm over", found)


def hands(case: Case) -> list[Measure]:
    """Hands that bear weight on the floor in the source do so within 25 mm."""
    if not case.floor:
        return []
    level = floor_of(case.before)
    over, under = [], []
    for side in ("left", "right"):
        a, b = _hand(case.before, _source_side(case, side)), _hand(case.after, side)
        if a is None or b is None or len(a) != len(b):
            continue
        speed = np.linalg.norm(np.gradient(a, axis=0), axis=1) * case.before.clip.rate if len(a) > 1 else np.zeros(1)
        bears = (a[:, 1] < level + 0.1 * case.before.leg) & (speed < 0.5 * case.before.leg)
        low = 1000 * (b[:, 1] - level * case.factor[1])
        if bears.any():
            was = 1000 * float((a[bears, 1] - level).max())
            over.append((f"{side} hand", np.where(bears, low, -np.inf), was, 25.0 + was * case.factor[1]))
        deep = -1000 * float((a[:, 1] - level).min())
        under.append((f"{side} hand", -low, deep, 25.0 + max(0.0, deep) * case.factor[1]))
    return worst("hand floats", "mm", over) + worst("hand sinks", "mm", under)


def _hand(f: Figure, side: str) -> Array | None:
    """The track of a hand ``(frames, 3)``: over the ground that of its wrist, and as high as the lowest of its skin where there
    is skin."""
    joint, fore = f.joint(f"{side} hand"), f.joint(f"{side} forearm")
    if joint < 0:
        return f.tip(fore)
    track = f.world[1][:, joint].copy()
    skin = f.hands.get(side)
    if skin is not None:
        track[:, 1] = skin[..., 1].min(axis=1)
    return track
