"""Which contacts a clip has: soles, palms, knees and seat on what lies below or beside them, and parts on parts."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from reflexa.contacts.relations import relations, speed_over
from reflexa.motion import quat, stances
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.contact import Contact, Part, in_order, moved, of_points
from reflexa.motion.cuts import pieces
from reflexa.rig import Rig
from reflexa.rig.bodies import volumes
from reflexa.rig.foot_rest import as_seen, leg_length
from reflexa.rig.limbs import limb_of
from reflexa.rig.palms import palms
from reflexa.rig.rig import SIDES
from reflexa.stage import EMPTY, Stage, surface_under
from reflexa.stage.footing import Thresholds, footing
from reflexa.stage.model import Prop, track

# A hand, knee or seat bears below this height and slower than this, as shares of the leg (a second).
_LOW, _SLOW = 0.06, 0.4
# A hand holds a prop at this share of a foot's slowness, and this near to it, metres.
_HAND_SLOW, _HAND_NEAR = 0.25, 0.12
# A relation counts as a contact from this weight on.
_RELATED = 0.5
# A hand that moves over the body faster than this swings past it, heights a second.
_PASSES = 0.35


def of_clip(clip: Clip, rig: Rig, stage: Stage = EMPTY) -> tuple[Contact, ...]:
    """The contacts of a clip: those that somebody has said, else those that are found in it."""
    return found(clip, rig, stage) if clip.contacts is None else clip.contacts


def found(clip: Clip, rig: Rig, stage: Stage = EMPTY, by: Thresholds = Thresholds()) -> tuple[Contact, ...]:
    """All contacts that are found in a clip, in order of time, whatever it says itself."""
    clip = replace(clip, contacts=None) if clip.contacts is not None else clip
    rig = as_seen(clip, rig)
    if not stage.props and len(apart := pieces(clip)) > 1:
        return tuple(moved(c, a) for a, b in apart for c in found(clip.cut(a, b - 1), rig, stage, by))
    out: list[Contact] = []
    floor: Literal["stage", "feet"] = "stage" if stage.props else "feet"
    for side, f in footing(clip, rig, stage, by, floor, on_spot=False).items():
        out += of_points(f"{side} foot", f.heel_stands, f.ball_stands, f.stands)  # type: ignore[arg-type]
    out += of_hands(clip, rig, stage, by)
    leg = max(leg_length(rig), 1e-6)
    for part, points, under in _knees_and_seat(rig, clip):
        height = points[:, 1] - surface_under(stage, clip, points).height - under
        out += _standing(part, height, points, (_LOW * leg, _SLOW * leg), (clip.rate, by))
    for r in relations(clip, rig):
        # What only swings past is kept clear of, and is no contact.
        slow = r.other.endswith("hand") or speed_over(clip, rig, r) < _PASSES * rig.height
        for a, b in stances.spans((r.weight >= _RELATED) & slow):
            if b - a + 1 >= by.frames(clip.rate):
                out.append(Contact(r.part, a, b, other=r.other))  # type: ignore[arg-type]
    return in_order(out)


@dataclass(frozen=True)
class Described:
    """One contact in words: the part, what it touches ("ground", a prop by its name, a part of the body), first and last frame,
    how much it weighs at most and how sure that is, 0 to 1."""

    part: str
    other: str
    first: int
    last: int
    weight: float
    sure: float

    def plain(self) -> dict[str, str | int | float]:
        return {
            "part": self.part, "with": self.other, "first": self.first, "last": self.last,
            "weight": round(self.weight, 3), "how sure": round(self.sure, 3),
        }  # fmt: skip


def described(clip: Clip, rig: Rig, stage: Stage = EMPTY) -> tuple[Described, ...]:
    """The contacts of a clip as they are told outside. A contact on the ground is the surer the longer and the stiller it is, a
    relation the nearer the two come."""
    near = {(r.part, r.other): r.weight for r in relations(clip, rig)}
    leg = max(leg_length(rig), 1e-6)
    out = []
    for c in of_clip(clip, rig, stage):
        own = slice(c.first, c.last + 1)
        if c.other:
            weight = near.get((c.limb, c.other), np.zeros(clip.frames))[own]
            out.append(Described(c.limb, c.other, c.first, c.last, float(weight.max()), float(weight.mean())))
            continue
        places = clip.model[1][:, joint_of(rig, c.limb)]
        speed = float(np.median(stances.speeds(places, clip.rate)[own])) / (_SLOW * leg)
        long = (c.last - c.first + 1) / (0.3 * clip.rate)
        sure = min(1.0, 0.5 + 0.5 * long) * max(1.0 - 0.5 * speed, 0.2)
        out.append(Described(c.limb, _below(c, places, clip, stage), c.first, c.last, 1.0, sure))
    return tuple(out)


def _below(c: Contact, places: Array, clip: Clip, stage: Stage) -> str:
    """What a part stands on: the nearest prop, or the ground."""
    middle = (c.first + c.last) // 2
    near = {prop.name: float(distance(prop, clip, places)[middle]) for prop in stage.props}
    best = min(near, key=lambda name: near[name], default="")
    on_ground = surface_under(stage, clip, places).height[middle] <= 1e-6
    return best if best and near[best] < _HAND_NEAR and not (on_ground and c.limb.endswith("foot")) else "ground"


def of_hands(clip: Clip, rig: Rig, stage: Stage, by: Thresholds = Thresholds()) -> list[Contact]:
    """Hands that bear on the ground, or hold a prop."""
    out: list[Contact] = []
    leg = max(leg_length(rig), 1e-6)
    for side in SIDES:
        name, joint, l = f"{side} hand", rig.joint(f"{side} hand"), limb_of(rig, f"{side} hand")
        if joint < 0 or l is None:
            continue
        places, palm = clip.model[1][:, joint], palms(rig)[side]
        low = places[:, 1] - palm.lowest(clip.model[0][:, joint]) - surface_under(stage, clip, places).height
        out += _standing(name, low, places, (_LOW * leg, _SLOW * leg), (clip.rate, by))  # type: ignore[arg-type]
    return out + [c for c in on_props(clip, rig, stage, by) if not any(_meet(o, c) for o in out)]


def _meet(a: Contact, b: Contact) -> bool:
    return a.limb == b.limb and a.first <= b.last and b.first <= a.last


def on_props(clip: Clip, rig: Rig, stage: Stage, by: Thresholds = Thresholds()) -> list[Contact]:
    """Hands that hold a prop: slow, and near to it."""
    out: list[Contact] = []
    slow = _HAND_SLOW * by.slow * max(leg_length(rig), 0.5)
    for side in SIDES:
        joint = rig.joint(f"{side} hand")
        if joint < 0 or not stage.props:
            continue
        places = clip.model[1][:, joint]
        near = np.min([distance(prop, clip, places) for prop in stage.props], axis=0)
        out += _standing(f"{side} hand", near, places, (_HAND_NEAR, slow), (clip.rate, by))  # type: ignore[arg-type]
    return out


def joint_of(rig: Rig, part: str) -> int:
    """The joint that a part that touches hangs on ("left knee": the shin); -1 where the rig has none."""
    side, _, what = part.rpartition(" ")
    return rig.joint({"knee": f"{side} shin", "seat": "pelvis"}.get(what, part))


def _standing(
    part: Part, height: Array, points: Array, within: tuple[float, float], by: tuple[float, Thresholds]
) -> list[Contact]:
    """Contacts of a part so high over something, at points ``(frames, 3)``. within: the height and the speed; by: the rate."""
    rate, thresholds = by
    stands = stances.standing(height, stances.speeds(points, rate), *within, thresholds.slack, thresholds.frames(rate))
    return [Contact(part, a, b) for a, b in stances.spans(stands)]


def _knees_and_seat(rig: Rig, clip: Clip) -> list[tuple[Part, Array, float]]:
    """Per knee and for the seat its track ``(frames, 3)``, and how far below that its skin lies, metres."""
    thick = {b.part: float(b.half[2]) for b in volumes(rig)}
    out: list[tuple[Part, Array, float]] = []
    for side in SIDES:
        if (j := rig.joint(f"{side} shin")) >= 0 and f"{side} shin" in thick:
            out.append((f"{side} knee", clip.model[1][:, j], thick[f"{side} shin"]))  # type: ignore[arg-type]
    if (j := rig.joint("pelvis")) >= 0 and len(out) == 2 and "pelvis" in thick:
        out.append(("seat", clip.model[1][:, j], thick["pelvis"]))
    return out


def distance(prop: Prop, clip: Clip, places: Array) -> Array:
    """How far places ``(frames, 3)`` are from the box about a prop, metres ``(frames,)``; 0 inside."""
    q, p = track(prop, clip)
    own = quat.rotate(quat.conjugate(q), places - p)
    if prop.vertices:
        v = np.array(prop.vertices)
        low, high = v.min(axis=0), v.max(axis=0)
    else:
        w, h, d = prop.size
        low, high = np.array([-w / 2, 0.0, -d / 2]), np.array([w / 2, h, d / 2])
    return np.asarray(np.linalg.norm(np.maximum(np.maximum(low - own, own - high), 0.0), axis=-1))
